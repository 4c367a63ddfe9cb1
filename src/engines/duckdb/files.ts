// File sources as relations of DuckDB, each meaning what docs/files.md says, whoever reads it.
import { readFile } from 'node:fs/promises';
import type { DuckDBConnection } from '@duckdb/node-api';
import type { FileTable } from '../../files/column.ts';
import { type CsvFacts, csvScan } from '../../files/csv.ts';
import type { FolderFiles, FoundFile } from '../../files/folder.ts';
import { isPacked } from '../../files/gzip.ts';
import { partitionsOf, withPartitions } from '../../files/partitions.ts';
import { readFileTable } from '../../files/table.ts';
import { checkNames } from '../../files/text.ts';
import { joinedTables, unevenFiles } from '../shared/sources.ts';
import type { SqlColumn } from '../sql/dialect.ts';
import type { Stated } from '../sql/statistics.ts';
import { columnsNamed, physicalNames } from './columns.ts';
import { csvPieces, LONGEST, readCsvSql } from './csv-files.ts';
import { parquetFiles } from './parquet-files.ts';
import { inPartitions } from './partitioned.ts';

/** What a file is to DuckDB: a select that reads it where it lies, or rows that must be loaded. */
export type FileRelation =
  | {
      readonly kind: 'select';
      readonly from: string;
      readonly columns: readonly SqlColumn[];
      readonly order?: readonly string[];
      /** What the files say of all rows. */
      readonly stated?: Stated;
      /** Of texts: how many rows it must have. What DuckDB reads otherwise is read by ours. */
      readonly texts?: { readonly records: number; readonly otherwise: () => Promise<FileTable> };
    }
  | { readonly kind: 'rows'; readonly table: FileTable };

interface CsvLook {
  readonly facts: CsvFacts;
  readonly header: readonly string[];
}

/** Looks at every byte of a CSV file, whatever its size. */
const lookAtCsv = async (file: FoundFile): Promise<CsvLook> => {
  const { name } = file;
  const scan = csvScan(name);
  for await (const piece of csvPieces(file)) scan.push(piece);
  const facts = scan.end();
  const header = facts.header();
  checkNames(header, name);
  return { facts, header };
};

/** Files that DuckDB's reader and ours read alike, as the tests hold them to; others are read by ours. */
const isPlain = ({ facts, header }: CsvLook): boolean =>
  facts.ends !== 'both' &&
  facts.emptyLines === 0 &&
  !(header.length === 1 && facts.emptyEnd) &&
  !facts.bareQuotes &&
  !facts.quotedEnds &&
  facts.longest < LONGEST;

/** Files that one pattern stands for have one header. */
const sameHeaders = (looks: readonly CsvLook[], files: readonly FoundFile[]): void => {
  const [first, ...others] = looks;
  for (const [k, { header, facts }] of others.entries())
    if (header.join('\u0000') !== first.header.join('\u0000') || facts.separator !== first.facts.separator)
      throw unevenFiles(files[k + 1].name, header.join(', '), files[0].name, first.header.join(', '));
};

const csvRelation = async (files: readonly FoundFile[]): Promise<FileRelation> => {
  const looks: CsvLook[] = [];
  for (const file of files) looks.push(await lookAtCsv(file));
  sameHeaders(looks, files);
  const partitions = partitionsOf(files.map(({ name }) => name));
  const otherwise = async (): Promise<FileTable> =>
    joinedTables(
      await Promise.all(files.map(async (file, k) => withPartitions(await readPlainly(file), partitions, k))),
      files.map(({ name }) => name),
    );
  const ends = new Set(looks.map(({ facts }) => facts.ends));
  const packed = new Set(files.map(({ name }) => isPacked(name)));
  if (!looks.every(isPlain) || ends.size > 1 || packed.size > 1) return { kind: 'rows', table: await otherwise() };
  const { header } = looks[0];
  const { from, added } = inPartitions(files, header, (list) =>
    readCsvSql(list, {
      separator: looks[0].facts.separator,
      ends: looks[0].facts.ends === 'crlf' ? 'crlf' : 'lf',
      columns: physicalNames(header).map((name) => [name, 'varchar'] as const),
    }),
  );
  const all = [...header, ...added];
  const records = looks.reduce((sum, { facts }) => sum + facts.records, 0);
  return {
    kind: 'select',
    from,
    columns: columnsNamed(
      all,
      all.map(() => ({ kind: 'text' as const })),
    ),
    texts: { records, otherwise },
  };
};

/** Reads a file as the memory engine does. */
const readPlainly = async ({ name, real }: FoundFile): Promise<FileTable> => readFileTable(await readFile(real), name);

/** A file source, read by DuckDB where that means the same, else as the memory engine does. */
export const fileRelation = async (connection: DuckDBConnection, file: string, files: FolderFiles): Promise<FileRelation> => {
  const found = await files.find(file);
  const endings = (pattern: RegExp): boolean => found.every(({ name }) => pattern.test(name));
  if (endings(/\.csv(\.gz)?$/i)) return csvRelation(found);
  if (endings(/\.parquet$/i)) return { kind: 'select', ...(await parquetFiles(connection, found)) };
  const partitions = partitionsOf(found.map(({ name }) => name));
  const tables: FileTable[] = [];
  for (const [k, one] of found.entries()) tables.push(withPartitions(await readPlainly(one), partitions, k));
  return {
    kind: 'rows',
    table: joinedTables(
      tables,
      found.map(({ name }) => name),
    ),
  };
};
