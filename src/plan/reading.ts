// Readings built step by step, with completion.
import { FORMS, type Form, RESERVED } from '../language/syntax.ts';
import type { Names } from '../model/names.ts';

/** A reading as a question shows it: its text, and the label of its column. */
export interface Reading<Text extends string = string> {
  readonly is: Text;
  /** Types only: the names in it have been checked step by step. */
  readonly built?: true;
}

type Step = 'on' | 'over' | 'across' | 'vs' | 'as';

/** A reading under way: each modifier may be added once, `as` after `vs`. */
export type ReadingBuilder<N extends Names, Text extends string, Left extends Step> = Reading<Text> &
  Pick<
    {
      /** Counts by another date of the fact (M1). */
      readonly on: <R extends N['role']>(role: R) => ReadingBuilder<N, `${Text} on ${R}`, Exclude<Left, 'on'>>;
      /** Covers a window, by name or as `[P10D/anchor]` (W7). */
      readonly over: <W extends N['window'] | `[${string}]`>(window: W) => ReadingBuilder<N, `${Text} over ${W}`, Exclude<Left, 'over'>>;
      /** The same without the split by some attributes, by all, or by the periods of the axis (M11). */
      readonly across: <A extends 'all' | 'time' | N['attribute'] | `${N['unit']}-of-${N['unit']}`>(
        ...attributes: readonly [A, ...A[]]
      ) => ReadingBuilder<N, `${Text} across ${string}`, Exclude<Left, 'across'>>;
      /** Held against another time, by name or as `[-P2Y]` (C1). */
      readonly vs: <C extends N['comparison'] | `[${string}]`>(
        comparison: C,
      ) => ReadingBuilder<N, `${Text} vs ${C}`, Exclude<Left, 'vs'> | 'as'>;
      /** How it is held against it (C8). */
      readonly as: <F extends Form>(form: F) => ReadingBuilder<N, `${Text} as ${F}`, Exclude<Left, 'vs' | 'as'>>;
    },
    Left
  >;

const NAME = /^[a-z][a-z0-9-]*$/;
/** A name as it stands in a reading: in double quotes where it is not of the plain kind. */
const written = (name: string): string =>
  name.startsWith('[') || (NAME.test(name) && !(RESERVED as readonly string[]).includes(name)) ? name : `"${name}"`;
const attributeText = (name: string): string => name.split('.').map(written).join('.');

const builder = (text: string): object => {
  const made = { is: text };
  const steps: Readonly<Record<Step, (...names: string[]) => object>> = {
    on: (role) => builder(`${text} on ${written(role)}`),
    over: (window) => builder(`${text} over ${written(window)}`),
    across: (...names) =>
      builder(
        `${text} across ${names.length === 1 ? (names[0] === 'all' || names[0] === 'time' ? names[0] : attributeText(names[0])) : `(${names.map(attributeText).join(', ')})`}`,
      ),
    vs: (comparison) => builder(`${text} vs ${written(comparison)}`),
    as: (form) => builder(`${text} as ${FORMS.find((known) => known === form) ?? written(form)}`),
  };
  // Not enumerable, so that a question with a builder in it is plain data: { is: "…" }.
  for (const [name, value] of Object.entries(steps)) Object.defineProperty(made, name, { value });
  return made;
};

/** Makes readings step by step, with the names of a model: `const reading = readingsOf(model)`. */
export const readingsOf =
  <N extends Names>(_model?: { readonly names?: N }) =>
  <M extends N['measure']>(measure: M): ReadingBuilder<N, M, 'on' | 'over' | 'across' | 'vs'> =>
    builder(written(measure)) as never;

/** `reading('revenue').over('mtd').vs('year-earlier').as('change')`, with any names; `readingsOf` knows those of a model. */
export const reading = readingsOf<Names>();
