import type { DateReader } from '../../calendar/dates.ts';
import { FIRST_DAY, isoOf, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';

/** A column as it came: texts, numbers, typed arrays, anything with a length. */
export type RawColumn = ArrayLike<unknown>;

/** Day numbers of a role, `NO_DAY` where blank, with their bounds. */
export interface DayColumn {
  readonly days: Int32Array;
  readonly blanks: number;
  readonly first: number;
  readonly last: number;
}

/** Numbers ready to be summed: scaled by 10^scale when exact (M10), NaN where blank. */
export interface NumberColumn {
  readonly values: Float64Array;
  readonly blanks: boolean;
  /** -1: the values are plain doubles, summed inexactly. */
  readonly scale: number;
}

const isBlank = (value: unknown): boolean => value === null || value === undefined || value === '';

const shown = (value: unknown): string => JSON.stringify(value instanceof Date ? String(value) : value)?.slice(0, 60) ?? String(value);

/** Reads a date column; bad dates are an error with the first of them and their number, or blanks (D3). */
export const readDays = (
  raw: RawColumn,
  reader: DateReader,
  onBadDate: 'error' | 'blank',
  table: string,
  column: string,
): DayColumn & { readonly bad: number } => {
  const count = raw.length;
  const given = raw instanceof Int32Array;
  const days = given ? raw : new Int32Array(count);
  let [blanks, bad, firstBad] = [0, 0, -1];
  let [first, last] = [LAST_DAY + 1, FIRST_DAY - 1];
  for (let i = 0; i < count; i++) {
    let day: number | undefined = given ? (raw as Int32Array)[i] : reader(raw[i]);
    if (given && day !== NO_DAY && ((day as number) < FIRST_DAY || (day as number) > LAST_DAY)) day = undefined;
    if (day === undefined) {
      bad++;
      if (firstBad < 0) firstBad = i;
      day = NO_DAY;
    }
    if (!given) days[i] = day;
    if (day === NO_DAY) blanks++;
    else {
      if (day < first) first = day;
      if (day > last) last = day;
    }
  }
  if (bad > 0 && onBadDate === 'error') {
    throw new DurchblickError(
      'bad-dates',
      `${table}, row ${firstBad + 1}, column ${column}: ${shown(raw[firstBad])} is not a date (${bad} bad ${bad === 1 ? 'value' : 'values'})`,
      {
        kind: 'data',
        hint: 'Dates are YYYY-MM-DD, ISO 8601 timestamps or yyyymmdd keys; other texts need a `format`; `on-bad-date: blank` and `blank-dates` let some pass.',
      },
    );
  }
  return { days, blanks, first, last, bad };
};

const NUMBER = /^\s*[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,3})?\s*$/;

/** The column as doubles, NaN where blank; a text that is no number is an error. */
const doublesOf = (raw: RawColumn, table: string, column: string): Float64Array => {
  if (raw instanceof Float64Array) return raw;
  const values = new Float64Array(raw.length);
  const typed = ArrayBuffer.isView(raw);
  for (let i = 0; i < raw.length; i++) {
    const value = raw[i];
    if (typeof value === 'number') values[i] = typed && raw instanceof Int32Array && value === NO_DAY ? Number.NaN : value;
    else if (isBlank(value)) values[i] = Number.NaN;
    else if (typeof value === 'bigint') values[i] = Number(value);
    else if (typeof value === 'string' && NUMBER.test(value)) values[i] = Number(value);
    else {
      throw new DurchblickError('bad-number', `${table}, row ${i + 1}, column ${column}: ${shown(value)} is not a number`, {
        kind: 'data',
        hint: 'Numbers are written with digits and a decimal point.',
      });
    }
  }
  return values;
};

const MOST_DECIMALS = 6;
const POWERS = [1, 10, 100, 1e3, 1e4, 1e5, 1e6];
const EXACT = 2 ** 53;

/** Scales doubles to integers when all have at most 6 decimals and their absolute sum stays below 2^53 (M10). */
export const scaledColumn = (doubles: Float64Array): NumberColumn => {
  const count = doubles.length;
  let scale = 0;
  let power = 1;
  let blanks = false;
  for (let i = 0; i < count; i++) {
    const value = doubles[i];
    if (value !== value) {
      blanks = true;
      continue;
    }
    while (Math.round(value * power) / power !== value) {
      if (++scale > MOST_DECIMALS) return { values: doubles, blanks: blanks || doubles.some(Number.isNaN), scale: -1 };
      power = POWERS[scale];
    }
  }
  const values = new Float64Array(count);
  let total = 0;
  for (let i = 0; i < count; i++) {
    const scaled = Math.round(doubles[i] * power);
    values[i] = scaled;
    if (scaled === scaled) total += scaled < 0 ? -scaled : scaled;
  }
  return total < EXACT ? { values, blanks, scale } : { values: doubles, blanks, scale: -1 };
};

export const readNumbers = (raw: RawColumn, table: string, column: string): NumberColumn => scaledColumn(doublesOf(raw, table, column));

export type Codes = Uint8Array | Uint16Array | Int32Array;

/** Integers up to this span are looked up in a table instead of a map. */
const TABLE_SPAN = 1 << 23;

const codesOf = (size: number, count: number): Codes =>
  count <= 256 ? new Uint8Array(size) : count <= 65536 ? new Uint16Array(size) : new Int32Array(size);

/**
 * Turns a column into codes. `codeOf` is asked once for each distinct value; `count` bounds the codes it gives.
 * Blank values (`null`, empty text, NaN, the typed blanks) are asked for as null.
 */
export const encode = (raw: RawColumn, count: number, codeOf: (value: unknown) => number): Codes => {
  const size = raw.length;
  const codes = codesOf(size, count);
  const integers =
    raw instanceof Int32Array ||
    raw instanceof Uint32Array ||
    raw instanceof Uint16Array ||
    raw instanceof Int16Array ||
    raw instanceof Uint8Array ||
    raw instanceof Int8Array;
  if (integers && size > 0) {
    let [least, most] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (let i = 0; i < size; i++) {
      const value = raw[i];
      if (value === NO_DAY) continue;
      if (value < least) least = value;
      if (value > most) most = value;
    }
    if (most - least < TABLE_SPAN) {
      const table = new Int32Array(Math.max(most - least + 1, 0)).fill(-1);
      for (let i = 0; i < size; i++) {
        const value = raw[i];
        if (value === NO_DAY) {
          codes[i] = codeOf(null);
          continue;
        }
        let code = table[value - least];
        if (code < 0) {
          code = codeOf(value);
          table[value - least] = code;
        }
        codes[i] = code;
      }
      return codes;
    }
  }
  const known = new Map<unknown, number>();
  for (let i = 0; i < size; i++) {
    const given = raw[i];
    const value =
      given === undefined || given === '' || given !== given || (given === NO_DAY && integers)
        ? null
        : given instanceof Date
          ? given.toISOString()
          : given;
    let code = known.get(value);
    if (code === undefined) {
      code = codeOf(value);
      known.set(value, code);
    }
    codes[i] = code;
  }
  return codes;
};

/** Text of a member or key: numbers and texts that look alike are the same. */
export const keyText = (value: unknown): string =>
  typeof value === 'number' || typeof value === 'bigint'
    ? String(value)
    : value instanceof Date
      ? isoOf(Math.floor(value.getTime() / 86_400_000))
      : String(value);
