// What a plan is made of, and the frame that plans are made in: plain values.
import type { Day } from '../calendar/day.ts';
import type { Form, FunctionName, Operator } from '../language/syntax.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Dimension, Fact, Measure } from '../model/model.ts';
import type { Compare } from '../windows/compare.ts';
import type { Lay } from '../windows/lay.ts';
import type { NoteOf } from '../words/words.ts';
import type { FactBounds } from './axis.ts';
import type { Bound, DaysLeaf, Leaf } from './bind.ts';
import type { DayGroups, GroupSegments } from './days.ts';
import type { TimeFrame, View } from './places.ts';
import type { AskedFilter } from './question.ts';
import type { Reached } from './reads.ts';
import type { AggregateRequest, EventsRequest, Filter, RowSet, Segments, TallyRequest } from './request.ts';
import type { Seen } from './seen.ts';
import type { FactSegments } from './segments.ts';

/** Which rows and members a set of readings is evaluated over. */
export interface Scope {
  readonly view: View;
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly AskedFilter[];
  /** Restricts to members outside a list: the row of the others (R1). */
  readonly combinations?: Combinations;
}

export type Combinations = Extract<Filter, { kind: 'combinations' }>;

/** One aggregate over a set of rows, cut into stretches of days. */
export interface CubeAsk {
  readonly rows: RowSet;
  readonly segments: Segments;
  readonly aggregate: AggregateRequest;
}

/** What a measure asks of an engine, by the names under which its shape finds the answers. */
export interface Asks {
  /** The rows that its cells count. */
  readonly counted: RowSet;
  readonly cubes: Readonly<Record<string, CubeAsk>>;
  readonly events?: EventsRequest;
  readonly tallies?: TallyRequest;
  /** Amounts of a period that a window cuts count by their share of it (G4). */
  readonly shared?: true;
}

/** What a measure shows with nothing to aggregate: in a covered window, and in an empty one (M2, M7). */
export interface NothingShown {
  readonly covered: 'zero' | 'nothing' | 'blank';
  readonly empty: 'zero' | 'nothing' | 'blank';
}

/** What the plan must know of a kind of measure. */
export interface PlannedKind {
  readonly nothing: NothingShown;
  /** Its cubes may be cut where windows begin and end alone; all other kinds must know what stands on each day. */
  readonly mayBeCut?: true;
  readonly asks: (measure: MeasureOutline & { readonly segments: Segments }, frame: AskFrame) => Asks;
}

/** What plans are made in: one question's time and one state of the data, as plain values. */
export interface PlanFrame extends TimeFrame {
  /** Bounds of roles as the rows have them, not widened to periods. */
  readonly dates: FactBounds;
  readonly knownBy: Day | undefined;
  /** Bounds of roles over the revisions recorded by a day that a comparison names (C11). */
  readonly boundsBy: (knownBy: Day | undefined) => { readonly bounds: FactBounds; readonly dates: FactBounds };
  /** Filters fixed for good that may leave facts unreached: engines keep rows that do not meet the others (V3). */
  readonly fixed: readonly AskedFilter[];
  /** `all`: rows that fixed filters hide count too; only to find shares of what is seen. */
  readonly rows: 'seen' | 'all';
  /** The same over all rows, where a share of what is hidden is needed (V3, G6). */
  readonly whole: PlanFrame | undefined;
  /** Roles in which some row has entered after its date, by fact (A2). */
  readonly late: ReadonlyMap<string, ReadonlySet<string>>;
  /** How many members attributes have, by key. */
  readonly memberCounts: ReadonlyMap<string, number>;
  /** Days read so far, and whether a scan reads all there are or what is asked for. */
  readonly reached: ReadonlyMap<string, Reached>;
  readonly reads: 'all' | 'asked';
  /** Above this many cells a cube is cut only where a window begins or ends. */
  readonly dailyCells: number;
  readonly segments: FactSegments;
  readonly kindOf: (measure: Measure) => PlannedKind;
  /** What lays comparisons, where there are some. */
  readonly compare: Compare | undefined;
}

/** A frame in which it is settled which days are read. */
export interface AskFrame extends PlanFrame {
  /** The stretches of days that a fact's cubes are cut into: of what scans read. */
  readonly read: (fact: Fact, role: string) => Segments;
  /** Of all that there is. */
  readonly every: (fact: Fact, role: string) => Segments;
}

/** A measure at one time: where it lies, what it asks of an engine, and how its amounts lie on finer days and members. */
export interface PlannedMeasure extends MeasureOutline {
  readonly segments: Segments;
  readonly nothing: NothingShown;
  readonly asks: Asks;
  /** Asked for to be told of in notes: rows that are in no period (D4). */
  readonly told: Readonly<Record<string, CubeAsk>>;
  /** The reading by whose shape cut periods are shared out over days (G3). */
  readonly days: PlannedView | undefined;
  /** The readings by whose shapes amounts are shared out over finer members (G6). */
  readonly members: readonly PlannedShare[];
  /** The same on the days of each combination of calendar members; undefined where all days count alike (U12). */
  readonly parts: readonly PlannedPart[] | undefined;
  /** The part that this one is. */
  readonly part?: PlannedPart;
}

