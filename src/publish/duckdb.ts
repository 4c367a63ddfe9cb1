// Publications that are tables of a DuckDB file.
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { CLOSED, loadDuckDb } from '../engines/duckdb/instance.ts';
import { DurchblickError } from '../errors.ts';
import { parquetOf } from '../files/parquet.ts';
import type { Publication } from '../model/model.ts';
import { type PublishedTable, printIn } from './table.ts';
import { sqlName, sqlText, type Target, tableCalled } from './target.ts';

type TablePlace = Extract<Publication['to'], { kind: 'table' }>;

const named = (name: string): string => sqlName({ kind: 'table', schema: undefined, table: name });

/** Tables of a database file, each replaced in one transaction. A table that was not published is left alone. */
export const duckdbTarget = async (path: string): Promise<Target> => {
  const { DuckDBInstance } = await loadDuckDb();
  const failed = (error: unknown, what: string): DurchblickError =>
    error instanceof DurchblickError
      ? error
      : new DurchblickError('engine-failed', `DuckDB: ${(error as Error).message.split('\n')[0]} (${what})`, {
          kind: 'engine',
          cause: error,
        });
  const opened = DuckDBInstance.create(path, CLOSED).catch((error: unknown) => {
    const text = (error as Error).message;
    throw new DurchblickError('cannot-open', `${path} cannot be opened for writing: ${text.split('\n')[0]}`, {
      kind: 'engine',
      hint: /lock/i.test(text)
        ? 'Another program has it open; DuckDB lets one program write, and none read meanwhile.'
        : 'Name a DuckDB file, or one that is not there yet.',
    });
  });
  const instance = await opened;
  const connection = await instance.connect();
  const folder = await mkdtemp(join(tmpdir(), 'durchblick-'));
  const describe = async (to: TablePlace): Promise<string | null | undefined> => {
    const where = `table_name = ${sqlText(to.table)} and schema_name = ${to.schema === undefined ? 'current_schema()' : sqlText(to.schema)}`;
    const tables = await connection.runAndReadAll(
      `select comment from duckdb_tables() where ${where} and database_name = current_database()`,
    );
    const [row] = tables.getRows();
    if (row) return row[0] as string | null;
    const views = await connection.runAndReadAll(
      `select 1 from duckdb_views() where view_name = ${sqlText(to.table)} and schema_name = ${to.schema === undefined ? 'current_schema()' : sqlText(to.schema)}`,
    );
    return views.getRows().length > 0 ? null : undefined;
  };
  const put = async (to: TablePlace, table: PublishedTable): Promise<void> => {
    const name = sqlName(to);
    const file = join(folder, 'rows.parquet');
    await writeFile(file, await parquetOf(table.columns));
    if (to.schema !== undefined) await connection.run(`create schema if not exists ${named(to.schema)}`);
    await connection.run(`create or replace table ${name} as select * from read_parquet(${sqlText(file)})`);
    await connection.run(`comment on table ${name} is ${sqlText(table.comment)}`);
    for (const column of table.columns)
      await connection.run(`comment on column ${name}.${named(column.name)} is ${sqlText(column.comment)}`);
  };
  return {
    called: tableCalled,
    look: async (to, table) => {
      const comment = await describe(to as TablePlace).catch((error: unknown) => {
        throw failed(error, `looking for ${tableCalled(to)}`);
      });
      if (comment === undefined) return 'nothing';
      const print = printIn(comment);
      return print === undefined ? 'foreign' : print === table.print ? 'same' : 'older';
    },
    write: async (to, table) => {
      await connection.run('begin');
      try {
        await put(to as TablePlace, table);
        await connection.run('commit');
      } catch (error) {
        await connection.run('rollback').catch(() => undefined);
        throw failed(error, `publishing ${tableCalled(to)}`);
      }
    },
    close: async () => {
      connection.closeSync();
      instance.closeSync();
      await rm(folder, { recursive: true, force: true });
    },
  };
};
