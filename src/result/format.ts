// How the numbers of a column are written for people.
import type { Form } from '../language/syntax.ts';
import type { Model } from '../model/model.ts';
import type { FormatInput } from '../model/schema.ts';
import type { Bound, Leaf } from '../plan/bind.ts';

/** How a column's numbers are written for people; options of `Intl.NumberFormat`. */
export type Format = FormatInput & Intl.NumberFormatOptions;

const PERCENT: Format = { style: 'percent', minimumFractionDigits: 1, maximumFractionDigits: 1 };

const formFormat = (form: Form, own: Format | undefined): Format | undefined => {
  if (form === 'change' || form === 'ratio') return PERCENT;
  if (form === 'index') return { minimumFractionDigits: 1, maximumFractionDigits: 1 };
  return own;
};

const leafFormat = (leaf: Leaf): Format | undefined => {
  const { aggregate, format } = leaf.measure;
  if (format) return format as Format;
  return ['count', 'count-distinct', 'first-time'].includes(aggregate.kind) ? { maximumFractionDigits: 0 } : undefined;
};

/** As many decimals as are kept exactly (M10). */
const MOST_DECIMALS = 6;

/** Below this, doubles lie so close that their six decimals are those that were meant. */
const CLOSE = 1e8;

/** As many decimals as the longest of the numbers, so that a column of them is aligned; at most those that are kept (M10). */
const plainFormat = (values: Iterable<number | null>): Format => {
  let [decimals, unit] = [0, 1];
  for (const value of values) {
    if (value === null || Number.isInteger(value)) continue;
    // Nearly all need no more than those before; only where doubles lie closer than the last decimal can that be told so.
    if (Math.abs(value) < CLOSE && Math.round(value * unit) / unit === value) continue;
    const [, part = ''] = value.toFixed(MOST_DECIMALS).split('.');
    let length = part.length;
    while (length > decimals && part[length - 1] === '0') length--;
    decimals = Math.max(decimals, length);
    unit = 10 ** decimals;
    if (decimals === MOST_DECIMALS) break;
  }
  return { minimumFractionDigits: decimals, maximumFractionDigits: decimals };
};

/**
 * The format of a reading: its measure's or formula's, or what the form of its comparison asks for; where nothing asks for
 * one, what its values need.
 */
export const formatOf = (bound: Bound, reading: string, model: Model, values: Iterable<number | null>): Format => {
  const formula = model.formulas.get(reading);
  if (formula?.format) return formula.format as Format;
  // Formulas share their parts; each is looked at once.
  const known = new Map<Bound, Format | undefined>();
  const walk = (node: Bound): Format | undefined => {
    if (!known.has(node)) known.set(node, look(node));
    return known.get(node);
  };
  const look = (node: Bound): Format | undefined => {
    switch (node.kind) {
      case 'leaf':
        return leafFormat(node);
      case 'vs':
        return formFormat(node.form, walk(node.of));
      case 'negate':
        return walk(node.of);
      case 'call':
        return walk(node.args[0]);
      case 'days':
        return { maximumFractionDigits: 0 };
      case 'binary':
        if (node.operator === '+' || node.operator === '-') return walk(node.left) ?? walk(node.right);
        if (node.right.kind === 'number') return walk(node.left);
        return node.operator === '*' && node.left.kind === 'number' ? walk(node.right) : undefined;
      default:
        return undefined;
    }
  };
  return walk(bound) ?? plainFormat(values);
};

/** The unit a column's numbers are in, to be said once in a header: a currency, `%`, or nothing. */
export const unitOfFormat = (format: Format): string | undefined =>
  format.style === 'currency' ? format.currency : format.style === 'percent' ? '%' : format.style === 'unit' ? format.unit : undefined;

/** Writes a value for people, in a locale; blank is an empty text. */
export const formatter = (format: Format, locale: string): ((value: number | null) => string) => {
  const writer = new Intl.NumberFormat(locale, format as Intl.NumberFormatOptions);
  return (value) => (value === null ? '' : writer.format(value));
};

/** Writes a value without its currency or percent sign, for columns whose header says the unit. */
export const bareFormatter = (format: Format, locale: string): ((value: number | null) => string) => {
  const writer = new Intl.NumberFormat(locale, format as Intl.NumberFormatOptions);
  const said = new Set(['currency', 'percentSign', 'unit', 'literal']);
  return (value) =>
    value === null
      ? ''
      : writer
          .formatToParts(value)
          .map(({ type, value: part }) => (said.has(type) ? '' : part))
          .join('');
};

/** Moves the point of digits written with an exponent to where it belongs, however far away that is. */
const expanded = (text: string): string => {
  const [, sign, whole, decimals = '', exponent] = /^(-?)(\d+)(?:\.(\d+))?e([+-]\d+)$/.exec(text) as RegExpExecArray;
  const digits = `${whole}${decimals}`;
  const point = whole.length + Number(exponent);
  if (point <= 0) return `${sign}0.${'0'.repeat(-point)}${digits}`;
  return `${sign}${digits.padEnd(point, '0').slice(0, point)}${point < digits.length ? `.${digits.slice(point)}` : ''}`;
};

/** Full precision, `.` decimal, never an exponent; blank is an empty text. */
export const plainNumber = (value: number | null): string => {
  if (value === null) return '';
  const text = String(value === 0 ? 0 : value);
  return text.includes('e') ? expanded(text) : text;
};
