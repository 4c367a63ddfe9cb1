import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import type { Model, NamedWindow } from '../model/model.ts';
import { compare } from '../windows/compare.ts';
import { layWindow } from '../windows/lay.ts';
import { indexAt, placeOf } from '../windows/place.ts';
import type { FactBounds } from './axis.ts';
import type { Bounds } from './request.ts';

/** A window laid at one day: the days it covers, inclusive; undefined where it covers none (W2, W5). */
export interface LaidWindow {
  readonly window: NamedWindow;
  readonly from: Day | undefined;
  readonly to: Day | undefined;
  /** Length in days. */
  readonly days: number;
}

/** Lays every window of a model at the as-of date, without regard to what is seen there. */
export const windowsAt = (model: Model, calendar: Calendar, asOf: Day, history: Bounds | undefined): LaidWindow[] => {
  const place = placeOf({ start: asOf, end: asOf, index: indexAt(calendar, calendar.unit('day'), asOf) }, asOf);
  const setting = { calendar, asOf, horizon: 'plan' as const, first: history?.first, last: history?.last };
  return [...model.windows.values()].map((window) => {
    const laid = layWindow(window.window, place, setting);
    if (!laid || laid[0] > laid[1]) return { window, from: undefined, to: undefined, days: 0 };
    return { window, from: laid[0], to: laid[1], days: laid[1] - laid[0] + 1 };
  });
};

/** First and last day with data over all actual facts, each in its first role. */
export const actualHistory = (model: Model, bounds: FactBounds): Bounds | undefined => {
  let found: Bounds | undefined;
  for (const fact of model.facts.values()) {
    const [role] = fact.roles.keys();
    const own = fact.horizon === 'actual' && role !== undefined ? bounds(fact, role) : undefined;
    if (own) found = found ? { first: Math.min(found.first, own.first), last: Math.max(found.last, own.last) } : own;
  }
  return found;
};

/** The days that a model's windows and comparisons reach from the as-of date (U8). */
export const reachOf = (model: Model, calendar: Calendar, asOf: Day): Day[] => {
  const days: Day[] = [];
  for (const { from, to } of windowsAt(model, calendar, asOf, undefined)) {
    if (from !== undefined && to !== undefined) days.push(from, to);
  }
  const day = calendar.unit('day');
  const place = placeOf({ start: asOf, end: asOf, index: indexAt(calendar, day, asOf) }, asOf);
  for (const { shift, match, name } of model.comparisons.values()) {
    const setting = {
      calendar,
      axis: { kind: 'unit' as const, unit: day },
      asOf,
      window: undefined,
      previous: undefined,
      horizon: 'plan' as const,
      match,
      name,
    };
    const moved = compare(place, shift, setting);
    if (!moved.missing) days.push(moved.start + moved.days, moved.end + moved.days);
  }
  return days;
};
