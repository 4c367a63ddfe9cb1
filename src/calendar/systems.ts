// Units of month-based, week-based and listed year systems, and of weeks (U2 to U6).
import { upperBound } from '../basics/search.ts';
import { DurchblickError } from '../errors.ts';
import { addMonths, civilOf, type Day, dayOf, isoOf, MONTHS, monthLength, toDay, WEEKDAYS, weekdayOf } from './day.ts';
import { type Unit, unitOf } from './unit.ts';

/** Units of one year system over a stretch of days, each covering it whole. */
export type Span = { readonly first: Day; readonly last: Day };

const pad2 = (value: number): string => String(value).padStart(2, '0');
const pad4 = (value: number): string => String(value).padStart(4, '0');

/** A list of the months' starts, and every unit on it: civil years and month-based year systems alike (U2, U4). */
export interface MonthSystem {
  readonly prefix: string;
  /** First day of the year: month 1 to 12, day 1 to 28. */
  readonly month: number;
  readonly day: number;
  readonly numberBy: 'start' | 'end';
  readonly yearLabel: (year: number) => string;
  /** Label of the month that starts on a day: civil months have their own form. */
  readonly monthLabel?: (start: Day) => string;
}

export const monthUnits = (system: MonthSystem, span: Span): Unit[] => {
  const { prefix, month, day } = system;
  // The year a day lies in, by the civil year in which it starts.
  const startYear = (d: Day): number => {
    const c = civilOf(d);
    return c.month * 32 + c.day >= month * 32 + day ? c.year : c.year - 1;
  };
  const from = startYear(span.first);
  const to = startYear(span.last);
  const monthStarts: number[] = [];
  for (let m = 0; m <= (to - from + 1) * 12; m++) monthStarts.push(addMonths(dayOf(from, month, day), m, 'same'));
  const endsLater = month > 1 || day > 1 ? 1 : 0;
  const number = (index: number): number => from + index + (system.numberBy === 'end' ? endsLater : 0);
  const make = (name: string, months: number, suffix: (k: number) => string): Unit => {
    const perYear = 12 / months;
    return unitOf({
      name: `${prefix}${name}`,
      starts: monthStarts.filter((_, m) => m % months === 0),
      basis: 'month',
      months,
      yearUnit: `${prefix}year`,
      origin: number(0) * perYear,
      label: (i) => `${system.yearLabel(number(Math.floor(i / perYear)))}${suffix((i % perYear) + 1)}`,
    });
  };
  const months = make('month', 1, (k) => `-M${pad2(k)}`);
  const { monthLabel } = system;
  return [
    monthLabel ? { ...months, label: (i) => monthLabel(monthStarts[i]) } : months,
    make('quarter', 3, (k) => `-Q${k}`),
    make('half', 6, (k) => `-H${k}`),
    make('year', 12, () => ''),
  ];
};

export const civilYears: MonthSystem = {
  prefix: '',
  month: 1,
  day: 1,
  numberBy: 'end',
  yearLabel: pad4,
  monthLabel: (start) => isoOf(start).slice(0, 7),
};

/** First weekday (0 = Monday) and how many days of week 1 lie in the new year (U3). */
export interface WeekRule {
  readonly starts: number;
  readonly minDays: number;
}

export const weekUnits = (rule: WeekRule, span: Span): Unit[] => {
  const floor = (d: Day): Day => d - ((weekdayOf(d) - rule.starts + 7) % 7);
  const yearStart = (year: number): Day => floor(dayOf(year, 1, rule.minDays));
  let from = civilOf(span.first).year;
  if (yearStart(from) > span.first) from -= 1;
  else if (yearStart(from + 1) <= span.first) from += 1;
  let to = civilOf(span.last).year;
  if (yearStart(to) > span.last) to -= 1;
  else if (yearStart(to + 1) <= span.last) to += 1;
  const years: number[] = [];
  for (let year = from; year <= to + 1; year++) years.push(yearStart(year));
  const weeks: number[] = [];
  for (let d = years[0]; d <= years[years.length - 1]; d += 7) weeks.push(d);
  const weekYear = unitOf({
    name: 'week-year',
    starts: years,
    basis: 'week',
    yearUnit: 'week-year',
    origin: from,
    label: (i) => `W${pad4(from + i)}`,
  });
  const week = unitOf({
    name: 'week',
    starts: weeks,
    basis: 'week',
    yearUnit: 'week-year',
    origin: Math.floor((weeks[0] - floor(0)) / 7),
    label: (i) => {
      const year = upperBound(years, weeks[i]) - 1;
      return `${pad4(from + year)}-W${pad2((weeks[i] - years[year]) / 7 + 1)}`;
    },
  });
  return [week, weekYear];
};

