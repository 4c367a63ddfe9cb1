// Files of rows by the ends of their names: read whole, or looked into.
import { DurchblickError } from '../errors.ts';
import type { Encoding } from '../model/model.ts';
import { readArrow } from './arrow.ts';
import type { ByteSource } from './bytes.ts';
import type { FileTable } from './column.ts';
import { readCsv } from './csv.ts';
import { lookAtBytes } from './csv-look.ts';
import { isPacked, unpackedName, unpackGzip } from './gzip.ts';
import { readJson } from './json.ts';
import { readParquet } from './parquet.ts';
import { asUtf8 } from './text.ts';

/** What a table is like is seen in so many rows, or bytes of text. */
const SAMPLE_ROWS = 200_000;
const SAMPLE_BYTES = 32 * 2 ** 20;

/** A file, or its first rows where there are too many to look at. */
export interface FileSample extends FileTable {
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

const firstOfCsv = async (source: ByteSource, name: string): Promise<FileSample> => {
  const head = new Uint8Array(await source.slice(0, Math.min(SAMPLE_BYTES, source.byteLength)));
  const isAll = head.length === source.byteLength;
  return { ...readCsv(isAll ? head : firstLines(head), name), of: isAll ? 'all' : 'first' };
};

const firstOfParquet = async (source: ByteSource, name: string): Promise<FileSample> => {
  const table = await readParquet(source, name, SAMPLE_ROWS);
  return { ...table, of: table.rows === SAMPLE_ROWS ? 'first' : 'all' };
};

interface Reader {
  readonly ending: RegExp;
  /** Texts may be packed by gzip: `.csv.gz`. */
  readonly packed?: 'gzip';
  readonly read: (bytes: Uint8Array, name: string, reading: FileReading) => FileTable | Promise<FileTable>;
  /** Reads no more than the first rows; kinds without it are read whole. */
  readonly first?: (source: ByteSource, name: string) => Promise<FileSample>;
}

/** The files that can be read without a database, by the ends of their names. */
const READERS: readonly Reader[] = [
  { ending: /\.csv$/i, read: (bytes, name) => readCsv(bytes, name, lookAtBytes(bytes)), first: firstOfCsv, packed: 'gzip' },
  { ending: /\.parquet$/i, read: (bytes, name) => readParquet(bytes, name), first: firstOfParquet },
  { ending: /\.(json|ndjson|jsonl)$/i, read: readJson, packed: 'gzip' },
  { ending: /\.(arrow|feather)$/i, read: readArrow },
  { ending: /\.xlsx$/i, read: async (bytes, name, { sheet }) => (await import('./xlsx.ts')).readXlsx(bytes, name, sheet) },
];

export const FILE_KINDS = '.csv, .parquet, .json, .ndjson, .arrow and .xlsx files; .csv and .json may be packed: .csv.gz';

const readerOf = (file: string): Reader => {
  const inside = unpackedName(file);
  const found = READERS.find(({ ending, packed }) => ending.test(inside) && (inside === file || packed === 'gzip'));
  if (!found) throw new DurchblickError('unknown-file-kind', `${file} cannot be read`, { hint: `There are readers for ${FILE_KINDS}.` });
  return found;
};

/** What a source says of its files. */
export interface FileReading {
  readonly encoding?: Encoding | undefined;
  readonly sheet?: string | undefined;
}

/** Reads a file by the end of its name. */
export const readFileTable = async (bytes: Uint8Array, file: string, reading: FileReading = {}): Promise<FileTable> => {
  const { read } = readerOf(file);
  const plain = isPacked(file) ? await unpackGzip(bytes, file) : bytes;
  return read(asUtf8(plain, file, reading.encoding), isPacked(file) ? unpackedName(file) : file, reading);
};

/** Looks into a file, whatever its kind; of large ones at the first rows. */
export const sampleOf = async (source: ByteSource, file: string): Promise<FileSample> => {
  const { first } = readerOf(file);
  if (first && !isPacked(file)) return first(source, file);
  return { ...(await readFileTable(new Uint8Array(await source.slice(0, source.byteLength)), file)), of: 'all' };
};
