// Values of date columns as days (D2), and time zones.
import { DurchblickError } from '../errors.ts';
import { type Day, dayOf, MONTHS, NO_DAY, parseIsoDay, validDay, weekdayOf } from './day.ts';

const DAY_MS = 86_400_000;

/** The rules of time zones, once they are loaded: models in UTC need none. */
let rules: typeof import('./zones.ts') | undefined;

/** Loads what `zoneDays` and `zoneStretches` need for a time zone other than UTC. Whoever opens a model does it first. */
export const loadZones = async (timeZone: string): Promise<void> => {
  if (timeZone !== 'UTC') rules ??= await import('./zones.ts');
};

const zoneRules = (): typeof import('./zones.ts') => {
  if (!rules) throw new Error('the rules of time zones are not loaded');
  return rules;
};

/**
 * Civil day of an instant (milliseconds since 1970-01-01T00:00Z) in a time zone, daylight saving included (D2).
 * The zone's rules are asked once for each UTC day that occurs, so ten million timestamps cost some thousand look-ups.
 */
export const zoneDays = (timeZone: string): ((instant: number) => Day) => {
  if (timeZone === 'UTC') return (instant) => Math.floor(instant / DAY_MS);
  // Per UTC day: the offset at its start, the instant at which it changes, the offset from then on.
  const known = new Map<number, readonly [number, number, number]>();
  const { offsetAt } = zoneRules();
  const look = (utcDay: number): readonly [number, number, number] => {
    const { offset, next } = offsetAt(utcDay * DAY_MS, timeZone);
    const after = next && next.from < (utcDay + 1) * DAY_MS ? next.offset : offset;
    return [offset, next?.from ?? Number.POSITIVE_INFINITY, after];
  };
  return (instant) => {
    const utcDay = Math.floor(instant / DAY_MS);
    let offsets = known.get(utcDay);
    if (!offsets) {
      offsets = look(utcDay);
      known.set(utcDay, offsets);
    }
    return Math.floor((instant + (instant < offsets[1] ? offsets[0] : offsets[2])) / DAY_MS);
  };
};

export interface DateRules {
  readonly timeZone: string;
  /**
   * Pattern for text that is not ISO 8601: `yyyy yy MMMM MMM MM M dd d HH H hh h mm ss a` and literal characters; or `serial`
   * for days as spreadsheets count them, or `unix` for seconds since 1970-01-01T00:00Z, both as numbers or texts.
   */
  readonly format?: string;
  /** Values that stand for "no date" (D3): the same text, or the same day. */
  readonly blankDates?: readonly string[];
  /** Whether `YYYY`, `YYYY-MM`, `YYYY-Qn` and `YYYY-Www` are dates too (D2: facts coarser than a day). */
  readonly grain: 'day' | 'coarse';
}

/** Reads one value: its day, `NO_DAY` for a blank, undefined when it is not a date. */
export type DateReader = (value: unknown) => Day | undefined;

/** The first letters tell all months apart. */
export const MONTH_LETTERS: readonly string[] = MONTHS.map((name) => name.slice(0, 3));
const anyCase = (text: string): string => text.replace(/[a-z]/g, (letter) => `[${letter.toUpperCase()}${letter}]`);
/** English names, whatever the case. */
const oneOf = (names: readonly string[]): string => names.map(anyCase).join('|');

/** Years of two digits: from this on they are of the last century, as POSIX has it. */
export const LAST_CENTURY = 69;

const FORMAT_PARTS: Record<string, string> = {
  yyyy: '(?<year>[0-9]{4})',
  yy: '(?<year>[0-9][0-9])',
  MMMM: `(?<month>${oneOf(MONTHS)})`,
  MMM: `(?<month>${oneOf(MONTH_LETTERS)})`,
  MM: '(?<month>[0-9][0-9])',
  M: '(?<month>[0-9][0-9]?)',
  dd: '(?<day>[0-9][0-9])',
  d: '(?<day>[0-9][0-9]?)',
  HH: '[0-9][0-9]',
  H: '[0-9][0-9]?',
  hh: '[0-9][0-9]',
  h: '[0-9][0-9]?',
  mm: '[0-9][0-9]',
  ss: '[0-9][0-9]',
  a: '[AaPp][Mm]',
};

/** Formats of numbers: days as spreadsheets count them, and seconds since 1970. */
export type NumberFormat = 'serial' | 'unix';
export const isNumberFormat = (format: string | undefined): format is NumberFormat => format === 'serial' || format === 'unix';

