// Cell values and arithmetic with blanks (M7, C8).
import type { Form } from '../../src/language/syntax.ts';

export type Cell = { readonly kind: 'value'; readonly v: number } | { readonly kind: 'nothing' } | { readonly kind: 'blank' };
export const BLANK: Cell = { kind: 'blank' };
export const NOTHING: Cell = { kind: 'nothing' };
export const value = (v: number): Cell => (Number.isFinite(v) ? { kind: 'value', v } : BLANK);

/** Adds amounts with up to 6 decimals exactly. */
export const exactSum = (values: readonly number[]): number => values.reduce((sum, v) => sum + Math.round(v * 1e6), 0) / 1e6;

const roundAway = (v: number, digits: number): number =>
  Number.isNaN(v) ? Number.NaN : Math.sign(v) * Number(`${Math.round(Number(`${Math.abs(v)}e${digits}`))}e-${digits}`);

export const combine = (operator: string, a: Cell, b: Cell): Cell => {
  if (a.kind === 'blank' || b.kind === 'blank') return BLANK;
  if (operator === '+' || operator === '-') {
    if (a.kind === 'nothing' && b.kind === 'nothing') return a;
    const [x, y] = [a.kind === 'value' ? a.v : 0, b.kind === 'value' ? b.v : 0];
    return value(operator === '+' ? x + y : x - y);
  }
  if (a.kind === 'nothing' || b.kind === 'nothing') return BLANK;
  return value(operator === '*' ? a.v * b.v : a.v / b.v);
};

export const callFunction = (name: 'coalesce' | 'round' | 'abs' | 'min' | 'max', args: readonly Cell[]): Cell => {
  if (name === 'coalesce') return args.find(({ kind }) => kind === 'value') ?? args[0];
  const numbers = args.map((arg) => (arg.kind === 'value' ? arg.v : Number.NaN));
  if (name === 'round') return value(roundAway(numbers[0], numbers[1] ?? 0));
  return numbers.some(Number.isNaN) ? BLANK : value(name === 'abs' ? Math.abs(numbers[0]) : Math[name](...numbers));
};

export const formed = (form: Form, v: Cell, c: Cell): Cell => {
  if (form === 'value') return c;
  if (form === 'difference') return combine('-', v, c);
  if (v.kind !== 'value' || c.kind !== 'value') return BLANK;
  if (form === 'change') return value((v.v - c.v) / Math.abs(c.v));
  return value(form === 'ratio' ? v.v / c.v : (100 * v.v) / c.v);
};
