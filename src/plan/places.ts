// Places of an axis and of its total (M9), and the days that a reading covers at each.
import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import type { Comparison, Fact, Model, NamedWindow } from '../model/model.ts';
import type { Compare } from '../windows/compare.ts';
import { COVERED, type Lay, lay } from '../windows/lay.ts';
import { indexAt, type Place, placeSeen, totalPlace } from '../windows/place.ts';
import type { Axis, FactBounds } from './axis.ts';
import { seenUnder } from './seen.ts';

/** What windows are laid in: one question's calendar, as-of date and data bounds. */
export interface TimeFrame {
  readonly model: Model;
  readonly calendar: Calendar;
  readonly asOf: Day;
  readonly bounds: FactBounds;
}

/** The rows of an axis, or their total as one place (M9). */
export interface View {
  readonly axis: Axis;
  readonly rows: 'periods' | 'total';
}

export const rowCount = (view: View): number => (view.rows === 'total' ? (view.axis.places.length > 0 ? 1 : 0) : view.axis.places.length);

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
  if (chain.length === 0 && view.rows === 'periods') return [...axis.places];
  if (view.rows === 'periods') return axis.places.map(move);
  if (chain.length === 0) {
    const own = totalPlace(axis.places, frame.asOf, 'own');
    return own ? [own] : [];
  }
  const seen = axis.places
    .map((place, row) => ({ place, moved: move(place, row) }))
    .filter(({ place, moved }) => !moved.missing && (isSeenAnew || !(horizon === 'actual' && place.start > frame.asOf)));
  const total = totalPlace(
    seen.map(({ moved }) => moved),
    frame.asOf,
    'compared',
  );
  // Seen from another day, the total is that of a question asked on it (C11).
  if (total?.seen) return [placeSeen(total, total.seen.asOf)];
  return total ? [total] : axis.places.slice(0, 1).map((place) => ({ ...place, missing: true }));
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
  const laid = layReading(reading, { axis, rows: 'periods' }, frame, compare);
  let next = 0;
  const ofRows = pieces.map((list) => list.map(() => next++));
  const rows = view.rows === 'total' ? [ofRows.flat()] : ofRows;
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
