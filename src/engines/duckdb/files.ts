// File sources as relations of DuckDB, each meaning what docs/files.md says, whoever reads it.
import { open, readFile } from 'node:fs/promises';
import type { DuckDBConnection } from '@duckdb/node-api';
import { DurchblickError } from '../../errors.ts';
import type { ByteSource } from '../../files/bytes.ts';
import type { FileTable } from '../../files/column.ts';
import { type CsvFacts, csvScan } from '../../files/csv.ts';
import type { FolderFiles, FoundFile } from '../../files/folder.ts';
import { isPacked } from '../../files/gzip.ts';
import { parquetSchema } from '../../files/parquet.ts';
import { addedNames, partitionsOf, withPartitions } from '../../files/partitions.ts';
import { readFileTable } from '../../files/table.ts';
import { checkNames } from '../../files/text.ts';
import { joinedTables } from '../shared/sources.ts';
import type { SqlColumn } from '../sql/dialect.ts';
import { physicalNames } from './columns.ts';
import { csvPieces, fileList, LONGEST, readCsvSql } from './csv-files.ts';
import { duckdbDialect, duckdbKind } from './dialect.ts';

const { identifier } = duckdbDialect;

/** What a file is to DuckDB: a select that reads it where it lies, or rows that must be loaded. */
export type FileRelation =
  | {
      readonly kind: 'select';
      readonly from: string;
      readonly columns: readonly SqlColumn[];
      /** Of texts: how many rows it must have. What DuckDB reads otherwise is read by ours. */
      readonly texts?: { readonly records: number; readonly otherwise: () => Promise<FileTable> };
    }
  | { readonly kind: 'rows'; readonly table: FileTable };

const columnsNamed = (names: readonly string[], kinds: readonly Omit<SqlColumn, 'name' | 'as'>[]): SqlColumn[] =>
  physicalNames(names).map((as, k) => ({ ...kinds[k], name: names[k], as }));

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
      throw new DurchblickError(
        'uneven-files',
        `${files[k + 1].name} has the columns ${header.join(', ')}, ${files[0].name} has ${first.header.join(', ')}`,
        {
          kind: 'data',
          hint: 'Files that one pattern stands for have the same columns in the same order.',
        },
      );
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

/** A Parquet file by the types that its schema states; what DuckDB takes for another type is cast. */
const parquetRelation = async (connection: DuckDBConnection, files: readonly FoundFile[]): Promise<FileRelation> => {
  const schemas = [];
  for (const { name, real } of files) {
    const { source, close } = await sourceOf(real);
    schemas.push(await parquetSchema(source, name).finally(close));
  }
  const [schema, ...others] = schemas;
  const described = (columns: typeof schema): string => columns.map(({ name, kind }) => `${name} (${kind})`).join(', ');
  for (const [k, other] of others.entries())
    if (described(other) !== described(schema))
      throw new DurchblickError(
        'uneven-files',
        `${files[k + 1].name} has the columns ${described(other)}, ${files[0].name} has ${described(schema)}`,
        {
          kind: 'data',
          hint: 'Files that one pattern stands for have the same columns in the same order.',
        },
      );
  const names = schema.map(({ name }) => name);
  const columns = columnsNamed(names, schema);
  const own = columns.map(({ as, name }) => identifier(as ?? name));
  const aliasedOf = (list: readonly FoundFile[]): string =>
    `read_parquet(${fileList(list)}, hive_partitioning = false, union_by_name = false, filename = false, binary_as_string = false) as file(${own.join(', ')})`;
  const aliased = aliasedOf(files);
  const types = (await connection.runAndReadAll(`describe select * from ${aliased}`)).getRows().map((row) => String(row[1]));
  const casts = columns.map((column, k) => castOf(column, types[k], own[k]));
  const isPlainly = casts.every((cast, k) => cast === own[k]);
  const { from, added } = inPartitions(files, names, (list) =>
    isPlainly
      ? `(select * from ${aliasedOf(list)})`
      : `(select ${casts.map((cast, k) => `${cast} as ${own[k]}`).join(', ')} from ${aliasedOf(list)})`,
  );
  const all = [...names, ...added];
  return { kind: 'select', from, columns: columnsNamed(all, [...schema, ...added.map(() => ({ kind: 'text' as const }))]) };
};

/** A column with the kind that its file states, where DuckDB's type is of another. */
const castOf = ({ kind }: SqlColumn, type: string, name: string): string => {
  if (kind === 'unusable' || duckdbKind(type).kind === kind) return kind === 'text' && type !== 'VARCHAR' ? `${name}::varchar` : name;
  if (kind === 'text') return type === 'BLOB' ? `decode(${name})` : `${name}::varchar`;
  return name;
};

/** Files by what their folders say of them, as one relation with that beside their columns. */
const inPartitions = (
  files: readonly FoundFile[],
  names: readonly string[],
  read: (files: readonly FoundFile[]) => string,
): { readonly from: string; readonly added: readonly string[] } => {
  const partitions = partitionsOf(files.map(({ name }) => name));
  const added = partitions ? addedNames(partitions, names) : [];
  if (!partitions || added.length === 0) return { from: read(files), added: [] };
  const groups = new Map<string, { readonly values: readonly (string | null)[]; readonly files: FoundFile[] }>();
  files.forEach((file, k) => {
    const values = added.map((at) => partitions.values[k][at]);
    const group = groups.get(JSON.stringify(values)) ?? { values, files: [] };
    groups.set(JSON.stringify(values), group);
    group.files.push(file);
  });
  const own = physicalNames([...names, ...added.map((k) => partitions.names[k])]).slice(names.length);
  const selects = [...groups.values()].map(({ values, files: list }) => {
    const said = values.map((value, k) => `${value === null ? 'null' : duckdbDialect.text(value)}::varchar as ${identifier(own[k])}`);
    return `select *, ${said.join(', ')} from ${read(list)}`;
  });
  return { from: `(${selects.join(' union all ')})`, added: added.map((k) => partitions.names[k]) };
};

/** A file source, read by DuckDB where that means the same, else as the memory engine does. */
export const fileRelation = async (connection: DuckDBConnection, file: string, files: FolderFiles): Promise<FileRelation> => {
  const found = await files.find(file);
  const endings = (pattern: RegExp): boolean => found.every(({ name }) => pattern.test(name));
  if (endings(/\.csv(\.gz)?$/i)) return csvRelation(found);
  if (endings(/\.parquet$/i)) return parquetRelation(connection, found);
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
