// The calendar of a model: all its units, labels, names, holidays and working days (U1 to U10).
import { DurchblickError, suggest } from '../errors.ts';
import { type Day, FIRST_DAY, isoOf, LAST_DAY, MONTHS, parseIsoDay, toDay, validDay, WEEKDAYS, type Weekday, weekdayOf } from './day.ts';
import {
  civilYears,
  monthUnits,
  type PeriodRow,
  parseYearEnd,
  type RetailPattern,
  retailUnits,
  type Span,
  tableUnit,
  type WeekRule,
  weekUnits,
} from './systems.ts';
import { type Ordinals, ordinalsOf, type Unit, unitOf } from './unit.ts';

export interface MonthYears {
  /** First day of the year as `--MM-DD`, day 1 to 28 (U4). */
  readonly starts: string;
  readonly numberBy?: 'start' | 'end';
  /** Label of a year; `{year}` stands for its number. */
  readonly label?: string;
}
export interface WeekYears {
  readonly pattern: RetailPattern;
  /** `last saturday of january` or `saturday nearest january 31` (U5). */
  readonly ends: string;
  readonly numberBy?: 'start' | 'end';
  readonly label?: string;
}
export interface ListedYears {
  /** Years with start, label and, at least for the last, inclusive end (U6). */
  readonly rows: readonly PeriodRow[];
}
export type YearSystem = MonthYears | WeekYears | ListedYears;

export interface Holiday {
  readonly day: Day | string;
  readonly name: string;
}

export type NameSet = 'weekday-long' | 'weekday-short' | 'month-long' | 'month-short';

export interface CalendarOptions {
  /** First and last day that must be covered, inclusive; day numbers or `YYYY-MM-DD`. Widened to whole years (U8). */
  readonly from: Day | string;
  readonly to: Day | string;
  readonly week?: 'iso' | 'locale' | { readonly starts: Weekday; readonly minDays: number };
  /** BCP 47; default `en`. */
  readonly locale?: string;
  readonly yearSystems?: Readonly<Record<string, YearSystem>>;
  readonly periods?: Readonly<Record<string, readonly PeriodRow[]>>;
  readonly workingDays?: { readonly week?: string; readonly holidays?: readonly Holiday[] };
  readonly names?: Readonly<Partial<Record<NameSet, Readonly<Record<string, string>>>>>;
}

/**
 * A calendar over whole years. Days go in and out as day numbers (D1); wherever a day is taken, an ISO string
 * does as well. Every lookup of a unit's period is one array read.
 */
export interface Calendar {
  /** The requested first and last day, inclusive. */
  readonly from: Day;
  readonly to: Day;
  /** First and last day of the whole years asked for, in every year system (U8). */
  readonly first: Day;
  readonly last: Day;
  readonly locale: string;
  readonly units: ReadonlyMap<string, Unit>;
  /** The unit of a name, plural accepted; an error with the nearest name otherwise. */
  unit(name: string): Unit;
  /** Index of the period of a day: `>= 0`; `~i` when the day has none and period `i` is the next (U7). */
  indexOf(unit: Unit, day: Day | string): number;
  /** First day of the period that holds the day; the next period's first day where there is none (U7). */
  floor(unit: string, day: Day | string): Day;
  /** Last day, inclusive, of the period that holds the day; the previous period's last day where there is none. */
  ceil(unit: string, day: Day | string): Day;
  /** First day of the period that lies `by` periods away from the one that holds the day. */
  offset(unit: string, day: Day | string, by: number): Day;
  /** A running number of the period, the same however far the calendar reaches; undefined without a period. */
  ordinal(unit: string, day: Day | string): number | undefined;
  /** The label of the period that holds the day (U9); undefined without a period. */
  label(unit: string, day: Day | string): string | undefined;
  /** The period of a label (U9), in any unit: its unit, index and inclusive days; undefined when it is none. */
  parse(text: string): PeriodOf | undefined;
  /** The periods of a unit that overlap two days, both inclusive. */
  range(unit: string, from: Day | string, to: Day | string): PeriodOf[];
  /** Working days in `from..to`, both inclusive (U10); days outside of the calendar count none. */
  workingDays(from: Day | string, to: Day | string): number;
  isWorkingDay(day: Day | string): boolean;
  /** The name of the holiday on a day; undefined on others. */
  holiday(day: Day | string): string | undefined;
  /** Names in the calendar's locale; weekdays from 0 = Monday, months from 0 = January. */
  name(set: NameSet, index: number): string;
  /** The same names as the calendar's own locale has them, whatever `withNames` shows. */
  ownName(set: NameSet, index: number): string;
  /** This calendar with the names of another locale (R5); those that were given hold for their own language. */
  withNames(locale: string): Calendar;
  /** Whether every period of `inner` lies within one period of `outer` (C4). */
  nests(inner: Unit, outer: Unit): boolean;
}

