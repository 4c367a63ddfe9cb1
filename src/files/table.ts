import { DurchblickError } from '../errors.ts';
import { type ArrowTable, arrowColumn, readArrow } from './arrow.ts';
import type { ByteSource } from './bytes.ts';
import { readCsv } from './csv.ts';
import { readJson } from './json.ts';
import { readParquet } from './parquet.ts';

type Columns = Readonly<Record<string, ArrayLike<unknown>>>;

/** What a file of rows holds: rows, columns or an Arrow table, as its reader gives them. */
export type FileRows = readonly Readonly<Record<string, unknown>>[] | Columns | ArrowTable;

/** The files that can be read without a database, by the ends of their names. */
const READERS: readonly (readonly [RegExp, (bytes: Uint8Array, name: string) => FileRows | Promise<FileRows>])[] = [
  [/\.csv$/i, (bytes, name) => readCsv(bytes, name).columns],
  [/\.parquet$/i, readParquet],
  [/\.(json|ndjson)$/i, readJson],
  [/\.(arrow|feather)$/i, readArrow],
];

export const FILE_KINDS = '.csv, .parquet, .json, .ndjson and .arrow files';

/** Reads a file by the end of its name. */
export const readRows = async (bytes: Uint8Array, file: string): Promise<FileRows> => {
  const found = READERS.find(([ending]) => ending.test(file));
  if (!found) throw new DurchblickError('unknown-file-kind', `${file} cannot be read`, { hint: `There are readers for ${FILE_KINDS}.` });
  return found[1](bytes, file);
};

const isArrow = (rows: FileRows): rows is ArrowTable => typeof (rows as ArrowTable).getChild === 'function';

/** What a table is like is seen in so many rows, or bytes of text. */
const SAMPLE_ROWS = 200_000;
const SAMPLE_BYTES = 32 * 2 ** 20;

const [LINE_FEED, QUOTE] = [10, 34];

/** The first lines of a CSV file, up to the end of a record. */
const firstLines = (bytes: Uint8Array): Uint8Array => {
  let [end, quotes] = [0, 0];
  for (let k = 0; k < bytes.length; k++) {
    if (bytes[k] === QUOTE) quotes++;
    else if (bytes[k] === LINE_FEED && quotes % 2 === 0) end = k + 1;
  }
  return bytes.subarray(0, end);
};

/** Columns of a file, or of its first rows where there are too many to look at. */
export interface Sample {
  readonly columns: Columns;
  readonly rows: number;
  readonly of: 'all' | 'first';
}

/** Looks into a file, whatever its kind; of large ones at the first rows. */
export const sampleOf = async (source: ByteSource, file: string): Promise<Sample> => {
  const isLarge = source.byteLength > SAMPLE_BYTES;
  if (/\.parquet$/i.test(file)) {
    const columns = await readParquet(source, file, SAMPLE_ROWS);
    const rows = Object.values(columns)[0]?.length ?? 0;
    return { columns, rows, of: rows === SAMPLE_ROWS ? 'first' : 'all' };
  }
  if (isLarge && /\.csv$/i.test(file)) {
    const { columns, rows } = readCsv(firstLines(new Uint8Array(await source.slice(0, SAMPLE_BYTES))), file);
    return { columns, rows, of: 'first' };
  }
  const rows = await readRows(new Uint8Array(await source.slice(0, source.byteLength)), file);
  if (isArrow(rows))
    return {
      columns: Object.fromEntries(rows.schema.fields.map(({ name }) => [name, arrowColumn(rows, name) ?? []])),
      rows: rows.numRows,
      of: 'all',
    };
  if (Array.isArray(rows)) {
    const list = rows as readonly Readonly<Record<string, unknown>>[];
    const names = [...new Set(list.flatMap((row) => Object.keys(row)))];
    return { columns: Object.fromEntries(names.map((name) => [name, list.map((row) => row[name] ?? null)])), rows: list.length, of: 'all' };
  }
  const columns = rows as Columns;
  return { columns, rows: Object.values(columns)[0]?.length ?? 0, of: 'all' };
};
