// Parquet files as DuckDB is asked to read them: by the types that they state, and with what they say of all their rows.
import { open } from 'node:fs/promises';
import type { DuckDBConnection } from '@duckdb/node-api';
import type { ByteSource } from '../../files/bytes.ts';
import type { FoundFile } from '../../files/folder.ts';
import { type ParquetSchema, parquetSchema, type StatedValues } from '../../files/parquet.ts';
import { columnsInWords, unevenFiles } from '../shared/sources.ts';
import { freeName, type Relation, rawColumn, type SqlColumn } from '../sql/dialect.ts';
import { ROWS } from '../sql/fact.ts';
import {
  ALL_ROWS,
  firstDay,
  largest,
  lastDay,
  rowsWith,
  rowsWithout,
  type Stated,
  type Statistic,
  statisticKey,
} from '../sql/statistics.ts';
import { columnsNamed } from './columns.ts';
import { fileList } from './csv-files.ts';
import { duckdbDialect, duckdbKind } from './dialect.ts';
import { inPartitions } from './partitioned.ts';

const { identifier } = duckdbDialect;

/** The bytes of a file, piece by piece as they are asked for. */
const sourceOf = async (real: string): Promise<{ readonly source: ByteSource; readonly close: () => Promise<void> }> => {
  const handle = await open(real);
  const { size } = await handle.stat();
  const slice = async (start: number, end = size): Promise<ArrayBuffer> => {
    const bytes = new Uint8Array(Math.max(0, Math.min(end, size) - start));
    await handle.read(bytes, 0, bytes.length, start);
    return bytes.buffer;
  };
  return { source: { byteLength: size, slice }, close: () => handle.close() };
};

/** What DuckDB calls the place of a row in its file. */
const ROW_NUMBER = 'file_row_number';

interface ParquetFile {
  readonly file: FoundFile;
  readonly schema: ParquetSchema;
}

const looked = async (file: FoundFile): Promise<ParquetFile> => {
  const { source, close } = await sourceOf(file.real);
  return { file, schema: await parquetSchema(source, file.name).finally(close) };
};

/** Files that one pattern stands for have the same columns. */
const sameColumns = ([first, ...others]: readonly ParquetFile[]): void => {
  const wanted = columnsInWords(first.schema.columns);
  const other = others.find(({ schema }) => columnsInWords(schema.columns) !== wanted);
  if (other) throw unevenFiles(other.file.name, columnsInWords(other.schema.columns), first.file.name, wanted);
};

const typesOf = ({ schema }: ParquetFile): string => schema.columns.map(({ type }) => type).join(' ');

/** Files one after another that write their values alike. */
const runsOf = (files: readonly ParquetFile[]): ParquetFile[][] => {
  const runs: ParquetFile[][] = [];
  for (const own of files) {
    const last = runs.at(-1);
    if (last && typesOf(last[0]) === typesOf(own)) last.push(own);
    else runs.push([own]);
  }
  return runs;
};

/**
 * Parquet files by the types that they state; what DuckDB takes for another type is cast. Read together, the values of all files
 * would be squeezed into the types of the first: those of other types are read apart, and brought into types that hold them all.
 */
export const parquetFiles = async (
  connection: DuckDBConnection,
  found: readonly FoundFile[],
): Promise<Pick<Relation, 'from' | 'columns' | 'order' | 'stated'>> => {
  const files: ParquetFile[] = [];
  for (const file of found) files.push(await looked(file));
  sameColumns(files);
  const [{ schema }] = files;
  const names = schema.columns.map(({ name }) => name);
  const kinds = schema.columns.map((_, k) => typedBy(files, k));
  const columns = columnsNamed(names, kinds);
  const own = columns.map(({ as, name }) => identifier(as ?? name));
  // A file may have a column of that name, and none can be told to have another.
  const isNumbered = freeName(ROW_NUMBER, { columns }) === ROW_NUMBER;
  const order = isNumbered ? [freeName('row_file', { columns }), ROW_NUMBER] : [];
  const numbering = isNumbered ? `filename = '${order[0]}', file_row_number = true` : 'filename = false';
  const aliased = (list: readonly ParquetFile[]): string =>
    `read_parquet(${fileList(list.map(({ file }) => file))}, hive_partitioning = false, union_by_name = false, ${numbering}, binary_as_string = false) as file(${own.join(', ')})`;
  const selects = new Map<string, string>();
  for (const run of runsOf(files)) {
    if (selects.has(typesOf(run[0]))) continue;
    const described = (await connection.runAndReadAll(`describe select * from ${aliased(run)}`)).getRows();
    const casts = columns.map((column, k) => castOf(column, String(described[k][1]), own[k]));
    const isPlainly = casts.every((cast, k) => cast === own[k]);
    // What puts rows in order stands where it stands in those that are taken as they are.
    const numbers = described.slice(columns.length).map(([name]) => String(name));
    selects.set(typesOf(run[0]), isPlainly ? '*' : [...casts.map((cast, k) => `${cast} as ${own[k]}`), ...numbers].join(', '));
  }
  const byPath = new Map(files.map((one) => [one.file.real, one]));
  const { from, added } = inPartitions(found, names, (list) => {
    const runs = runsOf(list.map(({ real }) => byPath.get(real) as ParquetFile));
    return `(${runs.map((run) => `select ${selects.get(typesOf(run[0]))} from ${aliased(run)}`).join(' union all ')})`;
  });
  const isPlainly = [...selects.values()].every((select) => select === '*');
  return {
    from,
    columns: columnsNamed([...names, ...added], [...kinds, ...added.map(() => ({ kind: 'text' as const }))]),
    order,
    ...(isPlainly ? { stated: statedBy(from, columns, files) } : {}),
  };
};

