/** What stands before the decimals of a number that is a text; with a comma, points may part the thousands. */
export type DecimalMark = 'point' | 'comma';

/** Numbers as texts write them, in a form that JavaScript and databases read alike. */
export const NUMBER_TEXT: Readonly<Record<DecimalMark, string>> = {
  point: '^[+-]?(\\d+(\\.\\d*)?|\\.\\d+)([eE][+-]?\\d{1,3})?$',
  comma: '^[+-]?((\\d+|\\d{1,3}(\\.\\d{3})+)(,\\d*)?|,\\d+)([eE][+-]?\\d{1,3})?$',
};

export const NUMBER_HINT: Readonly<Record<DecimalMark, string>> = {
  point: 'Numbers are written with digits and a decimal point; where they have a decimal comma, say `decimal: comma` at the source.',
  comma: 'The source says `decimal: comma`: numbers are written like 1234,5 or 1.234,5.',
};

const PATTERNS = { point: new RegExp(NUMBER_TEXT.point), comma: new RegExp(NUMBER_TEXT.comma) };

/** A text as a number with a decimal point; undefined when it is none. Blanks around it do not count. */
export const numberText = (text: string, decimal: DecimalMark): string | undefined => {
  const trimmed = text.trim();
  if (!PATTERNS[decimal].test(trimmed)) return undefined;
  return decimal === 'point' ? trimmed : trimmed.replaceAll('.', '').replace(',', '.');
};
