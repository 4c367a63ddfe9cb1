// JSON and NDJSON: rows as objects, numbers with every digit of whole ones (docs/files.md).
import { DurchblickError } from '../errors.ts';
import { tooLarge } from './bytes.ts';
import type { FileTable } from './column.ts';
import { columnsOf } from './rows.ts';
import { utf8Text } from './text.ts';

type Row = Readonly<Record<string, unknown>>;

const MOST_BYTES = 2 ** 29 - 2 ** 20;
const LINES = /\.(ndjson|jsonl)$/i;

const isRow = (value: unknown): value is Row => typeof value === 'object' && value !== null && !Array.isArray(value);

const TEXT = '"[^"\\\\]*(?:\\\\.[^"\\\\]*)*"';
/** A text, or a number outside of texts. */
const TOKENS = new RegExp(`${TEXT}|-?\\d+(?:\\.\\d+)?(?:[eE][+-]?\\d+)?`, 'g');
/** A text, and whether it is a name: a colon stands behind it. */
const NAMES = new RegExp(`${TEXT}(\\s*:)?`, 'g');

/** Long or large numbers are rare; only texts that may have one are looked at token by token. */
const MAY_BE_LARGE = /\d{16}|[eE]\+?\d{3}/;
const isWhole = (token: string): boolean => /^-?\d+$/.test(token);
const fits = (token: string): boolean => {
  const value = Number(token);
  return isWhole(token) ? Number.isSafeInteger(value) : Number.isFinite(value);
};

/**
 * JSON with whole numbers beyond 2^53 as bigints, and numbers too large for a double as the texts that they are. Both go
 * through `JSON.parse` as texts behind a control character that the text has nowhere else.
 */
const parsed = (text: string): unknown => {
  if (!MAY_BE_LARGE.test(text)) return JSON.parse(text);
  const codes = ['01', '02', '03', '04', '05', '06', '07', '0e', '0f', '10', '11', '12', '13', '14', '15', '16'];
  const code = codes.find((hex) => !new RegExp(`\\\\u00${hex}`, 'i').test(text));
  if (code === undefined) return JSON.parse(text);
  const mark = String.fromCharCode(Number.parseInt(code, 16));
  const marked = text.replace(TOKENS, (token) =>
    token.startsWith('"') || fits(token) ? token : `"\\u00${code}${isWhole(token) ? 'i' : 'n'}${token}"`,
  );
  return JSON.parse(marked, (_, value: unknown) => {
    if (typeof value !== 'string' || !value.startsWith(mark)) return value;
    return value[1] === 'i' ? BigInt(value.slice(2)) : value.slice(2);
  });
};

/** How many names the objects have that a value is made of. */
const nameCount = (root: unknown): number => {
  let count = 0;
  const left: unknown[] = [root];
  while (left.length > 0) {
    const value = left.pop();
    if (Array.isArray(value)) for (const one of value) left.push(one);
    else if (isRow(value))
      for (const name of Object.keys(value)) {
        count++;
        left.push(value[name]);
      }
  }
  return count;
};
const writtenNames = (text: string): number => {
  let count = 0;
  for (const [, colon] of text.matchAll(NAMES)) if (colon !== undefined) count++;
  return count;
};

/** Reads a JSON array of objects, or one object a line when the name ends in `.ndjson` or `.jsonl`. */
export const readJson = (bytes: Uint8Array, name: string): FileTable => {
  if (bytes.byteLength > MOST_BYTES) throw tooLarge(name, `${Math.round(bytes.byteLength / 2 ** 20)} MiB`);
  const isLines = LINES.test(name);
  const fail = (message: string): never => {
    throw new DurchblickError('bad-json', `${name}: ${message}`, {
      kind: 'data',
      hint: isLines ? 'Every line must be one JSON object.' : 'The file must be a JSON array of objects.',
    });
  };
  const parse = (text: string, where: string): unknown => {
    let value: unknown;
    try {
      value = parsed(text);
    } catch (error) {
      return fail(`${where}${(error as Error).message}`);
    }
    // JSON.parse keeps the last of two members with one name, without a word.
    return nameCount(value) === writtenNames(text) ? value : fail(`${where}an object has a name twice`);
  };
  const text = utf8Text(bytes, name);
  if (isLines)
    return columnsOf(
      text.split('\n').flatMap((line, k) => {
        if (line.trim() === '') return [];
        const row = parse(line, `line ${k + 1}: `);
        return isRow(row) ? [row] : fail(`line ${k + 1} is no object`);
      }),
    );
  if (text.trim() === '') fail('it is empty');
  const rows = parse(text, '');
  if (!Array.isArray(rows)) return fail('it holds no array');
  const wrong = rows.findIndex((row) => !isRow(row));
  return wrong < 0 ? columnsOf(rows as Row[]) : fail(`element ${wrong + 1} is no object`);
};
