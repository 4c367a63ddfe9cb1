// What every reader of a file answers: columns with a kind, whoever read them (docs/files.md).
import type { ColumnKind } from '../basics/columnar.ts';
import { isLong } from '../model/decimal.ts';

export interface FileColumn {
  readonly name: string;
  readonly kind: ColumnKind;
  readonly values: ArrayLike<unknown>;
  /** What an unusable column holds, in words: `lists`. */
  readonly holds?: string;
}

/** A file of rows: its columns in order, each name once. */
export interface FileTable {
  readonly rows: number;
  readonly columns: readonly FileColumn[];
}

const two = (value: number): string => (value < 10 ? `0${value}` : `${value}`);

/** Units of a second that timestamps are counted in, and how many digits each has. */
const DIGITS = { second: 0, milli: 3, micro: 6, nano: 9 } as const;
export type TimeUnit = keyof typeof DIGITS;

const DAY_SECONDS = 86_400;

/** Whole seconds and the rest in units, never negative, as instants before 1970 need it; bigints only where they must be. */
const parted = (count: number | bigint, digits: number): readonly [seconds: number, rest: string] => {
  if (typeof count === 'number') {
    const scale = 10 ** digits;
    const seconds = Math.floor(count / scale);
    return [seconds, digits === 0 ? '' : String(count - seconds * scale)];
  }
  const scale = 10n ** BigInt(digits);
  const rest = ((count % scale) + scale) % scale;
  return [Number((count - rest) / scale), digits === 0 ? '' : String(rest)];
};

/** Writes a count of units since 1970-01-01T00:00 as a timestamp, with no digit lost; `dateOf` writes its day number. */
export const timestampText = (count: number | bigint, unit: TimeUnit, dateOf: (day: number) => string): string => {
  const digits = DIGITS[unit];
  const [seconds, rest] = parted(typeof count === 'bigint' ? integerValue(count) : count, digits);
  const day = Math.floor(seconds / DAY_SECONDS);
  const second = seconds - day * DAY_SECONDS;
  const time = `${two(Math.floor(second / 3600))}:${two(Math.floor(second / 60) % 60)}:${two(second % 60)}`;
  const decimals = rest === '' || rest === '0' ? '' : `.${rest.padStart(digits, '0')}`;
  return `${dateOf(day)}T${time}${decimals}`;
};

/** A decimal of an integer and a scale: a number where a double tells it apart from all others, else its digits. */
export const decimalValue = (digits: bigint, scale: number): number | string => {
  const size = digits < 0n ? -digits : digits;
  const text = size.toString().padStart(scale + 1, '0');
  const decimals = scale === 0 ? '' : text.slice(-scale).replace(/0+$/, '');
  const whole = scale === 0 ? text : text.slice(0, -scale);
  const written = `${digits < 0n ? '-' : ''}${whole}${decimals === '' ? '' : `.${decimals}`}`;
  return isLong(written) ? written : Number(written);
};

/** A whole number: as a number where it is exact, else as it is. */
export const integerValue = (value: bigint): number | bigint =>
  value >= BigInt(Number.MIN_SAFE_INTEGER) && value <= BigInt(Number.MAX_SAFE_INTEGER) ? Number(value) : value;