export interface PeriodOf {
  readonly unit: string;
  readonly index: number;
  readonly label: string;
  readonly start: Day;
  readonly end: Day;
}

const weekRule = (week: CalendarOptions['week'], locale: string): WeekRule => {
  if (week === undefined || week === 'iso') return { starts: 0, minDays: 4 };
  if (week === 'locale') {
    // `getWeekInfo` is the standard's final form, `weekInfo` what older runtimes have.
    const data = new Intl.Locale(locale) as Intl.Locale & {
      getWeekInfo?: () => { firstDay: number; minimalDays?: number };
      weekInfo?: { firstDay: number; minimalDays?: number };
    };
    const info = data.getWeekInfo?.() ?? data.weekInfo;
    return { starts: (info?.firstDay ?? 1) - 1, minDays: info?.minimalDays ?? 4 };
  }
  const starts = WEEKDAYS.indexOf(week.starts);
  if (starts < 0) {
    throw new DurchblickError('bad-week', `"${week.starts}" is not a weekday`, { hint: suggest(week.starts, WEEKDAYS, 'weekdays') });
  }
  if (!Number.isInteger(week.minDays) || week.minDays < 1 || week.minDays > 7) {
    throw new DurchblickError('bad-week', `min-days is ${week.minDays}`, {
      hint: 'Between 1 and 7 days of week 1 lie in the new year (U3).',
    });
  }
  return { starts, minDays: week.minDays };
};

/** Reads `monday-friday` or a list such as `monday,tuesday,saturday`; index 0 = Monday. */
export const parseWorkingWeek = (text: string): boolean[] => {
  const week = new Array<boolean>(7).fill(false);
  const at = (name: string): number => {
    const index = WEEKDAYS.indexOf(name.trim().toLowerCase() as Weekday);
    if (index < 0) {
      throw new DurchblickError('bad-working-week', `"${name.trim()}" is not a weekday`, { hint: suggest(name, WEEKDAYS, 'weekdays') });
    }
    return index;
  };
  for (const part of text.split(',')) {
    const [from, to] = part.split('-');
    const last = at(to ?? from);
    for (let i = at(from); ; i = (i + 1) % 7) {
      week[i] = true;
      if (i === last) break;
    }
  }
  return week;
};

const yearLabelOf = (name: string, label: string | undefined): ((year: number) => string) => {
  const pattern = label ?? `${name}-{year}`;
  if (!pattern.includes('{year}')) {
    throw new DurchblickError('bad-label', `the label "${pattern}" of year system "${name}" has no {year}`, {
      hint: 'Write for example "FY{year}"; otherwise all years would be called the same.',
    });
  }
  return (year) => pattern.replaceAll('{year}', String(year).padStart(4, '0'));
};

/** Reads `--MM-DD`. */
const yearStart = (name: string, text: string): { month: number; day: number } => {
  const m = /^--(\d\d)-(\d\d)$/.exec(text);
  const [month, day] = m ? [Number(m[1]), Number(m[2])] : [0, 0];
  if (validDay(2023, month, day) === undefined || day > 28) {
    throw new DurchblickError('bad-year-start', `year system "${name}" starts on "${text}"`, {
      hint: 'Write --MM-DD with a day up to the 28th, for example --10-01 (U4).',
    });
  }
  return { month, day };
};

/** All units of a year system over a span. */
const systemUnits = (name: string, system: YearSystem, span: Span): Unit[] => {
  const prefix = `${name}-`;
  if ('rows' in system) return [tableUnit(`${prefix}year`, system.rows, 'must-end', `year system "${name}"`)];
  const yearLabel = yearLabelOf(name, system.label);
  const numberBy = system.numberBy ?? 'end';
  if ('pattern' in system) {
    const ends = parseYearEnd(system.ends);
    if (!ends) {
      throw new DurchblickError('bad-year-end', `year system "${name}" ends "${system.ends}"`, {
        hint: 'Write "last saturday of january" or "saturday nearest january 31" (U5).',
      });
    }
    return retailUnits({ prefix, pattern: system.pattern, ends, numberBy, yearLabel }, span);
  }
  return monthUnits({ prefix, ...yearStart(name, system.starts), numberBy, yearLabel }, span);
};

