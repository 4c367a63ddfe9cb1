// Numbers written as texts: which forms there are, and their digits to be summed exactly (M10).
import { DECIMALS } from '../basics/columnar.ts';
import { trimmed } from '../calendar/dates.ts';

/**
 * How numbers that are texts are written: `plain` digits with a decimal point (what JavaScript and databases read), or,
 * where a source says its `decimal`, with a point or a comma before the decimals, the other of the two between thousands,
 * and a sign of currency.
 */
export type NumberForm = 'plain' | 'point' | 'comma';

const EXPONENT = '([eE][+-]?[0-9]{1,3})?';
const CURRENCY = '[$€£¥]';
const grouped = (group: string, decimal: string): string =>
  `^([+-]?(${CURRENCY} ?)?|${CURRENCY} ?[+-])(([0-9]+|[0-9]{1,3}(${group}[0-9]{3})+)(${decimal}[0-9]*)?|${decimal}[0-9]+)${EXPONENT}( ?${CURRENCY})?$`;

/** Patterns of the forms, in what JavaScript and databases understand alike. */
export const NUMBER_TEXT: Readonly<Record<NumberForm, string>> = {
  plain: `^[+-]?([0-9]+(\\.[0-9]*)?|\\.[0-9]+)${EXPONENT}$`,
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

/** A text as a plain number; undefined when it is none, or greater than any double. Blanks around it do not count. */
export const numberText = (text: string, form: NumberForm): string | undefined => {
  const written = trimmed(text);
  if (!PATTERNS[form].test(written)) return undefined;
  const [from, to] = form === 'plain' ? ['', ''] : TO_PLAIN[form];
  const plain =
    form === 'plain'
      ? written
      : Array.from(written, (character) => {
          const at = from.indexOf(character);
          return at < 0 ? character : (to[at] ?? '');
        }).join('');
  return Number.isFinite(Number(plain)) ? plain : undefined;
};

/** A number as it is written: its digits as one whole number, and how many of them stand behind the point. */
export interface Digits {
  readonly digits: bigint;
  readonly scale: number;
}

const WRITTEN = /^([+-]?)([0-9]*)(?:\.([0-9]*))?(?:[eE]([+-]?[0-9]{1,3}))?$/;

/** The digits of a plain number, without zeros at the end of its decimals. */
export const digitsOf = (plain: string): Digits | undefined => {
  const parts = WRITTEN.exec(plain);
  if (!parts) return undefined;
  const [, sign, whole, decimals = '', exponent = '0'] = parts;
  let digits = BigInt(`${whole}${decimals}` || '0');
  let scale = decimals.length - Number(exponent);
  for (; scale > 0 && digits % 10n === 0n; scale--) digits /= 10n;
  if (digits === 0n) scale = 0;
  for (; scale < 0; scale++) digits *= 10n;
  return { digits: sign === '-' ? -digits : digits, scale };
};

/** Rounds half away from zero, in the steps that every database has. */
export const halfAway = (value: number): number => (value < 0 ? -Math.floor(-value + 0.5) : Math.floor(value + 0.5));

/** Doubles tell all decimals of so many digits apart; more need care. */
export const SURE_DIGITS = 15;

/** Whether a plain number has more digits than a double is sure of, zeros at both ends aside. */
export const isLong = (plain: string): boolean => {
  if (plain.length <= SURE_DIGITS) return false;
  const [mantissa] = plain.split(/[eE]/);
  return mantissa.replace(/[-+.]/g, '').replace(/^0+|0+$/g, '').length > SURE_DIGITS;
};

/** A number with at most DECIMALS decimals, times 10^DECIMALS; undefined where it has more. */
export const exactDigits = (value: number): bigint | undefined => {
  const found = digitsOf(String(value));
  return found && found.scale <= DECIMALS ? found.digits * 10n ** BigInt(DECIMALS - found.scale) : undefined;
};
