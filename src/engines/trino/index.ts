// The engine that lets a cluster of Trino scan.
import { DurchblickError } from '../../errors.ts';
import { columnsOfSource } from '../../model/columns.ts';
import type { Model, Source } from '../../model/model.ts';
import { aborted } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';
import type { DataState, Engine } from '../engine.ts';
import { oneAfterAnother } from '../shared/queue.ts';
import type { Change, Database, Rows, Session, Statement } from '../sql/database.ts';
import type { Relation, SqlColumn } from '../sql/dialect.ts';
import { openSqlStore } from '../sql/store.ts';
import { type Connection, StatementFault, statement } from './client.ts';
import { trinoDialect } from './dialect.ts';
import { connectionOf, type TrinoOptions } from './options.ts';
import {
  changesBetween,
  type PinnedTable,
  type PresentState,
  pinnedTable,
  presentState,
  type RunRows,
  shownState,
  snapshotIn,
} from './snapshots.ts';
import { trinoColumn } from './types.ts';

export type { StatementRun, TrinoOptions } from './options.ts';
export { type WorkerShare, workersOf } from './workers.ts';

/** Reads over a cluster: every question in one read-only transaction. Where a catalog keeps no states, each question sees one of its own. */
export const trino = (options: TrinoOptions): Engine => ({
  name: 'trino',
  open: async (model, opening) => openSqlStore(model, databaseOf(model, options), opening),
});

const fault = (error: unknown, about: string): DurchblickError => {
  if (error instanceof DurchblickError) return error;
  return new DurchblickError('engine-failed', `Trino: ${(error as Error).message} (${about})`, { kind: 'engine', cause: error });
};

const nameOf = (error: unknown): string => {
  const own = (error as { cause?: unknown }).cause ?? error;
  return own instanceof StatementFault ? own.errorName : '';
};

const sourceFault = (error: unknown, source: Source, table: string): DurchblickError | undefined => {
  const name = nameOf(error);
  const { message } = ((error as { cause?: Error }).cause ?? error) as Error;
  if (/^(TABLE|SCHEMA|CATALOG)_NOT_FOUND$/.test(name) && source.kind !== 'query')
    return new DurchblickError('unknown-table', `Trino has no table ${table}`, {
      hint:
        source.kind === 'table'
          ? 'Name it with its schema, as in sales.order_lines, or with its catalog before that.'
          : `Source "${source.name}" is no table of the database in the model; a table of that name would do.`,
    });
  if (name === '' || name.startsWith('GENERIC')) return undefined;
  return new DurchblickError(source.kind === 'query' ? 'bad-query' : 'bad-table', `source "${source.name}" cannot be read: ${message}`, {
    hint: source.kind === 'query' ? 'A query is one SELECT, which writes nothing.' : 'The user that connects needs the right to read it.',
  });
};

/**
 * Columns under the names that the model has for them: the cluster tells none by the case of its letters. Two of the model's that differ
 * in nothing else would be one column there.
 */
const byCase = (columns: readonly SqlColumn[], wanted: readonly string[], table: string): readonly SqlColumn[] => {
  const first = new Map<string, string>();
  for (const name of wanted) {
    const before = first.get(name.toLowerCase());
    if (before !== undefined)
      throw new DurchblickError('bad-table', `"${before}" and "${name}" of table ${table} are one column on the cluster`, {
        hint: 'It tells no names by upper and lower case: name the column in one way.',
      });
    first.set(name.toLowerCase(), name);
  }
  return columns.map((column) => {
    const name = first.get(column.name.toLowerCase());
    return name === undefined || name === column.name ? column : { ...column, name, as: column.name };
  });
};

const tableOf = (source: Source): string => (source.kind === 'table' ? source.table : source.name);
/** On lines of its own, so that a comment at its end closes nothing. */
const inBrackets = (query: string): string => `(\n${query.replace(/;\s*$/, '')}\n)`;

const relationOf = async (source: Source, from: string, wanted: readonly string[], run: Session['run']): Promise<Relation> => {
  const table = tableOf(source);
  const name = source.kind === 'query' ? source.name : table;
  try {
    const { named = [] } = await run({ about: `columns of ${name}`, sql: `select * from ${from} as described limit 0` });
    const columns = named.map((column) => ({ name: column.name, ...trinoColumn(column.type) }));
    return { name, from, columns: byCase(columns, wanted, table) };
  } catch (error) {
    const known = sourceFault(error, source, table);
    if (known && nameOf(error) === 'PERMISSION_DENIED') return { name, from, columns: [], denied: known };
    throw known ?? error;
  }
};

