// Computed columns, row by row (M13).
import type { Expression, FunctionName } from '../../language/syntax.ts';
import { rateKey } from '../../model/columns.ts';
import { halfAway } from '../../model/decimal.ts';
import { type NumberColumn, scaledColumn } from './columns.ts';
import { PLAIN_LISTS } from './lists.ts';

const EXACT = 2 ** 53;

/** Values with decimals, or plain doubles when `scale` is -1; NaN is blank throughout. */
type Values = { readonly values: Float64Array; readonly scale: number };

const toDoubles = ({ values, scale }: Values): Float64Array => (scale <= 0 ? values : values.map((value) => value / 10 ** scale));

const zip = (a: Float64Array, b: Float64Array, combine: (x: number, y: number) => number): Float64Array => {
  const out = new Float64Array(a.length);
  for (let i = 0; i < a.length; i++) out[i] = combine(a[i], b[i]);
  return out;
};

const fits = (values: Float64Array): boolean => {
  for (let i = 0; i < values.length; i++) if (Math.abs(values[i]) >= EXACT) return false;
  return true;
};

/** `+ - *` in scaled integers as long as they stay exact, `/` in double precision; a division by 0 is blank (M13). */
const combine = (operator: '+' | '-' | '*' | '/', a: Values, b: Values): Values => {
  const plain = (): Values => {
    const [x, y] = [toDoubles(a), toDoubles(b)];
    const run = {
      '+': (p: number, q: number) => p + q,
      '-': (p: number, q: number) => p - q,
      '*': (p: number, q: number) => p * q,
      '/': (p: number, q: number) => (q === 0 ? Number.NaN : p / q),
    }[operator];
    return { values: zip(x, y, run), scale: -1 };
  };
  if (operator === '/' || a.scale < 0 || b.scale < 0) return plain();
  if (operator === '*') {
    const values = zip(a.values, b.values, (x, y) => x * y);
    return fits(values) ? { values, scale: a.scale + b.scale } : plain();
  }
  const scale = Math.max(a.scale, b.scale);
  const [fa, fb] = [10 ** (scale - a.scale), 10 ** (scale - b.scale)];
  const values = zip(a.values, b.values, operator === '+' ? (x, y) => x * fa + y * fb : (x, y) => x * fa - y * fb);
  return fits(values) ? { values, scale } : plain();
};

/** Two lists at one scale, in whole numbers where both are exact. */
const alike = (a: Values, b: Values): readonly [Float64Array, Float64Array, scale: number] => {
  if (a.scale < 0 || b.scale < 0) return [toDoubles(a), toDoubles(b), -1];
  const scale = Math.max(a.scale, b.scale);
  const raised = ({ values, scale: own }: Values): Float64Array =>
    own === scale ? values : values.map((value) => value * 10 ** (scale - own));
  return [raised(a), raised(b), scale];
};

const rounded = ({ values, scale }: Values, digits: number): Values => {
  if (scale >= 0 && scale <= digits) return { values, scale };
  if (scale > digits) return { values: values.map((value) => halfAway(value / 10 ** (scale - digits))), scale: digits };
  return { values: values.map((value) => halfAway(value * 10 ** digits)), scale: digits };
};

/** The functions of readings over the columns of one row (M14); a blank makes a blank. */
const called = (name: FunctionName, args: readonly Expression[], walk: (node: Expression) => Values): Values => {
  const [first, ...others] = args;
  const own = walk(first);
  if (name === 'abs') return { ...own, values: own.values.map((value) => Math.abs(value)) };
  if (name === 'round') return rounded(own, others[0]?.kind === 'number' ? others[0].value : 0);
  return others.reduce<Values>((so, other) => {
    const [a, b, scale] = alike(so, walk(other));
    return { values: zip(a, b, name === 'min' ? Math.min : Math.max), scale };
  }, own);
};

/** Drops decimals that no value uses, so that at most 6 remain where the data allow it (M10). */
const trimmed = ({ values, scale }: Values): Values => {
  let [current, left] = [values, scale];
  while (left > 0 && current.every((value) => value !== value || value % 10 === 0)) {
    current = current.map((value) => value / 10);
    left--;
  }
  return { values: current, scale: left };
};

/** Computes a column from others, row by row (M13). */
export const computeColumn = (expression: Expression, rows: number, column: (name: string) => NumberColumn): NumberColumn => {
  const walk = (node: Expression): Values => {
    switch (node.kind) {
      case 'number': {
        const { values, scale } = scaledColumn(Float64Array.of(node.value), PLAIN_LISTS);
        return { values: new Float64Array(rows).fill(values[0]), scale };
      }
      case 'name':
        return column(node.name);
      case 'negate': {
        const { values, scale } = walk(node.of);
        return { values: values.map((value) => -value), scale };
      }
      case 'binary':
        return combine(node.operator, walk(node.left), walk(node.right));
      case 'rate':
        return column(rateKey(node.name, node.role as string));
      case 'call':
        return called(node.name, node.args, walk);
      default:
        throw new Error('computed columns have arithmetic only');
    }
  };
  const result = walk(expression);
  const blanks = result.values.some(Number.isNaN);
  if (result.scale < 0) return { values: result.values, blanks, scale: -1 };
  const { values, scale } = trimmed(result);
  let total = 0;
  for (const value of values) if (value === value) total += Math.abs(value);
  if (scale > 6 || total >= EXACT) return { values: toDoubles({ values, scale }), blanks, scale: -1 };
  return { values, blanks, scale };
};