/** Units of the civil calendar, which every calendar has (U2). */
export const CIVIL_UNITS: readonly string[] = ['day', 'week', 'month', 'quarter', 'half', 'year', 'week-year'];

/** The names of all units that a calendar with these year systems and custom units has (U2). */
export const unitNames = (yearSystems: Readonly<Record<string, 'months' | 'weeks' | 'listed'>>, periods: readonly string[]): string[] => {
  const own = { months: ['month', 'quarter', 'half', 'year'], weeks: ['week', 'month', 'quarter', 'year'], listed: ['year'] };
  return [...CIVIL_UNITS, ...Object.entries(yearSystems).flatMap(([name, kind]) => own[kind].map((unit) => `${name}-${unit}`)), ...periods];
};

const gaplessUnits = (options: CalendarOptions, rule: WeekRule, span: Span): Unit[] => [
  ...weekUnits(rule, span),
  ...monthUnits(civilYears, span),
  ...Object.entries(options.yearSystems ?? {}).flatMap(([name, system]) => systemUnits(name, system, span)),
];

/** A unit without what lies outside of D1: the periods that begin or end there are cut, those wholly there are none. */
const withinTime = (unit: Unit): Unit => {
  const { starts, ends, origin, label } = unit;
  const from = starts.findIndex((_, i) => ends[i] >= FIRST_DAY);
  const to = starts.findLastIndex((start) => start <= LAST_DAY) + 1;
  if (from === 0 && to === starts.length && starts[0] >= FIRST_DAY && ends[to - 1] <= LAST_DAY) return unit;
  return {
    ...unit,
    starts: starts.slice(from, to).map((start) => Math.max(start, FIRST_DAY)),
    ends: ends.slice(from, to).map((end) => Math.min(end, LAST_DAY)),
    origin: origin + from,
    label: (index) => label(from + index),
  };
};

/** A day as a number; texts and what is no day take the longer way, which says what is wrong. */
const dayNumber = (day: Day | string): Day => (Number.isInteger(day) ? (day as Day) : toDay(day));

const dayUnit = (first: Day, last: Day): Unit => {
  const starts = new Int32Array(last - first + 2);
  for (let i = 0; i < starts.length; i++) starts[i] = first + i;
  return unitOf({ name: 'day', starts, basis: 'day', yearUnit: 'year', origin: first, label: (i) => isoOf(first + i) });
};

/** The units of a calendar over whole years, and the days that they reach. */
interface Laid {
  readonly whole: Span;
  readonly reach: Span;
  readonly units: ReadonlyMap<string, Unit>;
}

const layUnits = (options: CalendarOptions, rule: WeekRule, span: Span): Laid => {
  const clamp = (d: Day) => Math.min(Math.max(d, FIRST_DAY), LAST_DAY);
  const hull = (units: Unit[]): Span => ({
    first: clamp(Math.min(...units.map((unit) => unit.starts[0]))),
    last: clamp(Math.max(...units.map((unit) => unit.ends[unit.ends.length - 1]))),
  });
  const years = (units: Unit[]) => units.filter((unit) => unit.name === unit.yearUnit);
  const whole = hull(years(gaplessUnits(options, rule, span)));
  const gapless = gaplessUnits(options, rule, whole).map(withinTime);
  const reach = hull(gapless.filter((unit) => unit.basis !== 'own'));
  const custom = Object.entries(options.periods ?? {}).map(([name, rows]) => tableUnit(name, rows, 'open', `unit "${name}"`));
  const units = new Map<string, Unit>();
  for (const unit of [dayUnit(reach.first, reach.last), ...gapless, ...custom]) units.set(unit.name, unit);
  return { whole, reach, units };
};

/** Finds the period of a day by one array read; the array is made when a unit is first asked for. */
const indexing = ({ first, last }: Span): Calendar['indexOf'] => {
  const ordinals = new Map<Unit, Ordinals>();
  return (unit, given) => {
    const day = dayNumber(given);
    let table = ordinals.get(unit);
    if (!table) {
      table = ordinalsOf(unit, first, last);
      ordinals.set(unit, table);
    }
    if (day < first) return ~0;
    if (day > last) return ~unit.starts.length;
    return table[day - first];
  };
};

