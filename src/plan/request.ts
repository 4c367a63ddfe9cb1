/** What is asked of an engine, and what it answers: plain data, made by the plan and read by the evaluation. */

import type { Windows } from '../basics/events.ts';
import type { Holiday } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { ColumnValue, DaysBetween, Fact } from '../model/model.ts';
import type { NoteOf } from '../words/words.ts';

/** Which members of an attribute pass (M3). Values compare as text; `from` and `to` as numbers where both are. */
export interface MemberTest {
  readonly values?: readonly string[];
  readonly not?: readonly string[];
  readonly from?: string | number;
  readonly to?: string | number;
}

/**
 * Why a row must meet a condition, so that `explain` can take conditions away by their reason (V1): the question's filter or the
 * measure's own (M3), one that is fixed (V3), the members of a cell or those left out by a limit (R1), the day it entered (A2),
 * dates that the measure needs (M5, M6) and when they are known (A2), or something that is counted to be told of.
 */
export type Why = 'question' | 'measure' | 'fixed' | 'members' | 'entered' | 'dates' | 'known' | 'told';

/** A condition on the rows of one fact, with its reason. */
export type Filter = Condition & { readonly why: Why };

/** A condition on the rows of one fact. */
export type Condition =
  | { readonly kind: 'members'; readonly attribute: AttributeRef; readonly test: MemberTest }
  /** The rows whose combination of members is, or is not, in the list. */
  | {
      readonly kind: 'combinations';
      readonly attributes: readonly AttributeRef[];
      readonly list: readonly (readonly string[])[];
      readonly keep: 'listed' | 'others';
    }
  /** The date of a role lies in one of some stretches of days, both ends inclusive, in order (U12). */
  | { readonly kind: 'days'; readonly role: string; readonly stretches: readonly (readonly [first: Day, last: Day])[] }
  /** The date of a role is blank, or is not. */
  | { readonly kind: 'date'; readonly role: string; readonly is: 'blank' | 'present' }
  /** The date of a role is on or before a day, or blank (A2, `enters`). */
  | { readonly kind: 'entered'; readonly role: string; readonly by: Day }
  /** The date of a role is on or before a day and not blank. */
  | { readonly kind: 'by'; readonly role: string; readonly day: Day }
  /** `until` is blank or not before `from`; or, with `reversed`, it is before (M5, M6). */
  | { readonly kind: 'order'; readonly from: string; readonly until: string; readonly is: 'forward' | 'reversed' };

/** What makes two filters the same, ready for JSON: references to dimensions become their names, and no reason counts. */
export const filterKey = ({ why: _, ...condition }: Filter): unknown => {
  if (condition.kind === 'members') return ['members', condition.attribute.key, condition.test];
  if (condition.kind === 'combinations')
    return ['combinations', condition.attributes.map(({ key }) => key), condition.list, condition.keep];
  return condition;
};

/** A value of a row: a column (computed ones included), or the days between two roles (M6). */
export type RowValue = ColumnValue | DaysBetween;

/** What to aggregate in every cell of a cube. `where` is the measure's own filter. */
export type AggregateRequest =
  | { readonly kind: 'rows'; readonly where: readonly Filter[] }
  /**
   * Distinct values of a column whose first day of all stands in the cell: over all rows that meet `where` and have entered, before
   * any other filter; each counted for each member that has it on that day (M15).
   */
  | { readonly kind: 'first-time'; readonly column: string; readonly where: readonly Filter[] }
  | { readonly kind: 'sum' | 'count' | 'min' | 'max'; readonly value: RowValue; readonly where: readonly Filter[] };

/** Consecutive stretches of days, both ends inclusive, in order; gaps belong to no cell. */
export interface Segments {
  /** The same for the same days, in one model. */
  readonly key: string;
  readonly starts: Int32Array;
  readonly ends: Int32Array;
}

/** Working days after a day, up to and including another. */
export type WorkingDays = (after: Day, until: Day) => number;

export interface RowSet {
  readonly fact: Fact;
  /** Whose date places a row; undefined puts every row into the only segment. */
  readonly role: string | undefined;
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly Filter[];
  /** Versions recorded later are not seen (G7). */
  readonly knownBy: Day | undefined;
  /** The as-of date, where the fact sees versions of a dimension as they hold now (G9); undefined: the last of them. */
  readonly heldOn?: Day;
  /** By the calendar of the question; needed where working days between dates are asked for. No part of what is asked. */
  readonly workingDays?: WorkingDays;
  /** No more combinations of members than this can there be; left out where nobody counted. No part of what is asked. */
  readonly memberBound?: number;
  /** Only rows that came since the state before (`Store.since`). */
  readonly gained?: true;
  /** Rows that fixed filters hide count too: only to find the shares of what is seen, never to show them (V3, G6). */
  readonly hidden?: 'counted';
}

