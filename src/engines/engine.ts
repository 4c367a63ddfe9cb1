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
} from '../plan/request.ts';

/** An opened engine: rows are reachable, dates are checked. The only thing the core knows of engines. */
export interface Store extends CalendarTables {
  readonly engine: string;
  readonly notes: readonly DataNote[];
  /** Bounds of every role of a fact, before question filters, after V3 and `known-by` (W11). */
  readonly bounds: (fact: Fact, knownBy: Day | undefined) => Promise<ReadonlyMap<string, Bounds | undefined>>;
  /** Members of an attribute in their order (R1), `(none)` and `(unknown)` aside. */
  readonly members: (attribute: AttributeRef) => Promise<readonly string[]>;
  /** Which texts of a dimension's attributes stand in one row of it: what members there are below others (G6). */
  readonly combinations: (dimension: Dimension, attributes: readonly string[]) => Promise<readonly (readonly string[])[]>;
  /** Answers several requests of one question at once, so that an engine may share its work between them. */
  readonly cubes: (requests: readonly CubeRequest[], signal?: Cancellation) => Promise<readonly Cube[]>;
  readonly events: (request: EventsRequest, signal?: Cancellation) => Promise<Events>;
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
   * once. Its `close` ends that view.
   */
  readonly begin?: (signal?: Cancellation) => Promise<Store>;
  /** Roles of a fact whose column is text where it could be a date. */
  readonly textDates?: (fact: Fact) => readonly string[];
  /** Rows that a database has answered with so far; undefined where rows are in memory. */
  readonly fetched?: () => number;
  readonly close: () => Promise<void>;
}

export interface OpenOptions {
  /** Filters fixed for good (V3), by fact name. */
  readonly fixed: ReadonlyMap<string, readonly Filter[]>;
  /** Working days between two days, from the model's calendar. */
  readonly workingDays: (after: Day, until: Day) => number;
}

export interface Engine {
  readonly name: string;
  readonly open: (model: Model, options: OpenOptions) => Promise<Store>;
}
