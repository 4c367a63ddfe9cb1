// How far windows and comparisons reach from a day: what a calendar must cover beyond the data (U8). Bounds, not exact days: a
// calendar that is a little too wide costs next to nothing, and one that is too short would be a wrong number.

import type { CalendarOptions } from '../calendar/calendar.ts';
import { type Day, toDay } from '../calendar/day.ts';
import type { PeriodRow } from '../calendar/systems.ts';
import type { Comparison, NamedWindow } from '../model/model.ts';
import { type Move, PERIOD, type Point, type Shift, type Window } from '../windows/syntax.ts';
import { type Bound, type DaysLeaf, type Leaf, partsOf } from './bind.ts';

/** The longest that a period of a unit can be, in days. */
export type UnitDays = (unit: string) => number;

export interface Reach {
  /** Days from the data on either side. */
  readonly days: number;
  /** Fixed days that windows name. */
  readonly fixed: readonly Day[];
  /** How often the length of the whole range is stepped back by. */
  readonly lengths: number;
}

export const NO_REACH: Reach = { days: 0, fixed: [], lengths: 0 };

/** One reach from the end of another. */
export const reachAfter = (a: Reach, b: Reach): Reach => ({
  days: a.days + b.days,
  fixed: [...a.fixed, ...b.fixed],
  lengths: a.lengths + b.lengths,
});
const furthest = (list: readonly Reach[]): Reach => ({
  days: Math.max(0, ...list.map(({ days }) => days)),
  fixed: list.flatMap(({ fixed }) => fixed),
  lengths: Math.max(0, ...list.map(({ lengths }) => lengths)),
});
const ofDays = (days: number): Reach => ({ ...NO_REACH, days });

const LONGEST: Readonly<Record<string, number>> = { day: 1, week: 7, month: 35, quarter: 98, half: 190, year: 371 };
const DAYS_OF_MONTH = 31;
const DAYS_OF_YEAR = 366;

/** Longest periods: of tables as they are, of all other units by what they are called after: `fiscal-month` is a month. */
export const unitDaysOf = ({ yearSystems = {}, periods = {} }: Pick<CalendarOptions, 'yearSystems' | 'periods'>): UnitDays => {
  const known = new Map<string, number>();
  const add = (name: string, rows: readonly PeriodRow[]): void => {
    const starts = rows.map(({ start }) => toDay(start)).sort((a, b) => a - b);
    known.set(name, Math.max(DAYS_OF_YEAR, ...starts.slice(1).map((start, k) => start - starts[k])));
  };
  for (const [name, rows] of Object.entries(periods)) add(name, rows);
  for (const [name, system] of Object.entries(yearSystems)) if ('rows' in system) add(`${name}-year`, system.rows);
  return (unit) => known.get(unit) ?? LONGEST[unit.slice(unit.lastIndexOf('-') + 1)] ?? DAYS_OF_YEAR;
};

const lengthOf = ({ months, days }: Omit<Move, 'sign'>): number => Math.abs(months) * DAYS_OF_MONTH + Math.abs(days);

/** How far a point lies from the day that it is laid at. */
export const pointReach = (point: Point, unitDays: UnitDays): Reach => {
  const moved = point.moves.reduce((sum, move) => sum + lengthOf(move), 0);
  switch (point.kind) {
    case 'start':
    case 'end':
      return ofDays(moved + (point.unit === PERIOD ? 0 : (Math.abs(point.offset) + 1) * unitDays(point.unit)));
    case 'done':
    case 'since':
      return ofDays(moved + 2 * unitDays(point.unit));
    case 'date':
      return { ...NO_REACH, days: moved, fixed: [point.day] };
    default:
      return ofDays(moved);
  }
};

export const windowReach = (window: Window, unitDays: UnitDays): Reach => {
  if (window.kind === 'points') return furthest([pointReach(window.from, unitDays), pointReach(window.to, unitDays)]);
  return reachAfter(ofDays(lengthOf(window.duration)), pointReach(window.kind === 'before' ? window.to : window.from, unitDays));
};

/** How far a shift takes a day; `previous` steps back by whatever it is laid over. */
const shiftReach = (shift: Shift, over: Reach, unitDays: UnitDays): Reach => {
  switch (shift.kind) {
    case 'days':
      return ofDays(Math.abs(shift.days));
    case 'months':
      return ofDays(Math.abs(shift.months) * DAYS_OF_MONTH);
    case 'units':
      return ofDays((Math.abs(shift.count) + 1) * unitDays(shift.unit));
    case 'year-earlier':
      return ofDays(2 * unitDays('year'));
    case 'previous':
      return reachAfter(over, { ...ofDays(unitDays('year')), lengths: 1 });
    case 'base':
    case 'stay':
      return NO_REACH;
  }
};

/** How far the days that a comparison is seen as of lie from the question's own (C11). */
const seenReach = ({ asOf, knownBy }: Comparison): Reach =>
  furthest(
    [asOf, knownBy].map((seen): Reach => {
      if (!seen) return NO_REACH;
      return seen.kind === 'date' ? { ...NO_REACH, fixed: [seen.day] } : ofDays(lengthOf(seen.move));
    }),
  );
const comparisonReach = (comparison: Comparison, over: Reach, unitDays: UnitDays): Reach =>
  reachAfter(shiftReach(comparison.shift, over, unitDays), seenReach(comparison));

const isLaid = (bound: Bound): bound is Leaf | DaysLeaf => bound.kind === 'leaf' || bound.kind === 'days';

/** How far readings, windows and comparisons reach together, laid by a unit or over some windows. */
export const reachOf = (
  readings: readonly Bound[],
  windows: readonly NamedWindow[],
  comparisons: readonly Comparison[],
  unitDays: UnitDays,
  /** Whether days themselves are looked at, by calendar attributes (U11). */
  days: 'looked at' | 'added up' = 'added up',
): Reach => {
  const own = ({ window, previous }: NamedWindow): Reach =>
    furthest([windowReach(window, unitDays), ...(previous ? [shiftReach(previous, NO_REACH, unitDays)] : [])]);
  const axis = furthest(windows.map(own));
  // Where rows alone are added up, the calendar need not reach a fixed day; where days are counted it must (M12).
  const leafReach = ({ kind, window }: Leaf | DaysLeaf): Reach => {
    const reach = window ? own(window) : axis;
    return kind === 'days' || days === 'looked at' ? reach : { ...reach, fixed: [] };
  };
  const known = new Map<Bound, Reach>();
  const ofPart = (bound: Bound): Reach => {
    const before = known.get(bound);
    if (before) return before;
    const inner = isLaid(bound) ? leafReach(bound) : furthest(partsOf(bound).map(ofPart));
    const reach = bound.kind === 'vs' ? reachAfter(inner, comparisonReach(bound.comparison, inner, unitDays)) : inner;
    known.set(bound, reach);
    return reach;
  };
  const compared = comparisons.map((comparison) => reachAfter(axis, comparisonReach(comparison, axis, unitDays)));
  return furthest([axis, ...readings.map(ofPart), ...compared]);
};
