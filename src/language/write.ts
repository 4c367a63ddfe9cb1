// A syntax tree as a text again, with as few parentheses as its meaning takes.
import type { Expression, Modifiers, Operator } from './syntax.ts';

type Signs = Readonly<Record<Operator, string>>;
/** Arithmetic as readings have it, and as people write it. */
export const PLAIN_SIGNS: Signs = { '+': '+', '-': '-', '*': '*', '/': '/' };
export const SPOKEN_SIGNS: Signs = { '+': '+', '-': '−', '*': '×', '/': '÷' };

/** How the parts of an expression are written. */
export interface Writing {
  readonly signs: Signs;
  /** A name or a rate: its text, or an expression that is written in its place. */
  readonly name: (node: Extract<Expression, { kind: 'name' | 'rate' }>) => string | Expression;
  /** What stands in parentheses behind something modified; undefined where that is not said. */
  readonly modifiers: (modifiers: Modifiers) => string | undefined;
}

/** How tightly an expression holds together: sums least, then products, then what is one thing. */
const [SUM, PRODUCT, ONE] = [0, 1, 2];
const TIGHT: Readonly<Record<Operator, number>> = { '+': SUM, '-': SUM, '*': PRODUCT, '/': PRODUCT };

/** `least`: what holds together less tightly gets parentheses. */
export const writeExpression = (node: Expression, writing: Writing, least = SUM): string => {
  const held = (text: string, tight: number): string => (tight < least ? `(${text})` : text);
  const inner = (own: Expression, needed: number): string => writeExpression(own, writing, needed);
  switch (node.kind) {
    case 'number':
      return String(node.value);
    case 'name':
    case 'rate': {
      const written = writing.name(node);
      return typeof written === 'string' ? written : inner(written, least);
    }
    case 'negate':
      return held(`${writing.signs['-']}${inner(node.of, ONE)}`, PRODUCT);
    case 'binary': {
      const { operator } = node;
      const tight = TIGHT[operator];
      // What stands behind a minus or a stroke is one thing.
      const right = inner(node.right, operator === '-' || operator === '/' ? tight + 1 : tight);
      return held(`${inner(node.left, tight)} ${writing.signs[operator]} ${right}`, tight);
    }
    case 'call':
      return `${node.name}(${node.args.map((arg) => inner(arg, SUM)).join(', ')})`;
    case 'modified': {
      const said = writing.modifiers(node.modifiers);
      return said === undefined ? inner(node.of, least) : `${inner(node.of, ONE)} (${said})`;
    }
  }
};