/** Spreadsheets count days from 1899-12-31, and have a 29 February 1900 that never was. */
export const [SERIAL_LEAP, SERIAL_EPOCH, LAST_SERIAL] = [60, 25_569, 2_958_465];
const serialDay = (serial: number): Day | undefined => {
  const day = Math.floor(serial);
  if (!(day >= 1 && day <= LAST_SERIAL) || day === SERIAL_LEAP) return undefined;
  return day - SERIAL_EPOCH + (day < SERIAL_LEAP ? 1 : 0);
};
/** Seconds of the first and last day that there are. */
export const [FIRST_SECOND, LAST_SECOND] = [-62_135_596_800, 253_402_300_799];

/** Turns a date pattern into a regular expression; an error when year, month or day is missing or a letter unknown. */
const compileFormat = (format: string): RegExp => {
  const source = format.replace(/([A-Za-z])\1*|[^A-Za-z]/g, (part) => {
    const known = FORMAT_PARTS[part];
    if (known) return known;
    if (/[A-Za-z]/.test(part) && part !== 'T') {
      throw new DurchblickError('bad-format', `the date format "${format}" has an unknown part "${part}"`, {
        hint: `Parts: ${Object.keys(FORMAT_PARTS).join(', ')}; every other character stands for itself.`,
      });
    }
    return part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
  });
  for (const name of ['year', 'month', 'day']) {
    if (source.split(`(?<${name}>`).length !== 2) {
      throw new DurchblickError('bad-format', `the date format "${format}" must give year, month and day once each`, {
        hint: 'For example dd.MM.yyyy.',
      });
    }
  }
  return new RegExp(`^${source}$`);
};

const digits = (text: string, at: number, count: number): number => {
  let value = 0;
  for (let i = at; i < at + count; i++) {
    const digit = text.charCodeAt(i) - 48;
    if (!(digit >= 0 && digit <= 9)) return -1;
    value = value * 10 + digit;
  }
  return value;
};

const keyDay = (key: number): Day | undefined =>
  Number.isInteger(key) ? validDay(Math.floor(key / 10000), Math.floor(key / 100) % 100, key % 100) : undefined;

const coarseDay = (text: string): Day | undefined => {
  const m = /^(\d{4})(?:-(\d\d)|-Q([1-4])|-W(\d\d))?$/.exec(text);
  if (!m) return undefined;
  const year = Number(m[1]);
  if (m[3]) return validDay(year, Number(m[3]) * 3 - 2, 1);
  if (m[4]) {
    const first = dayOf(year, 1, 4);
    const week = first - weekdayOf(first) + (Number(m[4]) - 1) * 7;
    const next = dayOf(year + 1, 1, 4);
    return Number(m[4]) >= 1 && week < next - weekdayOf(next) ? week : undefined;
  }
  return validDay(year, Number(m[2] ?? 1), 1);
};

const TIME = /^[Tt ](\d\d):(\d\d)(?::(\d\d)(?:[.,](\d{1,9}))?)? ?([Zz]|[+-](?:[01]\d|2[0-3])(?::?[0-5]\d)?)?$/;

/** A text without blanks around it: only those, as databases do it. */
export const trimmed = (text: string): string => (text.startsWith(' ') || text.endsWith(' ') ? text.replace(/^ +| +$/g, '') : text);

const NUMBER = /^[+-]?\d+(?:\.\d+)?$/;

/** A year of four digits or of two. */
const yearOf = (text: string): number => (text.length === 4 ? Number(text) : Number(text) + (Number(text) < LAST_CENTURY ? 2000 : 1900));
/** A month by its number, or by its name. */
const monthOf = (text: string): number => (text.length < 3 ? Number(text) : MONTH_LETTERS.indexOf(text.slice(0, 3).toLowerCase()) + 1);

