// The checked model as plain data: every name resolved, every text parsed.
import type { Day } from '../calendar/day.ts';
import type { Expression } from '../language/syntax.ts';
import type { SeenAs, Shift, Window } from '../windows/syntax.ts';
import type { Texts } from '../words/texts.ts';
import type { NumberForm } from './decimal.ts';
import type { Locate } from './keys.ts';
import type { Names } from './names.ts';
import type { AlertInput, FormatInput, ModelInput, Question, WhereInput } from './schema.ts';

/** A checked model: every name resolved, every text parsed. Plain data; nothing here knows rows. */
export interface Model<N extends Names = Names> {
  /** The model's names as types, for the compiler; never there at run time. */
  readonly names?: N;
  readonly input: ModelInput;
  readonly name: string;
  readonly timeZone: string;
  readonly locale: string;
  readonly asOf: string;
  /** Names of all units, built-in, of year systems and custom (U2). */
  readonly units: readonly string[];
  readonly sources: ReadonlyMap<string, Source>;
  readonly dimensions: ReadonlyMap<string, Dimension>;
  readonly rates: ReadonlyMap<string, Rate>;
  readonly facts: ReadonlyMap<string, Fact>;
  readonly measures: ReadonlyMap<string, Measure>;
  readonly formulas: ReadonlyMap<string, Formula>;
  readonly windows: ReadonlyMap<string, NamedWindow>;
  readonly comparisons: ReadonlyMap<string, Comparison>;
  readonly alerts: ReadonlyMap<string, AlertInput>;
  readonly questions: ReadonlyMap<string, NamedQuestion>;
  readonly figures: readonly Figure[];
  readonly publications: ReadonlyMap<string, Publication>;
  /** Names under which dimensions take part: a dimension's own name, and further parts (`ship-region`). */
  readonly parts: ReadonlyMap<string, Dimension>;
  readonly locate: Locate;
}

export type Encoding = 'windows-1252' | 'iso-8859-15' | 'utf-16';

export type Source = {
  readonly name: string;
  /** How numbers that are texts are written. */
  readonly numbers: NumberForm;
} & (
  | {
      readonly kind: 'file';
      readonly file: string;
      /** How its texts are written; UTF-8 where nothing is said. */
      readonly encoding: Encoding | undefined;
      /** The sheet of a workbook. */
      readonly sheet: string | undefined;
    }
  | { readonly kind: 'table'; readonly table: string }
  | { readonly kind: 'query'; readonly query: string }
  /** Given to the engine by the caller under the source's name. */
  | { readonly kind: 'given' }
);

export interface Attribute {
  readonly name: string;
  readonly column: string;
  /** Column that sorts the members (R1). */
  readonly order: string | undefined;
}

export interface Dimension {
  readonly name: string;
  /** Without a source the linked column's values are the members. */
  readonly source: string | undefined;
  readonly key: string | undefined;
  /** Columns with the days on which a version of a key holds: from the first, inclusive, until the second, which it no longer does (G9). */
  readonly valid: { readonly from: string; readonly until: string } | undefined;
  readonly attributes: ReadonlyMap<string, Attribute>;
}

/** Versions that hold on the as-of date, for all rows alike (G9). */
export const NOW = 'now';

/** A table of factors by day or coarser (G10). */
export interface Rate {
  readonly name: string;
  readonly source: string;
  readonly date: string;
  /** `day`: the latest on or before a date holds; else that of the period which holds the date. */
  readonly grain: string;
  readonly of: string;
  /** Columns of a fact's row, and those of the table that equal them. */
  readonly by: readonly (readonly [own: string, column: string])[];
  /** How many days old a daily rate may be. */
  readonly hold: number;
}

export interface Role {
  readonly name: string;
  readonly column: string;
  readonly horizon: 'actual' | 'plan';
  readonly format: string | undefined;
  readonly onBadDate: 'error' | 'blank';
  readonly blankDates: readonly string[];
}

export interface Link {
  readonly part: string;
  readonly dimension: Dimension;
  /** The attribute the column holds; undefined when it holds the dimension's key. */
  readonly attribute: string | undefined;
  readonly column: string;
  /** Of a dimension with versions: the role on whose date a row takes its version, or `now`; undefined of all others (G9). */
  readonly at: string | undefined;
}

export interface Band {
  readonly name: string;
  readonly of: string;
  /** Sorted by threshold; an amount belongs to the greatest start not above it. */
  readonly labels: readonly string[];
  readonly starts: readonly number[];
}

export interface Fact {
  readonly name: string;
  readonly source: string;
  readonly grain: string;
  readonly horizon: 'actual' | 'plan';
  readonly enters: string | undefined;
  readonly begins: Day | undefined;
  /** Shown whole even under fixed filters that it cannot reach (V3). */
  readonly openTo: 'everyone' | undefined;
  readonly roles: ReadonlyMap<string, Role>;
  readonly columns: ReadonlyMap<string, Expression>;
  readonly links: readonly Link[];
  readonly bands: ReadonlyMap<string, Band>;
  readonly recorded: string | undefined;
  readonly versionKey: readonly string[];
}

