// Lays windows at places: two lists of days, from and to, and why a place covers none (W2, W5, A4, C2, C10).
import type { Calendar } from '../calendar/calendar.ts';
import { addDuration, type Day } from '../calendar/day.ts';
import { exists, indexAt, moveDate, type Place } from './place.ts';
import { PERIOD, type Point, type Window } from './syntax.ts';

/** Why a laid window covers no days, or must not be read. */
export const COVERED = 0;
/** From after to, or a point that does not exist (W2, W5). */
export const EMPTY = 1;
/** An actual reading wholly after the as-of date (A4, W7). */
export const FUTURE = 2;
/** No counterpart (C4). */
export const MISSING = 3;
/** Wholly before the fact's first day (M2). */
export const BEFORE = 4;
/** Reaches before the fact's first day, and the window is `full` (W8). */
export const SHORT = 5;

/**
 * A window laid at every place of an axis: the days covered, `from[i]..to[i]` inclusive, where `state[i]` is
 * COVERED; `from > to` elsewhere. This is all that the rest of the system knows of windows.
 */
export interface Lay {
  readonly from: Int32Array;
  readonly to: Int32Array;
  readonly state: Uint8Array;
  /** 1 where a window reaches before the fact's first day (W8). */
  readonly short: Uint8Array;
  /** 1 where it reaches past the as-of date, and is cut there or not read at all (A2, W7). */
  readonly ahead: Uint8Array;
  /** One lay per day range, if rows have several. Days between the ranges are excluded (U13). */
  readonly pieces?: Lay;
}

export interface LaySetting {
  readonly calendar: Calendar;
  readonly asOf: Day;
  /** Actual roles are cut at the as-of date; plan roles are not (A2). */
  readonly horizon: 'actual' | 'plan';
  /** The fact's first and last day in the role (W2, W11); undefined when it has no rows. */
  readonly first: Day | undefined;
  readonly last: Day | undefined;
}

type Layer<T> = (place: Place) => T | undefined;

/** A point made ready for many places: its unit is looked up once. */
const pointLayer = (point: Point, setting: LaySetting): Layer<Day> => {
  const base = baseLayer(point, setting);
  const { moves } = point;
  if (moves.length === 0) return base;
  return (place) => {
    const day = base(place);
    return day === undefined ? undefined : moves.reduce((d, move) => addDuration(d, move, move.sign), day);
  };
};

const baseLayer = (point: Point, setting: LaySetting): Layer<Day> => {
  const { calendar } = setting;
  switch (point.kind) {
    case 'anchor':
      return (place) => place.anchor;
    case 'asof':
      return ({ seen, dateMoves }) => (seen ? moveDate(seen.asOf, dateMoves.slice(seen.movesBefore)) : moveDate(setting.asOf, dateMoves));
    case 'date':
      return (place) => moveDate(point.day, place.dateMoves);
    case 'first':
      return () => setting.first;
    case 'last': {
      const { last } = setting;
      return ({ seen }) => (last !== undefined && setting.horizon === 'actual' ? Math.min(last, seen?.asOf ?? setting.asOf) : last);
    }
    case 'start':
    case 'end': {
      if (point.unit === PERIOD) return point.kind === 'start' ? (place) => place.start : (place) => place.end;
      const unit = calendar.unit(point.unit);
      const days = point.kind === 'start' ? unit.starts : unit.ends;
      return (place) => {
        const found = indexAt(calendar, unit, place.anchor);
        // On a day without a period, start looks at the next one and end at the previous (U7).
        const here = found >= 0 ? found : point.kind === 'start' ? ~found : ~found - 1;
        const index = here + point.offset;
        return exists(unit, index) ? days[index] : undefined;
      };
    }
    default: {
      const unit = calendar.unit(point.unit);
      const days = point.kind === 'done' ? unit.ends : unit.starts;
      return (place) => {
        const found = indexAt(calendar, unit, place.anchor);
        const index = found < 0 ? ~found - 1 : unit.ends[found] === place.anchor ? found : found - 1;
        return exists(unit, index) ? days[index] : undefined;
      };
    }
  }
};