/** Working days and holidays (U10); days are counted from the first one, so that any stretch is a difference. */
const working = (
  { week: written = 'monday-friday', holidays: given = [] }: NonNullable<CalendarOptions['workingDays']>,
  { first, last }: Span,
): Pick<Calendar, 'workingDays' | 'isWorkingDay' | 'holiday'> => {
  const holidays = new Map<Day, string>();
  for (const { day, name } of given) {
    const on = toDay(day, 'holiday');
    const known = holidays.get(on);
    holidays.set(on, known && known !== name ? `${known}, ${name}` : name);
  }
  const week = parseWorkingWeek(written);
  const isWorkingDay = (day: Day): boolean => week[weekdayOf(day)] && !holidays.has(day);
  let before: Int32Array | undefined;
  const workingDaysBefore = (day: Day): number => {
    if (!before) {
      before = new Int32Array(last - first + 2);
      for (let d = first; d <= last; d++) before[d - first + 1] = before[d - first] + (isWorkingDay(d) ? 1 : 0);
    }
    return before[Math.min(Math.max(day, first), last + 1) - first];
  };
  return {
    workingDays: (from, to) => workingDaysBefore(dayNumber(to) + 1) - workingDaysBefore(dayNumber(from)),
    isWorkingDay: (day) => isWorkingDay(dayNumber(day)),
    holiday: (day) => holidays.get(dayNumber(day)),
  };
};

const periodAt = (unit: Unit, index: number): PeriodOf => ({
  unit: unit.name,
  index,
  label: unit.label(index),
  start: unit.starts[index],
  end: unit.ends[index],
});

/** Finds the period of a label (U9), in the first unit that has it. */
const parsing = ({ units }: Laid, indexOf: Calendar['indexOf']): Calendar['parse'] => {
  const labels = new Map<Unit, Map<string, number>>();
  return (text) => {
    const asDay = parseIsoDay(text);
    for (const unit of units.values()) {
      if (unit.basis === 'day') {
        const index = asDay === undefined ? -1 : indexOf(unit, asDay);
        if (index >= 0) return periodAt(unit, index);
        continue;
      }
      let table = labels.get(unit);
      if (!table) {
        table = new Map(Array.from(unit.starts, (_, i) => [unit.label(i), i]));
        labels.set(unit, table);
      }
      const index = table.get(text);
      if (index !== undefined) return periodAt(unit, index);
    }
    return undefined;
  };
};

const nesting = ({ last }: Span, indexOf: Calendar['indexOf']): Calendar['nests'] => {
  const known = new Map<string, boolean>();
  return (inner, outer) => {
    if (inner === outer || inner.basis === 'day') return true;
    const key = `${inner.name} ${outer.name}`;
    const before = known.get(key);
    if (before !== undefined) return before;
    const nests = inner.starts.every((start, i) => {
      const index = indexOf(outer, start);
      if (inner.ends[i] > last) return true;
      // A period that begins on a day without an outer one must be over before the next outer one begins.
      return index >= 0 ? outer.ends[index] >= inner.ends[i] : !(outer.starts[~index] <= inner.ends[i]);
    });
    known.set(key, nests);
    return nests;
  };
};

/** Names of weekdays and months in a locale, some of them given. */
const naming = (locale: string, given: CalendarOptions['names']): Calendar['name'] => {
  const names = new Map<NameSet, string[]>();
  return (set, index) => {
    let list = names.get(set);
    if (!list) {
      const [what, style] = set.split('-') as ['weekday' | 'month', 'long' | 'short'];
      const format = new Intl.DateTimeFormat(locale, { [what]: style, timeZone: 'UTC' });
      // 1970-01-05 was a Monday.
      list = Array.from({ length: what === 'month' ? 12 : 7 }, (_, i) =>
        format.format(what === 'month' ? Date.UTC(1970, i, 1) : Date.UTC(1970, 0, 5 + i)),
      );
      const keys = what === 'month' ? MONTHS : WEEKDAYS;
      for (const [key, own] of Object.entries(given?.[set] ?? {})) {
        const at = (keys as readonly string[]).indexOf(key);
        if (at < 0)
          throw new DurchblickError('bad-names', `${set}: there is no ${what} "${key}"`, { hint: suggest(key, keys, `${what}s`) });
        list[at] = own;
      }
      names.set(set, list);
    }
    return list[index];
  };
};

