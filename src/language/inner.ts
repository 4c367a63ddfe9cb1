// The one walk over readings and computed columns: what a part of them is directly made of.
import type { Expression } from './syntax.ts';

export const innerOf = (node: Expression): readonly Expression[] => {
  switch (node.kind) {
    case 'binary':
      return [node.left, node.right];
    case 'negate':
    case 'modified':
      return [node.of];
    case 'call':
      return node.args;
    default:
      return [];
  }
};

/** Every name that stands for a value in it, as often as it stands there. */
export const valueNamesIn = (node: Expression): string[] => (node.kind === 'name' ? [node.name] : innerOf(node).flatMap(valueNamesIn));
