import { parseReading } from '../language/parse.ts';
import type { Expression } from '../language/syntax.ts';
import type { Model } from '../model/model.ts';

/** A name in a reading, and what is said instead. */
interface Spoken {
  readonly at: number;
  readonly said: string;
}

/** The names of measures, formulas and windows in a reading: by their labels, else without quotes. */
const spokenIn = (node: Expression, model: Model): readonly Spoken[] => {
  switch (node.kind) {
    case 'number':
    case 'rate':
      return [];
    case 'name':
      return [{ at: node.at, said: (model.measures.get(node.name) ?? model.formulas.get(node.name))?.label ?? node.name }];
    case 'negate':
      return spokenIn(node.of, model);
    case 'binary':
      return [...spokenIn(node.left, model), ...spokenIn(node.right, model)];
    case 'call':
      return node.args.flatMap((arg) => spokenIn(arg, model));
    case 'modified': {
      const { over } = node.modifiers;
      const window = over && !over.literal ? [{ at: over.at, said: model.windows.get(over.text)?.label ?? over.text }] : [];
      return [...spokenIn(node.of, model), ...window];
    }
  }
};

/** A name as it stands at a place of a reading: plain or quoted. */
const NAME = /[a-z][a-z0-9-]*|"[^"]*"/y;

/**
 * What heads a column: the reading as it was asked, role, window, comparison and form included, with the labels that the
 * model gives to measures, formulas and windows in the place of their names.
 */
export const headingOf = (reading: string, model: Model): string => {
  let [text, from] = ['', 0];
  for (const { at, said } of [...spokenIn(parseReading(reading), model)].sort((a, b) => a.at - b.at)) {
    NAME.lastIndex = at;
    NAME.exec(reading);
    text += reading.slice(from, at) + said;
    from = NAME.lastIndex;
  }
  return (text + reading.slice(from)).trim().replace(/\s+/g, ' ');
};

/**
 * Headings of a whole result. No two are alike, nor like one that is taken: where labels collide, the reading as written
 * stands behind. A column that the question names itself (`label`) is called so.
 */
export const headingsOf = (
  columns: readonly { readonly name: string; readonly reading: string }[],
  model: Model,
  taken: readonly string[],
): readonly string[] => {
  const own = columns.map(({ name, reading }) => (name === reading ? headingOf(reading, model) : name));
  const count = new Map<string, number>();
  for (const heading of [...taken, ...own]) count.set(heading, (count.get(heading) ?? 0) + 1);
  const apart = own.map((heading, k) =>
    count.get(heading) === 1 || heading === columns[k].name ? heading : `${heading} (${columns[k].name})`,
  );
  // Names of columns are never alike.
  return new Set([...taken, ...apart]).size === taken.length + apart.length ? apart : columns.map(({ name }) => name);
};
