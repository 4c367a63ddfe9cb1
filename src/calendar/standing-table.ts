// Which member of a calendar attribute each day has (U11); loaded with what asks for it.
import { compareTexts } from '../basics/text.ts';
import { DurchblickError } from '../errors.ts';
import type { Calendar } from './calendar.ts';
import { type Day, weekdayOf } from './day.ts';
import { OF, type Standing } from './standing.ts';
import type { Unit } from './unit.ts';

/** What stands for days without a holiday or period. */
const NONE = '(none)';

/** A table of days: members in the order of time, and which of them each day has. */
export interface StandingTable {
  readonly members: readonly string[];
  /** Index of a day's member. */
  readonly at: (day: Day) => number;
  /** Index of the member that a text means (U11): its name, a longer one, an ISO number; -1 where it means none. */
  readonly find: (text: string) => number;
}

const WEEK = 7;

const exactly = (members: readonly string[]): StandingTable['find'] => {
  const known = new Map(members.map((member, k) => [member, k]));
  return (text) => known.get(text) ?? -1;
};

/** Finds one by any of its names, whatever the case; a text that names two is taken for that of the earlier list. */
const byName = (...lists: readonly (readonly string[])[]): StandingTable['find'] => {
  const known = new Map<string, number>();
  const add = (texts: readonly string[]): void =>
    texts.forEach((text, k) => void (known.has(text.toLowerCase()) || known.set(text.toLowerCase(), k)));
  for (const texts of lists) add(texts);
  return (text) => known.get(text.trim().toLowerCase()) ?? -1;
};

/** Short names, or the long ones where two short ones are the same. */
const told = (short: readonly string[], long: readonly string[]): readonly string[] =>
  new Set(short).size === short.length ? short : long;

/** A first day of the week that the calendar is sure of. */
const weekStart = (calendar: Calendar): number => {
  const { starts } = calendar.unit('week');
  return weekdayOf(starts[Math.min(1, starts.length - 1)]);
};

const weekdays = (calendar: Calendar): StandingTable => {
  const first = weekStart(calendar);
  const order = Array.from({ length: WEEK }, (_, k) => (first + k) % WEEK);
  const [short, long] = [
    order.map((weekday) => calendar.name('weekday-short', weekday)),
    order.map((weekday) => calendar.name('weekday-long', weekday)),
  ];
  const members = told(short, long);
  return {
    members,
    at: (day) => (weekdayOf(day) - first + WEEK) % WEEK,
    // What the model calls them is understood in every language (R5).
    find: byName(
      order.map((weekday) => calendar.ownName('weekday-short', weekday)),
      order.map((weekday) => calendar.ownName('weekday-long', weekday)),
      short,
      long,
      order.map((weekday) => String(weekday + 1)),
    ),
  };
};

const workingDays = (calendar: Calendar): StandingTable => ({
  members: ['yes', 'no'],
  at: (day) => (calendar.isWorkingDay(day) ? 0 : 1),
  // What a file's `yes` and `no` may have been read as.
  find: byName(['yes', 'no'], ['true', 'false'], []),
});

const holidays = (calendar: Calendar): StandingTable => {
  const { starts } = calendar.unit('day');
  const names = new Set<string>();
  for (const day of starts) {
    const name = calendar.holiday(day);
    if (name !== undefined) names.add(name);
  }
  const members = [...[...names].sort(compareTexts), NONE];
  const find = exactly(members);
  return { members, at: (day) => find(calendar.holiday(day) ?? NONE), find };
};

const periods = (calendar: Calendar, unit: Unit): StandingTable => {
  const labels = Array.from(unit.starts, (_, k) => unit.label(k));
  // Several periods may be called the same: spring comes every year.
  const members = [...new Set(labels), NONE];
  const find = exactly(members);
  const member = labels.map(find);
  const none = members.length - 1;
  return {
    members,
    at: (day) => {
      const index = calendar.indexOf(unit, day);
      return index < 0 ? none : member[index];
    },
    find,
  };
};

/** Units whose periods lie in those of another: what would have worked. */
const nestingIn = (calendar: Calendar, inner: Unit): string[] =>
  [...calendar.units.values()]
    .filter((outer) => outer !== inner && calendar.nests(inner, outer))
    .map(({ name }) => `${inner.name}${OF}${name}`);

const numbers = (calendar: Calendar, inner: Unit, outer: Unit): StandingTable => {
  if (inner === outer || !calendar.nests(inner, outer))
    throw new DurchblickError('does-not-nest', `a ${inner.name} does not lie within one ${outer.name}`, {
      hint: `What works: ${nestingIn(calendar, inner).join(', ') || 'nothing'}.`,
    });
  const firsts = Array.from(outer.starts, (start) => {
    const index = calendar.indexOf(inner, start);
    return index < 0 ? ~index : index;
  });
  const most = firsts.reduce((longest, first, k) => {
    const next = k + 1 < firsts.length ? firsts[k + 1] : calendar.indexOf(inner, outer.ends[k]) + 1;
    return Math.max(longest, next - first);
  }, 1);
  const isCivilMonth = inner.name === 'month' && outer.name === 'year';
  const names = (set: 'month-short' | 'month-long'): string[] => Array.from({ length: most }, (_, k) => calendar.name(set, k));
  const plain = Array.from({ length: most }, (_, k) => String(k + 1));
  const named = isCivilMonth ? told(names('month-short'), names('month-long')) : plain;
  const ownNames = (set: 'month-short' | 'month-long'): string[] => plain.map((_, k) => calendar.ownName(set, k));
  const find = isCivilMonth
    ? byName(ownNames('month-short'), ownNames('month-long'), names('month-short'), names('month-long'), plain)
    : exactly(named);
  return {
    members: [...named, NONE],
    at: (day) => {
      const [a, b] = [calendar.indexOf(inner, day), calendar.indexOf(outer, day)];
      return a < 0 || b < 0 ? most : a - firsts[b];
    },
    find: (text) => (text === NONE ? most : find(text)),
  };
};

const made = (calendar: Calendar, standing: Standing): StandingTable => {
  switch (standing.kind) {
    case 'weekday':
      return weekdays(calendar);
    case 'working-day':
      return workingDays(calendar);
    case 'holiday':
      return holidays(calendar);
    case 'number':
      return numbers(calendar, calendar.unit(standing.inner), calendar.unit(standing.outer));
    case 'period':
      return periods(calendar, calendar.unit(standing.unit));
  }
};

const known = new WeakMap<Calendar, Map<string, StandingTable>>();

/** The table of days of a calendar attribute, made once for a calendar. Units that do not nest are an error that lists what works. */
export const standingTable = (calendar: Calendar, standing: Standing): StandingTable => {
  const tables = known.get(calendar) ?? new Map<string, StandingTable>();
  known.set(calendar, tables);
  const key = JSON.stringify(standing);
  const table = tables.get(key) ?? made(calendar, standing);
  tables.set(key, table);
  return table;
};
