// The engine that lets DuckDB scan.

import { stat } from 'node:fs/promises';
import { totalmem } from 'node:os';
import { resolve } from 'node:path';
import type { DuckDBConnection, DuckDBInstance, DuckDBResult } from '@duckdb/node-api';
import { DurchblickError, suggest } from '../../errors.ts';
import type { Files } from '../../files/files.ts';
import { type FolderFiles, folderFiles } from '../../files/folder.ts';
import { partitionsOf } from '../../files/partitions.ts';
import { columnsOfSource, dateColumns } from '../../model/columns.ts';
import type { Model, Source } from '../../model/model.ts';
import { aborted } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';
import type { Engine, Store } from '../engine.ts';
import { createTimeoutError } from '../shared/faults.ts';
import { oneAfterAnother } from '../shared/queue.ts';
import { readSource } from '../shared/sources.ts';
import { changing, sourceChanged, sourceStates } from '../shared/states.ts';
import { type Table, tableOver } from '../shared/table.ts';
import { type TableInput, tableOf } from '../shared/tables.ts';
import type { Database, Rows, Statement } from '../sql/database.ts';
import { freeName, type Relation, type SqlColumn } from '../sql/dialect.ts';
import { openSqlStore } from '../sql/store.ts';
import { physicalNames } from './columns.ts';
import { DUCKDB_SETTINGS, duckdbDialect, duckdbKind } from './dialect.ts';
import { fileRelation } from './files.ts';
import { CLOSED, loadDuckDb, lock } from './instance.ts';
import { type KeptCopies, keptCopies } from './kept-copy.ts';
import { type KeptEvent, shelfOf } from './kept-folder.ts';
import { loadTable } from './load.ts';
import { withAbsolutePaths } from './query.ts';
import { typedCsv } from './typed-csv.ts';

export interface DuckDbOptions {
  /** A database file, opened read-only; a database in memory when left out. */
  readonly path?: string;
  /** Tables given by the program, by source, as for `memory`. */
  readonly tables?: Readonly<Record<string, TableInput>>;
  /** The folder that file sources are relative to and lie in; that of the process when left out. */
  readonly folder?: string;
  /** Further folders that files of the model may lie in. */
  readonly allow?: readonly string[];
  /** Opens a model's files where they do not lie in a folder. */
  readonly files?: Files;
  /** Threads; all cores when left out. */
  readonly threads?: number;
  /** Memory that DuckDB may use, as in `4GB`. Default: half of the machine's memory. */
  readonly memoryLimit?: string;
  /** Milliseconds that a statement may take. Default: 600,000. */
  readonly statementTimeout?: number;
  /** Is told every statement before it runs. */
  readonly trace?: (statement: Statement) => void;
  /** A folder that keeps typed copies of large files, so that texts are read once; nothing is kept when left out. */
  readonly keep?: string;
  /** Is told what became of each source's copy. */
  readonly kept?: (event: KeptEvent) => void;
  /** Leaves text files where they are, behind views, so that traced statements run as they stand; slower. */
  readonly inPlace?: boolean;
}

const { identifier } = duckdbDialect;

/** What the statement that makes a view of a file begins to say. */
export const VIEW = 'the file';

/** What DuckDB says, in one line. */
const reason = (error: unknown): string => (error as Error).message.split('\n')[0];

const openInstance = async ({ threads, memoryLimit, path }: DuckDbOptions): Promise<DuckDBInstance> => {
  const { DuckDBInstance } = await loadDuckDb();
  const settings = {
    ...CLOSED,
    ...(threads ? { threads: String(threads) } : {}),
    memory_limit: memoryLimit ?? `${Math.floor(totalmem() / 2 ** 21)}MiB`,
    ...(path ? { access_mode: 'READ_ONLY' } : {}),
  };
  try {
    return await DuckDBInstance.create(path ?? ':memory:', settings);
  } catch (error) {
    throw new DurchblickError('no-database', `cannot open ${path ?? 'a database in memory'}: ${reason(error)}`, { kind: 'engine' });
  }
};

/** Whether rows stay in their files: Parquet is read where it lies; of texts only where that is asked for. */
const staysInFiles = (model: Model, { inPlace }: DuckDbOptions): boolean =>
  inPlace === true || [...model.sources.values()].some((source) => source.kind === 'file' && /\.parquet$/i.test(source.file));

