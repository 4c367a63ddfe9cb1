// The one seam between the core and what scans rows: what an engine is asked, and what it answers.
import type { ColumnKind } from '../basics/columnar.ts';
import type { Day } from '../calendar/day.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Dimension, Fact, Model } from '../model/model.ts';
import type {
  Bounds,
  CalendarTables,
  Cancellation,
  Cube,
  CubeRequest,
  DataNote,
  Events,
  EventsRequest,
  Filter,
  Sample,
  SampleRequest,
  SeenKeys,
  Tallies,
  TallyRequest,
} from '../plan/request.ts';

/** Rows of a fact: those that fixed filters leave (V3), or all, from which nothing but shares may come. */
export type RowsOf = 'seen' | 'all';

/** An opened engine: rows are reachable, dates are checked. The only thing the core knows of engines. */
export interface Store extends CalendarTables {
  readonly engine: string;
  readonly notes: readonly DataNote[];
  /** Sources that may not be read, which stops only those who need them. */
  readonly unreadable?: ReadonlySet<string>;
  /** Bounds of every role of a fact, before question filters, after V3 and `known-by` (W11). */
  readonly bounds: (fact: Fact, knownBy: Day | undefined, rows?: RowsOf) => Promise<ReadonlyMap<string, Bounds | undefined>>;
  /**
   * Members of an attribute in their order (R1), without `(none)` and `(unknown)`. With `seen` and fixed filters: only members that
   * visible rows of facts reference (V3).
   */
  readonly members: (attribute: AttributeRef, rows?: RowsOf) => Promise<readonly string[]>;
  /** Which texts of a dimension's attributes stand in one row of it: what members there are below others (G6). */
  readonly combinations: (dimension: Dimension, attributes: readonly string[]) => Promise<readonly (readonly string[])[]>;
  /** Whether requests are best asked together, because one look at the rows serves them all, or each alone. */
  readonly scans: 'together' | 'alone';
  /** Answers several requests; a fault in one of them fails all. */
  readonly cubes: (requests: readonly CubeRequest[], signal?: Cancellation) => Promise<readonly Cube[]>;
  readonly events: (request: EventsRequest, signal?: Cancellation) => Promise<Events>;
  /** What `events` count, over the windows of the request, for whoever counts elsewhere (reports); left out by engines that cannot tell. */
  readonly seenKeys?: (request: EventsRequest, signal?: Cancellation) => Promise<SeenKeys>;
  /** How often each value stands in each cell (M14); more than `MOST_TALLIES` entries are an error. */
  readonly tallies: (request: TallyRequest, signal?: Cancellation) => Promise<Tallies>;
  /** Some rows themselves, for explanations (V1): the only ones that leave a database. */
  readonly sample: (request: SampleRequest, signal?: Cancellation) => Promise<Sample>;
  /** Roles in which some row has a date before it entered, or none: there `enters` must be looked at (A2). */
  readonly lateRoles: (fact: Fact) => Promise<readonly string[]>;
  /**
   * Which days of a fact a scan reads: all that there are, so that every later question is served, or only those that
   * are asked for, where reading more costs more.
   */
  readonly reads?: 'all' | 'asked';
  /**
   * Where rows may change while a book is open: the store as it is at one moment, for a question or several that run at
   * once. Its `close` ends that view. `fixing` is called right before the moment is fixed: until then others may join.
   */
  readonly begin?: (signal?: Cancellation, fixing?: () => void) => Promise<Store>;
  /** Roles of a fact whose column is text where it could be a date; none where rows are files or given by a program. */
  readonly textDates: (fact: Fact) => Promise<readonly string[]>;
  /** What kind of values a column of a source holds. */
  readonly kind: (source: string, column: string) => Promise<ColumnKind>;
  /** Rows of a fact that may be seen (V3), as they stand in its source. */
  readonly factRows: (fact: Fact, columns: readonly string[]) => Promise<readonly Record<string, unknown>[]>;
  /** What became of the rows of facts since the state before, where only more of them may have come and all they rest on stayed the same. */
  readonly since?: {
    /** The state before. */
    readonly token: string;
    /** `rows`: those that came can be asked of alone (`RowSet.gained`). Undefined where anything may have changed. */
    readonly of: (fact: Fact) => Promise<'nothing' | 'rows' | undefined>;
  };
  /** What the state that is seen is told apart by, and when it was begun, in milliseconds. */
  readonly sees?: DataState;
  /** Where rows are of files that may be replaced: what they are now. Another state than the one opened is opened anew. */
  readonly state?: () => Promise<string>;
  readonly opened?: DataState;
  /** Files are read while questions run, so that they must stay what they are meanwhile. */
  readonly readsFiles?: 'when-asked';
  /** Rows that a database has answered with so far; undefined where rows are in memory. */
  readonly fetched?: () => number;
  readonly close: () => Promise<void>;
}

/** A state of the data: what tells it apart from every other, and when it was first seen, in milliseconds since 1970. */
export interface DataState {
  readonly token: string;
  readonly time: number;
  /** Of tables that keep snapshots: which those are, so that the same state can be asked again. */
  readonly snapshots?: string;
}

/** All members of a store, optional ones included: a wrapper of this type cannot forget one. */
export type WholeStore = { readonly [K in keyof Required<Store>]: Store[K] };

export interface OpenOptions {
  /** Filters fixed for good (V3), by fact name. */
  readonly fixed: ReadonlyMap<string, readonly Filter[]>;
  /** All of them: on attributes of dimensions they hide members too. */
  readonly hiding: readonly Filter[];
}

/** Nothing is hidden. */
export const UNFILTERED: OpenOptions = { fixed: new Map(), hiding: [] };

export interface Engine {
  readonly name: string;
  readonly open: (model: Model, options: OpenOptions) => Promise<Store>;
}
