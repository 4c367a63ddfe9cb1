// What differs between databases, and how a relation's columns are known to the generator.

import type { ColumnKind } from '../../basics/columnar.ts';
import type { ZoneStretch } from '../../calendar/dates.ts';
import type { DurchblickError } from '../../errors.ts';
import type { NumberForm } from '../../model/decimal.ts';
import type { StatisticRows } from './statistics.ts';

/** What kind of values a column of a database holds. */
export type SqlKind = Exclude<ColumnKind, 'mixed'>;

export interface SqlColumn {
  readonly name: string;
  /** Its name in the relation, where that is another one: some databases do not tell `a` from `A`. */
  readonly as?: string;
  readonly kind: SqlKind;
  /** Decimals of a decimal column, where its type fixes them. */
  readonly scale?: number;
  /** Of a decimal column made of texts: the least number of decimals that all its values have (M10). */
  readonly needed?: number;
  /** Digits that the type of a decimal or whole number holds at most. */
  readonly precision?: number;
  /** What an unusable column holds, in words. */
  readonly holds?: string;
  /** Of a text column: how its numbers are written; plainly when left out. */
  readonly numbers?: NumberForm;
  /** Of a text column of members: some text looks like one that stands for rows without a member (G8). */
  readonly special?: true;
  /** Of a column of instants that are members: the offsets of the model's time zone over them; UTC when left out. */
  readonly zone?: readonly ZoneStretch[];
}

/** Rows as something that may stand behind FROM. */
export interface Relation extends StatisticRows {
  /** The file, table or source, as messages name it. */
  readonly name: string;
  readonly columns: readonly SqlColumn[];
  /**
   * Rows are typed copies of texts: the texts as they stand in their file, in order, and the column of both that has a row's number
   * there. Of `columns` the copies have those that are used alone.
   */
  readonly written?: {
    readonly row: string;
    readonly from: string;
    readonly columns: readonly SqlColumn[];
    readonly copied: ReadonlySet<string>;
  };
  /** Columns beside `columns` that put rows in the order of their source, where it has one. */
  readonly order?: readonly string[];
  /** A file of texts, whose dates and numbers are worth reading once. */
  readonly texts?: true;
  /** Of a dimension with versions: the days on which a row holds, of rows as `d`; the second no longer (G9). */
  readonly held?: { readonly from: string; readonly until: string };
  /** The right to read it is missing: whoever needs its rows throws this, and nobody else is stopped. */
  readonly denied?: DurchblickError;
}

/** What differs between databases. Everything else is the generator's. */
export interface Dialect {
  readonly name: string;
  /** A name as an identifier, whatever characters it has. */
  readonly identifier: (name: string) => string;
  /** A text as a literal. */
  readonly text: (value: string) => string;
  /** Days since 1970-01-01 of a date, as an integer; of an infinite one anything outside of D1. */
  readonly dayNumber: (date: string) => string;
  readonly toDate: (value: string) => string;
  /** The day number of a text of the form YYYY-MM-DD, null where there is no such date. */
  readonly dayOfText: (text: string) => string;
  /** What is made of a value that is worked out once, under a name; left out by a database that sees by itself what is written twice. */
  readonly once?: (value: string, name: string, body: (name: string) => string) => string;
  /** Whole seconds since 1970-01-01T00:00Z of an instant, those of a fraction begun. */
  readonly seconds: (instant: string) => string;
  readonly toDouble: (value: string) => string;
  /** The double of a text that is a number; null where it is greater than any. */
  readonly tryDouble: (text: string) => string;
  /** An integer of 64 bits. */
  readonly toInteger: (value: string) => string;
  /** A decimal, or a text that is a number, times 10^scale as an integer, without a double in between. */
  readonly exactly: (value: string, scale: number) => string;
  readonly toText: (value: string) => string;
  /** The text of a decimal without zeros at the end of its decimals. */
  readonly decimalText: (value: string) => string;
  /** How many decimals a decimal has, without zeros at their end, where the database knows that faster than by trying. */
  readonly decimals?: (value: string) => string;
  readonly isNaN: (value: string) => string;
  /** Which decimals are no numbers, where the type has such. */
  readonly noDecimal?: (value: string) => string;
  readonly matches: (text: string, pattern: string) => string;
  /** Text of a group of a pattern; null or empty where it takes no part. */
  readonly group: (text: string, pattern: string, group: number) => string;
  /** A text compared by code points. */
  readonly byCodePoint: (text: string) => string;
  /**
   * The whole number at a place, from 1 on, of a list that is written out; null behind its end. Where it is given, what stands beside days
   * is looked up so and no relation of days is joined, which engines on many machines would gather in one place.
   */
  readonly lookup?: (list: readonly (number | null)[], place: string) => string;
  /** Into many groups rows fall by one whole number in far less time than by two values: a day and a key that is a whole number are put into one. */
  readonly packs?: true;
  /** What may stand behind FROM for the whole numbers from a first to a last one, both inclusive; they may be columns of what stands before it. */
  readonly eachDay: (first: string, last: string) => string;
}

/** Quoting that the SQL standard prescribes. */
export const standardQuotes: Pick<Dialect, 'identifier' | 'text'> = {
  identifier: (name) => `"${name.replaceAll('"', '""')}"`,
  text: (value) => `'${value.replaceAll("'", "''")}'`,
};

/** What is made of a value that takes long, such as a text looked at by a pattern. */
export const once = (dialect: Dialect, value: string, name: string, body: (name: string) => string): string =>
  dialect.once?.(value, name, body) ?? body(value);

/** A relation whose rows may be read; throws why they may not. */
export const readable = (relation: Relation): Relation => {
  if (relation.denied) throw relation.denied;
  return relation;
};

/** A column of a relation under an alias. */
export const rawColumn = ({ identifier }: Dialect, alias: string, { name, as }: Pick<SqlColumn, 'name' | 'as'>): string =>
  `${alias}.${identifier(as ?? name)}`;

/** A name that no column of a relation has, whatever the case of its letters. */
export const freeName = (wanted: string, { columns }: Pick<Relation, 'columns'>): string => {
  const taken = new Set(columns.map(({ name, as }) => (as ?? name).toLowerCase()));
  let name = wanted;
  while (taken.has(name.toLowerCase())) name = `${name}_`;
  return name;
};

/** What puts rows in the order of their source. */
export const orderOf = ({ written, order = [] }: Relation): readonly string[] => (written ? [written.row] : order);

/** The names of what a relation's rows have: of typed copies what was copied, and what puts them in order. */
export const namesIn = (relation: Relation): string[] => [
  ...relation.columns.flatMap(({ name, as = name }) => (relation.written?.copied.has(name) === false ? [] : [as])),
  ...orderOf(relation),
];

export const columnNamed = ({ columns }: Relation, name: string): SqlColumn | undefined => columns.find((column) => column.name === name);