/** A column with the kind that its file states, where DuckDB's type is of another. */
const castOf = ({ kind }: SqlColumn, type: string, name: string): string => {
  if (kind === 'unusable' || duckdbKind(type).kind === kind) return kind === 'text' && type !== 'VARCHAR' ? `${name}::varchar` : name;
  if (kind === 'text') return type === 'BLOB' ? `decode(${name})` : `${name}::varchar`;
  return name;
};

/** What all files state of a column's values, undefined where one of them does not. */
const statedTogether = (files: readonly ParquetFile[], k: number): StatedValues | undefined => {
  const all = files.flatMap(({ schema }) => schema.columns[k].stated ?? []);
  if (all.length < files.length) return undefined;
  const [least, greatest] = [all.flatMap((own) => own.least ?? []), all.flatMap((own) => own.greatest ?? [])];
  return {
    least: least.length === 0 ? null : Math.min(...least),
    greatest: greatest.length === 0 ? null : Math.max(...greatest),
    blanks: all.reduce((sum, { blanks }) => sum + blanks, 0),
  };
};

const largestIn = ({ least, greatest }: StatedValues): number | null =>
  least === null || greatest === null ? null : Math.max(Math.abs(least), Math.abs(greatest));

/** The type that holds a column's values of all files; of whole numbers, only as many digits as there are. */
const typedBy = (files: readonly ParquetFile[], k: number): Omit<SqlColumn, 'name' | 'as'> => {
  const all = files.map(({ schema }) => schema.columns[k]);
  const [{ kind, holds }] = all;
  const stated = kind === 'integer' ? statedTogether(files, k) : undefined;
  const scale = most(all.map((own) => own.scale));
  const whole = most(all.map((own) => own.precision && own.precision - (own.scale ?? 0)));
  const digits = stated ? String(largestIn(stated) ?? 0).length : undefined;
  const precision = whole === undefined ? undefined : Math.min(whole + (scale ?? 0), digits ?? Number.POSITIVE_INFINITY);
  return {
    // To DuckDB a decimal without decimals is a whole number, and its text has no point.
    kind: kind === 'decimal' && scale === 0 ? 'integer' : kind,
    ...(holds ? { holds } : {}),
    ...(scale === undefined ? {} : { scale }),
    ...(precision ? { precision } : {}),
  };
};

/** The greatest of some numbers; undefined where one of them is not known. */
const most = (numbers: readonly (number | undefined)[]): number | undefined => {
  const known = numbers.flatMap((own) => own ?? []);
  return known.length < numbers.length ? undefined : Math.max(...known);
};

/** What the files say of all rows, in the place of what would be asked of them. */
const statedBy = (from: string, columns: readonly SqlColumn[], files: readonly ParquetFile[]): Stated => {
  const rows = files.reduce((sum, { schema }) => sum + schema.rows, 0);
  const known: (readonly [Statistic, number | null])[] = [[ALL_ROWS, rows]];
  for (const [k, column] of columns.entries()) {
    const stated = statedTogether(files, k);
    if (!stated) continue;
    const value = rawColumn(duckdbDialect, ROWS, column);
    known.push([rowsWith(value), rows - stated.blanks], [rowsWithout(value), stated.blanks]);
    if (column.kind === 'date')
      known.push([firstDay(duckdbDialect, value), stated.least], [lastDay(duckdbDialect, value), stated.greatest]);
    else known.push([largest(duckdbDialect, value), largestIn(stated)]);
  }
  return new Map(known.map(([statistic, value]) => [statisticKey(from, statistic), value]));
};
