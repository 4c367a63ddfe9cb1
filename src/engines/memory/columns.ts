import type { DateReader } from '../../calendar/dates.ts';
import { FIRST_DAY, isoOf, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import { NUMBER_HINT, type NumberForm, numberText } from '../../model/decimal.ts';
import type { Lists } from './room.ts';

/** A column as it came: texts, numbers, typed arrays, anything with a length. */
export type RawColumn = ArrayLike<unknown>;

/** Day numbers of a role, `NO_DAY` where blank, with their bounds; `first > last` when there is none. */
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

export const isBlank = (value: unknown): boolean => value === null || value === undefined || value === '';

const shown = (value: unknown): string => JSON.stringify(value instanceof Date ? String(value) : value)?.slice(0, 60) ?? String(value);

/** Smallest and greatest of a list of integers, blanks aside. */
const boundsOf = (values: Int32Array): Pick<DayColumn, 'blanks' | 'first' | 'last'> => {
  let [blanks, first, last] = [0, LAST_DAY + 1, FIRST_DAY - 1];
  let empty = true;
  for (let i = 0; i < values.length; i++) {
    const value = values[i];
    if (value === NO_DAY) blanks++;
    else if (empty) {
      empty = false;
      first = value;
      last = value;
    } else {
      if (value < first) first = value;
      if (value > last) last = value;
    }
  }
  return { blanks, first, last };
};

/** Reads a date column; bad dates are an error with the first of them and their number, or blanks (D3). */
export const readDays = (
  raw: RawColumn,
  reader: DateReader,
  onBadDate: 'error' | 'blank',
  table: string,
  column: string,
  lists: Lists,
): DayColumn & { readonly bad: number } => {
  const given = raw instanceof Int32Array ? raw : undefined;
  if (given) {
    const bounds = boundsOf(given);
    if (bounds.blanks === given.length || (bounds.first >= FIRST_DAY && bounds.last <= LAST_DAY))
      return { days: lists.own(given), ...bounds, bad: 0 };
  }
  const days = lists.make(Int32Array, raw.length);
  let [bad, firstBad] = [0, -1];
  for (let i = 0; i < days.length; i++) {
    let day = given ? given[i] : reader(raw[i]);
    if (day === undefined || (day !== NO_DAY && (day < FIRST_DAY || day > LAST_DAY))) {
      if (bad++ === 0) firstBad = i;
      day = NO_DAY;
    }
    days[i] = day;
  }
  if (bad > 0 && onBadDate === 'error') {
    const count = `${bad} bad ${bad === 1 ? 'value' : 'values'}`;
    throw new DurchblickError(
      'bad-dates',
      `${table}, row ${firstBad + 1}, column ${column}: ${shown(raw[firstBad])} is not a date (${count})`,
      {
        kind: 'data',
        hint: 'Dates are YYYY-MM-DD, ISO 8601 timestamps or yyyymmdd keys; other texts need a `format`; `on-bad-date: blank` and `blank-dates` let some pass.',
      },
    );
  }
  return { days, ...boundsOf(days), bad };
};

/** The column as doubles, NaN where blank; a text that is no number is an error. */
const doublesOf = (raw: RawColumn, table: string, column: string, form: NumberForm): Float64Array => {
  if (raw instanceof Float64Array) return raw;
  const values = new Float64Array(raw.length);
  const integers = raw instanceof Int32Array;
  for (let i = 0; i < raw.length; i++) {
    const value = raw[i];
    if (typeof value === 'number') values[i] = integers && value === NO_DAY ? Number.NaN : value;
    else if (isBlank(value)) values[i] = Number.NaN;
    else if (typeof value === 'bigint') values[i] = Number(value);
    else {
      const text = typeof value === 'string' ? numberText(value, form) : undefined;
      if (text === undefined)
        throw new DurchblickError('bad-number', `${table}, row ${i + 1}, column ${column}: ${shown(value)} is not a number`, {
          kind: 'data',
          hint: NUMBER_HINT[form],
        });
      values[i] = Number(text);
    }
  }
  return values;
};

const MOST_DECIMALS = 6;
const EXACT = 2 ** 53;

/**
 * Scales doubles to integers when all have at most 6 decimals and their absolute sum stays below 2^53 (M10). The
 * number of decimals is raised where a value needs more; what was scaled before is brought up to it, not tried again.
 */
export const scaledColumn = (doubles: Float64Array, lists: Lists): NumberColumn => {
  const count = doubles.length;
  const values = lists.make(Float64Array, count);
  let [scale, power, total] = [0, 1, 0];
  let blanks = false;
  for (let i = 0; i < count; i++) {
    const value = doubles[i];
    let scaled = Math.round(value * power);
    if (scaled / power !== value) {
      // NaN differs from itself and is a blank.
      if (value !== value) blanks = true;
      else {
        const before = power;
        while (scaled / power !== value && scale < MOST_DECIMALS) {
          power = 10 ** ++scale;
          scaled = Math.round(value * power);
        }
        if (scaled / power !== value) return { values: lists.own(doubles), blanks: doubles.some(Number.isNaN), scale: -1 };
        const raise = power / before;
        for (let k = 0; k < i; k++) values[k] = Math.round(values[k] * raise);
        total *= raise;
      }
    }
    values[i] = scaled;
    if (scaled === scaled) total += Math.abs(scaled);
  }
  return total < EXACT ? { values, blanks, scale } : { values: lists.own(doubles), blanks, scale: -1 };
};

export const readNumbers = (raw: RawColumn, table: string, column: string, form: NumberForm, lists: Lists): NumberColumn =>
  scaledColumn(doublesOf(raw, table, column, form), lists);

export type Codes = Uint8Array | Uint16Array | Int32Array;

/** Integers up to this span are looked up in a table instead of a map. */
const TABLE_SPAN = 1 << 23;

const codesOf = (size: number, count: number, lists: Lists): Codes =>
  count <= 256 ? lists.make(Uint8Array, size) : count <= 65536 ? lists.make(Uint16Array, size) : lists.make(Int32Array, size);

/** Integers of a small span go through a table: two array reads a row. False when the span is too large. */
const encodeIntegers = (raw: Int32Array, codes: Codes, codeOf: (value: unknown) => number): boolean => {
  const { blanks, first, last } = boundsOf(raw);
  if (last - first >= TABLE_SPAN) return false;
  const UNKNOWN = NO_DAY;
  const table = new Int32Array(Math.max(last - first + 1, 0)).fill(UNKNOWN);
  const blank = blanks > 0 ? codeOf(null) : 0;
  for (let i = 0; i < raw.length; i++) {
    const value = raw[i];
    if (value === NO_DAY) {
      codes[i] = blank;
      continue;
    }
    let code = table[value - first];
    if (code === UNKNOWN) {
      code = codeOf(value);
      table[value - first] = code;
    }
    codes[i] = code;
  }
  return true;
};

/**
 * Turns a column into codes. `codeOf` is asked once for each distinct value; `count` bounds the codes it gives.
 * Blank values (`null`, empty text, NaN, the blank of an Int32Array) are asked for as null.
 */
export const encode = (raw: RawColumn, count: number, codeOf: (value: unknown) => number, lists: Lists): Codes => {
  const codes = codesOf(raw.length, count, lists);
  const integers = raw instanceof Int32Array;
  if (integers && encodeIntegers(raw, codes, codeOf)) return codes;
  const known = new Map<unknown, number>();
  for (let i = 0; i < raw.length; i++) {
    const given = raw[i];
    const blank = given === undefined || given === '' || given !== given || (integers && given === NO_DAY);
    const value = blank ? null : given instanceof Date ? given.toISOString() : given;
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
  value instanceof Date ? isoOf(Math.floor(value.getTime() / 86_400_000)) : String(value);