/** A window made ready for many places: first and last day, before any cut; undefined where a point does not exist. */
const windowLayer = (window: Window, setting: LaySetting): Layer<readonly [Day, Day]> => {
  if (window.kind === 'points') {
    const [from, to] = [pointLayer(window.from, setting), pointLayer(window.to, setting)];
    return (place) => {
      const first = from(place);
      const last = to(place);
      return first === undefined || last === undefined ? undefined : [first, last];
    };
  }
  const { duration } = window;
  const end = pointLayer(window.kind === 'before' ? window.to : window.from, setting);
  return (place) => {
    const day = end(place);
    if (day === undefined) return undefined;
    // The far end of a duration is exclusive (W3).
    let [from, to] = window.kind === 'before' ? [addDuration(day, duration, -1) + 1, day] : [day, addDuration(day, duration, 1) - 1];
    for (let k = 0; k < place.back; k++) {
      to = from - 1;
      from = addDuration(to, duration, -1) + 1;
    }
    return [from, to];
  };
};

/** First and last day of a window at one place, before any cut; undefined when a point does not exist. */
export const layWindow = (window: Window, place: Place, setting: LaySetting): readonly [Day, Day] | undefined =>
  windowLayer(window, setting)(place);

export interface Laid {
  /** Undefined for a plain reading: the period's own days (W6). */
  readonly window: Window | undefined;
  readonly full: boolean;
}

/** Lays a reading at the places of an axis (W5 to W8, A4, C10). `windows` may differ from row to row (A6). */
export const lay = (places: readonly Place[], windows: (row: number) => Laid, setting: LaySetting): Lay => {
  const count = places.length;
  const result: Lay = {
    from: new Int32Array(count),
    to: new Int32Array(count).fill(-1),
    state: new Uint8Array(count),
    short: new Uint8Array(count),
    ahead: new Uint8Array(count),
  };
  const { first } = setting;
  const actual = setting.horizon === 'actual';
  const { state, short, ahead } = result;
  // Mostly all rows have the same window.
  let known: { readonly window: Window; readonly layer: Layer<readonly [Day, Day]> } | undefined;
  const layerOf = (window: Window): Layer<readonly [Day, Day]> => {
    if (known?.window !== window) known = { window, layer: windowLayer(window, setting) };
    return known.layer;
  };
  places.forEach((place, row) => {
    const { window, full } = windows(row);
    if (place.missing) {
      state[row] = MISSING;
      return;
    }
    // Seen from another day, a place is judged where it lands; else before its days are moved (A4, C2, C11).
    const asOf = place.seen?.asOf ?? setting.asOf;
    const future = actual && (place.seen ? place.start + place.days : place.start) > asOf;
    if (future && (place.days === 0 || place.seen)) {
      ahead[row] = 1;
      state[row] = FUTURE;
      return;
    }
    const laid = window ? layerOf(window)(place) : ([place.start, actual ? place.anchor : place.end] as const);
    if (!laid) {
      state[row] = first !== undefined && place.anchor < first ? BEFORE : EMPTY;
      return;
    }
    let from = laid[0];
    let to = laid[1];
    const empty = from > to;
    // What is covered is cut at the as-of date first, then moved (C2), then cut again where it lands (C10).
    if (actual && place.days === 0 && !empty && to > asOf) ahead[row] = 1;
    if (actual && !future && !place.seen && from <= asOf) to = Math.min(to, asOf);
    from += place.days;
    to += place.days;
    if (actual && !empty && to > asOf) ahead[row] = 1;
    if (actual && !empty && from > asOf) {
      state[row] = FUTURE;
      return;
    }
    if (actual) to = Math.min(to, asOf);
    if (first !== undefined && to < first && from < first) {
      state[row] = BEFORE;
      return;
    }
    if (from > to) {
      state[row] = EMPTY;
      return;
    }
    if (window && first !== undefined && from < first) {
      short[row] = 1;
      if (full) {
        state[row] = SHORT;
        return;
      }
    }
    result.from[row] = from;
    result.to[row] = to;
  });
  return result;
};
