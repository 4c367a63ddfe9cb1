// The names of a model literal as types, so that the compiler checks questions against them.
import type { ModelInput, YearSystemInput } from './schema.ts';

/**
 * The names of a model, as types: unions of literals where the model is written in TypeScript, `string` where it comes
 * from a file. Questions are checked against them by the compiler, and always at run time.
 */
export interface Names {
  readonly measure: string;
  readonly role: string;
  readonly window: string;
  readonly comparison: string;
  readonly unit: string;
  readonly attribute: string;
  readonly question: string;
}

type Keys<T> = T extends object ? Extract<keyof T, string> : never;
type Part<T, K extends string> = T extends { readonly [key in K]: infer V } ? V : never;
/** The values of a map, as a union. */
type Values<T> = T extends object ? T[keyof T] : never;

type FactsOf<M> = Values<Part<M, 'facts'>>;
/** Spelled out over every fact: `keyof` of a union keeps common keys only. */
type KeysIn<F, K extends string> = F extends unknown ? Keys<Part<F, K>> : never;

type SystemsOf<M> = Part<Part<M, 'calendar'>, 'yearSystems'>;
type CustomUnits<M> = Keys<Part<Part<M, 'calendar'>, 'periods'>>;

type SystemKind<S> = S extends { readonly pattern: string }
  ? 'weeks'
  : S extends { readonly table: string } | { readonly years: object }
    ? 'listed'
    : S extends YearSystemInput
      ? 'months'
      : never;

type SystemUnit<K> = K extends 'months'
  ? 'month' | 'quarter' | 'half' | 'year'
  : K extends 'weeks'
    ? 'week' | 'month' | 'quarter' | 'year'
    : 'year';
type SystemUnits<S> = { [N in Keys<S>]: `${N}-${SystemUnit<SystemKind<S[N & keyof S]>>}` }[Keys<S>];
type Initial<U extends string> = U extends 'week'
  ? 'w'
  : U extends 'month'
    ? 'm'
    : U extends 'quarter'
      ? 'q'
      : U extends 'half'
        ? 'h'
        : 'y';
type SystemWindows<S> = {
  [N in Keys<S>]: SystemKind<S[N & keyof S]> extends infer K
    ? `${N}-${Initial<SystemUnit<K>>}td` | (K extends 'listed' ? never : `${N}-qtd-complete` | `${N}-ytd-complete`)
    : never;
}[Keys<S>];

type CivilUnit = 'day' | 'week' | 'month' | 'quarter' | 'half' | 'year' | 'week-year';
type UnitOf<M> = CivilUnit | SystemUnits<SystemsOf<M>> | CustomUnits<M>;

/** W10, for the units of a model. Hidden ones (`mtd: false`) are not told apart; they are errors at run time. */
type WindowOf<M> =
  | Keys<Part<M, 'windows'>>
  | 'wtd'
  | 'mtd'
  | 'qtd'
  | 'htd'
  | 'ytd'
  | 'week-ytd'
  | 'qtd-complete'
  | 'ytd-complete'
  | 'so-far'
  | 'rolling-7-days'
  | 'rolling-28-days'
  | `rolling-${3 | 6 | 12}-months`
  | 'to-date'
  | `last-complete-${UnitOf<M>}`
  | `last-${3 | 6 | 12}-complete-${'weeks' | 'months' | 'quarters'}`
  | `${CustomUnits<M>}-to-date`
  | SystemWindows<SystemsOf<M>>;

type DimensionsOf<M> = Part<M, 'dimensions'>;
/** Attributes of a dimension: its list, or its own name where it has none. */
type AttributesIn<D, N extends string> = D extends { readonly attributes: infer A } ? Keys<A> : N;
type OwnAttributes<Ds> = { [N in Keys<Ds>]: AttributesIn<Ds[N & keyof Ds], N> | N | `${N}.${AttributesIn<Ds[N & keyof Ds], N>}` }[Keys<Ds>];
/** Further parts that a dimension takes (`ship-region`): links written as `{ dimension, column }`. */
type PartsIn<F, Ds> = F extends { readonly links: infer L }
  ? {
      [P in Keys<L>]: L[P & keyof L] extends { readonly dimension: infer D extends string }
        ? P | `${P}.${AttributesIn<Ds[D & keyof Ds], D>}`
        : never;
    }[Keys<L>]
  : never;
type AttributeOf<M> = OwnAttributes<DimensionsOf<M>> | PartsIn<FactsOf<M>, DimensionsOf<M>> | KeysIn<FactsOf<M>, 'bands'>;

/** A union spelled out, so that the compiler's messages list its names instead of the model's whole type. */
type Listed<U extends string> = { [K in U]: { readonly name: K } }[U]['name'];

/** The names of a model literal; `Names` itself where the model is not one. */
export type NamesOf<M> = ModelInput extends M
  ? Names
  : {
      readonly measure: KeysIn<FactsOf<M>, 'measures'> | Keys<Part<M, 'formulas'>> | 'days' | 'working-days';
      readonly role: KeysIn<FactsOf<M>, 'dates'>;
      readonly window: Listed<WindowOf<M>>;
      readonly comparison: Keys<Part<M, 'comparisons'>> | 'previous' | 'year-earlier';
      readonly unit: Listed<UnitOf<M>>;
      readonly attribute: Listed<AttributeOf<M> | 'weekday' | 'working-day' | 'holiday' | UnitOf<M>>;
      readonly question: Keys<Part<M, 'questions'>>;
    };