/** Makes a reader for one date column (D2, D3). Nothing ambiguous is guessed. */
export const dateReader = (rules: DateRules): DateReader => {
  const inZone = zoneDays(rules.timeZone);
  const { format } = rules;
  const pattern = format === undefined || isNumberFormat(format) ? undefined : compileFormat(format);
  const blanks = new Set(rules.blankDates ?? []);
  const blankDays = new Set(Array.from(blanks, (text) => parseIsoDay(text)));
  /** However it is written, a day that stands for "no date" is none (D3). */
  const settled = (day: Day | undefined): Day | undefined => (day !== undefined && blankDays.has(day) ? NO_DAY : day);
  const fromNumber = (text: string, kind: NumberFormat): Day | undefined => {
    const number = NUMBER.test(text) ? Number(text) : Number.NaN;
    if (kind === 'serial') return serialDay(number);
    return number >= FIRST_SECOND && number <= LAST_SECOND ? inZone(Math.floor(number) * 1000) : undefined;
  };
  const fromText = (text: string): Day | undefined => {
    if (isNumberFormat(format)) return fromNumber(text, format);
    if (pattern) {
      const groups = pattern.exec(text)?.groups;
      return groups && validDay(yearOf(groups.year), monthOf(groups.month), Number(groups.day));
    }
    if (text.length >= 10 && text[4] === '-' && text[7] === '-') {
      const day = validDay(digits(text, 0, 4), digits(text, 5, 2), digits(text, 8, 2));
      if (text.length === 10 || day === undefined) return day;
      const time = TIME.exec(text.slice(10));
      if (!time) return undefined;
      const [hour, minute, second] = [Number(time[1]), Number(time[2]), Number(time[3] ?? 0)];
      if (hour > 23 || minute > 59 || second > 60) return undefined;
      const zone = time[5];
      if (!zone) return day;
      const offset = /^z$/i.test(zone)
        ? 0
        : (zone[0] === '-' ? -1 : 1) * (Number(zone.slice(1, 3)) * 60 + Number(zone.slice(3).replace(':', '') || 0));
      return inZone(day * DAY_MS + ((hour * 60 + minute - offset) * 60 + second) * 1000);
    }
    if (text.length === 8) {
      const key = digits(text, 0, 8);
      if (key >= 0) return keyDay(key);
    }
    return rules.grain === 'coarse' ? coarseDay(text) : undefined;
  };
  // Columns repeat their dates; one Map look-up beats reading the same text again.
  const known = new Map<string, Day | undefined>();
  return (value) => {
    // NaN differs from itself, and is a blank among numbers.
    if (value === null || value === undefined || value === '' || value !== value) return NO_DAY;
    if (value instanceof Date) {
      const instant = value.getTime();
      return Number.isNaN(instant) ? undefined : settled(inZone(instant));
    }
    const text = trimmed(String(value));
    let day = known.get(text);
    if (day === undefined && !known.has(text)) {
      day = text === '' || blanks.has(text) ? NO_DAY : settled(fromText(text));
      if (known.size < 100_000) known.set(text, day);
    }
    return day;
  };
};

/** From an instant on, a zone lies this many milliseconds before UTC's clock; the first stretch begins with time itself. */
export interface ZoneStretch {
  readonly from: number;
  readonly offset: number;
}

/** The offsets of a time zone between two instants (milliseconds since 1970-01-01T00:00Z), in order. */
export const zoneStretches = (timeZone: string, first: number, last: number): ZoneStretch[] => {
  if (timeZone === 'UTC' || !(first <= last)) return [{ from: Number.NEGATIVE_INFINITY, offset: 0 }];
  const { offsetAt } = zoneRules();
  let { offset, next } = offsetAt(Math.floor(first), timeZone);
  const stretches: ZoneStretch[] = [{ from: Number.NEGATIVE_INFINITY, offset }];
  while (next && next.from <= last) {
    stretches.push(next);
    ({ offset, next } = offsetAt(next.from, timeZone));
  }
  return stretches;
};

/** A date pattern as a regular expression, with the groups in which year, month and day stand. */
export interface DatePattern {
  readonly source: string;
  readonly groups: { readonly year: number; readonly month: number; readonly day: number };
  /** Years of two digits (`yy`), and months by their names (`MMM`, `MMMM`). */
  readonly shortYear: boolean;
  readonly monthName: boolean;
}

export const datePattern = (format: string): DatePattern => {
  const { source } = compileFormat(format);
  const order = [...source.matchAll(/\(\?<(year|month|day)>/g)].map(([, name]) => name);
  const at = (name: string): number => order.indexOf(name) + 1;
  const parts: readonly string[] = format.match(/([A-Za-z])\1*/g) ?? [];
  return {
    source: source.replace(/\(\?<(?:year|month|day)>/g, '('),
    groups: { year: at('year'), month: at('month'), day: at('day') },
    shortYear: parts.includes('yy'),
    monthName: parts.some((part) => part === 'MMM' || part === 'MMMM'),
  };
};
