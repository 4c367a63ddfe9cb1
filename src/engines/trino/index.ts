// The engine that lets a cluster of Trino scan.
import { DurchblickError } from '../../errors.ts';
import type { Files } from '../../files/files.ts';
import type { Source } from '../../model/model.ts';
import { aborted } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';
import type { Engine } from '../engine.ts';
import { oneAfterAnother } from '../shared/queue.ts';
import type { Database, Rows, Session, Statement } from '../sql/database.ts';
import type { Relation } from '../sql/dialect.ts';
import { openSqlStore } from '../sql/store.ts';
import { type Connection, StatementFault, statement } from './client.ts';
import { trinoDialect } from './dialect.ts';
import { trinoColumn } from './types.ts';

export interface TrinoOptions {
  /** `http://host:port` or `https://host:port`. */
  readonly server: string;
  readonly catalog: string;
  readonly schema: string;
  readonly user?: string;
  readonly password?: string;
  /** A bearer token, in place of a password. */
  readonly token?: string;
  /** Opens files that are no tables: holidays. */
  readonly files?: Files;
  /** Who may write to the tables while the book is open: `others`, the default, or `nobody`, where they are looked at once. */
  readonly writes?: 'others' | 'nobody';
  /** Milliseconds that a statement may take; no limit when left out. */
  readonly statementTimeout?: number;
  /** Is told every statement before it runs. */
  readonly trace?: (statement: Statement) => void;
}

const { identifier } = trinoDialect;

