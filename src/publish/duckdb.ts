// Publications that are tables of a DuckDB file.
import { mkdtemp, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { DuckDBConnection, DuckDBInstance } from '@duckdb/node-api';
import { CLOSED, loadDuckDb } from '../engines/duckdb/instance.ts';
import { DurchblickError } from '../errors.ts';
import { parquetOf } from '../files/parquet.ts';
import type { Publication } from '../model/model.ts';
import type { PublishedTable } from './table.ts';
import { quotedName, sqlName, sqlText, type Target, targetText, thereBy } from './target.ts';

type TablePlace = Extract<Publication['to'], { kind: 'table' }>;

const failed = (error: unknown, what: string): DurchblickError =>
  error instanceof DurchblickError
    ? error
    : new DurchblickError('engine-failed', `DuckDB: ${(error as Error).message.split('\n')[0]} (${what})`, {
        kind: 'engine',
        cause: error,
      });

const openFile = async (path: string): Promise<DuckDBInstance> => {
  const { DuckDBInstance } = await loadDuckDb();
  return DuckDBInstance.create(path, CLOSED).catch((error: unknown) => {
    const text = (error as Error).message;
    throw new DurchblickError('cannot-open', `${path} cannot be opened for writing: ${text.split('\n')[0]}`, {
      kind: 'engine',
      hint: /lock/i.test(text)
        ? 'Another program has it open; DuckDB lets one program write, and none read meanwhile.'
        : 'Name a DuckDB file, or one that is not there yet.',
    });
  });
};

/** The comment of a table, null where it has none or is a view, undefined where there is nothing of the name. */
const describe = async (connection: DuckDBConnection, { schema, table }: TablePlace): Promise<string | null | undefined> => {
  const within = `schema_name = ${schema === undefined ? 'current_schema()' : sqlText(schema)} and database_name = current_database()`;
  const found = await connection.runAndReadAll(
    `select comment from duckdb_tables() where table_name = ${sqlText(table)} and ${within}
    union all select null from duckdb_views() where view_name = ${sqlText(table)} and ${within}`,
  );
  const [row] = found.getRows();
  return row && (row[0] as string | null);
};

/** Rows by way of a file of the same types. */
const put = async (connection: DuckDBConnection, to: TablePlace, table: PublishedTable, file: string): Promise<void> => {
  const name = sqlName(to);
  await writeFile(file, await parquetOf(table.columns));
  if (to.schema !== undefined) await connection.run(`create schema if not exists ${quotedName(to.schema)}`);
  await connection.run(`create or replace table ${name} as select * from read_parquet(${sqlText(file)})`);
  await connection.run(`comment on table ${name} is ${sqlText(table.comment)}`);
  for (const column of table.columns)
    await connection.run(`comment on column ${name}.${quotedName(column.name)} is ${sqlText(column.comment)}`);
};

/** Tables of a database file, each replaced in one transaction. A table that was not published is left alone; a file that is not there is made when the first is written. */
export const duckdbTarget = async (path: string): Promise<Target> => {
  let instance: DuckDBInstance | undefined;
  let connection: DuckDBConnection | undefined;
  const folder = await mkdtemp(join(tmpdir(), 'durchblick-'));
  const connected = async (): Promise<DuckDBConnection> => {
    instance ??= await openFile(path);
    connection ??= await instance.connect();
    return connection;
  };
  const isThere = (): Promise<boolean> =>
    stat(path).then(
      () => true,
      () => false,
    );
  return {
    look: async (to, table) => {
      if (!connection && !(await isThere())) return 'nothing';
      const comment = await describe(await connected(), to as TablePlace).catch((error: unknown) => {
        throw failed(error, `looking for ${targetText(to)}`);
      });
      return thereBy(comment, table);
    },
    write: async (to, table) => {
      const own = await connected();
      await own.run('begin');
      try {
        await put(own, to as TablePlace, table, join(folder, 'rows.parquet'));
        await own.run('commit');
      } catch (error) {
        await own.run('rollback').catch(() => undefined);
        throw failed(error, `publishing ${targetText(to)}`);
      }
    },
    close: async () => {
      connection?.closeSync();
      instance?.closeSync();
      await rm(folder, { recursive: true, force: true });
    },
  };
};