export interface CubeRequest extends RowSet {
  readonly segments: Segments;
  readonly aggregates: readonly AggregateRequest[];
}

export interface CubeColumn {
  /** One value a cell, segment-major: `cells[segment * tuples.length + tuple]`. Sums are scaled by 10^scale. */
  readonly cells: Float64Array;
  /** Decimals of an exact sum (M10); -1 when it is inexact. 0 for counts; of min and max the column's own. */
  readonly scale: number;
  /** Of min and max: some value has more digits than a double is sure of. */
  readonly long?: true;
}

/** An engine's answer: aggregates by day segment and combination of members. */
export interface Cube {
  readonly segments: Segments;
  /** Combinations of members, as texts in the order of the request's attributes; only those that have rows. */
  readonly tuples: readonly (readonly string[])[];
  readonly columns: readonly CubeColumn[];
}

/** Asks for some rows themselves: the first by day, then as they come. */
export interface SampleRequest {
  readonly fact: Fact;
  readonly role: string;
  readonly filters: readonly Filter[];
  readonly knownBy: Day | undefined;
  readonly heldOn?: Day;
  /** Days of the role, both inclusive. */
  readonly first: Day;
  readonly last: Day;
  /** Only rows that are still open on a day: without an `until` date known by the as-of date, or with one after the day (M5). */
  readonly openAt?: { readonly until: string; readonly day: Day; readonly asOf: Day };
  readonly limit: number;
}

export interface Sample {
  readonly columns: readonly string[];
  readonly first: readonly (readonly (string | number | null)[])[];
}

export interface EventsRequest extends RowSet {
  /** Days are taken as the start of their segment, so that coarse rows stand on their whole period. */
  readonly segments: Segments;
  readonly where: readonly Filter[];
  /** `distinct`: how many values of the column. `latest`: the sum of the value over each combination of links' own last day (M4). */
  readonly count:
    | { readonly kind: 'distinct'; readonly column: string }
    | { readonly kind: 'latest'; readonly value: RowValue | undefined };
  readonly windows: readonly Windows[];
}

/** Asks how often each value stands in each cell (M14). */
export interface TallyRequest extends RowSet {
  readonly segments: Segments;
  readonly value: RowValue;
  readonly where: readonly Filter[];
}

/** How often values stand in cells, one entry a cell and value, in no order; blanks are in none. */
export interface Tallies {
  readonly tuples: readonly (readonly string[])[];
  readonly segment: Int32Array;
  readonly member: Int32Array;
  /** Scaled by 10^scale where that is exact; doubles as they are where it is -1. */
  readonly value: Float64Array;
  readonly count: Float64Array;
  readonly scale: number;
}

/** More entries than this are refused: nobody waits for them (M14). */
export const MOST_TALLIES = 20_000_000;

export interface Events {
  readonly tuples: readonly (readonly string[])[];
  /** For each of the request's windows one value an anchor and tuple, anchor-major; `seen` is 0 where no row stands behind. */
  readonly values: readonly Float64Array[];
  readonly seen: readonly Uint8Array[];
  readonly scale: number;
}

/**
 * The days on which keys were seen by members, each once: what counts by events are made of, whatever the windows. A key is a
 * number that says nothing of the value it stands for.
 */
export interface SeenKeys {
  readonly tuples: readonly (readonly string[])[];
  readonly key: Int32Array;
  readonly member: Int32Array;
  readonly day: Int32Array;
  /** Of levels: what a sighting counts, scaled by 10^scale; undefined counts 1. */
  readonly weight?: Float64Array;
  readonly scale: number;
}

/** First and last date in a role (W11). Blank dates aside; undefined when there is none. */
export interface Bounds {
  readonly first: Day;
  readonly last: Day;
}

/** A fault in the data that does not stop the answer, such as dates turned into blanks (D3). */
export type DataNote = Extract<NoteOf, { readonly code: 'bad-dates' | 'missing-rates' | 'unpinned-state' | 'unreadable-fact' }>;

/** What the calendar of a model needs from its data: tables of periods and holidays. */
export interface CalendarTables {
  readonly rows: (source: string, columns: readonly string[]) => Promise<readonly Record<string, unknown>[]>;
  /** The holidays of an iCalendar file (U10): every day between two days that an event touches in the time zone. */
  readonly holidays: (file: string, timeZone: string, first: Day, last: Day) => Promise<readonly Holiday[]>;
}

/** What the core needs of an `AbortSignal`. */
export interface Cancellation {
  readonly aborted: boolean;
  readonly addEventListener: (type: 'abort', listener: () => void) => void;
  readonly removeEventListener: (type: 'abort', listener: () => void) => void;
}
