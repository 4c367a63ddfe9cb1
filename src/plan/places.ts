// Places of an axis and of its total (M9), and the days that a reading covers at each.
import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import type { Comparison, Fact, Model, NamedWindow } from '../model/model.ts';
import type { Compare } from '../windows/compare.ts';
import { COVERED, type Lay, lay } from '../windows/lay.ts';
import { indexAt, type Place, placeSeen, totalPlace } from '../windows/place.ts';
import type { Axis, FactBounds } from './axis.ts';
import type { CalendarRef } from './days.ts';
import { seenUnder } from './seen.ts';

/** What windows are laid in: one question's calendar, as-of date and data bounds. */
export interface TimeFrame {
  readonly model: Model;
  readonly calendar: Calendar;
  readonly asOf: Day;
  readonly bounds: FactBounds;
}

/** A part of an axis row: the days on which the period attributes have these members. */
export interface AxisPart {
  /** Index of the axis row. */
  readonly row: number;
  readonly texts: readonly string[];
}

/** The parts of axis rows that one view evaluates: a view row for each. */
export interface SplitView {
  readonly base: Axis;
  readonly attributes: readonly CalendarRef[];
  readonly parts: readonly AxisPart[];
}

/** The rows of an axis, or totals of some of them as one place each (M9). */
export interface View {
  readonly axis: Axis;
  /** Indexes of the axis rows that each row is the total of. Without them, each axis row is a row. */
  readonly groups?: readonly (readonly number[])[];
  /** The parts that the rows of `axis` are, if the question has period attributes in `per` (U13). */
  readonly split?: SplitView;
}

/** All rows of an axis as one total (M9). */
export const totalOf = (axis: Axis): View => ({ axis, groups: axis.places.length > 0 ? [[...axis.places.keys()]] : [] });

export const rowCount = ({ axis, groups }: View): number => (groups ?? axis.places).length;

/** A reading's place in time on the way through nested comparisons: outermost first. */
export type Chain = readonly Comparison[];

/**
 * Where a reading lies in a view: the places of its rows, taken through the comparisons around it (C1 to C6).
 * The total of a comparison is one place from the first compared start to the last compared end (M9).
 */
const placesOf = (
  { window, horizon, chain }: Pick<Reading, 'window' | 'horizon' | 'chain'>,
  view: View,
  frame: TimeFrame,
  compare: Compare | undefined,
): Place[] => {
  const { axis } = view;
  if (!compare && chain.length > 0) throw new Error('what lays comparisons is not loaded');
  const isSeenAnew = chain.some(({ asOf }) => asOf !== undefined);
  const move = (place: Place, row: number): Place =>
    chain.reduce((moved, comparison) => {
      const { shift, match, name } = comparison;
      const over = window ?? axis.windows?.[row];
      const asOf = moved.seen?.asOf ?? frame.asOf;
      const setting = {
        calendar: frame.calendar,
        axis: axis.kind,
        asOf,
        window: over?.window,
        previous: over?.previous,
        horizon,
        match,
        name,
      };
      const landed = (compare as Compare)(moved, shift, setting);
      if (!comparison.asOf || landed.missing) return landed;
      const day = seenUnder({ asOf, knownBy: undefined }, comparison).asOf;
      // Windows are laid at the as-of date itself (A6).
      const isAtAsOf = axis.kind.kind === 'windows' && shift.kind === 'stay';
      const at = isAtAsOf ? { ...landed, start: day, end: day, index: indexAt(frame.calendar, axis.kind.unit, day) } : landed;
      return placeSeen(isAtAsOf ? { ...at, lastIndex: at.index } : at, day);
    }, place);
  const moved = chain.length === 0 ? axis.places : axis.places.map(move);
  if (!view.groups) return [...moved];
  return view.groups.map((rows) => {
    const own = rows.map((row) => axis.places[row]);
    if (chain.length === 0) return totalPlace(own, frame.asOf, 'own');
    const seen = rows.filter(
      (row) => !moved[row].missing && (isSeenAnew || !(horizon === 'actual' && axis.places[row].start > frame.asOf)),
    );
    if (seen.length === 0) return { ...own[0], missing: true };
    const total = totalPlace(
      seen.map((row) => moved[row]),
      frame.asOf,
      'compared',
    );
    // Seen from another day, the total is that of a question asked on it (C11).
    return total.seen ? placeSeen(total, total.seen.asOf) : total;
  });
};

/** The first day that counts as the fact's (W11), and the last with data. */
export const historyOf = (fact: Fact, role: string, frame: TimeFrame): { first: Day | undefined; last: Day | undefined } => {
  const bounds = frame.bounds(fact, role);
  return { first: fact.begins ?? bounds?.first, last: bounds?.last };
};

/** What decides which days a measure covers. */
interface Reading {
  readonly window: NamedWindow | undefined;
  readonly horizon: 'actual' | 'plan';
  readonly history: { readonly first: Day | undefined; readonly last: Day | undefined };
  readonly chain: Chain;
}

/** Lays a reading without a window on rows that have several day ranges (U13). */
const layPieces = (
  reading: Reading,
  pieces: readonly (readonly Place[])[],
  view: View,
  frame: TimeFrame,
  compare: Compare | undefined,
): Lay => {
  const axis: Axis = { ...view.axis, places: pieces.flat(), pieces: undefined };
  const laid = layReading(reading, { axis }, frame, compare);
  let next = 0;
  const ofRows = pieces.map((list) => list.map(() => next++));
  const rows = view.groups?.map((group) => group.flatMap((row) => ofRows[row])) ?? ofRows;
  const covered = rows.map((list) => list.filter((k) => laid.state[k] === COVERED));
  const each = (make: (list: readonly number[], row: number) => number) => Int32Array.from(covered, make);
  return {
    from: each((list) => (list.length === 0 ? 0 : Math.min(...list.map((k) => laid.from[k])))),
    to: each((list) => (list.length === 0 ? -1 : Math.max(...list.map((k) => laid.to[k])))),
    state: Uint8Array.from(covered, (list, row) => (list.length > 0 ? COVERED : laid.state[rows[row][0]])),
    short: Uint8Array.from(rows, (list) => Math.max(...list.map((k) => laid.short[k]))),
    ahead: Uint8Array.from(rows, (list) => Math.max(...list.map((k) => laid.ahead[k]))),
    pieces: laid,
  };
};

/** The days that a reading covers on every row of a view; what lays comparisons is needed where it has some. */
export const layReading = (reading: Reading, view: View, frame: TimeFrame, compare: Compare | undefined): Lay => {
  const { window, horizon, history } = reading;
  if (view.axis.pieces && !window) return layPieces(reading, view.axis.pieces, view, frame, compare);
  const places = placesOf(reading, view, frame, compare);
  const laid = (named: NamedWindow | undefined) => ({ window: named?.window, full: named?.full ?? false });
  const same = laid(window);
  const over = (row: number) => (window || !view.axis.windows ? same : laid(view.axis.windows[row]));
  return lay(places, over, { calendar: frame.calendar, asOf: frame.asOf, horizon, ...history });
};
