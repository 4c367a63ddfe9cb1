// The types of a book: its options, methods and what they answer.
import type { ArrowTable } from '../basics/columnar.ts';
import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import type { DurchblickError, TextPlace } from '../errors.ts';
import type { CellAddress, Model } from '../model/model.ts';
import type { Names } from '../model/names.ts';
import type { Limit } from '../plan/alerts.ts';
import type { Bounds, Cancellation, DataNote } from '../plan/request.ts';
import type { CheckedAddress, CheckedAsked, QuestionOf, RowOf, WhereOf } from '../plan/typed.ts';
import type { LaidSpan } from '../plan/windows.ts';
import type { Explanation } from '../result/explained.ts';
import type { Format } from '../result/format.ts';
import type { NamedEntry } from '../result/names.ts';
import type { PlainResult, ResultRow } from '../result/types.ts';
import type { Finding } from './check/finding.ts';
import type { Difference } from './verify/differences.ts';

export interface OpenBookOptions<N extends Names = Names, W = WhereOf<N>> {
  /**
   * Filters fixed for good: rows outside are not seen by any question, total, note, bound, member list or error (V3). A fact
   * that they cannot reach is an error, unless it says `open-to: everyone`. An empty filter is an error.
   */
  readonly where?: W;
  /** The present instant in milliseconds; what `today` means. Default: the system clock. */
  readonly clock?: () => number;
  /**
   * Seconds for which a state of the data is taken for the present one without looking: 0, the default, looks at files and
   * databases for each question (V6). Rows that a program gave do not change.
   */
  readonly refresh?: number;
  /**
   * What becomes of questions when files have turned bad while the book is open (a date that is none, a file that is gone): `fail`,
   * the default, tells it; `keep` answers from the last state that could be opened, with the note `turned-bad`.
   */
  readonly whenBad?: 'fail' | 'keep';
  /**
   * `once` where a book answers a question or two and is closed: cubes fetched from a database then have what the question
   * needs, and no single days that would serve other units and windows as well. Answers are the same. Default `often`.
   */
  readonly asked?: 'once' | 'often';
  /** Bytes of day cubes to keep for later questions. Default 256 MiB. */
  readonly cacheBytes?: number;
}

/** What an answer was computed from (V5): two answers of one state to one question are the same. */
export interface AnswerState {
  /** Fingerprint of the model, of whatever order its keys are. */
  readonly model: string;
  /** Fingerprint of the data: of files by size, time and both ends, of databases by what they tell states apart by; undefined where a program gave the rows. */
  readonly data?: string;
  /** The instant (ISO 8601, UTC) at which the data were looked at. */
  readonly time?: string;
  /** Of tables that keep snapshots: which those are, as `--state` and the engine's `state` take them. */
  readonly snapshots?: string;
  /** What is wrong with the data as they are now, where the last state that could be opened answers (`whenBad`). */
  readonly turnedBad?: string;
}

/** An answer with its ways out; those that need a package say so when it is missing. */
export interface Result<Row = ResultRow> extends PlainResult<Row> {
  /** An Apache Arrow table with the rows of the CSV; needs `apache-arrow`. */
  readonly toArrow: () => Promise<ArrowTable>;
  /** What it was computed from (V5); undefined of a result that came as JSON. No part of `toJson`. */
  readonly state?: AnswerState;
  /** The rows of the CSV as a Parquet file. */
  readonly toParquet: () => Promise<Uint8Array>;
}

/** An answer held against a second one, computed row by row (V2). */
export interface Verification {
  readonly result: Result;
  /** Cells of readings that were compared, totals included. */
  readonly cells: number;
  readonly different: readonly Difference[];
}

/** The cell that is to be explained. */
export interface ExplainRequest extends CellAddress {
  /** BCP 47; the model's own when left out (R5). */
  readonly locale?: string;
  /** Rows to show behind each measure; default 5. */
  readonly rows?: number;
}

export interface AskOptions {
  readonly signal?: Cancellation;
}

export interface WindowsOptions {
  /** As-of dates to lay at, one after the other; the model's own when left out. */
  readonly at?: readonly string[];
  /** Windows, by name or as `[P10D/anchor]`, and comparisons, by name or as `[-P2Y]`; all of the model when left out. */
  readonly only?: readonly string[];
  /** The unit whose period at the as-of date comparisons are held against; when left out, month or the next that works. */
  readonly by?: string;
  /** The window they are held against instead of the period itself. */
  readonly over?: string;
  /** BCP 47: the language of labels; the model's own when left out (R5). */
  readonly locale?: string;
}