export type RetailPattern = '4-4-5' | '4-5-4' | '5-4-4' | '13x4';

/** The last day of a week-based year: a weekday, last in a month or nearest to a date (U5). */
export interface YearEndRule {
  readonly kind: 'last' | 'nearest';
  /** 0 = Monday */
  readonly weekday: number;
  readonly month: number;
  readonly day: number;
}

/** Reads `last saturday of january` or `saturday nearest january 31`. */
export const parseYearEnd = (text: string): YearEndRule | undefined => {
  const words = text.trim().toLowerCase().split(/\s+/);
  const weekday = (word: string | undefined) => WEEKDAYS.findIndex((name) => name === word);
  const month = (word: string | undefined) => MONTHS.findIndex((name) => name === word) + 1;
  if (words.length === 4 && words[0] === 'last' && words[2] === 'of') {
    const rule: YearEndRule = { kind: 'last', weekday: weekday(words[1]), month: month(words[3]), day: 0 };
    return rule.weekday >= 0 && rule.month > 0 ? rule : undefined;
  }
  if (words.length === 4 && words[1] === 'nearest' && /^\d{1,2}$/.test(words[3])) {
    const rule: YearEndRule = { kind: 'nearest', weekday: weekday(words[0]), month: month(words[2]), day: Number(words[3]) };
    const valid = rule.weekday >= 0 && rule.month > 0 && rule.day >= 1 && rule.day <= monthLength(2023, rule.month);
    return valid ? rule : undefined;
  }
  return undefined;
};

const nominalEnd = (rule: YearEndRule, year: number): Day =>
  dayOf(year, rule.month, rule.kind === 'last' ? monthLength(year, rule.month) : rule.day);

const yearEnd = (rule: YearEndRule, year: number): Day => {
  const nominal = nominalEnd(rule, year);
  const back = (weekdayOf(nominal) - rule.weekday + 7) % 7;
  return rule.kind === 'nearest' && back > 3 ? nominal + 7 - back : nominal - back;
};

export interface WeekSystem {
  readonly prefix: string;
  readonly pattern: RetailPattern;
  readonly ends: YearEndRule;
  readonly numberBy: 'start' | 'end';
  readonly yearLabel: (year: number) => string;
}

const MONTH_WEEKS: Record<RetailPattern, readonly number[]> = {
  '4-4-5': [4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4, 5],
  '4-5-4': [4, 5, 4, 4, 5, 4, 4, 5, 4, 4, 5, 4],
  '5-4-4': [5, 4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4],
  '13x4': [4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4],
};

