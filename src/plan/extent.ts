import { once } from '../basics/kept-promises.ts';
import type { Calendar } from '../calendar/calendar.ts';
import { type Day, isoOf, parseIsoDay } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import type { Fact, Model } from '../model/model.ts';
import { OUTSIDE } from '../windows/place.ts';
import type { FactBounds } from './axis.ts';
import { buildCalendar, type CalendarRules, yearsIn } from './calendar.ts';
import type { Bounds, Segments } from './request.ts';

/** Years around the data for which the calendar is built; widened when a window reaches further. */
const MARGINS = [3, 30, 300];
const WIDEST = 9000;

/** Runs something with wider and wider margins around the data, until no window reaches past the calendar (U8). */
export const widening = async <T>(run: (marginYears: number) => Promise<T>): Promise<T> => {
  for (const margin of MARGINS) {
    try {
      return await run(margin);
    } catch (error) {
      if (!(error instanceof DurchblickError) || error.code !== OUTSIDE) throw error;
    }
  }
  return run(WIDEST);
};

/** The range that a model fixes for its calendar; undefined where it is taken from the data (U8). */
export const fixedRange = (model: Model): Bounds | undefined => {
  const text = model.input.calendar?.range;
  if (text === undefined || text === 'auto') return undefined;
  const [first, last] = text.split('/').map((part) => parseIsoDay(part.trim()));
  if (first === undefined || last === undefined)
    throw new DurchblickError('bad-range', `calendar.range is "${text}"`, { hint: 'It takes auto or two dates, 2021-01-01/2027-12-31.' });
  if (last < first)
    throw new DurchblickError('bad-range', `calendar.range runs backwards: ${text}`, { hint: 'The first day comes first.' });
  return { first, last };
};

/** First and last days of all facts and roles; outside a fixed range they are an error, not a silent gap (U8). */
export const dataDays = (model: Model, bounds: FactBounds, range: Bounds | undefined): Day[] =>
  [...model.facts.values()].flatMap((fact) =>
    [...fact.roles.keys()].flatMap((role) => {
      const found = bounds(fact, role);
      if (!found) return [];
      if (range && (found.first < range.first || found.last > range.last)) {
        const day = found.first < range.first ? found.first : found.last;
        throw new DurchblickError(
          'outside-range',
          `${fact.name} has the ${role} date ${isoOf(day)}, outside the calendar's range ${isoOf(range.first)}/${isoOf(range.last)}`,
          { kind: 'data', hint: 'Widen `calendar.range`, or set it to auto (U8).' },
        );
      }
      return [found.first, found.last];
    }),
  );

/** Years that a model's fixed comparisons name. */
export const baseYears = (model: Model): Day[] =>
  [...model.comparisons.values()].flatMap(({ shift }) => (shift.kind === 'base' ? yearsIn(shift.period) : []));

/** Calendars by the days they must cover, each built once. */
export const calendarsOf = (rules: CalendarRules): ((days: readonly Day[], margin: number) => Promise<Calendar>) => {
  const known = new Map<string, Promise<Calendar>>();
  return (days, margin) => {
    let [first, last] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (const day of days) {
      first = Math.min(first, day);
      last = Math.max(last, day);
    }
    if (known.size > 50) known.clear();
    return once(known, `${first} ${last} ${margin}`, () => buildCalendar(rules, first, last, margin));
  };
};

/** Bounds in whole periods for coarse facts: those of the period that holds the first or last date (A2). */
export const periodBounds = (raw: FactBounds, calendar: Calendar): FactBounds => {
  const known = new Map<string, Bounds | undefined>();
  return (fact, role) => {
    const key = `${fact.name} ${role}`;
    if (known.has(key)) return known.get(key);
    const bounds = raw(fact, role);
    let widened = bounds;
    if (bounds && fact.grain !== 'day') {
      const unit = calendar.unit(fact.grain);
      const [a, b] = [calendar.indexOf(unit, bounds.first), calendar.indexOf(unit, bounds.last)];
      widened = { first: a < 0 ? bounds.first : unit.starts[a], last: b < 0 ? bounds.last : unit.ends[b] };
    }
    known.set(key, widened);
    return widened;
  };
};

const NONE: Segments = { key: 'none', starts: new Int32Array(0), ends: new Int32Array(0) };

/** Stretches of days, made once each: single days for daily facts, the fact's own periods for coarse ones. */
export const segmentsOf = (): ((fact: Fact, stretch: Bounds | undefined, calendar: Calendar) => Segments) => {
  const known = new Map<string, Segments>();
  return (fact, stretch, calendar) => {
    if (!stretch || stretch.last < stretch.first) return NONE;
    const key = `${fact.grain}:${stretch.first}:${stretch.last}`;
    let segments = known.get(key);
    if (!segments) {
      const periods = fact.grain === 'day' ? undefined : calendar.range(fact.grain, stretch.first, stretch.last);
      const days = () => Int32Array.from({ length: stretch.last - stretch.first + 1 }, (_, i) => stretch.first + i);
      segments = {
        key,
        starts: periods ? Int32Array.from(periods, ({ start }) => start) : days(),
        ends: periods ? Int32Array.from(periods, ({ end }) => end) : days(),
      };
      if (known.size > 200) known.clear();
      known.set(key, segments);
    }
    return segments;
  };
};
