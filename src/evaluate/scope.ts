import type { Day } from '../calendar/day.ts';
import type { Store } from '../engines/engine.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Fact } from '../model/model.ts';
import type { Bound, Leaf } from '../plan/bind.ts';
import type { TimeFrame, View } from '../plan/places.ts';
import type { AskedFilter } from '../plan/question.ts';
import type { Cancellation, Filter, Segments } from '../plan/request.ts';
import type { Lay } from '../windows/lay.ts';
import type { Column } from './column.ts';
import type { Cubes } from './cubes.ts';
import type { Notes } from './notes.ts';

/** Which rows and members a set of readings is evaluated over. */
export interface Scope {
  readonly view: View;
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly AskedFilter[];
  /** Restricts to members outside a list: the row of the others (R1). */
  readonly combinations: Extract<Filter, { kind: 'combinations' }> | undefined;
  /** The members to show, when they are known already; else those with data (R1). */
  readonly tuples: readonly (readonly string[])[] | undefined;
}

export interface DayRange {
  readonly start: Day;
  readonly end: Day;
}

export interface ViewData {
  readonly rows: number;
  readonly tuples: readonly (readonly string[])[];
  /** One for each reading, over rows x tuples. */
  readonly columns: readonly Column[];
  /** 1 where a row of data stands behind any reading's cell (R1). */
  readonly seen: Uint8Array;
  /** For each reading and row, whether it would have to read days after the as-of date. */
  readonly ahead: readonly (readonly boolean[])[];
  /** Days covered by each reading on each row, comparisons aside. */
  readonly covered: readonly (readonly (DayRange | null)[])[];
  /** Days compared, for readings with `vs` (C9). */
  readonly compared: readonly (readonly (DayRange | null)[] | undefined)[];
}

/** One reading's values over the rows of a view and the members it has data for, row-major. */
export interface LeafData {
  readonly tuples: readonly (readonly string[])[];
  readonly values: Float64Array;
  readonly state: Uint8Array;
  /** 1 where a row of data stands behind the cell (R1). */
  readonly seen: Uint8Array;
  /** What a member without any data shows on each row. */
  readonly absent: { readonly values: Float64Array; readonly state: Uint8Array };
  readonly scale: number;
}

/** What every reading of one question shares. */
export interface Evaluation {
  readonly frame: TimeFrame;
  readonly store: Store;
  readonly cubes: Cubes;
  readonly notes: Notes;
  readonly knownBy: Day | undefined;
  /** The stretches of days a fact's cubes are cut into: single days, or the fact's own periods; all that there are. */
  readonly segments: (fact: Fact, role: string) => Segments;
  /** Those of them that scans read: all, or no more than questions have asked for (Store.reads). */
  readonly read: (fact: Fact, role: string) => Segments;
  /** Says that days of a fact are asked for, before they are read. */
  readonly reach: (fact: Fact, role: string, from: Day, to: Day) => void;
  /** Whether rows may have entered after their date in a role, so that `enters` must be looked at (A2). */
  readonly entersLate: (fact: Fact, role: string) => boolean;
  /** Evaluates other readings on the way: the shapes in which amounts are spread (G3, G6). */
  readonly view: (readings: readonly Bound[], scope: Scope) => Promise<ViewData>;
  /** The same over all rows, those that fixed filters hide too: nothing but shares may come of it (V3, G6). */
  readonly whole: (readings: readonly Bound[], scope: Scope) => Promise<ViewData>;
  /** Filters fixed for good: the store keeps rows that do not meet them; facts that they cannot reach are settled here. */
  readonly fixed: readonly AskedFilter[];
  /** `all`: rows that fixed filters hide count too. */
  readonly rows: 'seen' | 'all';
  /** An upper bound of how many combinations of members some attributes have. */
  readonly memberCount: (attributes: readonly AttributeRef[]) => number;
  readonly signal: Cancellation | undefined;
}

/** What is asked of the finer members of a dimension (G6). */
export interface Fine {
  /** Every attribute that is finer than the fact's own links: split by, or filtered on. */
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly AskedFilter[];
  readonly combinations: Extract<Filter, { kind: 'combinations' }> | undefined;
}

/** A reading to be evaluated: where it lies in time, and which rows and members it sees. */
/**
 * What a window shows with nothing to aggregate, when it covers days and when it is empty: 0, a blank, or `nothing`, a blank that
 * counts as 0 in sums and differences (M2, M7).
 */
export interface NothingShown {
  readonly covered: 'zero' | 'nothing' | 'blank';
  readonly empty: 'zero' | 'nothing' | 'blank';
}

export interface LeafTask {
  readonly leaf: Leaf;
  readonly lay: Lay;
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly Filter[];
  readonly where: readonly Filter[];
  /** Splits and filters on members finer than the fact's own, reached by spreading (G6). */
  readonly fine: Fine | undefined;
  /** What its members are texts of, in this order: own and finer attributes. */
  readonly kept: readonly AttributeRef[];
  readonly nothing: NothingShown;
  /** Coarser segments for a cube that would be too large by single days. */
  readonly segments: Segments | undefined;
}