/** Of typed copies the texts are read in their files when rows are shown: those must still be what they were. */
const withSameTexts = (store: Store, state: () => Promise<string>, opened: string): Store => {
  const checked =
    <A extends unknown[], T>(call: (...args: A) => Promise<T>) =>
    async (...args: A): Promise<T> => {
      const found = await call(...args);
      const now = await state();
      if (now !== opened) throw sourceChanged('since it was read', opened, now);
      return found;
    };
  return { ...store, sample: checked(store.sample), rows: checked(store.rows), factRows: checked(store.factRows) };
};

/** Reads CSV, Parquet and JSON files of a model where they lie, the tables of a database file, or tables that a program gives. */
export const duckdb = (options: DuckDbOptions = {}): Engine => ({
  name: 'duckdb',
  open: async (model, opening) => {
    const files = folderFiles(options.folder ?? '.', { allow: options.allow });
    // Where bytes come from elsewhere, whoever gives them knows whether they change.
    const state = sourceStates(
      model,
      options.files && options.folder === undefined ? options.files : files,
      Object.keys(options.tables ?? {}),
    );
    const database = async (): Promise<string> => {
      if (options.path === undefined) return '';
      const { size, mtimeNs, ino } = await stat(options.path, { bigint: true });
      return `${size}:${mtimeNs}:${ino}`;
    };
    const present = async (): Promise<string> => [await state(), await database().catch(() => '')].join('\n');
    const shelf = options.keep === undefined || options.inPlace ? undefined : shelfOf(resolve(options.keep), options.kept);
    return changing(present, async () => {
      const opened = await present();
      const instance = await openInstance(options);
      const kept = shelf && keptCopies(shelf);
      const plain = await openSqlStore(model, await databaseOf(instance, model, options, files, kept), opening);
      await kept?.save();
      const store = withSameTexts(plain, present, opened);
      return staysInFiles(model, options) ? { ...store, readsFiles: 'when-asked' } : store;
    });
  },
});

/** What opening a source is done with. */
interface Sources {
  readonly connection: DuckDBConnection;
  readonly model: Model;
  readonly options: DuckDbOptions;
  readonly files: FolderFiles;
  readonly temporary: () => string;
  readonly kept: KeptCopies | undefined;
}

const describe = async ({ connection, options }: Sources, name: string, from: string): Promise<Relation> => {
  const { columns, count } = await runStatement(
    connection,
    { about: `columns of ${name}`, sql: `describe select * from ${from}` },
    undefined,
    options,
  );
  return {
    name,
    from,
    columns: Array.from({ length: count }, (_, k) => ({ name: String(columns[0][k]), ...duckdbKind(String(columns[1][k])) })),
  };
};

/** Rows of a table of ours with their numbers, in the order in which they came. */
const inOrder = (table: string, columns: readonly SqlColumn[]): Pick<Relation, 'from' | 'order'> => {
  const row = freeName('row_at', { columns });
  return { from: `(select rowid as ${row}, * from ${table})`, order: [row] };
};

const loaded = async (sources: Sources, name: string, table: Table, { texts }: { readonly texts: boolean }): Promise<Relation> => {
  const own = sources.options.inPlace ? sources.model.sources.has(name) && name : false;
  const physical = own || sources.temporary();
  const columns = await loadTable(sources.connection, physical, table);
  // Of no rows at all nothing is known: every column may be meant.
  const known: readonly SqlColumn[] = columns.length > 0 || table.rows > 0 ? columns : await anyColumns(sources, name, physical);
  const dates = dateColumns(sources.model).get(name);
  // Texts that are dates are worth reading once too.
  const isRead = texts || known.some((column) => column.kind === 'text' && dates?.has(column.name));
  const rows = own ? { from: identifier(physical) } : inOrder(identifier(physical), known);
  return { name: table.name, columns: known, ...rows, ...(isRead ? { texts: true as const } : {}) };
};

/** The columns that a model uses of a source, for a table without any. */
const anyColumns = async ({ connection, model }: Sources, source: string, table: string): Promise<readonly SqlColumn[]> => {
  const names = columnsOfSource(source, model);
  const physical = physicalNames(names);
  for (const name of physical) await connection.run(`alter table ${identifier(table)} add column ${identifier(name)} varchar`);
  return names.map((name, k) => ({ name, as: physical[k], kind: 'text' as const }));
};

