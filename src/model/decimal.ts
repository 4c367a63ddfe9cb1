import { trimmed } from '../calendar/dates.ts';

/**
 * How numbers that are texts are written: `plain` digits with a decimal point (what JavaScript and databases read), or,
 * where a source says its `decimal`, with a point or a comma before the decimals, the other of the two between thousands,
 * and a sign of currency.
 */
export type NumberForm = 'plain' | 'point' | 'comma';

const EXPONENT = '([eE][+-]?\\d{1,3})?';
const CURRENCY = '[$€£¥]';
const grouped = (group: string, decimal: string): string =>
  `^([+-]?(${CURRENCY} ?)?|${CURRENCY} ?[+-])((\\d+|\\d{1,3}(${group}\\d{3})+)(${decimal}\\d*)?|${decimal}\\d+)${EXPONENT}( ?${CURRENCY})?$`;

/** Patterns of the forms, in what JavaScript and databases understand alike. */
export const NUMBER_TEXT: Readonly<Record<NumberForm, string>> = {
  plain: `^[+-]?(\\d+(\\.\\d*)?|\\.\\d+)${EXPONENT}$`,
  point: grouped(',', '\\.'),
  comma: grouped('\\.', ','),
};

/** Characters that are replaced one for one, and without a counterpart left out, to make a number plain. */
export const TO_PLAIN: Readonly<Record<Exclude<NumberForm, 'plain'>, readonly [from: string, to: string]>> = {
  point: ['$€£¥ ,', ''],
  comma: [',$€£¥ .', '.'],
};

export const NUMBER_HINT: Readonly<Record<NumberForm, string>> = {
  plain: 'Numbers are written like 1234.5; where they are like 1,234.5 or 1.234,5, say `decimal: point` or `decimal: comma` at the source.',
  point: 'The source says `decimal: point`: numbers are written like 1234.5, 1,234.5 or $1,234.5.',
  comma: 'The source says `decimal: comma`: numbers are written like 1234,5, 1.234,5 or 1.234,5 €.',
};

const PATTERNS = { plain: new RegExp(NUMBER_TEXT.plain), point: new RegExp(NUMBER_TEXT.point), comma: new RegExp(NUMBER_TEXT.comma) };

/** A text as a plain number; undefined when it is none. Blanks around it do not count. */
export const numberText = (text: string, form: NumberForm): string | undefined => {
  const written = trimmed(text);
  if (!PATTERNS[form].test(written)) return undefined;
  if (form === 'plain') return written;
  const [from, to] = TO_PLAIN[form];
  return Array.from(written, (character) => {
    const at = from.indexOf(character);
    return at < 0 ? character : (to[at] ?? '');
  }).join('');
};
