import { DurchblickError } from '../errors.ts';
import { type ArrowTable, arrowColumn, readArrow } from './arrow.ts';
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

/** Reads a file into columns, whatever its kind. */
export const tableFromFile = async (bytes: Uint8Array, file: string): Promise<{ readonly columns: Columns; readonly rows: number }> => {
  const rows = await readRows(bytes, file);
  if (isArrow(rows))
    return {
      columns: Object.fromEntries(rows.schema.fields.map(({ name }) => [name, arrowColumn(rows, name) ?? []])),
      rows: rows.numRows,
    };
  if (Array.isArray(rows)) {
    const list = rows as readonly Readonly<Record<string, unknown>>[];
    const names = [...new Set(list.flatMap((row) => Object.keys(row)))];
    return { columns: Object.fromEntries(names.map((name) => [name, list.map((row) => row[name] ?? null)])), rows: list.length };
  }
  const columns = rows as Columns;
  return { columns, rows: Object.values(columns)[0]?.length ?? 0 };
};