/** A file as a relation: read where it lies or, of texts, kept once read. */
const fromFile = async (sources: Sources, source: Extract<Source, { kind: 'file' }>): Promise<Relation> => {
  const { connection, model, options, files, temporary } = sources;
  const { file, name } = source;
  if (options.files && options.folder === undefined)
    return loaded(sources, name, tableOver(await readSource(source, model, options.files), file), { texts: false });
  const names = (await files.find(file)).map((one) => one.name);
  // What DuckDB's own readers do not know is read by ours.
  if (source.encoding !== undefined || names.some((one) => /\.xlsx$/i.test(one)))
    return loaded(sources, name, tableOver(await readSource(source, model, files), file), { texts: /\.csv/i.test(names[0]) });
  if (!options.inPlace && names.every((one) => /\.csv(\.gz)?$/i.test(one)) && partitionsOf(names) === undefined) {
    const typed = await typedCsv({ connection, model, source, files: await files.find(file), temporary, kept: sources.kept });
    if (typed) return typed;
  }
  const found = await fileRelation(connection, file, files).catch((error: unknown) => {
    throw fileFault(file, error);
  });
  if (found.kind === 'rows') return loaded(sources, name, tableOver(found.table, file), { texts: /\.csv/i.test(file) });
  const { from, columns, texts, stated, order } = found;
  if (!texts && !options.inPlace) {
    const place = await sources.kept?.place(file, await files.find(file), 'parquet');
    return {
      name: file,
      from,
      columns,
      ...(order ? { order } : {}),
      ...(stated ? { stated } : {}),
      ...(place ? { found: place.found } : {}),
    };
  }
  const table = identifier(options.inPlace ? name : temporary());
  const sql = `create temp ${options.inPlace ? 'view' : 'table'} ${table} as select * from ${from}`;
  if (options.inPlace) options.trace?.({ about: `${VIEW} ${file}`, sql });
  const isWhole = async (): Promise<boolean> => {
    await connection.run(sql);
    if (!texts) return true;
    return Number((await connection.runAndReadAll(`select count(*) from ${table}`)).getRows()[0][0]) === texts.records;
  };
  const whole = await isWhole().catch((error: unknown) => {
    if (!texts) throw fileFault(file, error);
    return false;
  });
  if (whole)
    return {
      name: file,
      columns,
      ...(options.inPlace ? { from: table } : inOrder(table, columns)),
      ...(texts ? { texts: true as const } : {}),
    };
  // What DuckDB reads in another way is told, or read, by the reader that decides what a file means.
  await connection.run(`drop ${options.inPlace ? 'view' : 'table'} if exists ${table}`);
  return loaded(sources, name, tableOver((await texts?.otherwise()) ?? { rows: 0, columns: [] }, file), { texts: true });
};

const fromDatabase = async (sources: Sources, source: Extract<Source, { kind: 'table' | 'query' }>): Promise<Relation> => {
  const { files, options } = sources;
  if (source.kind === 'table') {
    const from = source.table.split('.').map(identifier).join('.');
    return describe(sources, source.table, from).catch((error: unknown) => {
      throw new DurchblickError('unknown-table', `there is no table ${source.table} (${reason(error)})`, {
        hint: 'Name it with its schema, as in main.regions.',
      });
    });
  }
  const query = options.path === undefined ? await withAbsolutePaths(source.query, files) : source.query;
  // On lines of its own, so that a comment at its end closes nothing.
  const from = `(\n${query.replace(/;\s*$/, '')}\n)`;
  const checked = async (): Promise<Relation> => {
    // Whatever stands in it, it must be one statement behind FROM, and one that reads.
    const statements = await sources.connection.extractStatements(`select * from ${from}`);
    if (statements.count !== 1) throw new Error('it is more than one statement');
    const { StatementType } = await loadDuckDb();
    if ((await statements.prepare(0)).statementType !== StatementType.SELECT) throw new Error('it is no SELECT');
    return describe(sources, source.name, from);
  };
  return checked().catch((error: unknown) => {
    throw new DurchblickError('bad-query', `the query of source "${source.name}" cannot run: ${reason(error)}`, {
      hint: 'A query is one SELECT; files in it lie below the folder of the model.',
    });
  });
};

const relationOf = async (sources: Sources, source: Source): Promise<Relation> => {
  const { options, model } = sources;
  const given = options.tables ?? {};
  if (Object.hasOwn(given, source.name))
    return loaded(sources, source.name, await tableOf(given[source.name], source.name, dateColumns(model).get(source.name)), {
      texts: false,
    });
  if (source.kind === 'file') return fromFile(sources, source);
  if (source.kind !== 'given') return fromDatabase(sources, source);
  throw new DurchblickError('no-table', `no table was given for source "${source.name}"`, {
    hint: suggest(source.name, Object.keys(given), 'tables given'),
  });
};

