import type { DuckDBConnection, DuckDBInstance } from '@duckdb/node-api';
import { DurchblickError, suggest } from '../../errors.ts';
import { type Separator, separatorOf } from '../../files/csv.ts';
import type { Files } from '../../files/files.ts';
import { dateColumns } from '../../model/columns.ts';
import type { Source } from '../../model/model.ts';
import type { Cancellation } from '../../plan/request.ts';
import type { Engine } from '../engine.ts';
import type { TableInput } from '../memory/tables.ts';
import type { Database, Rows, Session, Statement } from '../sql/database.ts';
import type { Relation } from '../sql/dialect.ts';
import { openSqlStore } from '../sql/store.ts';
import { DUCKDB_SETTINGS, duckdbDialect, duckdbKind } from './dialect.ts';
import { loadTable } from './load.ts';

export interface DuckDbOptions {
  /** A database file, opened read-only; a database in memory when left out. */
  readonly path?: string;
  /** Tables given by the program, by source, as for `memory`. */
  readonly tables?: Readonly<Record<string, TableInput>>;
  /** The folder that file sources are relative to; they are read by DuckDB itself. */
  readonly folder?: string;
  /** Opens a model's other files: holidays, and Arrow files. */
  readonly files?: Files;
  /** Threads; all cores when left out. */
  readonly threads?: number;
  /** What DuckDB may use, as in `4GB`; most of the machine's when left out. */
  readonly memoryLimit?: string;
  /** Is told every statement before it runs. */
  readonly trace?: (statement: Statement) => void;
  /** Leaves text files where they are, behind views, so that traced statements run as they stand; slower. */
  readonly inPlace?: boolean;
}

const { identifier, text } = duckdbDialect;

/** What the statement that makes a view of a file begins to say. */
export const VIEW = 'the file';

/** What DuckDB says, in one line. */
const reason = (error: unknown): string => (error as Error).message.split('\n')[0];

const loadDuckDb = async (): Promise<typeof import('@duckdb/node-api')> => {
  try {
    return await import('@duckdb/node-api');
  } catch (error) {
    throw new DurchblickError('no-package', 'the duckdb engine needs @duckdb/node-api', {
      kind: 'engine',
      hint: `Install it: npm install @duckdb/node-api. (${reason(error)})`,
    });
  }
};

const CSV = /\.csv(\.gz)?$/i;
const csv = (path: string, separator: Separator): string =>
  `read_csv(${path}, all_varchar = true, header = true, delim = ${text(separator)}, quote = '"', escape = '"', nullstr = '', strict_mode = true, null_padding = false)`;

const FILE_KINDS: readonly (readonly [RegExp, (path: string, separator: Separator) => string])[] = [
  [CSV, csv],
  [/\.parquet$/i, (path) => `read_parquet(${path})`],
  [/\.ndjson$/i, (path) => `read_json(${path}, format = 'newline_delimited')`],
  [/\.json$/i, (path) => `read_json(${path})`],
];

/**
 * The engine that lets DuckDB scan: CSV, Parquet and JSON files of the model where they lie, the tables of a database
 * file (read-only), or tables that a program gives.
 */
export const duckdb = (options: DuckDbOptions = {}): Engine => ({
  name: 'duckdb',
  open: async (model, opening) => {
    const { DuckDBInstance } = await loadDuckDb();
    const settings = {
      ...(options.threads ? { threads: String(options.threads) } : {}),
      ...(options.memoryLimit ? { memory_limit: options.memoryLimit } : {}),
      ...(options.path ? { access_mode: 'READ_ONLY' } : {}),
    };
    let instance: DuckDBInstance;
    try {
      instance = await DuckDBInstance.create(options.path ?? ':memory:', settings);
    } catch (error) {
      throw new DurchblickError('no-database', `cannot open ${options.path ?? 'a database in memory'}: ${reason(error)}`, {
        kind: 'engine',
      });
    }
    return openSqlStore(model, await databaseOf(instance, options, dateColumns(model)), opening);
  },
});

