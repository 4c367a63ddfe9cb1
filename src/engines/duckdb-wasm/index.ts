// The engine on DuckDB compiled to WebAssembly, for browsers.
import type { ArrowTable, ColumnKind, WrittenColumn } from '../../basics/columnar.ts';
import { NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import { arrowColumn, arrowStreamOf } from '../../files/arrow.ts';
import type { Files } from '../../files/files.ts';
import { columnsOfSource } from '../../model/columns.ts';
import type { Model } from '../../model/model.ts';
import { aborted } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';
import { handedText, type Loading, loadingOf, physicalNames } from '../duckdb/columns.ts';
import { DUCKDB_SETTINGS, duckdbDialect, duckdbKind } from '../duckdb/dialect.ts';
import type { Engine } from '../engine.ts';
import { oneAfterAnother } from '../shared/queue.ts';
import type { Table } from '../shared/table.ts';
import { type TableInput, tablesOf } from '../shared/tables.ts';
import { isBlank } from '../shared/values.ts';
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
  readonly prepare: (sql: string) => Promise<{ readonly close: () => Promise<void> }>;
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
    return openSqlStore(model, databaseOf(connection, options, table, model), opening);
  },
});

/** A value of an answer: all of them are small enough for a number, or texts. */
const plainValue = (value: unknown): unknown => (value === undefined || value !== value ? null : value);

/** A column as Arrow takes it: what has no type there goes over as text, and is cast behind. */
const written = (name: string, column: LoadedColumn): WrittenColumn => {
  const { values, loading } = column;
  const there = (value: unknown): boolean => !isBlank(value) && !(values instanceof Int32Array && value === NO_DAY);
  const hand = (value: unknown): string | number | boolean =>
    loading.as === 'text' || loading.as === 'integer' ? handedText(value, loading) : (value as number | boolean);
  const type = loading.as === 'double' ? 'number' : loading.as === 'integer' ? 'text' : loading.as;
  return { name, type, values: Array.from(values, (value) => (there(value) ? hand(value) : null)) };
};

interface LoadedColumn {
  readonly name: string;
  readonly as: string;
  readonly kind: ColumnKind;
  readonly values: ArrayLike<unknown>;
  readonly loading: Loading;
}

const loadedColumns = (rows: Table): LoadedColumn[] => {
  const physical = physicalNames(rows.columnNames);
  return rows.columnNames.map((name, k) => {
    const kind = rows.kind(name);
    const values = kind === 'unusable' ? new Array<null>(rows.rows).fill(null) : rows.column(name);
    return { name, as: physical[k], kind, values, loading: loadingOf(kind, values) };
  });
};

/** One database that a book asks, and the names that its own tables have there. */
interface Wasm {
  readonly connection: WasmConnection;
  readonly options: DuckDbWasmOptions;
  readonly model: Model;
  readonly run: (statement: Statement, signal?: Cancellation) => Promise<Rows>;
  readonly nextName: () => string;
}