/** An alert that fires: for which period and members, at what value, and the bound it breaks. */
export interface FiredAlert {
  readonly alert: string;
  readonly label: string;
  readonly reading: string;
  readonly asOf: string;
  readonly period: string;
  readonly members: Readonly<Record<string, string>>;
  readonly value: number;
  readonly limit: Limit;
  readonly format?: Format;
  readonly better?: 'higher' | 'lower';
}

/** What came of computing a figure. */
export interface FigureOutcome {
  readonly cell: CellAddress;
  /** What is vouched for; null is a blank. */
  readonly is: number | null;
  /** How far the two may lie from each other, inclusive. */
  readonly within: number;
  readonly note?: string;
  /** What is computed today; undefined where that failed. */
  readonly found?: number | null;
  readonly holds: boolean;
  /** Why it could not be computed: its period does not exist, for one. */
  readonly fault?: DurchblickError;
  /** Where it stands in the model. */
  readonly place?: TextPlace;
}

/** What answering cost: scans of rows, cubes served from memory, cells that came from the engine. */
export interface Cost {
  readonly scans: number;
  readonly cached: number;
  readonly cells: number;
  /** Rows that a database answered with; undefined where rows are in memory. */
  readonly fetched?: number;
}

/** A model opened over data. Keeps day cubes, so that asking again does not touch the rows again. */
export interface Book<N extends Names = Names> {
  readonly model: Model<N>;
  /** Whether the book was opened with fixed filters (V3). */
  readonly isFiltered: boolean;
  /**
   * Answers a question, or the one that the model has a name for. Names in it are checked by the compiler where model and question are literals, and always at
   * run time. Throws `DurchblickError` for a wrong question and for faults in the data.
   */
  ask<const Q extends QuestionOf<N> | N['question']>(question: Q & CheckedAsked<Q, N>, options?: AskOptions): Promise<Result<RowOf<Q>>>;
  /**
   * Answers a question, and a second time from all rows without cubes, prefix sums, events or a database's sums; says
   * which cells differ (V2). Reads every row of the model's facts.
   */
  verify<const Q extends QuestionOf<N> | N['question']>(question: Q & CheckedAsked<Q, N>, options?: AskOptions): Promise<Verification>;
  /** Why a cell's number is what it is: parts, days, rows, and what was left out (V1). */
  explain<const R extends ExplainRequest>(request: R & CheckedAddress<R, N>, options?: AskOptions): Promise<Explanation>;
  /** The calendar in whole years over all data, the as-of date and what windows and comparisons reach from there (U8); or over a range. */
  readonly calendar: (range?: { readonly first: Day; readonly last: Day }) => Promise<Calendar>;
  /** First and last day of a range: periods, dates, labels or a window laid at the as-of date (A5). */
  readonly range: (text: string, asOf?: string) => Promise<{ readonly first: Day; readonly last: Day }>;
  /** The as-of date of a text, the model's own when left out (A1). */
  readonly asOf: (text?: string) => Promise<Day>;
  /** Windows and comparisons of the model with the days they cover. */
  readonly windows: (options?: WindowsOptions) => Promise<readonly LaidSpan[]>;
  /** Evaluates every alert of the model in the period of an as-of date, the model's own when left out; answers those that fire. */
  readonly alerts: (asOf?: string) => Promise<readonly FiredAlert[]>;
  /**
   * Computes every figure of the model, all in one state of the data, and says which hold (V4). A book with fixed filters
   * sees not all that they stand for: with it this is an error.
   */
  readonly figures: () => Promise<readonly FigureOutcome[]>;
  /** What in model and data somebody should look at: orphans, far dates, gaps, doubled amounts, names that nothing uses. */
  readonly check: () => Promise<readonly Finding[]>;
  /** Every name that a question can use, kind by kind, with what it is; members are asked for by attribute. */
  readonly names: (locale?: string) => Promise<readonly NamedEntry[]>;
  /** Members of an attribute in their order (R1), as questions name it. */
  readonly members: (attribute: string) => Promise<readonly string[]>;
  /** First and last day with data in a role, of whole periods for coarse facts (W11). */
  readonly bounds: (fact: string, role: string) => Promise<Bounds | undefined>;
  /** Faults in the latest state of the data that do not stop answers. */
  readonly dataNotes: readonly (DataNote & { readonly message: string })[];
  /** Looks at files and databases now, whatever `refresh` says, and answers which state they are in. */
  readonly refresh: () => Promise<AnswerState | undefined>;
  readonly cost: () => Cost;
  /** Waits for questions that are under way, then lets go of connections and memory. Asking afterwards is an error; closing again is none. */
  readonly close: () => Promise<void>;
}
