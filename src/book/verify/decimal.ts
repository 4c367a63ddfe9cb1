// Arithmetic on digits for the second computation, sharing nothing with the first (V2, M10, M13).
import type { Expression } from '../../language/syntax.ts';
import { digitsOf, halfAway, type NumberForm, numberText } from '../../model/decimal.ts';

/** A number as it is written: digits and decimals where it has at most six (M10), else a double. */
export type Plain = { readonly digits: bigint; readonly scale: number } | number;

const MOST_DECIMALS = 6;

/** Reads a value of a column; undefined where it is blank. */
export const plainOf = (value: unknown, form: NumberForm = 'plain'): Plain | undefined => {
  if (value === null || value === undefined || value === '' || value !== value) return undefined;
  const text = typeof value === 'string' ? (numberText(value, form) ?? value) : String(value);
  const written = digitsOf(text);
  return written && written.scale <= MOST_DECIMALS ? written : Number(text);
};

export const doubleOf = (value: Plain): number => (typeof value === 'number' ? value : Number(value.digits) / 10 ** value.scale);

const raised = ({ digits, scale }: Exclude<Plain, number>, to: number): bigint => digits * 10n ** BigInt(to - scale);

const combine = (operator: '+' | '-' | '*' | '/', a: Plain, b: Plain): Plain | undefined => {
  if (operator === '/') return doubleOf(b) === 0 ? undefined : doubleOf(a) / doubleOf(b);
  if (typeof a === 'number' || typeof b === 'number') {
    const [x, y] = [doubleOf(a), doubleOf(b)];
    return operator === '+' ? x + y : operator === '-' ? x - y : x * y;
  }
  if (operator === '*') return { digits: a.digits * b.digits, scale: a.scale + b.scale };
  const scale = Math.max(a.scale, b.scale);
  const [x, y] = [raised(a, scale), raised(b, scale)];
  return { digits: operator === '+' ? x + y : x - y, scale };
};

/** What a row has: numbers by column, and factors of rates by the date that they are taken at. */
export interface Looked {
  readonly named: (name: string) => Plain | undefined;
  readonly rate: (name: string, role: string | undefined) => Plain | undefined;
}

const rounded = (value: Plain, digits: number): Plain => {
  if (typeof value === 'number') return { digits: BigInt(halfAway(value * 10 ** digits)), scale: digits };
  if (value.scale <= digits) return value;
  const by = 10n ** BigInt(value.scale - digits);
  const size = value.digits < 0n ? -value.digits : value.digits;
  const whole = (size * 2n + by) / (by * 2n);
  return { digits: value.digits < 0n ? -whole : whole, scale: digits };
};

const called = ({ name, args }: Extract<Expression, { kind: 'call' }>, column: Looked): Plain | undefined => {
  const values = (name === 'round' ? args.slice(0, 1) : args).map((arg) => computed(arg, column));
  const there = values.filter((value) => value !== undefined);
  if (there.length < values.length) return undefined;
  const [first, second] = [there[0], args[1]];
  if (name === 'round') return rounded(first, second?.kind === 'number' ? second.value : 0);
  if (name === 'abs') {
    if (typeof first === 'number') return Math.abs(first);
    return { digits: first.digits < 0n ? -first.digits : first.digits, scale: first.scale };
  }
  const isBetter = (a: Plain, b: Plain): boolean => (name === 'min' ? doubleOf(a) < doubleOf(b) : doubleOf(a) > doubleOf(b));
  const best = there.reduce((so, value) => (isBetter(value, so) ? value : so));
  // One double among them makes doubles of all.
  return there.some((value) => typeof value === 'number') ? doubleOf(best) : best;
};

/** A computed column in one row (M13): blank as soon as a part of it is. */
export const computed = (node: Expression, column: Looked): Plain | undefined => {
  switch (node.kind) {
    case 'number':
      return plainOf(node.value);
    case 'name':
      return column.named(node.name);
    case 'rate':
      return column.rate(node.name, node.role);
    case 'call':
      return called(node, column);
    case 'negate': {
      const of = computed(node.of, column);
      if (of === undefined) return undefined;
      return typeof of === 'number' ? -of : { digits: -of.digits, scale: of.scale };
    }
    case 'binary': {
      const [a, b] = [computed(node.left, column), computed(node.right, column)];
      return a === undefined || b === undefined ? undefined : combine(node.operator, a, b);
    }
    default:
      return undefined;
  }
};

/** A list of values as numbers: whole ones at a common scale as long as their sum is exact, else doubles with scale -1. */
export const scaledTogether = (values: readonly (Plain | undefined)[]): { readonly numbers: Float64Array; readonly scale: number } => {
  let [scale, inexact] = [0, false];
  for (const value of values) {
    if (typeof value === 'number') inexact = true;
    else if (value) scale = Math.max(scale, value.scale);
  }
  const doubles = () => Float64Array.from(values, (value) => (value === undefined ? Number.NaN : doubleOf(value)));
  if (inexact) return { numbers: doubles(), scale: -1 };
  const whole = values.map((value) => (value === undefined ? undefined : raised(value as Exclude<Plain, number>, scale)));
  let total = 0n;
  for (const digits of whole) if (digits !== undefined) total += digits < 0n ? -digits : digits;
  if (total >= 2n ** 53n) return { numbers: doubles(), scale: -1 };
  return { numbers: Float64Array.from(whole, (digits) => (digits === undefined ? Number.NaN : Number(digits))), scale };
};