const query = async (
  connection: WasmConnection,
  statement: Statement,
  trace: DuckDbWasmOptions['trace'],
  signal: Cancellation | undefined,
): Promise<Rows> => {
  if (signal?.aborted) throw aborted();
  trace?.(statement);
  const stop = (): void => void connection.cancelSent();
  signal?.addEventListener('abort', stop);
  try {
    const columns: unknown[][] = [];
    let count = 0;
    for await (const batch of await connection.send(statement.sql)) {
      const part = batch as ArrowTable;
      count += part.numRows;
      part.schema.fields.forEach((_, k) => {
        columns[k] ??= [];
        const { values } = arrowColumn(part, k);
        for (let row = 0; row < part.numRows; row++) columns[k].push(plainValue(values[row]));
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

const described = async ({ run }: Wasm, name: string, from: string): Promise<Relation> => {
  const { count, columns } = await run({ about: `columns of ${name}`, sql: `describe select * from ${from}` });
  const at = (k: number, row: number): string => String(columns[k][row]);
  return { name, from, columns: Array.from({ length: count }, (_, row) => ({ name: at(0, row), ...duckdbKind(at(1, row)) })) };
};

/** Of no rows at all nothing is known: every column may be meant. */
const emptyTable = async ({ connection, model }: Wasm, source: string, rows: Table, from: string): Promise<Relation> => {
  const known = columnsOfSource(source, model);
  const physical = physicalNames(known);
  await connection.query(
    `create temp table ${from} (${['nothing integer', ...physical.map((own) => `${identifier(own)} varchar`)].join(', ')})`,
  );
  return { name: rows.name, from, columns: known.map((column, k) => ({ name: column, as: physical[k], kind: 'text' })) };
};

const loaded = async (wasm: Wasm, source: string, rows: Table): Promise<Relation> => {
  const { connection, options, nextName } = wasm;
  const from = options.inPlace ? identifier(source) : identifier(nextName());
  const columns = loadedColumns(rows);
  if (columns.length === 0) return emptyTable(wasm, source, rows, from);
  // Arrow goes to the database's own tables only, where other books' rows may be on their way too.
  const handed = `durchblick_${crypto.randomUUID()}`;
  const bytes = await arrowStreamOf(columns.map((column) => written(column.as, column)));
  await connection.insertArrowFromIPCStream(bytes, { name: handed, create: true });
  const casts = columns.map(({ as, loading }) => `${identifier(as)}::${loading.type} as ${identifier(as)}`);
  await connection.query(`create temp table ${from} as select ${casts.join(', ')} from ${identifier(handed)}`);
  await connection.query(`drop table ${identifier(handed)}`);
  return {
    name: rows.name,
    from,
    columns: columns.map((column) => ({
      name: column.name,
      as: column.as,
      ...(column.kind === 'unusable' ? { kind: column.kind, holds: rows.holds(column.name) } : { kind: column.loading.kind }),
    })),
    ...(columns.every(({ kind }) => kind === 'text') ? { texts: true as const } : {}),
  };
};

const queried = async (wasm: Wasm, name: string, sql: string): Promise<Relation> => {
  const { connection } = wasm;
  // On lines of its own, so that a comment at its end closes nothing.
  const from = `(\n${sql.replace(/;\s*$/, '')}\n)`;
  try {
    // For the whole database and for good: a query of a model must not fetch what the page could.
    await connection.query('set enable_external_access = false');
    // What is prepared is one statement, and whatever stands behind FROM in brackets reads.
    await (await connection.prepare(`select * from ${from}`)).close();
    return await described(wasm, name, from);
  } catch (error) {
    throw new DurchblickError('bad-query', `the query of source "${name}" cannot run: ${reason(error)}`, {
      hint: 'A query is one SELECT over tables of the database.',
    });
  }
};

const databaseOf = (connection: WasmConnection, options: DuckDbWasmOptions, table: ReturnType<typeof tablesOf>, model: Model): Database => {
  let next = 0;
  const queue = oneAfterAnother();
  const run: Wasm['run'] = (statement, signal) => queue.run(() => query(connection, statement, options.trace, signal), signal);
  const wasm: Wasm = { connection, options, model, run, nextName: () => `durchblick_${next++}` };
  return {
    dialect: duckdbDialect,
    state: 'still',
    relation: async (source) => {
      const given = Object.hasOwn(options.tables ?? {}, source.name);
      if (source.kind === 'query' && !given) return queried(wasm, source.name, source.query);
      if (source.kind === 'table' && !given) return described(wasm, source.table, source.table.split('.').map(identifier).join('.'));
      return loaded(wasm, source.name, await table(source.name));
    },
    ...(options.inPlace
      ? {}
      : {
          keep: async (_, select) => {
            const name = wasm.nextName();
            await connection.query(`create temp table ${name} as ${select}`);
            return name;
          },
        }),
    ...(options.files ? { file: options.files } : {}),
    begin: async () => ({ run, end: async () => undefined }),
    close: async () => {
      await queue.idle();
      await connection.close();
    },
  };
};