const databaseOf = async (
  instance: DuckDBInstance,
  options: DuckDbOptions,
  dates: ReadonlyMap<string, ReadonlySet<string>>,
): Promise<Database> => {
  const connection = await instance.connect();
  await connection.run(DUCKDB_SETTINGS);
  let next = 0;
  /** One statement at a time; those that wait are in order. */
  let turn: Promise<unknown> = Promise.resolve();
  const run = (statement: Statement, signal?: Cancellation): Promise<Rows> => {
    const mine = turn.then(() => runStatement(connection, statement, signal, options.trace));
    turn = mine.catch(() => undefined);
    return mine;
  };
  const describe = async (name: string, from: string): Promise<Relation> => {
    const rows = await runStatement(
      connection,
      { about: `columns of ${name}`, sql: `describe select * from ${from}` },
      undefined,
      options.trace,
    );
    const columns = Array.from({ length: rows.count }, (_, k) => ({
      name: String(rows.columns[0][k]),
      ...duckdbKind(String(rows.columns[1][k])),
    }));
    return { name, from, columns };
  };
  const temporary = (): string => identifier(`durchblick_${next++}`);
  const fromFile = async (source: Extract<Source, { kind: 'file' }>): Promise<Relation> => {
    const { file } = source;
    if (/\.(arrow|feather)$/i.test(file)) return given(source.name, await arrowFile(file, options.files));
    const kind = FILE_KINDS.find(([ending]) => ending.test(file));
    if (!kind)
      throw new DurchblickError('unknown-file-kind', `the duckdb engine cannot read ${file}`, {
        hint: 'It reads .csv, .parquet, .json, .ndjson and .arrow files.',
      });
    const path = options.folder === undefined || /^([/\\]|\w+:)/.test(file) ? file : `${options.folder.replace(/[/\\]$/, '')}/${file}`;
    const texts = CSV.test(file);
    try {
      const from = kind[1](text(path), texts ? await separatorIn(connection, path) : ',');
      if (options.inPlace) {
        const view = identifier(source.name);
        const statement = { about: `${VIEW} ${file}`, sql: `create temp view ${view} as select * from ${from}` };
        options.trace?.(statement);
        await connection.run(statement.sql);
        return { ...(await describe(file, view)), ...(texts ? { texts: true as const } : {}) };
      }
      if (!texts) return describe(file, from);
      const table = temporary();
      await connection.run(`create temp table ${table} as select * from ${from}`);
      return { ...(await describe(file, table)), texts: true };
    } catch (error) {
      throw fileFault(file, error);
    }
  };
  const given = async (name: string, input: TableInput): Promise<Relation> => {
    const table = temporary();
    await loadTable(connection, table, input, name, dates.get(name) ?? new Set());
    return describe(name, table);
  };
  const relation = async (source: Source): Promise<Relation> => {
    const table = options.tables?.[source.name];
    if (table && Object.hasOwn(options.tables ?? {}, source.name)) return given(source.name, table);
    if (source.kind === 'file') return fromFile(source);
    if (source.kind === 'given')
      throw new DurchblickError('no-table', `no table was given for source "${source.name}"`, {
        hint: suggest(source.name, Object.keys(options.tables ?? {}), 'tables given'),
      });
    const from = source.kind === 'table' ? source.table.split('.').map(identifier).join('.') : `(${source.query.replace(/;\s*$/, '')})`;
    try {
      return await describe(source.kind === 'table' ? source.table : source.name, from);
    } catch (error) {
      throw new DurchblickError(
        source.kind === 'table' ? 'unknown-table' : 'bad-query',
        source.kind === 'table'
          ? `there is no table ${source.table} (${reason(error)})`
          : `the query of source "${source.name}" cannot run: ${reason(error)}`,
        { hint: source.kind === 'table' ? 'Name it with its schema, as in main.regions.' : undefined },
      );
    }
  };
  return {
    dialect: duckdbDialect,
    state: 'still',
    relation,
    ...(options.inPlace
      ? {}
      : {
          keep: async (_, select) => {
            const table = temporary();
            await connection.run(`create temp table ${table} as ${select}`);
            return table;
          },
        }),
    ...(options.files ? { file: options.files } : {}),
    begin: async (): Promise<Session> => ({ run, end: async () => undefined }),
    close: async () => {
      await turn.catch(() => undefined);
      connection.closeSync();
      instance.closeSync();
    },
  };
};

/** Looks at the first line of a file, whatever its length or packing. */
const separatorIn = async (connection: DuckDBConnection, path: string): Promise<Separator> => {
  const lines = `read_csv(${text(path)}, columns = {'line': 'varchar'}, header = false, auto_detect = false, delim = '\u0001', quote = '', escape = '')`;
  const found = await connection.runAndReadAll(`select line from ${lines} limit 1`);
  return separatorOf(String(found.getRows()[0]?.[0] ?? ''));
};

const arrowFile = async (file: string, files: Files | undefined): Promise<TableInput> => {
  if (!files) throw new DurchblickError('no-files', `${file} cannot be opened: the engine was given no files`, { hint: 'Pass `files`.' });
  const { readArrow } = await import('../../files/arrow.ts');
  return readArrow(await files(file), file);
};

const fileFault = (file: string, error: unknown): DurchblickError => {
  if (error instanceof DurchblickError) return error;
  const message = reason(error);
  if (/No files found|Cannot open file/.test(message))
    return new DurchblickError('no-file', `cannot read ${file} (there is no such file)`, { hint: 'Paths are relative to the model file.' });
  return new DurchblickError('bad-file', `${file} cannot be read: ${message}`, { kind: 'data', hint: 'It must be what its ending says.' });
};

const runStatement = async (
  connection: DuckDBConnection,
  statement: Statement,
  signal: Cancellation | undefined,
  trace: DuckDbOptions['trace'],
): Promise<Rows> => {
  if (signal?.aborted) throw aborted();
  trace?.(statement);
  const stop = (): void => connection.interrupt();
  signal?.addEventListener('abort', stop);
  try {
    const result = await connection.runAndReadAll(statement.sql);
    const columns = result.getColumnsJS() as ArrayLike<unknown>[];
    return { count: result.currentRowCount, columns };
  } catch (error) {
    if (signal?.aborted) throw aborted();
    throw new DurchblickError('engine-failed', `DuckDB: ${reason(error)} (${statement.about})`, { kind: 'engine' });
  } finally {
    signal?.removeEventListener('abort', stop);
  }
};

const aborted = (): DurchblickError => new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });
