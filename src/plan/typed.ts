// Types of questions checked against the names of a model.
import type { CheckedAttributeName, CheckedReading, Wrong } from '../language/literal.ts';
import type { Names } from '../model/names.ts';
import type { FilterInput, Question } from '../model/schema.ts';
import type { Reading } from './reading.ts';

/** `(string & {})` keeps literal names for completion beside any other text. */
type AnyText = string & {};

export interface ShowOf<N extends Names> {
  readonly is: N['measure'] | AnyText;
  readonly label?: string;
}

type By<N extends Names> = N['unit'] | `${N['unit']}s` | N['window'] | `[${string}]`;

/** A question whose names are those of a model. Readings are texts; `CheckedQuestion` looks into them. */
export interface QuestionOf<N extends Names> extends Omit<Question, 'show' | 'by' | 'per' | 'where' | 'range'> {
  readonly show: readonly (N['measure'] | AnyText | ShowOf<N> | Reading)[];
  /** A unit, a window or a list of windows; left out: the whole range as one row. */
  readonly by?: By<N> | AnyText | readonly (By<N> | AnyText)[];
  readonly per?: readonly (N['attribute'] | AnyText)[];
  /** Periods or dates with a slash between them, one period, or a window laid at the as-of date (A5). */
  readonly range?: N['window'] | AnyText;
  readonly where?: WhereOf<N>;
}

/** Filters by attribute; `CheckedWhere` looks at the names. */
export type WhereOf<N extends Names> = { readonly [A in N['attribute']]?: FilterInput } & {
  readonly [name: string]: FilterInput | undefined;
};

/** What filters must be beside their own type for all their attributes to be known. */
export type CheckedWhere<W, N extends Names> = {
  readonly [K in keyof W]: CheckedAttribute<K, N>;
};

type CheckedBy<B, N extends Names> = B extends readonly unknown[]
  ? { readonly [I in keyof B]: CheckedBy<B[I], N> }
  : B extends string
    ? B extends By<N>
      ? unknown
      : string extends B
        ? unknown
        : Wrong<`there is no unit or window "${B}"; units are`, N['unit']>
    : unknown;
type CheckedAttribute<A, N extends Names> = A extends string ? CheckedAttributeName<A, N> : unknown;
type CheckedPer<P, N extends Names> = P extends readonly unknown[] ? { readonly [I in keyof P]: CheckedAttribute<P[I], N> } : unknown;

type CheckedShow<S, N extends Names> = S extends string
  ? CheckedReading<S, N>
  : 'built' extends keyof S
    ? unknown
    : { readonly [K in keyof S]: K extends 'is' ? (S[K] extends string ? CheckedReading<S[K], N> : unknown) : unknown };
type CheckedShows<L, N extends Names> = { readonly [I in keyof L]: CheckedShow<L[I], N> };
type WithoutDirection<S extends string> = S extends `${infer R} desc` ? R : S extends `${infer R} asc` ? R : S;
type WithoutEnd<S extends string> = S extends `${infer R} ` ? WithoutEnd<R> : S;
/** The reading of a condition: the text before its sign. */
type BeforeSign<S extends string> = S extends `${infer R}${'<' | '>' | '=' | '!'}${string}` ? BeforeSign<R> : WithoutEnd<S>;
/** The reading of an entry in `order` or `keep`. */
type ReadingIn<K extends 'order' | 'keep', S extends string> = K extends 'order' ? WithoutDirection<S> : BeforeSign<S>;
/** Entries may name a column by its label; all other texts are checked as readings. */
type CheckedEntries<K extends 'order' | 'keep', L, Columns, N extends Names> = L extends readonly unknown[]
  ? { readonly [I in keyof L]: CheckedEntries<K, L[I], Columns, N> }
  : L extends string
    ? ReadingIn<K, L> extends Columns
      ? unknown
      : CheckedReading<ReadingIn<K, L>, N>
    : unknown;
type ColumnsOf<Q> = Q extends { readonly show: readonly (infer S)[] } ? ColumnOf<S> : never;

/**
 * What a question must be beside its own type for all its readings to have known names: a wrong one turns into its
 * message, at its place.
 */
export type CheckedQuestion<Q, N extends Names> = {
  readonly [K in keyof Q]: K extends 'show'
    ? CheckedShows<Q[K], N>
    : K extends 'order'
      ? CheckedEntries<'order', Q[K], ColumnsOf<Q> | 'period', N>
      : K extends 'by'
        ? CheckedBy<Q[K], N>
        : K extends 'per'
          ? CheckedPer<Q[K], N>
          : K extends 'where'
            ? CheckedWhere<Q[K], N>
            : K extends 'keep'
              ? CheckedEntries<'keep', Q[K], ColumnsOf<Q>, N>
              : K extends 'within'
                ? CheckedAttribute<Q[K], N>
                : unknown;
};
type CheckedKeys<Q> = {
  readonly [K in keyof Q]: K extends keyof Question ? unknown : Wrong<`a question has no "${K & string}"`, keyof Question>;
};

/** Checks the names in the address of a cell. */
export type CheckedAddress<A, N extends Names> = {
  readonly [K in keyof A]: K extends 'reading'
    ? A[K] extends string
      ? CheckedReading<A[K], N>
      : unknown
    : K extends 'members' | 'where'
      ? CheckedWhere<A[K], N>
      : K extends 'by'
        ? CheckedBy<A[K], N>
        : unknown;
};

/** The same for what may be the name of a question of the model as well; other names are no `Q` to begin with. */
export type CheckedAsked<Q, N extends Names> = Q extends string ? unknown : CheckedQuestion<Q, N> & CheckedKeys<Q>;

/** The name of a column: its label, else the reading as written. */
type ColumnOf<S> = S extends string
  ? S
  : S extends { readonly label: infer L extends string }
    ? L
    : S extends { readonly is: infer I extends string }
      ? I
      : never;

/** A row of the answer to a question literal; any row where the question is not one. */
export type RowOf<Q> = Q extends { readonly show: readonly (infer S)[] }
  ? string extends ColumnOf<S>
    ? Readonly<Record<string, string | number | null>>
    : { readonly period: string } & (Q extends { readonly per: readonly (infer A extends string)[] }
        ? { readonly [K in A]: string }
        : unknown) & { readonly [K in ColumnOf<S>]: number | null }
  : Readonly<Record<string, string | number | null>>;
