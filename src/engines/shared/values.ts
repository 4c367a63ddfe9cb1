// What a value of a column is as a member, a date and a number: the same on every engine (D2, D3, G8, M2).

import type { ColumnKind } from '../../basics/columnar.ts';
import { type DateReader, type DateRules, dateReader, isNumberFormat, zoneDays } from '../../calendar/dates.ts';
import { type Day, isoOf, NO_DAY, parseIsoDay } from '../../calendar/day.ts';

export const isBlank = (value: unknown): boolean => value === null || value === undefined || value === '' || value !== value;

/** Between these, numbers are written without an exponent, by databases and here alike. */
const [LEAST_PLAIN, MOST_PLAIN] = [1e-4, 9e18];

/** A number as a member: its shortest digits; an exponent has two of them at least. */
export const numberKey = (value: number): string => {
  const size = Math.abs(value);
  if (size === 0) return '0';
  if (size >= LEAST_PLAIN && size < MOST_PLAIN) return String(value);
  return value.toExponential().replace(/e([+-])(\d)$/, (_, sign: string, digit: string) => `e${sign}0${digit}`);
};

/** Text of a member or key. Numbers and texts that look alike are the same; a point in time is its day. */
export const keyReader = (kind: ColumnKind, timeZone: string): ((value: unknown) => string) => {
  const inZone = zoneDays(timeZone);
  const ofInstant = (instant: number): string => isoOf(inZone(instant));
  switch (kind) {
    case 'date':
      return (value) => isoOf(value as Day);
    case 'timestamp':
      return (value) => (value as string).slice(0, (value as string).indexOf('T'));
    case 'instant':
      return (value) => ofInstant(Date.parse(value as string));
    default:
      return (value) =>
        typeof value === 'string'
          ? value
          : typeof value === 'number'
            ? numberKey(value)
            : value instanceof Date
              ? ofInstant(value.getTime())
              : String(value);
  }
};

/** Reads the dates of a column: a `format` is for texts, a value that is a date is one; what is listed as blank is no date. */
export const dayReader = (kind: ColumnKind, rules: DateRules): DateReader => {
  const texts = dateReader(rules);
  if (kind === 'text' || kind === 'mixed') {
    if (rules.format === undefined || kind === 'text') return texts;
    const plain = dateReader({ ...rules, format: undefined });
    const numbers = isNumberFormat(rules.format) ? texts : plain;
    return (value) => (typeof value === 'string' ? texts(value) : typeof value === 'number' ? numbers(value) : plain(value));
  }
  const blank = new Set(blankDays(rules.blankDates ?? []));
  if (kind === 'date') return (value) => (blank.has(value as Day) ? NO_DAY : (value as Day));
  // Numbers are keys, unless the format says what they count; what is an instant is one whatever it says.
  const isNumber = kind === 'integer' || kind === 'decimal' || kind === 'double';
  return dateReader({ ...rules, format: isNumber && isNumberFormat(rules.format) ? rules.format : undefined, grain: 'day' });
};

/** The same for values as a store's rows have them, where days are texts. */
export const rowDayReader = (kind: ColumnKind, rules: DateRules): DateReader => dayReader(kind === 'date' ? 'timestamp' : kind, rules);

/** Days among the values that stand for "no date". */
export const blankDays = (texts: readonly string[]): Day[] => texts.flatMap((text) => parseIsoDay(text) ?? []);

/** A value as messages show it. */
export const shown = (value: unknown): string => {
  const text = value instanceof Date ? (Number.isNaN(value.getTime()) ? 'an invalid date' : value.toISOString()) : String(value);
  return JSON.stringify(text.length > 60 ? `${text.slice(0, 60)}…` : text);
};

/** A value as explanations show it: numbers as numbers while they are exact, all else as text, blank as null. */
export const shownCell = (value: unknown): string | number | null => {
  if (isBlank(value)) return null;
  if (typeof value === 'number') return value;
  return value instanceof Date ? value.toISOString() : String(value);
};