export const retailUnits = (system: WeekSystem, span: Span): Unit[] => {
  const { prefix, ends } = system;
  const pattern = MONTH_WEEKS[system.pattern];
  let from = civilOf(span.first).year - 1;
  while (yearEnd(ends, from) < span.first) from += 1;
  let to = from;
  while (yearEnd(ends, to) < span.last) to += 1;
  const shift = system.numberBy === 'start' && ends.month <= 6 ? -1 : 0;
  const label = (index: number): string => system.yearLabel(from + index + shift);
  const years: number[] = [];
  const quarters: number[] = [];
  const months: number[] = [];
  const weeks: number[] = [];
  for (let year = from; year <= to; year++) {
    const start = yearEnd(ends, year - 1) + 1;
    years.push(start);
    let week = 0;
    pattern.forEach((length, m) => {
      if (m % 3 === 0 && m < 12) quarters.push(start + week * 7);
      months.push(start + week * 7);
      week += length;
    });
    for (let d = start; d <= yearEnd(ends, year); d += 7) weeks.push(d);
  }
  const stop = yearEnd(ends, to) + 1;
  const make = (name: string, starts: number[], origin: number, suffix: (start: Day, index: number, year: number) => string): Unit =>
    unitOf({
      name: `${prefix}${name}`,
      starts: [...starts, stop],
      basis: 'week',
      yearUnit: `${prefix}year`,
      origin,
      label: (i) => {
        const year = upperBound(years, starts[i]) - 1;
        return `${label(year)}${suffix(starts[i], i, year)}`;
      },
    });
  const perYear = pattern.length;
  return [
    make('week', weeks, Math.floor((weeks[0] + 3) / 7), (start, _, year) => `-W${pad2((start - years[year]) / 7 + 1)}`),
    make('month', months, (from + shift) * perYear, (_, i) => `-M${pad2((i % perYear) + 1)}`),
    make('quarter', quarters, (from + shift) * 4, (_, i) => `-Q${(i % 4) + 1}`),
    make('year', years, from + shift, () => ''),
  ];
};

/** One row of an irregular year system or of a custom unit (U6, U7). `end` is inclusive. */
export interface PeriodRow {
  /** First day, as a day number or `YYYY-MM-DD`. */
  readonly start: Day | string;
  /** Last day, inclusive; the day before the next start when left out. */
  readonly end?: Day | string;
  readonly label: string;
}

/** A unit from a table of starts, ends and labels. `what` names it in errors. */
export const tableUnit = (name: string, given: readonly PeriodRow[], last: 'open' | 'must-end', what: string): Unit => {
  const rows = given.map(({ start, end, label }) => ({
    start: toDay(start, `start of ${what}`),
    end: end === undefined ? undefined : toDay(end, `end of ${what}`),
    label,
  }));
  const fail = (message: string, hint: string): never => {
    throw new DurchblickError('bad-periods', `${what}: ${message}`, { kind: 'data', hint });
  };
  if (rows.length === 0) fail('there are no rows', 'At least one start date is needed.');
  const seen = new Map<string, Day>();
  rows.forEach((row, i) => {
    const twin = seen.get(row.label);
    if (twin !== undefined) fail(`two periods are called "${row.label}" (${isoOf(twin)} and ${isoOf(row.start)})`, 'Labels must differ.');
    seen.set(row.label, row.start);
    if (row.end !== undefined && row.end < row.start) {
      fail(
        `"${row.label}" ends on ${isoOf(row.end)}, before it starts on ${isoOf(row.start)}`,
        'Ends are inclusive and not before starts.',
      );
    }
    const next = rows[i + 1];
    if (next === undefined) return;
    if (next.start === row.start) fail(`two periods start on ${isoOf(row.start)}`, 'Every start may stand once.');
    if (next.start < row.start) {
      fail(`"${next.label}" starts on ${isoOf(next.start)}, before "${row.label}" on ${isoOf(row.start)}`, 'Sort the rows by start.');
    }
    if (row.end !== undefined && row.end >= next.start) {
      fail(
        `"${row.label}" ends on ${isoOf(row.end)}, but "${next.label}" starts on ${isoOf(next.start)}`,
        'Periods of a unit may not overlap.',
      );
    }
  });
  const lastRow = rows[rows.length - 1];
  if (last === 'must-end' && lastRow.end === undefined) {
    fail(`the last row, "${lastRow.label}", has no end`, 'Give the last row an `end`, so that its year is not endless (U6).');
  }
  const LATEST = dayOf(9999, 12, 31);
  return unitOf({
    name,
    starts: rows.map((row) => row.start),
    ends: rows.map((row, i) => row.end ?? (i + 1 < rows.length ? rows[i + 1].start - 1 : LATEST)),
    basis: 'own',
    label: (i) => rows[i].label,
  });
};
