// How far the calendar reaches: data, as-of date, windows and comparisons (U8).
import { once } from '../basics/kept-promises.ts';
import type { Calendar } from '../calendar/calendar.ts';
import { type Day, isoOf, parseIsoDay } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import type { Model } from '../model/model.ts';
import type { FactBounds } from './axis.ts';
import { buildCalendar, type CalendarRules, yearsIn } from './calendar.ts';
import { type Reach, type UnitDays, unitDaysOf } from './reach.ts';
import type { Bounds } from './request.ts';

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

/** What a calendar must cover beyond some days, told how long units are. */
export type Reaching = (unitDays: UnitDays) => Reach;

const DAYS_OF_YEAR = 366;
/** Questions reach differently far; calendars that reach to one of few lengths serve them all. */
const LEAST_YEARS = 4;

/** Days before and after the data: the periods that hold its ends whole, and what windows and comparisons reach from there. */
const marginOf = ({ days, lengths }: Reach, length: number): number => {
  const wanted = DAYS_OF_YEAR + days + lengths * length;
  let margin = LEAST_YEARS * DAYS_OF_YEAR;
  while (margin < wanted) margin *= 2;
  return margin;
};

/** A calendar over some days and what is reached from them; over nothing but the whole years of those days without a reach. */
export type CalendarOver = (days: readonly Day[], reaching?: Reaching) => Promise<Calendar>;

/** Calendars by the days they must cover, each built once (U8). */
export const calendarsOf = (rules: CalendarRules): CalendarOver => {
  const known = new Map<string, Promise<Calendar>>();
  const unitDays = unitDaysOf(rules);
  return (days, reaching) => {
    const reach = reaching?.(unitDays);
    let [first, last] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (const day of [...days, ...(reach?.fixed ?? [])]) {
      first = Math.min(first, day);
      last = Math.max(last, day);
    }
    const margin = reach ? marginOf(reach, last - first) : 0;
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
