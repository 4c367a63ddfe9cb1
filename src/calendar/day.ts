// Days as whole numbers (D1).
import { DurchblickError } from '../errors.ts';

/** A civil day as a count of days since 1970-01-01 (D1). */
export type Day = number;

/** The blank of an Int32 date column: no date. */
export const NO_DAY = -2147483648;

/** 0001-01-01 and 9999-12-31, the bounds of D1. */
export const FIRST_DAY: Day = -719162;
export const LAST_DAY: Day = 2932896;

export interface Civil {
  readonly year: number;
  /** 1 to 12 */
  readonly month: number;
  /** 1 to 31 */
  readonly day: number;
}

/** Day number of a proleptic Gregorian date (D1). Counts from 1 March, so the leap day comes last in its year. */
export const dayOf = (year: number, month: number, day: number): Day => {
  const y = month <= 2 ? year - 1 : year;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear = Math.floor((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) + day - 1;
  return era * 146097 + yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear - 719468;
};

/** The date of a day number: the inverse of `dayOf`. */
export const civilOf = (value: Day): Civil => {
  const z = value + 719468;
  const era = Math.floor(z / 146097);
  const dayOfEra = z - era * 146097;
  const yearOfEra = Math.floor(
    (dayOfEra - Math.floor(dayOfEra / 1460) + Math.floor(dayOfEra / 36524) - Math.floor(dayOfEra / 146096)) / 365,
  );
  const dayOfYear = dayOfEra - (365 * yearOfEra + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100));
  const mp = Math.floor((5 * dayOfYear + 2) / 153);
  const month = mp < 10 ? mp + 3 : mp - 9;
  return {
    year: yearOfEra + era * 400 + (month <= 2 ? 1 : 0),
    month,
    day: dayOfYear - Math.floor((153 * mp + 2) / 5) + 1,
  };
};

export const isLeap = (year: number): boolean => year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);

const LENGTHS = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

export const monthLength = (year: number, month: number): number => (month === 2 && isLeap(year) ? 29 : LENGTHS[month - 1]);

/** 0 = Monday … 6 = Sunday. */
export const weekdayOf = (day: Day): number => (((day + 3) % 7) + 7) % 7;

export const WEEKDAYS = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'] as const;
export const MONTHS = [
  'january',
  'february',
  'march',
  'april',
  'may',
  'june',
  'july',
  'august',
  'september',
  'october',
  'november',
  'december',
] as const;
export type Weekday = (typeof WEEKDAYS)[number];

const two = (value: number): string => (value < 10 ? `0${value}` : `${value}`);
const four = (value: number): string => (value < 1000 ? String(value).padStart(4, '0') : `${value}`);

/** `YYYY-MM-DD`. */
export const isoOf = (day: Day): string => {
  const { year, month, day: d } = civilOf(day);
  return `${four(year)}-${two(month)}-${two(d)}`;
};

/** The day of year, month and day, or undefined where there is no such date. */
export const validDay = (year: number, month: number, day: number): Day | undefined =>
  year >= 1 && year <= 9999 && month >= 1 && month <= 12 && day >= 1 && day <= monthLength(year, month)
    ? dayOf(year, month, day)
    : undefined;

/** Reads `YYYY-MM-DD`; undefined for anything else, 30 February included. */
export const parseIsoDay = (text: string): Day | undefined => {
  const m = /^(\d{4})-(\d\d)-(\d\d)$/.exec(text);
  return m ? validDay(Number(m[1]), Number(m[2]), Number(m[3])) : undefined;
};

/** A day given as a day number or as `YYYY-MM-DD`; anything else is an error (D1). */
export const toDay = (value: Day | string, what = 'date'): Day => {
  const day = typeof value === 'string' ? parseIsoDay(value) : value;
  if (day === undefined || !Number.isInteger(day) || day < FIRST_DAY || day > LAST_DAY) {
    throw new DurchblickError('bad-date', `"${value}" is not a ${what}`, {
      hint: 'Dates are written YYYY-MM-DD, from 0001-01-01 to 9999-12-31.',
    });
  }
  return day;
};

/** How month arithmetic treats the last day of a month: `sticky` stays a month's last day (W4), `same` keeps the number. */
export type MonthEnds = 'sticky' | 'same';

/** Month arithmetic: the same day number, clamped to the month; from a month's last day, with `sticky`, to a last day (W4). */
export const addMonths = (day: Day, months: number, ends: MonthEnds = 'sticky'): Day => {
  if (months === 0) return day;
  const c = civilOf(day);
  const total = c.year * 12 + (c.month - 1) + months;
  const year = Math.floor(total / 12);
  const month = total - year * 12 + 1;
  const length = monthLength(year, month);
  const last = ends === 'sticky' && c.day === monthLength(c.year, c.month);
  return dayOf(year, month, last ? length : Math.min(c.day, length));
};

/** Months and days of an ISO 8601 duration: years count as 12 months, weeks as 7 days (W4). */
export interface Duration {
  readonly months: number;
  readonly days: number;
}

/** Reads `P1Y2M3W4D`, at least one part, in this order; undefined for anything else. */
export const parseDuration = (text: string): Duration | undefined => {
  const m = /^P(?=\d)(?:(\d{1,5})Y)?(?:(\d{1,5})M)?(?:(\d{1,5})W)?(?:(\d{1,6})D)?$/.exec(text);
  if (!m) return undefined;
  const [years, months, weeks, days] = m.slice(1).map((part) => Number(part ?? 0));
  return { months: years * 12 + months, days: weeks * 7 + days };
};

/** A duration laid against a day: months first, then days (W4). */
export const addDuration = (day: Day, duration: Duration, sign: 1 | -1): Day =>
  addMonths(day, sign * duration.months) + sign * duration.days;
