import { DurchblickError } from '../errors.ts';

type Row = Readonly<Record<string, unknown>>;

const isRow = (value: unknown): value is Row => typeof value === 'object' && value !== null && !Array.isArray(value);

/** Reads a JSON array of objects, or one object a line when the name ends in `.ndjson`. */
export const readJson = (bytes: Uint8Array, name: string): readonly Row[] => {
  const fail = (message: string): never => {
    throw new DurchblickError('bad-json', `${name}: ${message}`, {
      kind: 'data',
      hint: /\.ndjson$/i.test(name) ? 'Every line must be one JSON object.' : 'The file must be a JSON array of objects.',
    });
  };
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes).replace(/^\uFEFF/, '');
  } catch {
    throw new DurchblickError('bad-encoding', `${name} is not UTF-8`, { kind: 'data', hint: 'Save the file as UTF-8.' });
  }
  const parse = (part: string, where: string): unknown => {
    try {
      return JSON.parse(part);
    } catch (error) {
      return fail(`${where}${(error as Error).message}`);
    }
  };
  if (!/\.ndjson$/i.test(name)) {
    const rows = parse(text, '');
    if (!Array.isArray(rows)) return fail('it holds no array');
    const wrong = rows.findIndex((row) => !isRow(row));
    return wrong < 0 ? (rows as Row[]) : fail(`element ${wrong + 1} is no object`);
  }
  return text.split('\n').flatMap((line, k) => {
    if (line.trim() === '') return [];
    const row = parse(line, `line ${k + 1}: `);
    return isRow(row) ? [row] : fail(`line ${k + 1} is no object`);
  });
};
