import Papa from 'papaparse';
import { DurchblickError } from '../errors.ts';
import { tooLarge } from './bytes.ts';

/** A table read from a file: texts by column. */
export interface TextTable {
  readonly columns: Readonly<Record<string, readonly string[]>>;
  readonly rows: number;
}

/** JavaScript's texts end at 2^29 characters. */
const MOST_BYTES = 2 ** 29 - 2 ** 20;

const SEPARATORS = [',', ';', '\t', '|'] as const;
export type Separator = (typeof SEPARATORS)[number];

/** What parts the fields of a file, by its header line: whichever of `, ; | TAB` is there most often, the comma in doubt. */
export const separatorOf = (header: string): Separator => {
  const plain = header.replace(/"[^"]*"/g, '');
  const count = (separator: string): number => plain.split(separator).length;
  return SEPARATORS.reduce((best, separator) => (count(separator) > count(best) ? separator : best));
};

/** Reads CSV with a header line (RFC 4180, or another separator; a byte order mark is skipped). All values stay texts. */
export const readCsv = (bytes: Uint8Array, name: string): TextTable => {
  if (bytes.byteLength > MOST_BYTES) throw tooLarge(name, `${Math.round(bytes.byteLength / 2 ** 20)} MiB`);
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new DurchblickError('bad-encoding', `${name} is not UTF-8`, { kind: 'data', hint: 'Save the file as UTF-8.' });
  }
  const delimiter = separatorOf(text.slice(0, text.search(/[\r\n]/) >>> 0));
  const { data: records, errors } = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { delimiter, skipEmptyLines: true });
  const fail = (row: number | undefined, message: string): never => {
    throw new DurchblickError('bad-csv', `${name}${row === undefined ? '' : `, record ${row + 1}`}: ${message}`, {
      kind: 'data',
      hint: 'The file must be CSV (RFC 4180): a header line, the same separator throughout, quotes doubled inside quotes.',
    });
  };
  const [fault] = errors.filter(({ type }) => type === 'Quotes');
  if (fault) fail(fault.row, 'a quoted field is not closed properly');
  const [header, ...lines] = records;
  if (!header)
    throw new DurchblickError('bad-csv', `${name} is empty`, {
      kind: 'data',
      hint: 'A header line with the names of the columns is needed.',
    });
  const columns: Record<string, string[]> = Object.create(null);
  const uneven = lines.findIndex((line) => line.length !== header.length);
  if (uneven >= 0) fail(uneven + 1, `it has ${lines[uneven].length} fields, the header has ${header.length}`);
  header.forEach((column, k) => {
    if (Object.hasOwn(columns, column))
      throw new DurchblickError('bad-csv', `${name} has two columns called "${column}"`, { kind: 'data', hint: 'Rename one of them.' });
    columns[column] = lines.map((line) => line[k]);
  });
  return { columns, rows: lines.length };
};