/** Reads over a cluster: every question in one read-only transaction. Where a catalog keeps no states, each question sees one of its own. */
export const trino = (options: TrinoOptions): Engine => ({
  name: 'trino',
  open: async (model, opening) => openSqlStore(model, databaseOf(options), opening),
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

const relationOf = async (source: Source, run: Session['run']): Promise<Relation> => {
  const table = source.kind === 'table' ? source.table : source.name;
  const name = source.kind === 'query' ? source.name : table;
  const from = source.kind === 'query' ? `(\n${source.query.replace(/;\s*$/, '')}\n)` : table.split('.').map(identifier).join('.');
  try {
    const { named = [] } = await run({ about: `columns of ${name}`, sql: `select * from ${from} as described limit 0` });
    return { name, from, columns: named.map((column) => ({ name: column.name, ...trinoColumn(column.type) })) };
  } catch (error) {
    const known = sourceFault(error, source, table);
    if (known && nameOf(error) === 'PERMISSION_DENIED') return { name, from, columns: [], denied: known };
    throw known ?? error;
  }
};

/** What a session needs to know: where it runs, and the tables that questions may touch. */
interface Place {
  readonly connection: Connection;
  readonly trace: TrinoOptions['trace'];
  /** Tables of catalogs that keep snapshots, as SQL names them, and what names their own snapshots. */
  readonly pinned: Map<string, string>;
  /** Queries, and tables of other catalogs: nothing says whether they have changed. */
  readonly unpinned: Set<string>;
}

type Run = (sql: string) => Promise<Awaited<ReturnType<typeof statement>>>;

/**
 * Touches all tables that keep snapshots, so that none is seen later than another, and says which snapshots those are. Within a
 * transaction a table and what it tells of itself are the same.
 */
const pin = async (pinned: Place['pinned'], run: Run): Promise<string | undefined> => {
  if (pinned.size === 0) return undefined;
  await run([...pinned.keys()].map((table) => `(select 1 from ${table} limit 0)`).join(' union all '));
  const { rows } = await run(
    [...pinned.values()].map((refs, k) => `select ${k}, snapshot_id from ${refs} where name = 'main'`).join(' union all '),
  );
  return JSON.stringify([[...pinned.keys()], rows.map(([k, id]) => [Number(k), String(id)]).sort(([a], [b]) => Number(a) - Number(b))]);
};

const BEGIN = 'start transaction isolation level repeatable read, read only';

/** A transaction in which every statement sees the same state, as far as catalogs keep any. */
const beginSession = async ({ connection, trace, pinned, unpinned }: Place, signal: Cancellation | undefined): Promise<Session> => {
  const open = async (): Promise<{ readonly id: string | undefined; readonly snapshots: string | undefined }> => {
    const { started } = await statement(connection, BEGIN, 'NONE', signal);
    return { id: started, snapshots: await pin(pinned, (sql) => statement(connection, sql, started, signal)) };
  };
  const first = await open().catch((error: unknown) => {
    throw fault(error, 'beginning');
  });
  const time = Date.now();
  let transaction = first.id;
  const query = async (asked: Statement, stop: Cancellation | undefined, tries = 2): Promise<Rows> => {
    if (stop?.aborted) throw aborted();
    // An error has ended the transaction: what others share of it goes on in another, if that sees the same.
    if (transaction === undefined) {
      const next = await open();
      if (next.snapshots !== first.snapshots)
        throw new DurchblickError('source-changed', 'the tables changed while a question ran again after a fault', {
          kind: 'data',
          hint: 'Ask again.',
        });
      transaction = next.id;
    }
    trace?.(asked);
    try {
      const { columns, rows } = await statement(connection, asked.sql, transaction, stop);
      return { count: rows.length, columns: columns.map((_, k) => rows.map((row) => row[k])), named: columns };
    } catch (error) {
      transaction = undefined;
      // Nobody asked for so long that the cluster has ended it.
      if (nameOf(error) === 'UNKNOWN_TRANSACTION' && tries > 1) return query(asked, stop, tries - 1);
      throw fault(error, asked.about);
    }
  };
  const queue = oneAfterAnother();
  return {
    // Where something has no snapshot, nothing tells one moment from the next.
    sees: { token: first.snapshots === undefined || unpinned.size > 0 ? String(first.id) : first.snapshots, time },
    run: (asked, stop) => queue.run(() => query(asked, stop), stop),
    end: async () => {
      await queue.idle();
      if (transaction !== undefined) await statement(connection, 'rollback', transaction).catch(() => undefined);
    },
  };
};

/** Connectors whose tables keep snapshots. */
const WITH_SNAPSHOTS = new Set(['iceberg']);

const databaseOf = (options: TrinoOptions): Database => {
  const { server, catalog, schema, user = 'durchblick', password, token, statementTimeout, writes = 'others' } = options;
  const connection: Connection = {
    server: server.replace(/\/+$/, ''),
    catalog,
    schema,
    user,
    ...(password === undefined ? {} : { password }),
    ...(token === undefined ? {} : { token }),
    ...(statementTimeout === undefined ? {} : { timeout: statementTimeout }),
  };
  const place: Place = { connection, trace: options.trace, pinned: new Map(), unpinned: new Set() };
  let connectors: Promise<ReadonlyMap<string, string>> | undefined;
  const connectorOf = async (name: string, run: Session['run']): Promise<string | undefined> => {
    connectors ??= run({ about: 'catalogs', sql: 'select catalog_name, connector_name from system.metadata.catalogs' }).then(
      ({ columns }) => new Map(Array.from(columns[0], (own, k) => [String(own), String(columns[1][k])])),
    );
    return (await connectors).get(name);
  };
  const relation: Database['relation'] = async (source, run) => {
    const found = await relationOf(source, run);
    if (found.denied) return found;
    if (source.kind === 'query') {
      place.unpinned.add(found.name);
      return found;
    }
    const parts = found.name.split('.');
    const connector = await connectorOf(parts.length === 3 ? parts[0] : catalog, run);
    if (WITH_SNAPSHOTS.has(connector ?? ''))
      place.pinned.set(found.from, [...parts.slice(0, -1).map(identifier), identifier(`${parts[parts.length - 1]}$refs`)].join('.'));
    else place.unpinned.add(found.name);
    return found;
  };
  return {
    dialect: trinoDialect,
    state: writes === 'nobody' ? 'still' : 'live',
    relation,
    ...(writes === 'nobody' ? {} : { isUnpinned: ({ from }) => !place.pinned.has(from) }),
    ...(options.files ? { file: options.files } : {}),
    begin: async (signal, fixing) => {
      if (signal?.aborted) throw aborted();
      fixing?.();
      return beginSession(place, signal);
    },
    close: async () => undefined,
  };
};