/** A measure on the days of one combination of calendar members: every rule is applied to these days alone (U12). */
export interface PlannedPart extends GroupSegments {
  /** One text for each calendar attribute that the measure is split by. */
  readonly texts: readonly string[];
  readonly days: Int32Array;
  readonly lay: Lay;
  /** What it asks beside the cubes, which serve all parts. */
  readonly events: EventsRequest | undefined;
}

/** Readings over the rows and members of one view: steps from measures to values. */
export interface PlannedView {
  readonly view: View;
  readonly attributes: readonly AttributeRef[];
  readonly measures: readonly PlannedMeasure[];
  readonly steps: readonly Step[];
  readonly readings: readonly PlannedReading[];
  /** What is known to be worth telling before any row is read, by what makes two of them the same. */
  readonly notes: readonly (readonly [key: string, note: NoteOf])[];
}

/** What is asked of members finer than a fact's own links, reached by spreading (G6). */
export interface PlannedFine {
  /** Every such attribute: split by, or filtered on. */
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly AskedFilter[];
  readonly combinations: Combinations | undefined;
  /** What amounts are fetched by: the shape depends on all members of a row. */
  readonly by: readonly AttributeRef[];
}

/** A measure at one time, before it is known what it asks of an engine. */
export interface MeasureOutline {
  readonly leaf: Leaf;
  readonly lay: Lay;
  /** What is seen from there (C11). */
  readonly seen: Seen;
  /** Whether members of the result see a value of their own, or one repeated on all of them (G5, M11). */
  readonly split: 'own' | 'repeated';
  /** Attributes of the view that its fact reaches, and that its rows are split by. */
  readonly attributes: readonly AttributeRef[];
  /** What its members are texts of, in this order: own and finer attributes. */
  readonly kept: readonly AttributeRef[];
  /** Conditions of the question on its fact. */
  readonly filters: readonly Filter[];
  /** Conditions of its own. */
  readonly where: readonly Filter[];
  /** Its own conditions on days as one on rows, where they decide which day is the first of all (M15). */
  readonly whereDays: readonly Filter[];
  readonly fine: PlannedFine | undefined;
  /** The days it covers by member of calendar attributes; undefined where all of them count alike (U12). */
  readonly onDays: DayGroups | undefined;
}

/** One step towards values; numbers are those of earlier steps. */
export type Step =
  /** A measure of the view, by its number. */
  | { readonly kind: 'measure'; readonly measure: number; readonly lay: Lay; readonly seen: Seen }
  /** A measure that is blank in this view (G5). */
  | { readonly kind: 'blank'; readonly lay: Lay; readonly seen: Seen }
  | {
      readonly kind: 'days';
      readonly count: DaysLeaf['count'];
      readonly lay: Lay;
      readonly seen: Seen;
      readonly onDays: DayGroups | undefined;
    }
  | { readonly kind: 'number'; readonly value: number }
  | { readonly kind: 'negate'; readonly of: number }
  | { readonly kind: 'binary'; readonly operator: Operator; readonly left: number; readonly right: number }
  | { readonly kind: 'call'; readonly name: FunctionName; readonly args: readonly number[]; readonly digits: number }
  /** A part held against itself at another time (C8). */
  | { readonly kind: 'held'; readonly form: Form; readonly own: number; readonly other: number };

/** A reading: the step that ends in its values, and the days it lies on. */
export interface PlannedReading {
  readonly step: number;
  /** The days of its measures at its own time, and at the other times of its comparisons; undefined without one (C9). */
  readonly own: readonly Lay[];
  readonly others: readonly Lay[] | undefined;
  /** What is seen at the other times: the earliest dates, where a comparison changes them (C11, C12). */
  readonly seen: Seen | undefined;
  /** The days that its values come from: of `as value` only the other time. */
  readonly read: readonly Lay[];
}

/** The shape by which amounts are shared out among the members of one dimension. */
export interface PlannedShare {
  readonly dimension: Dimension;
  readonly part: string;
  /** What amounts are split by before: own attributes, and those of dimensions shared out earlier. */
  readonly from: readonly AttributeRef[];
  /** Those of them that the shape is read for. */
  readonly seen: readonly AttributeRef[];
  /** The finer attributes, and before them those of the same dimension that amounts are split by already. */
  readonly below: readonly AttributeRef[];
  readonly above: readonly AttributeRef[];
  /** One row for each segment, split by what is seen and what is below. */
  readonly shape: PlannedView;
}

/** Readings to be planned over a scope. */
export interface Wanted {
  readonly readings: readonly Bound[];
  readonly scope: Scope;
}