/** Periods around a day; days and periods beyond the calendar are an error. */
const around = (
  { whole, reach }: Laid,
  indexOf: Calendar['indexOf'],
  unit: Calendar['unit'],
): Pick<Calendar, 'floor' | 'ceil' | 'offset' | 'ordinal' | 'label' | 'range'> => {
  const outside = (what: string): never => {
    throw new DurchblickError('outside-calendar', what, { hint: `It covers ${isoOf(whole.first)} to ${isoOf(whole.last)}.` });
  };
  const covered = (value: Day | string): Day => {
    const day = toDay(value);
    return day >= reach.first && day <= reach.last ? day : outside(`${isoOf(day)} lies outside the calendar`);
  };
  const existing = (of: Unit, index: number): number =>
    index >= 0 && index < of.starts.length ? index : outside(`there is no such ${of.name} in the calendar`);
  /** The period that holds a day, else the next one. */
  const nextAt = (of: Unit, day: Day | string): number => {
    const index = indexOf(of, covered(day));
    return index < 0 ? ~index : index;
  };
  /** Something of the period that holds a day; undefined without one. */
  const within =
    <T>(take: (of: Unit, index: number) => T) =>
    (name: string, day: Day | string): T | undefined => {
      const index = indexOf(unit(name), covered(day));
      return index < 0 ? undefined : take(unit(name), index);
    };
  return {
    floor: (name, day) => unit(name).starts[existing(unit(name), nextAt(unit(name), day))],
    ceil: (name, day) => {
      const index = indexOf(unit(name), covered(day));
      return unit(name).ends[existing(unit(name), index < 0 ? ~index - 1 : index)];
    },
    offset: (name, day, by) => unit(name).starts[existing(unit(name), nextAt(unit(name), day) + by)],
    ordinal: within(({ origin }, index) => origin + index),
    label: within((of, index) => of.label(index)),
    range: (name, first, last) => {
      const of = unit(name);
      const [a, b] = [covered(first), covered(last)];
      if (b < a)
        throw new DurchblickError('bad-range', `the range runs backwards: ${isoOf(a)} to ${isoOf(b)}`, {
          hint: 'The first day comes first.',
        });
      const list: PeriodOf[] = [];
      for (let i = nextAt(of, a); i < of.starts.length && of.starts[i] <= b; i++) list.push(periodAt(of, i));
      return list;
    },
  };
};

/**
 * Builds a calendar. Covers `from..to` in whole years of the civil year, the week-year and every year system (U8).
 * Throws on contradictory rules, unsorted or doubled starts, and a range that runs backwards.
 */
export const calendar = (options: CalendarOptions): Calendar => {
  const first = toDay(options.from, 'first day');
  const last = toDay(options.to, 'last day');
  if (last < first) {
    throw new DurchblickError('bad-range', `the calendar's range runs backwards: ${isoOf(first)} to ${isoOf(last)}`, {
      hint: 'The first day comes first.',
    });
  }
  const locale = options.locale ?? 'en';
  const laid = layUnits(options, weekRule(options.week, locale), { first, last });
  const { whole, reach, units } = laid;
  const unit = (name: string): Unit => {
    const found = units.get(name) ?? (name.endsWith('s') ? units.get(name.slice(0, -1)) : undefined);
    if (found) return found;
    throw new DurchblickError('unknown-unit', `there is no unit "${name}"`, { hint: suggest(name, units.keys(), 'units') });
  };
  const indexOf = indexing(reach);
  const name = naming(locale, options.names);
  const named = new Map<string, Calendar>();
  const language = (tag: string): string => tag.toLowerCase().split('-')[0];
  const withNames = (other: string): Calendar => {
    const known = named.get(other) ?? {
      ...own,
      locale: other,
      name: naming(other, language(other) === language(locale) ? options.names : undefined),
    };
    named.set(other, known);
    return known;
  };
  const own: Calendar = {
    from: first,
    to: last,
    first: whole.first,
    last: whole.last,
    locale,
    units,
    unit,
    indexOf,
    ...around(laid, indexOf, unit),
    parse: parsing(laid, indexOf),
    ...working(options.workingDays ?? {}, reach),
    name,
    ownName: name,
    withNames,
    nests: nesting(reach, indexOf),
  };
  named.set(locale, own);
  return own;
};