export type Aggregate =
  | { readonly kind: 'sum' | 'average' | 'min' | 'max' | 'count-distinct' | 'first-time'; readonly column: string }
  /** `count` of rows, or of the rows where a column is not blank. */
  | { readonly kind: 'count'; readonly column: string | undefined }
  /** Average of `until - from` in days or working days (M6). */
  | DaysBetween
  /** The value at a share of the rows that have one, between two neighbours in a straight line (M14). */
  | { readonly kind: 'percentile'; readonly of: ColumnValue | DaysBetween; readonly at: number };

export interface ColumnValue {
  readonly kind: 'column';
  readonly column: string;
}

/** The days, or working days, from one date of a row to another (M6). */
export interface DaysBetween {
  readonly kind: 'days-between';
  readonly from: string;
  readonly until: string;
  readonly days: 'all' | 'working';
}

/** The column that a measure reads; undefined where it reads none, or dates alone. */
export const columnOf = (aggregate: Aggregate): string | undefined => {
  if (aggregate.kind === 'percentile') return aggregate.of.kind === 'column' ? aggregate.of.column : undefined;
  return aggregate.kind === 'days-between' ? undefined : aggregate.column;
};

/** The two dates between which a measure counts days; undefined of all others. */
export const daysIn = (aggregate: Aggregate): DaysBetween | undefined => {
  if (aggregate.kind === 'days-between') return aggregate;
  return aggregate.kind === 'percentile' && aggregate.of.kind === 'days-between' ? aggregate.of : undefined;
};

export type Spread = 'even' | 'working-days' | 'none' | { readonly like: string };

export interface Measure {
  readonly name: string;
  readonly fact: Fact;
  readonly aggregate: Aggregate;
  readonly role: string;
  /** A level between two roles (M5). */
  readonly open: { readonly from: string; readonly until: string } | undefined;
  readonly where: WhereInput | undefined;
  readonly acrossTime: 'last' | 'last-known' | 'first' | 'average' | 'min' | 'max' | undefined;
  readonly empty: 'zero' | 'blank' | undefined;
  readonly spread: Spread;
  /** The shape of each dimension's part below what the fact links to (G6). */
  readonly spreadAcross: ReadonlyMap<string, string>;
  readonly unrelated: 'error' | 'blank' | 'repeat';
  readonly format: FormatInput | undefined;
  readonly better: 'higher' | 'lower' | undefined;
  readonly label: Texts | undefined;
}

export interface Formula {
  readonly name: string;
  readonly text: string;
  readonly expression: Expression;
  readonly format: FormatInput | undefined;
  readonly better: 'higher' | 'lower' | undefined;
  readonly label: Texts | undefined;
}

export interface NamedWindow {
  readonly name: string;
  readonly text: string;
  readonly window: Window;
  readonly label: Texts | undefined;
  readonly previous: Shift | undefined;
  /** Blank instead of marked when it reaches before the data (W8). */
  readonly full: boolean;
  readonly builtIn: boolean;
}

export interface Comparison {
  readonly name: string;
  readonly shift: Shift;
  readonly match: 'elapsed' | 'whole';
  /** As it was seen, or known, on another day (C11). */
  readonly asOf: SeenAs | undefined;
  readonly knownBy: SeenAs | undefined;
  readonly label: Texts | undefined;
}

/** A question that the model has a name for. */
export interface NamedQuestion {
  readonly name: string;
  /** What it is asked for. */
  readonly label: Texts | undefined;
  readonly description: Texts | undefined;
  readonly question: Question;
}

export type PublishedFormat = 'parquet' | 'arrow' | 'csv';

/** What is written to a table or a file: the answer to a named question, or the days of a calendar. */
export interface Publication {
  readonly name: string;
  readonly label: Texts | undefined;
  readonly description: Texts | undefined;
  readonly of:
    | { readonly kind: 'question'; readonly question: string }
    /** A range: periods or dates with a slash between them. */
    | { readonly kind: 'calendar'; readonly range: string };
  readonly to: /** A table, with its schema or without. */
    | { readonly kind: 'table'; readonly schema: string | undefined; readonly table: string }
    /** A file, relative to the model's folder. */
    | { readonly kind: 'file'; readonly path: string; readonly format: PublishedFormat };
}

/** One cell of an answer, by what it takes to find it. */
export interface CellAddress {
  readonly reading: string;
  /** A period by its label (`2026-05`, `2026-W21`, `FY27`), a range (`2026-01/2026-05`), or the name of a window. */
  readonly at: string;
  /** The axis that the cell stands on; when left out, the unit of the period. */
  readonly by?: string;
  /** The members of the cell, by attribute. */
  readonly members?: Readonly<Record<string, string>>;
  readonly where?: Question['where'];
  readonly asOf?: string;
  readonly knownBy?: string;
}

/** A number that somebody vouches for (V4). */
export interface Figure {
  /** Its place in the list, from 0. */
  readonly index: number;
  readonly cell: CellAddress;
  /** The number; null vouches for a blank. */
  readonly is: number | null;
  /** How far what is computed may lie from it, inclusive. */
  readonly within: number;
  readonly note: string | undefined;
}
