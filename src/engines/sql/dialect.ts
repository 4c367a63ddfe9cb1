import type { NumberForm } from '../../model/decimal.ts';

/** What kind of values a column holds, as far as the generator must know. */
export type ColumnKind = 'date' | 'timestamp' | 'instant' | 'integer' | 'decimal' | 'double' | 'boolean' | 'text';

export interface SqlColumn {
  readonly name: string;
  readonly kind: ColumnKind;
  /** Decimals of a decimal column, where its type fixes them. */
  readonly scale?: number;
  /** Of a text column: how its numbers are written; plainly when left out. */
  readonly numbers?: NumberForm;
}

/** Rows as something that may stand behind FROM. */
export interface Relation {
  /** The file, table or source, as messages name it. */
  readonly name: string;
  readonly from: string;
  readonly columns: readonly SqlColumn[];
  /** A file of texts, whose dates and numbers are worth reading once. */
  readonly texts?: true;
}

/** What differs between databases. Everything else is the generator's. */
export interface Dialect {
  readonly name: string;
  /** A name as an identifier, whatever characters it has. */
  readonly identifier: (name: string) => string;
  /** A text as a literal. */
  readonly text: (value: string) => string;
  /** Days since 1970-01-01 of a date, as an integer. */
  readonly dayNumber: (date: string) => string;
  readonly toDate: (value: string) => string;
  /** The date of a text of the form YYYY-MM-DD, null where there is no such date. */
  readonly tryDate: (text: string) => string;
  /** Milliseconds since 1970-01-01T00:00Z of an instant, as a double. */
  readonly milliseconds: (instant: string) => string;
  readonly toDouble: (value: string) => string;
  /** An integer of 64 bits. */
  readonly toInteger: (value: string) => string;
  readonly toText: (value: string) => string;
  readonly isNaN: (value: string) => string;
  readonly matches: (text: string, pattern: string) => string;
  /** Text of a group of a pattern; null or empty where it takes no part. */
  readonly group: (text: string, pattern: string, group: number) => string;
  /** A text compared by code points. */
  readonly byCodePoint: (text: string) => string;
  /** Equally long lists of integers as a relation with these columns. */
  readonly integers: (name: string, columns: Readonly<Record<string, ArrayLike<number>>>) => string;
}

/** Quoting that the SQL standard prescribes. */
export const standardQuotes: Pick<Dialect, 'identifier' | 'text'> = {
  identifier: (name) => `"${name.replaceAll('"', '""')}"`,
  text: (value) => `'${value.replaceAll("'", "''")}'`,
};
