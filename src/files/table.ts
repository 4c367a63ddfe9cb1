import { DurchblickError } from '../errors.ts';
import { type ArrowTable, arrowColumn, readArrow } from './arrow.ts';
import type { ByteSource } from './bytes.ts';
import { readCsv } from './csv.ts';
import { readJson } from './json.ts';
import { readParquet } from './parquet.ts';

type Columns = Readonly<Record<string, ArrayLike<unknown>>>;

/** What a file of rows holds: rows, columns or an Arrow table, as its reader gives them. */
export type FileRows = readonly Readonly<Record<string, unknown>>[] | Columns | ArrowTable;

/** What a table is like is seen in so many rows, or bytes of text. */
const SAMPLE_ROWS = 200_000;
const SAMPLE_BYTES = 32 * 2 ** 20;

/** Columns of a file, or of its first rows where there are too many to look at. */
export interface Sample {
  readonly columns: Columns;
  readonly rows: number;
  readonly of: 'all' | 'first';
}

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

const firstOfCsv = async (source: ByteSource, name: string): Promise<Sample> => {
  const head = new Uint8Array(await source.slice(0, Math.min(SAMPLE_BYTES, source.byteLength)));
  const isAll = head.length === source.byteLength;
  return { ...readCsv(isAll ? head : firstLines(head), name), of: isAll ? 'all' : 'first' };
};

const firstOfParquet = async (source: ByteSource, name: string): Promise<Sample> => {
  const columns = await readParquet(source, name, SAMPLE_ROWS);
  const rows = lengthOf(columns);
  return { columns, rows, of: rows === SAMPLE_ROWS ? 'first' : 'all' };
};

interface Reader {
  readonly ending: RegExp;
  readonly read: (bytes: Uint8Array, name: string) => FileRows | Promise<FileRows>;
  /** Reads no more than the first rows; kinds without it are read whole. */
  readonly first?: (source: ByteSource, name: string) => Promise<Sample>;
}

/** The files that can be read without a database, by the ends of their names. */
const READERS: readonly Reader[] = [
  { ending: /\.csv$/i, read: (bytes, name) => readCsv(bytes, name).columns, first: firstOfCsv },
  { ending: /\.parquet$/i, read: readParquet, first: firstOfParquet },
  { ending: /\.(json|ndjson)$/i, read: readJson },
  { ending: /\.(arrow|feather)$/i, read: readArrow },
];

const FILE_KINDS = '.csv, .parquet, .json, .ndjson and .arrow files';

const readerOf = (file: string): Reader => {
  const found = READERS.find(({ ending }) => ending.test(file));
  if (!found) throw new DurchblickError('unknown-file-kind', `${file} cannot be read`, { hint: `There are readers for ${FILE_KINDS}.` });
  return found;
};

/** Reads a file by the end of its name. */
export const readRows = async (bytes: Uint8Array, file: string): Promise<FileRows> => readerOf(file).read(bytes, file);

const lengthOf = (columns: Columns): number => Object.values(columns)[0]?.length ?? 0;
const isArrow = (rows: FileRows): rows is ArrowTable => typeof (rows as ArrowTable).getChild === 'function';

const columnsOf = (rows: FileRows): Columns => {
  if (isArrow(rows)) return Object.fromEntries(rows.schema.fields.map(({ name }) => [name, arrowColumn(rows, name) ?? []]));
  if (!Array.isArray(rows)) return rows as Columns;
  const list = rows as readonly Readonly<Record<string, unknown>>[];
  const names = [...new Set(list.flatMap((row) => Object.keys(row)))];
  return Object.fromEntries(names.map((name) => [name, list.map((row) => row[name] ?? null)]));
};

/** Looks into a file, whatever its kind; of large ones at the first rows. */
export const sampleOf = async (source: ByteSource, file: string): Promise<Sample> => {
  const { first, read } = readerOf(file);
  if (first) return first(source, file);
  const columns = columnsOf(await read(new Uint8Array(await source.slice(0, source.byteLength)), file));
  return { columns, rows: lengthOf(columns), of: 'all' };
};
