type Value = string | number | null;

const readValue = (token: string): Value => {
  if (token === '–') return null;
  if (/^'.*'$/.test(token)) return token.slice(1, -1);
  return /^-?\d+(\.\d+)?$/.test(token) ? Number(token) : token;
};

/** Rows in one line: `table("North 10.5 – | 'Old Town' 2 1")`; – is blank, texts with blanks or of digits are in quotes. */
export const table = (text: string): Value[][] =>
  text.split(' | ').map((row) => [...row.matchAll(/'[^']*'|\S+/g)].map(([token]) => readValue(token)));
