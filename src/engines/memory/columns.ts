// Columns of tables as typed arrays: days (D2, D3) and numbers (M10).
import type { ColumnKind } from '../../basics/columnar.ts';
import { greatest } from '../../basics/text.ts';
import type { DateRules } from '../../calendar/dates.ts';
import { FIRST_DAY, isoOf, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { type Digits, digitsOf, isLong, type NumberForm, numberText } from '../../model/decimal.ts';
import { badDates, badNumber, isNumberless } from '../shared/faults.ts';
import type { RawColumn, Table } from '../shared/table.ts';
import { dayReader, isBlank } from '../shared/values.ts';
import { type Lists, PLAIN_LISTS } from './lists.ts';

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
  /** Some value has more digits than a double is sure of. */
  readonly long?: true;
}

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

/** Where a column stands, for messages. */
export interface ColumnPlace {
  readonly table: Pick<Table, 'name' | 'hidden'>;
  readonly column: string;
}
/** A row as messages count it; of a table of which rows are hidden nothing is told (V3). */
const rowAt = ({ table }: ColumnPlace, row: number): number | undefined => (table.hidden ? undefined : row + 1);

/** Reads a date column; bad dates are an error with the first of them and their number, or blanks (D3). */
export const readDays = (
  raw: RawColumn,
  kind: ColumnKind,
  rules: DateRules,
  onBadDate: 'error' | 'blank',
  place: ColumnPlace,
  lists: Lists,
): DayColumn & { readonly bad: number } => {
  const given = raw instanceof Int32Array && kind === 'date' ? raw : undefined;
  if (given && (rules.blankDates ?? []).length === 0) {
    const bounds = boundsOf(given);
    if (bounds.blanks === given.length || (bounds.first >= FIRST_DAY && bounds.last <= LAST_DAY))
      return { days: lists.own(given), ...bounds, bad: 0 };
  }
  const reader = dayReader(kind, rules);
  // In a list of whole numbers its least one is a blank.
  const integers = raw instanceof Int32Array;
  const days = lists.make(Int32Array, raw.length);
  let [bad, firstBad] = [0, -1];
  for (let i = 0; i < days.length; i++) {
    let day = integers && raw[i] === NO_DAY ? NO_DAY : reader(raw[i]);
    if (day === undefined || (day !== NO_DAY && (day < FIRST_DAY || day > LAST_DAY))) {
      if (bad++ === 0) firstBad = i;
      day = NO_DAY;
    }
    days[i] = day;
  }
  if (bad > 0 && onBadDate === 'error')
    throw badDates(place.table.name, rowAt(place, firstBad), place.column, given ? isoOf(given[firstBad]) : raw[firstBad], bad);
  return { days, ...boundsOf(days), bad };
};

interface Doubles {
  /** NaN where blank. */
  readonly values: Float64Array;
  /** The values that have more digits than a double is sure of, as they are written, by row. */
  readonly long: ReadonlyMap<number, string>;
}

const NO_LONG: ReadonlyMap<number, string> = new Map();

/** A value as a plain number; undefined when it is none. */
const plainNumber = (value: unknown, form: NumberForm): number | string | undefined => {
  if (typeof value === 'number') return Math.abs(value) === Number.POSITIVE_INFINITY ? undefined : value;
  if (typeof value === 'bigint') return String(value);
  return typeof value === 'string' ? numberText(value, form) : undefined;
};

/** The column as doubles, NaN where blank; a text that is no number is an error. */
const doublesOf = (raw: RawColumn, kind: ColumnKind, place: ColumnPlace, form: NumberForm): Doubles => {
  const values = raw instanceof Float64Array ? raw : new Float64Array(raw.length);
  const integers = raw instanceof Int32Array;
  const long = new Map<number, string>();
  for (let i = 0; i < raw.length; i++) {
    const value = raw[i];
    const blank = isBlank(value) || (integers && value === NO_DAY);
    const number = blank ? Number.NaN : isNumberless(kind) ? undefined : plainNumber(value, form);
    if (number === undefined)
      throw badNumber(place.table.name, rowAt(place, i), place.column, kind === 'date' ? isoOf(value as number) : value, form);
    if (typeof number === 'string' && isLong(number)) long.set(i, number);
    if (values !== raw) values[i] = Number(number);
  }
  return { values, long: long.size > 0 ? long : NO_LONG };
};

const MOST_DECIMALS = 6;
/** So many values of 16 digits add up to more than 2^53. */
const MANY_LONG = 10;
const EXACT = 2 ** 53;

/**
 * Scales doubles to integers when all have at most 6 decimals and their absolute sum stays below 2^53 (M10). The
 * number of decimals is raised where a value needs more; what was scaled before is brought up to it, not tried again.
 */
export const scaledColumn = (doubles: Float64Array, lists: Lists, least = 0): NumberColumn => {
  const count = doubles.length;
  const values = lists.make(Float64Array, count);
  let [scale, power, total] = [least, 10 ** least, 0];
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

/** The same where some values have too many digits for a double: those are scaled by their digits (M10). */
const scaledLong = ({ values, long }: Doubles, lists: Lists): NumberColumn => {
  const blanks = values.some(Number.isNaN);
  const inexact: NumberColumn = { values: lists.own(values), blanks, scale: -1, long: true };
  if (long.size >= MANY_LONG) return inexact;
  const digits = new Map(Array.from(long, ([row, text]) => [row, digitsOf(text) as Digits]));
  const decimals = greatest(Array.from(digits.values(), ({ scale }) => scale));
  if (decimals > MOST_DECIMALS) return inexact;
  const short = values.map((value, row) => (long.has(row) ? 0 : value));
  const scaled = scaledColumn(short, PLAIN_LISTS, decimals);
  if (scaled.scale < 0) return inexact;
  let total = 0n;
  for (const value of scaled.values) if (value === value) total += BigInt(Math.abs(value));
  const out = lists.own(scaled.values);
  for (const [row, { digits: own, scale }] of digits) {
    const whole = own * 10n ** BigInt(scaled.scale - scale);
    total += whole < 0n ? -whole : whole;
    out[row] = Number(whole);
  }
  return total < BigInt(EXACT) ? { values: out, blanks, scale: scaled.scale, long: true } : inexact;
};

export const readNumbers = (raw: RawColumn, kind: ColumnKind, place: ColumnPlace, form: NumberForm, lists: Lists): NumberColumn => {
  const doubles = doublesOf(raw, kind, place, form);
  return doubles.long.size > 0 ? scaledLong(doubles, lists) : scaledColumn(doubles.values, lists);
};

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
    // Points in time are told apart by what they are, not by which object.
    const value = blank ? null : given instanceof Date ? `\u0000${given.getTime()}` : given;
    let code = known.get(value);
    if (code === undefined) {
      code = codeOf(blank ? null : given);
      known.set(value, code);
    }
    codes[i] = code;
  }
  return codes;
};
