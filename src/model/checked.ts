// What the compiler says of a model literal whose names do not fit together.
import type { CheckedName, CheckedReading } from '../language/literal.ts';
import type { NamesOf } from './names.ts';
import type { ModelInput } from './schema.ts';

/**
 * What a model literal must be beside its own type for the names in it to be known: those of formulas and alerts, the roles,
 * filters and shapes of measures, the dimensions of links. A wrong name turns into a sentence, at its place. What cannot be
 * told from a literal is told at run time.
 */

type Texts<T> = Extract<keyof T, string>;
type DatesOf<F> = F extends { readonly dates: infer D } ? Texts<D> : never;
type DimensionsOf<M> = M extends { readonly dimensions: infer D } ? D : object;

type Role<R, F> = R extends string ? CheckedName<R, 'date', DatesOf<F>> : unknown;
/** `ordered/shipped`. */
type Roles<T, F> = T extends `${infer A}/${infer B}` ? Role<A, F> & Role<B, F> : unknown;
type Reading<R, M> = R extends string ? CheckedReading<R, NamesOf<M>> : unknown;
type Attribute<A, M> = A extends string ? CheckedName<A, 'attribute', NamesOf<M>['attribute']> : unknown;

type Measure<T, F, M> = {
  readonly [K in keyof T]: K extends 'role'
    ? Role<T[K], F>
    : K extends 'open' | 'daysBetween'
      ? Roles<T[K], F>
      : K extends 'where'
        ? { readonly [A in keyof T[K]]: Attribute<A, M> }
        : K extends 'spread'
          ? T[K] extends { readonly like: infer R }
            ? { readonly like: Reading<R, M> }
            : unknown
          : K extends 'spreadAcross'
            ? { readonly [D in keyof T[K]]: Reading<T[K][D], M> }
            : unknown;
};

/** A link by the name of a dimension, or of one and its attribute; or to a dimension in a second part. */
type Link<Key, L, M> = L extends { readonly dimension: infer D extends string }
  ? { readonly dimension: CheckedName<D, 'dimension', Texts<DimensionsOf<M>>> }
  : Key extends `${infer D}.${string}`
    ? CheckedName<D, 'dimension', Texts<DimensionsOf<M>>> & Attribute<Key, M>
    : Key extends string
      ? CheckedName<Key, 'dimension', Texts<DimensionsOf<M>>>
      : unknown;

type Fact<F, M> = {
  readonly [K in keyof F]: K extends 'measures'
    ? { readonly [N in keyof F[K]]: Measure<F[K][N], F, M> }
    : K extends 'links'
      ? { readonly [N in keyof F[K]]: Link<N, F[K][N], M> }
      : K extends 'enters'
        ? Role<F[K], F>
        : unknown;
};

type Formula<T, M> = T extends string ? Reading<T, M> : T extends { readonly is: infer R } ? { readonly is: Reading<R, M> } : unknown;

type Alert<T, M> = {
  readonly [K in keyof T]: K extends 'reading'
    ? Reading<T[K], M>
    : K extends 'per'
      ? { readonly [I in keyof T[K]]: Attribute<T[K][I], M> }
      : unknown;
};

/** Checks the names in a figure (V4). */
type Figure<T, M> = {
  readonly [K in keyof T]: K extends 'reading'
    ? Reading<T[K], M>
    : K extends 'members' | 'where'
      ? { readonly [A in keyof T[K]]: Attribute<A, M> }
      : unknown;
};

/** Of a part, the names in it: those of the whole that it belongs to. */
export type CheckedModel<Part, M> = ModelInput extends Part
  ? unknown
  : {
      readonly [K in keyof Part]: K extends 'facts'
        ? { readonly [N in keyof Part[K]]: Fact<Part[K][N], M> }
        : K extends 'formulas'
          ? { readonly [N in keyof Part[K]]: Formula<Part[K][N], M> }
          : K extends 'alerts'
            ? { readonly [N in keyof Part[K]]: Alert<Part[K][N], M> }
            : K extends 'figures'
              ? { readonly [I in keyof Part[K]]: Figure<Part[K][I], M> }
              : unknown;
    };
