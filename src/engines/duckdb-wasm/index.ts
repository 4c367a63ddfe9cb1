import { NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import { type ArrowTable, arrowColumn, arrowStreamOf } from '../../files/arrow.ts';
import type { Files } from '../../files/files.ts';
import type { WrittenColumn } from '../../kernels/columnar.ts';
import { dateColumns } from '../../model/columns.ts';
import type { Cancellation } from '../../plan/request.ts';
import { DUCKDB_SETTINGS, duckdbDialect, duckdbKind } from '../duckdb/dialect.ts';
import type { Engine } from '../engine.ts';
import { type TableInput, tablesOf } from '../memory/tables.ts';
import type { Database, Rows, Statement } from '../sql/database.ts';
import type { Relation } from '../sql/dialect.ts';
import { openSqlStore } from '../sql/store.ts';

/** What is used of an `AsyncDuckDB` of `@duckdb/duckdb-wasm`, made with the bundle and the worker that an application has. */
export interface WasmDatabase {
  readonly connect: () => Promise<WasmConnection>;
}

export interface WasmConnection {
  readonly query: (sql: string) => Promise<unknown>;
  readonly send: (sql: string) => Promise<AsyncIterable<unknown>>;
  readonly cancelSent: () => Promise<boolean>;
  readonly insertArrowFromIPCStream: (bytes: Uint8Array, options: { readonly name: string; readonly create: boolean }) => Promise<void>;
  readonly close: () => Promise<void>;
}

export interface DuckDbWasmOptions {
  readonly database: WasmDatabase;
  /** Tables given by the program, by source, as for `memory`. */
  readonly tables?: Readonly<Record<string, TableInput>>;
  /** Opens the model's file sources: `urlFiles` in browsers. */
  readonly files?: Files;
  /** Is told every statement before it runs. */
  readonly trace?: (statement: Statement) => void;
  /** Leaves rows under their sources' names and as they came, so that traced statements can be read; slower. */
  readonly inPlace?: boolean;
}

const { identifier } = duckdbDialect;
const reason = (error: unknown): string => (error as Error).message.split('\n')[0];
const aborted = (): DurchblickError => new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });

/**
 * The engine that lets DuckDB scan in a browser. Files and given tables are handed over as Arrow; nothing is fetched but
 * what `files` fetches.
 */
export const duckdbWasm = (options: DuckDbWasmOptions): Engine => ({
  name: 'duckdb-wasm',
  open: async (model, opening) => {
    const connection = await options.database.connect();
    await connection.query(DUCKDB_SETTINGS);
    const table = tablesOf(model, options.tables ?? {}, options.files);
    return openSqlStore(model, databaseOf(connection, options, table, dateColumns(model)), opening);
  },
});

/** The values of a column in the narrowest type that holds them all, as Arrow takes them. */
const written = (name: string, values: ArrayLike<unknown>, isDate: boolean): WrittenColumn => {
  const list = Array.from(values, (value) => (value === undefined || value === '' || value !== value ? null : value));
  if (isDate && values instanceof Int32Array)
    return { name, type: 'date', values: list.map((day) => (day === NO_DAY ? null : (day as number))) };
  if (values instanceof Int32Array)
    return { name, type: 'number', values: list.map((value) => (value === NO_DAY ? null : (value as number))) };
  const there = list.filter((value) => value !== null);
  if (there.length > 0 && there.every((value) => typeof value === 'number' || typeof value === 'bigint'))
    return { name, type: 'number', values: list.map((value) => (value === null ? null : Number(value))) };
  if (there.length > 0 && there.every((value) => typeof value === 'boolean'))
    return { name, type: 'boolean', values: list as (boolean | null)[] };
  return {
    name,
    type: 'text',
    values: list.map((value) => (value instanceof Date ? value.toISOString() : value === null ? null : String(value))),
  };
};

const databaseOf = (
  connection: WasmConnection,
  options: DuckDbWasmOptions,
  table: ReturnType<typeof tablesOf>,
  dates: ReadonlyMap<string, ReadonlySet<string>>,
): Database => {
  let next = 0;
  /** One statement at a time; those that wait are in order. */
  let turn: Promise<unknown> = Promise.resolve();
  const query = async (statement: Statement, signal: Cancellation | undefined): Promise<Rows> => {
    if (signal?.aborted) throw aborted();
    options.trace?.(statement);
    const stop = (): void => void connection.cancelSent();
    signal?.addEventListener('abort', stop);
    try {
      const columns: unknown[][] = [];
      let count = 0;
      for await (const batch of await connection.send(statement.sql)) {
        const part = batch as ArrowTable;
        count += part.numRows;
        part.schema.fields.forEach(({ name }, k) => {
          columns[k] ??= [];
          const values = arrowColumn(part, name) ?? [];
          for (let row = 0; row < part.numRows; row++) columns[k].push(values[row] ?? null);
        });
      }
      if (signal?.aborted) throw aborted();
      return { count, columns };
    } catch (error) {
      if (signal?.aborted) throw aborted();
      throw new DurchblickError('engine-failed', `DuckDB: ${reason(error)} (${statement.about})`, { kind: 'engine' });
    } finally {
      signal?.removeEventListener('abort', stop);
    }
  };
  const run = (statement: Statement, signal?: Cancellation): Promise<Rows> => {
    const mine = turn.then(() => query(statement, signal));
    turn = mine.catch(() => undefined);
    return mine;
  };
  const describe = async (name: string, from: string): Promise<Relation> => {
    const { count, columns } = await run({ about: `columns of ${name}`, sql: `describe select * from ${from}` });
    const at = (k: number, row: number): string => String(columns[k][row]);
    return { name, from, columns: Array.from({ length: count }, (_, row) => ({ name: at(0, row), ...duckdbKind(at(1, row)) })) };
  };
  const relation: Database['relation'] = async (source) => {
    if (source.kind === 'query' && !Object.hasOwn(options.tables ?? {}, source.name))
      return describe(source.name, `(${source.query.replace(/;\s*$/, '')})`);
    if (source.kind === 'table' && !Object.hasOwn(options.tables ?? {}, source.name))
      return describe(source.table, source.table.split('.').map(identifier).join('.'));
    const rows = await table(source.name);
    const own = dates.get(source.name);
    const columns = rows.columnNames.map((column) => written(column, rows.column(column), own?.has(column) ?? false));
    const name = options.inPlace ? source.name : `durchblick_${next++}`;
    if (columns.length === 0) await connection.query(`create table ${identifier(name)} (empty integer)`);
    else await connection.insertArrowFromIPCStream(await arrowStreamOf(columns), { name, create: true });
    const texts = columns.every(({ type }) => type === 'text');
    return { ...(await describe(rows.name, identifier(name))), ...(texts ? { texts: true as const } : {}) };
  };
  return {
    dialect: duckdbDialect,
    state: 'still',
    relation,
    ...(options.inPlace
      ? {}
      : {
          keep: async (_, select) => {
            const name = `durchblick_${next++}`;
            await connection.query(`create table ${name} as ${select}`);
            return name;
          },
        }),
    ...(options.files ? { file: options.files } : {}),
    begin: async () => ({ run, end: async () => undefined }),
    close: async () => {
      await turn.catch(() => undefined);
      await connection.close();
    },
  };
};