const databaseOf = async (
  instance: DuckDBInstance,
  model: Model,
  options: DuckDbOptions,
  files: FolderFiles,
  kept: KeptCopies | undefined,
): Promise<Database> => {
  const connection = await instance.connect();
  await connection.run(DUCKDB_SETTINGS);
  await lock(connection, [...(await files.roots()), ...(kept ? [kept.folder] : [])]);
  let next = 0;
  const temporary = (): string => `durchblick_${next++}`;
  const sources: Sources = { connection, model, options, files, temporary, kept };
  const queue = oneAfterAnother();
  return {
    dialect: duckdbDialect,
    state: 'still',
    relation: (source) => relationOf(sources, source),
    ...(options.inPlace
      ? {}
      : {
          keep: async (name, select) => {
            const table = identifier(temporary());
            const about = `rows of ${name}`;
            await runLimited(connection, about, undefined, options, () => connection.run(`create temp table ${table} as ${select}`));
            return table;
          },
        }),
    file: options.files && options.folder === undefined ? options.files : files,
    begin: async () => ({
      run: (statement, signal) => queue.run(() => runStatement(connection, statement, signal, options), signal),
      end: async () => undefined,
    }),
    close: async () => {
      await queue.idle();
      connection.closeSync();
      instance.closeSync();
    },
  };
};

const fileFault = (file: string, error: unknown): DurchblickError => {
  if (error instanceof DurchblickError) return error;
  return new DurchblickError('bad-file', `${file} cannot be read: ${reason(error)}`, {
    kind: 'data',
    hint: 'It must be what its ending says.',
  });
};

/** Types whose values need no turning into something else, by the numbers that DuckDB gives them: they are read as they lie. */
const AS_THEY_ARE = new Set(['BOOLEAN', 'TINYINT', 'SMALLINT', 'INTEGER', 'BIGINT', 'DOUBLE', 'VARCHAR']);

/** All rows of an answer, column by column. */
const fetched = async (result: DuckDBResult): Promise<Rows> => {
  const { DuckDBTypeId, JSDuckDBValueConverter } = await loadDuckDb();
  const chunks = await result.fetchAllChunks();
  const count = chunks.reduce((sum, { rowCount }) => sum + rowCount, 0);
  const columns = Array.from({ length: result.columnCount }, (_, k) => {
    const values = new Array<unknown>(count);
    const plain = AS_THEY_ARE.has(DuckDBTypeId[result.columnTypeId(k)]);
    let at = 0;
    for (const chunk of chunks) {
      if (plain) {
        const vector = chunk.getColumnVector(k);
        for (let row = 0; row < chunk.rowCount; row++) values[at++] = vector.getItem(row);
      } else for (const value of chunk.convertColumnValues(k, JSDuckDBValueConverter)) values[at++] = value;
    }
    return values;
  });
  return { count, columns };
};

/** Milliseconds of the longest statement, if no other limit is given. */
const LONGEST_STATEMENT = 600_000;

/** Runs something that a signal or the time limit interrupts. */
const runLimited = async <T>(
  connection: DuckDBConnection,
  about: string,
  signal: Cancellation | undefined,
  { statementTimeout: limit = LONGEST_STATEMENT }: DuckDbOptions,
  run: () => Promise<T>,
): Promise<T> => {
  const stop = (): void => connection.interrupt();
  signal?.addEventListener('abort', stop);
  let isLate = false;
  const timer = setTimeout(() => {
    isLate = true;
    stop();
  }, limit);
  try {
    return await run();
  } catch (error) {
    if (signal?.aborted) throw aborted();
    if (isLate) throw createTimeoutError('DuckDB', limit, about);
    throw new DurchblickError('engine-failed', `DuckDB: ${reason(error)} (${about})`, { kind: 'engine' });
  } finally {
    clearTimeout(timer);
    signal?.removeEventListener('abort', stop);
  }
};

const runStatement = async (
  connection: DuckDBConnection,
  statement: Statement,
  signal: Cancellation | undefined,
  options: DuckDbOptions,
): Promise<Rows> => {
  if (signal?.aborted) throw aborted();
  options.trace?.(statement);
  return runLimited(connection, statement.about, signal, options, async () => fetched(await connection.run(statement.sql)));
};
