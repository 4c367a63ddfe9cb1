// Tables of rates: which factor holds on a day (G10).
import { type Day, isoOf, LAST_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import type { Fact, Model, Rate } from '../../model/model.ts';
import { buildCalendar, calendarRules } from '../../plan/calendar.ts';
import type { CalendarTables, DataNote } from '../../plan/request.ts';
import type { Held } from './versions.ts';

export interface RatePeriod {
  readonly start: Day;
  readonly end: Day;
}

/** The periods that rates are kept by, between two days; a calendar is laid for them alone. */
export const ratePeriods = async (
  model: Model,
  rows: CalendarTables['rows'],
  { grain }: Rate,
  first: Day,
  last: Day,
): Promise<readonly RatePeriod[]> => {
  const rules = await calendarRules(model, { rows, holidays: async () => [] });
  const calendar = await buildCalendar({ ...rules, holidaysBetween: async () => [] }, first, last, 0);
  return calendar.range(grain, first, last).map(({ start, end }) => ({ start, end }));
};

export const doubledRates = (table: string, { name, by, grain }: Rate, key: readonly string[] | undefined, start: Day): DurchblickError => {
  const of = key && by.length > 0 ? ` for ${by.map(([, column], k) => `${column} = ${key[k]}`).join(', ')}` : '';
  return new DurchblickError('doubled-rates', `${table}: two rates stand${of} in the ${grain} of ${isoOf(start)}`, {
    kind: 'data',
    hint: `Of ${name} there is one rate for each ${grain} and key (G10).`,
  });
};

export const missingRates = (fact: Fact, { name }: Rate, role: string, rows: number, first: Day): DataNote => ({
  code: 'missing-rates',
  fact: fact.name,
  role,
  rate: name,
  first: isoOf(first),
  count: rows,
});

/** A rate of a key on a day. */
export interface DatedRate {
  readonly key: readonly string[];
  readonly day: Day;
  readonly row: number;
}

/** Rates by key, in order, each with the days on which it holds: its period, or until the next daily one and at most so many days. */
export const ratesByKey = (
  dated: Iterable<DatedRate>,
  rate: Rate,
  periods: readonly RatePeriod[],
  table: string,
): ReadonlyMap<string, readonly (Held & { readonly row: number })[]> => {
  const found = new Map<string, { key: readonly string[]; list: { from: Day; until: Day; row: number }[] }>();
  for (const { key, day, row } of dated) {
    const period = rate.grain === 'day' ? { start: day, end: LAST_DAY } : periods.find(({ start, end }) => start <= day && day <= end);
    if (!period) continue;
    const own = found.get(JSON.stringify(key)) ?? { key, list: [] };
    found.set(JSON.stringify(key), own);
    own.list.push({ from: period.start, until: period.end + 1, row });
  }
  const entries = [...found].sort(([a], [b]) => (a < b ? -1 : 1));
  for (const [, { key, list }] of entries) {
    list.sort((a, b) => a.from - b.from || a.row - b.row);
    for (let k = 1; k < list.length; k++) if (list[k].from === list[k - 1].from) throw doubledRates(table, rate, key, list[k].from);
    if (rate.grain === 'day')
      list.forEach((one, k) => {
        one.until = Math.min(k + 1 < list.length ? list[k + 1].from : LAST_DAY + 1, one.from + rate.hold + 1);
      });
  }
  return new Map(entries.map(([key, { list }]) => [key, list]));
};
