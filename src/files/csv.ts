import { parse } from '#csv-parse';
import { DurchblickError } from '../errors.ts';

/** A table read from a file: texts by column. */
export interface TextTable {
  readonly columns: Readonly<Record<string, readonly string[]>>;
  readonly rows: number;
}

/** Reads CSV with a header line (RFC 4180; a byte order mark is skipped). All values stay texts. */
export const readCsv = (bytes: Uint8Array, name: string): TextTable => {
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new DurchblickError('bad-encoding', `${name} is not UTF-8`, { kind: 'data', hint: 'Save the file as UTF-8.' });
  }
  let records: string[][];
  try {
    records = parse(text, { bom: true, skip_empty_lines: true }) as string[][];
  } catch (error) {
    const { message, lines } = error as Error & { lines?: number };
    throw new DurchblickError('bad-csv', `${name}${lines === undefined ? '' : `:${lines}`}: ${message}`, {
      kind: 'data',
      hint: 'The file must be RFC 4180 CSV with a header line.',
    });
  }
  const [header, ...lines] = records;
  if (!header)
    throw new DurchblickError('bad-csv', `${name} is empty`, {
      kind: 'data',
      hint: 'A header line with the names of the columns is needed.',
    });
  const columns: Record<string, string[]> = Object.create(null);
  header.forEach((column, k) => {
    if (Object.hasOwn(columns, column))
      throw new DurchblickError('bad-csv', `${name} has two columns called "${column}"`, { kind: 'data', hint: 'Rename one of them.' });
    columns[column] = lines.map((line) => line[k]);
  });
  return { columns, rows: lines.length };
};
