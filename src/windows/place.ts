// A place: one row of an axis while it is laid, and what is seen from it.
import type { Calendar } from '../calendar/calendar.ts';
import { addMonths, type Day, isoOf } from '../calendar/day.ts';
import type { Unit } from '../calendar/unit.ts';
import { DurchblickError } from '../errors.ts';

/** Index of a place on days without a period of the unit. Nothing can be compared by periods there (U13). */
export const NO_PERIOD = -2;

/** How a shift moved the anchor; fixed dates inside a window move along (C6). */
export type DateMove = { readonly months: number } | { readonly days: number };

/**
 * A place in time at which a reading is laid: one row of the axis, or where a comparison has taken it.
 * All days are inclusive.
 */
export interface Place {
  readonly start: Day;
  readonly end: Day;
  readonly anchor: Day;
  /** start <= as-of < end, and matched by elapsed time where shifted (A4, C3). */
  readonly partial: boolean;
  /** The range cuts the first or last day off its period (A5). */
  readonly cutStart: boolean;
  readonly cutEnd: boolean;
  /** Index of the first and last period it is made of, in the axis's counting unit. */
  readonly index: number;
  readonly lastIndex: number;
  readonly dateMoves: readonly DateMove[];
  /** Days by which the covered days move, one for one (C2). */
  readonly days: number;
  /** How often a duration steps back by its own length (C5, axis of windows). */
  readonly back: number;
  /** No counterpart exists (C4). */
  readonly missing: boolean;
  /** The as-of date that it is seen from, where a comparison has changed that, and how many moves came before (C11). */
  readonly seen: { readonly asOf: Day; readonly movesBefore: number } | undefined;
}

/**
 * The axis as comparisons need to know it (A3, A6): periods of a unit; windows laid at the as-of date; or one
 * stretch of days, counted in whole periods of a unit when it was given that way, else in days.
 */
export type AxisKind =
  | { readonly kind: 'unit'; readonly unit: Unit }
  | { readonly kind: 'windows'; readonly unit: Unit }
  | { readonly kind: 'range'; readonly unit: Unit };

/** A4: the as-of date while the period is under way, else the period's last day. */
export const anchorOf = (start: Day, end: Day, asOf: Day): Day => (start <= asOf && asOf < end ? asOf : end);

export const placeOf = (parts: Pick<Place, 'start' | 'end' | 'index'> & Partial<Place>, asOf: Day): Place => ({
  start: parts.start,
  end: parts.end,
  anchor: parts.anchor ?? anchorOf(parts.start, parts.end, asOf),
  partial: parts.partial ?? (parts.start <= asOf && asOf < parts.end),
  cutStart: parts.cutStart ?? false,
  cutEnd: parts.cutEnd ?? false,
  index: parts.index,
  lastIndex: parts.lastIndex ?? parts.index,
  dateMoves: parts.dateMoves ?? NO_MOVES,
  days: parts.days ?? 0,
  back: parts.back ?? 0,
  missing: parts.missing ?? false,
  seen: parts.seen,
});
const NO_MOVES: readonly DateMove[] = [];

/** A place as it is seen from another as-of date: anchored there as if the question had been asked on that day (C11). */
export const placeSeen = (place: Place, asOf: Day): Place => {
  const [start, end] = [place.start + place.days, place.end + place.days];
  return {
    ...place,
    anchor: anchorOf(start, end, asOf) - place.days,
    partial: start <= asOf && asOf < end,
    seen: { asOf, movesBefore: place.dateMoves.length },
  };
};

/** A calendar covers what windows and comparisons reach (U8); beyond it there are no days. */
const outside = (what: string): never => {
  throw new DurchblickError('outside-calendar', `${what} lies outside the calendar`, {
    hint: 'Windows and comparisons must stay within 0001-01-01 to 9999-12-31.',
  });
};

/** `calendar.indexOf`, for days that must be covered. */
export const indexAt = (calendar: Calendar, unit: Unit, day: Day): number => {
  const days = calendar.unit('day');
  if (day < days.starts[0] || day > days.ends[days.ends.length - 1]) outside(day > -800000 && day < 3000000 ? isoOf(day) : 'a window');
  return calendar.indexOf(unit, day);
};

/** Whether period `index` exists. Tables end where they end; built-in units only where the calendar was built to. */
export const exists = (unit: Unit, index: number): boolean => {
  if (index >= 0 && index < unit.starts.length) return true;
  return unit.basis === 'own' ? false : outside(`a ${unit.name}`);
};

/** The as-of date or an ISO date inside a window, moved as its anchor was (C6). */
export const moveDate = (day: Day, moves: readonly DateMove[]): Day =>
  moves.reduce((d, move) => ('months' in move ? addMonths(d, move.months) : d + move.days), day);

/** The places of the periods of a unit that overlap a range, first and last cut to it (A3, A5). */
export const unitPlaces = (calendar: Calendar, unit: Unit, first: Day, last: Day, asOf: Day): Place[] => {
  const found = indexAt(calendar, unit, first);
  const places: Place[] = [];
  for (let i = found < 0 ? ~found : found; i < unit.starts.length && unit.starts[i] <= last; i++) {
    const [start, end] = [unit.starts[i], unit.ends[i]];
    places.push(
      placeOf({ start: Math.max(start, first), end: Math.min(end, last), index: i, cutStart: first > start, cutEnd: last < end }, asOf),
    );
  }
  return places;
};

/**
 * The total over some places, at least one, as one place (M9): from the first start to the last end. Called with the places of a
 * comparison, it is the comparison of the total; rows without counterpart are left aside by the caller.
 */
export const totalPlace = (places: readonly Place[], asOf: Day, compared: 'compared' | 'own'): Place => {
  const first = places[0];
  const last = places[places.length - 1];
  const whole = { start: first.start, end: last.end, index: first.index, lastIndex: last.lastIndex };
  if (compared === 'own') return placeOf(whole, asOf);
  return { ...last, ...whole, cutStart: first.cutStart };
};