/** What a session needs to know: where it runs, who is told, and the tables that questions may touch. */
interface Place extends Pick<TrinoOptions, 'trace' | 'ran' | 'state'> {
  readonly connection: Connection;
  /** Tables of catalogs that keep snapshots, by how SQL names them where they are read. */
  readonly pinned: Map<string, PinnedTable>;
  /** Queries, and tables of other catalogs: nothing says whether they have changed. */
  readonly unpinned: Set<string>;
  /** Of an older state that was asked for: the snapshot of each table. */
  readonly chosen: Map<string, string>;
}

/** What faults say that come of a worker which is no more: the same statement may well run on those that are left. */
const WORKER_GONE = new Set([
  'REMOTE_HOST_GONE',
  'REMOTE_TASK_ERROR',
  'REMOTE_TASK_MISMATCH',
  'PAGE_TRANSPORT_ERROR',
  'PAGE_TRANSPORT_TIMEOUT',
  'TOO_MANY_REQUESTS_FAILED',
  'NO_NODES_AVAILABLE',
]);

const BEGIN = 'start transaction isolation level repeatable read, read only';

/** A transaction in which every statement sees the same state, as far as catalogs keep any. */
const beginSession = async (place: Place, signal: Cancellation | undefined): Promise<Session> => {
  const { connection, trace, ran, state, pinned, unpinned, chosen } = place;
  const open = async (): Promise<{ readonly id: string | undefined; readonly present: PresentState | undefined }> => {
    const { started } = await statement(connection, BEGIN, 'NONE', signal);
    const older = state === undefined ? undefined : shownState(chosen);
    if (older !== undefined) return { id: started, present: { token: older, snapshots: older } };
    const run = async (sql: string) => (await statement(connection, sql, started, signal, 'state of the tables')).rows;
    return { id: started, present: await presentState([...pinned.values()], run) };
  };
  const first = await open().catch((error: unknown) => {
    throw fault(error, 'beginning');
  });
  const time = Date.now();
  let { present } = first;
  let looked = pinned.size;
  let transaction = first.id;
  const query = async (asked: Statement, stop: Cancellation | undefined, tries = 2): Promise<Rows> => {
    if (stop?.aborted) throw aborted();
    // An error has ended the transaction: what others share of it goes on in another, if that sees the same.
    if (transaction === undefined) {
      const next = await open();
      if (next.present?.token !== present?.token)
        throw new DurchblickError('source-changed', 'the tables changed while a question ran again after a fault', {
          kind: 'data',
          hint: 'Ask again.',
        });
      transaction = next.id;
    }
    trace?.(asked);
    try {
      const { columns, rows, id, cost } = await statement(connection, asked.sql, transaction, stop, asked.about);
      ran?.({ id, about: asked.about, ...cost });
      return { count: rows.length, columns: columns.map((_, k) => rows.map((row) => row[k])), named: columns };
    } catch (error) {
      transaction = undefined;
      // Nobody asked for so long that the cluster has ended it, or a worker went: once more, in the same state or not at all.
      const name = nameOf(error);
      if ((name === 'UNKNOWN_TRANSACTION' || WORKER_GONE.has(name)) && tries > 1) return query(asked, stop, tries - 1);
      throw fault(error, asked.about);
    }
  };
  const queue = oneAfterAnother();
  const run: Session['run'] = (asked, stop) => queue.run(() => query(asked, stop), stop);
  const seen = (): DataState => ({
    // Where something has no snapshot, nothing tells one moment from the next.
    token: present === undefined || unpinned.size > 0 ? String(first.id) : present.token,
    time,
    ...(present === undefined ? {} : { snapshots: present.snapshots }),
  });
  return {
    sees: seen(),
    // The first session of all finds out which tables there are: it says then which state it saw of them.
    settled: async () => {
      if (state === undefined && pinned.size !== looked) present = await presentState([...pinned.values()], rowsThrough(run));
      looked = pinned.size;
      return seen();
    },
    run,
    end: async () => {
      await queue.idle();
      if (transaction !== undefined) await statement(connection, 'rollback', transaction).catch(() => undefined);
    },
  };
};

