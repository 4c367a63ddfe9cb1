// Readings that are literals, checked by the compiler.
import type { Form, FunctionName } from './syntax.ts';

/**
 * Readings as literal types: their names are looked up while a program is compiled. Only names are checked, by where
 * they stand; syntax is checked at run time. A text that is not a literal passes.
 */
interface KnownNames {
  readonly measure: string;
  readonly role: string;
  readonly window: string;
  readonly comparison: string;
  readonly attribute: string;
  readonly unit: string;
}

type Blank = ' ' | '\n' | '\t';
type Symbols = '(' | ')' | ',' | '+' | '*' | '/';
/** Puts blanks around every occurrence of a symbol. */
type Spaced<S extends string, C extends string, Done extends string = ''> = S extends `${infer A}${C}${infer B}`
  ? Spaced<B, C, `${Done}${A} ${C} `>
  : `${Done}${S}`;
type AllSpaced<S extends string> = Spaced<Spaced<Spaced<Spaced<Spaced<Spaced<S, '('>, ')'>, ','>, '+'>, '*'>, '/'>;
/** Words between blanks, with what is in quotes (`"…"`) and brackets (`[…]`) kept whole. */
type Split<S extends string, Done extends readonly string[] = []> = S extends `${infer A}${Blank}${infer B}`
  ? Split<B, A extends '' ? Done : [...Done, A]>
  : S extends ''
    ? Done
    : [...Done, S];
type Words<S extends string, Done extends readonly string[] = []> = S extends `${infer A}[${infer B}]${infer C}`
  ? A extends `${string}"${string}`
    ? QuotedWords<S, Done>
    : Words<C, [...Done, ...Split<AllSpaced<A>>, `[${B}]`]>
  : QuotedWords<S, Done>;
type QuotedWords<S extends string, Done extends readonly string[]> = S extends `${infer A}"${infer B}"${infer C}`
  ? Words<C, [...Done, ...Split<AllSpaced<A>>, `"${B}"`]>
  : [...Done, ...Split<AllSpaced<S>>];

type Unquoted<W extends string> = W extends `"${infer B}"` ? B : W;
type Expected = {
  readonly on: 'role';
  readonly over: 'window';
  readonly vs: 'comparison';
  readonly across: 'attribute';
  readonly as: 'form';
};

/** A name where one of a kind is expected: nothing when it is known, else a message. */
type Look<W extends string, Kind extends keyof KnownNames | 'form', N extends KnownNames> = Kind extends 'form'
  ? W extends Form
    ? never
    : Wrong<`"${W}" is not a form; there are`, Form>
  : W extends `[${string}]`
    ? Kind extends 'window' | 'comparison'
      ? never
      : Wrong<`a ${Kind} is expected, not ${W}; there are`, N[Extract<Kind, keyof KnownNames>]>
    : CheckedOf<Unquoted<W>, Kind, N> extends infer F
      ? unknown extends F
        ? never
        : F
      : never;

type CheckedOf<W extends string, Kind extends string, N extends KnownNames> = Kind extends 'attribute'
  ? CheckedAttributeName<W, N>
  : CheckedName<W, Kind, N[Extract<Kind, keyof KnownNames>]>;

/** An attribute: of the model, or one of the calendar that is made of two units, too many to be listed (U11). */
export type CheckedAttributeName<W extends string, N extends KnownNames> = W extends `${N['unit']}-of-${N['unit']}` | `calendar.${string}`
  ? unknown
  : CheckedName<W, 'attribute', N['attribute']>;

/** Nothing more to ask of a name that is known, or of a text that is not a literal; else a sentence with those there are. */
export type CheckedName<W extends string, Kind extends string, Known extends string> = W extends Known
  ? unknown
  : string extends W
    ? unknown
    : Wrong<`there is no ${Kind} "${W}"; there are`, Known>;

/** Goes through the words of a reading; the first wrong name is the message, none is `never`. */
type Faults<Ws extends readonly string[], N extends KnownNames> = Ws extends readonly [
  infer W extends string,
  ...infer Rest extends string[],
]
  ? W extends Symbols | '-' | `${number}`
    ? Faults<Rest, N>
    : W extends `-${infer Behind}`
      ? Faults<[Behind, ...Rest], N>
      : W extends 'across'
        ? Across<Rest, N>
        : W extends keyof Expected
          ? Rest extends readonly [infer V extends string, ...infer More extends string[]]
            ? Look<V, Expected[W], N> extends infer F
              ? [F] extends [never]
                ? Faults<More, N>
                : F
              : never
            : never
          : W extends FunctionName
            ? Faults<Rest, N>
            : Look<W, 'measure', N> extends infer F
              ? [F] extends [never]
                ? Faults<Rest, N>
                : F
              : never
  : never;
/** `across all`, `across time`, `across region`, `across (region, family)`. */
type Across<Ws extends readonly string[], N extends KnownNames> = Ws extends readonly ['all' | 'time', ...infer More extends string[]]
  ? Faults<More, N>
  : Ws extends readonly ['(', ...infer More extends string[]]
    ? AcrossList<More, N>
    : Ws extends readonly [infer V extends string, ...infer More extends string[]]
      ? Look<V, 'attribute', N> extends infer F
        ? [F] extends [never]
          ? Faults<More, N>
          : F
        : never
      : never;
type AcrossList<Ws extends readonly string[], N extends KnownNames> = Ws extends readonly [
  infer V extends string,
  ...infer More extends string[],
]
  ? V extends ')'
    ? Faults<More, N>
    : V extends ','
      ? AcrossList<More, N>
      : Look<V, 'attribute', N> extends infer F
        ? [F] extends [never]
          ? AcrossList<More, N>
          : F
        : never
  : never;

/** What no text is: assigning one to it shows the message, and the names that would be right. */
export interface Wrong<Message, Known = never> {
  readonly wrong: Message;
  readonly known: Known;
}

/** Nothing more to ask of a reading when all its names are known, else its message; and measures, for editors to complete. */
export type CheckedReading<S extends string, N extends KnownNames> = string extends S
  ? unknown
  : string extends N['measure']
    ? unknown
    : Faults<Words<S>, N> extends infer F
      ? [F] extends [never]
        ? unknown
        : F | N['measure']
      : never;
