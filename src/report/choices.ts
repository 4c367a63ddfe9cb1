// What may be switched in a question, and the question that comes of it.
import { innerOf } from '../language/inner.ts';
import { parseReading } from '../language/parse.ts';
import type { Expression, Modifiers } from '../language/syntax.ts';
import type { Question, ShownReading } from '../model/schema.ts';

/** What somebody has switched; what is left out is as the question says. */
export interface Choices {
  readonly by?: string;
  readonly over?: string;
  readonly vs?: string;
  readonly asOf?: string;
  readonly where?: Readonly<Record<string, readonly string[]>>;
  readonly locale?: string;
}

const has = (node: Expression, modifier: keyof Modifiers): boolean =>
  (node.kind === 'modified' && node.modifiers[modifier] !== undefined) || innerOf(node).some((inner) => has(inner, modifier));

/** A reading with one more modifier behind it. */
const modified = (reading: string, modifier: string): string => {
  const { kind } = parseReading(reading);
  return kind === 'name' || kind === 'modified' ? `${reading} ${modifier}` : `(${reading}) ${modifier}`;
};

const quoted = (name: string): string => (/^[a-z][a-z0-9-]*$/.test(name) ? name : `"${name}"`);

const readingOf = (shown: string | ShownReading): string => (typeof shown === 'string' ? shown : shown.is);

/** The readings of a question over another window, where they have none of their own. */
const over = (show: Question['show'], window: string | undefined): Question['show'] =>
  window === undefined
    ? show
    : show.map((shown) => (has(parseReading(readingOf(shown)), 'over') ? shown : modified(readingOf(shown), `over ${quoted(window)}`)));

/** The readings of a question that are held against nothing, each with how it has changed against another time. */
const against = (show: Question['show'], comparison: string | undefined): Question['show'] => {
  if (comparison === undefined) return show;
  const own = show.filter((shown) => !has(parseReading(readingOf(shown)), 'vs'));
  const all = own.length > 0 ? own : show.slice(0, 1);
  return all.flatMap((shown) =>
    has(parseReading(readingOf(shown)), 'vs')
      ? [shown]
      : [shown, modified(readingOf(shown), `vs ${quoted(comparison)}`), modified(readingOf(shown), `vs ${quoted(comparison)} as change`)],
  );
};

/** A question with what was switched in it. */
export const chosen = (question: Question, { by, over: window, vs, asOf, where = {}, locale }: Choices): Question => {
  const show = against(over(question.show, window), vs);
  const names = new Set(show.map((shown) => (typeof shown === 'string' ? shown : (shown.label ?? shown.is))));
  // An order by a column that is no longer shown is none.
  const order = (typeof question.order === 'string' ? [question.order] : (question.order ?? [])).filter((text) =>
    names.has(text.replace(/ (desc|asc)$/, '')),
  );
  const { order: _, ...rest } = question;
  return {
    ...rest,
    show,
    ...(order.length > 0 ? { order } : {}),
    ...(by === undefined ? {} : { by }),
    ...(asOf === undefined ? {} : { asOf }),
    ...(locale === undefined ? {} : { locale }),
    ...(Object.keys(where).length > 0 ? { where: { ...question.where, ...where } } : {}),
  };
};