/** Rows of a statement that a session runs. */
const rowsThrough =
  (run: Session['run']): RunRows =>
  async (sql) => {
    const { count, columns } = await run({ about: 'state of the tables', sql });
    return Array.from({ length: count }, (_, row) => columns.map((column) => column[row]));
  };

/** Connectors whose tables keep snapshots. */
const WITH_SNAPSHOTS = new Set(['iceberg']);

const databaseOf = (model: Model, options: TrinoOptions): Database => {
  const { catalog, writes = 'others', state } = options;
  const connection = connectionOf(options);
  const { trace, ran } = options;
  const place: Place = { connection, trace, ran, state, pinned: new Map(), unpinned: new Set(), chosen: new Map() };
  let connectors: Promise<ReadonlyMap<string, string>> | undefined;
  const connectorOf = async (name: string, run: Session['run']): Promise<string | undefined> => {
    connectors ??= run({ about: 'catalogs', sql: 'select catalog_name, connector_name from system.metadata.catalogs' }).then(
      ({ columns }) => new Map(Array.from(columns[0], (own, k) => [String(own), String(columns[1][k])])),
    );
    return (await connectors).get(name);
  };
  /** Whether rows that came can be asked for: not every user may, nor knows every cluster how. Looked at once, outside of what a refusal would end. */
  let readable: Promise<boolean> | undefined;
  const mayRead = (change: Change): Promise<boolean> => {
    if (change === 'nothing') return Promise.resolve(true);
    readable ??= statement(connection, `select 1 from ${change.rows} limit 0`, undefined).then(
      () => true,
      () => false,
    );
    return readable;
  };
  const relation: Database['relation'] = async (source, run) => {
    const name = tableOf(source);
    const wanted = columnsOfSource(source.name, model);
    if (source.kind === 'query') {
      place.unpinned.add(source.name);
      return relationOf(source, inBrackets(source.query), wanted, run);
    }
    const parts = name.split('.');
    const connector = await connectorOf(parts.length === 3 ? parts[0] : catalog, run);
    const keepsSnapshots = WITH_SNAPSHOTS.has(connector ?? '');
    const table = pinnedTable(name, options);
    if (keepsSnapshots && !place.pinned.has(table.from)) {
      // A refusal ends the transaction, and which state its statements saw is not known yet: it is met outside of it.
      const alone: Session['run'] = async ({ sql }) => {
        const { rows, columns } = await statement(connection, sql, undefined, undefined, `columns of ${name}`);
        return { count: rows.length, columns: [], named: columns };
      };
      const found = await relationOf(source, table.from, wanted, alone);
      if (found.denied) return found;
    }
    if (state === undefined || !keepsSnapshots) {
      const found = await relationOf(source, table.from, wanted, run);
      if (found.denied) return found;
      if (keepsSnapshots) place.pinned.set(found.from, table);
      else place.unpinned.add(name);
      return found;
    }
    const id = await snapshotIn(state, table, rowsThrough(run));
    place.chosen.set(name, id);
    const from = `${table.from} for version as of ${id}`;
    place.pinned.set(from, table);
    return relationOf(source, from, wanted, run);
  };
  return {
    dialect: trinoDialect,
    state: writes === 'nobody' ? 'still' : 'live',
    relation,
    ...(writes === 'nobody' ? {} : { isUnpinned: ({ from }) => !place.pinned.has(from) }),
    changes: async (relations, since, { sees, run }) => {
      const tables = relations.flatMap(({ from }) => place.pinned.get(from) ?? []);
      const found = await changesBetween(tables, since.token, sees?.token ?? '', rowsThrough(run));
      const allowed = await Promise.all(
        Array.from(found, async ([{ from }, change]) => ((await mayRead(change)) ? [[from, change] as const] : [])),
      );
      return new Map(allowed.flat());
    },
    ...(options.files ? { file: options.files } : {}),
    begin: async (signal, fixing) => {
      if (signal?.aborted) throw aborted();
      fixing?.();
      return beginSession(place, signal);
    },
    close: async () => undefined,
  };
};
