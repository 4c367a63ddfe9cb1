// The types of results.
import type { WrittenColumn } from '../basics/columnar.ts';
import type { Form } from '../language/syntax.ts';
import type { Note } from '../plan/notes.ts';
import type { Format } from './format.ts';

export interface Period {
  readonly label: string;
  /** First and last day and the day windows are laid at, `YYYY-MM-DD`, inclusive. */
  readonly start: string;
  readonly end: string;
  readonly anchor: string;
  /** The as-of date lies inside: the period is not over (A4). */
  readonly partial: boolean;
  /** The range takes only part of the period (A5). */
  readonly cut?: true;
}

export interface ResultColumn {
  readonly name: string;
  readonly kind: 'period' | 'attribute' | 'reading';
  readonly label: string;
  readonly expression?: string;
  /** Of a reading that is held against another time: how it is shown (C8). */
  readonly form?: Form;
  readonly format?: Format;
  /** A currency code, `%`, or what else the numbers are in. */
  readonly unit?: string;
  readonly better?: 'higher' | 'lower';
  readonly horizon?: 'actual' | 'plan';
  /** Of an attribute of days: what it says of them (U11). */
  readonly standing?: 'weekday' | 'working-day' | 'holiday' | 'number' | 'period';
}

export type Cell = string | number | null;
export interface ComparedDays {
  readonly start: string;
  readonly end: string;
  /** The as-of and known-by date that they were seen at, where a comparison changes them (C11, C12). */
  readonly asOf?: string;
  readonly knownBy?: string;
}

/** A row as a plain object: `period`, the attributes, and each reading by its column's name; blank is null. */
export type ResultRow = Readonly<Record<string, Cell>>;

export interface ResultJson {
  /** The as-of date, `YYYY-MM-DD`. */
  readonly asOf: string;
  readonly unit: string | null;
  readonly caption: string;
  readonly periods: readonly Period[];
  readonly columns: readonly ResultColumn[];
  readonly rows: readonly (readonly Cell[])[];
  readonly totals: readonly (readonly Cell[])[];
  readonly compared: Readonly<Record<string, readonly (ComparedDays | null)[]>>;
  readonly notes: readonly Note[];
  /** The question's locale, else the model's (BCP 47), in which numbers and days are written for people. */
  readonly locale: string;
  /** What totals and those left out are called in the answer's language; left out where they are `Total` and `(others)` (R5). */
  readonly words?: { readonly total: string; readonly others: string };
  /** Alerts that cells set off, by row of `rows` and column; left out where there are none. */
  readonly marks?: readonly (readonly (Mark | null)[])[];
}

/** A value that breaks the bound of an alert: which way it lies, and whether that is good (`better`). */
export interface Mark {
  readonly alert: string;
  readonly label: string;
  readonly direction: 'low' | 'high';
  readonly verdict: 'good' | 'bad' | 'neutral';
}

/** A table of texts, formatted for people: total rows follow what they sum up. */
export interface TextTable {
  readonly header: readonly string[];
  readonly kinds: readonly ('period' | 'attribute' | 'reading')[];
  readonly rows: readonly {
    readonly kind: 'cell' | 'others' | 'total';
    readonly cells: readonly string[];
    /** Alerts that a cell sets off, by column. */
    readonly marks: readonly (Mark | null)[];
  }[];
}

/** The answer to a question. Iterates as plain objects. */
export interface PlainResult<Row = ResultRow> extends ResultJson, Iterable<Row> {
  /** Alerts that cells set off, by row of `rows` and column; empty lists where there are none. */
  readonly marks: readonly (readonly (Mark | null)[])[];
  /** Formatted texts; with `header` the unit of a column stands once in its header instead of in every cell. */
  readonly toTable: (units?: 'cells' | 'header') => TextTable;
  /**
   * RFC 4180; numbers plain and in full precision, blank = empty field. For `spreadsheet`, texts that it would run as
   * formulas get an apostrophe in front; for `data`, the default, every text is what it is.
   */
  readonly toCsv: (reader?: 'data' | 'spreadsheet') => string;
  /** One JSON object a row and line. */
  readonly toNdjson: () => string;
  /** The text of the CSV for data, or of the NDJSON, in parts of some hundred lines, for answers that are long. */
  readonly toParts: (form: 'csv' | 'ndjson') => Iterable<string>;
  /** A GitHub-flavoured Markdown table. */
  readonly toMarkdown: () => string;
  readonly toJson: () => ResultJson;
  /** The rows of the CSV as typed columns: texts, and numbers in full precision. */
  readonly toColumns: () => readonly WrittenColumn[];
}
