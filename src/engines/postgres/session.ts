// One read-only transaction of PostgreSQL, in which every statement sees the same state.
import type { Client, ClientConfig, PoolClient, QueryArrayConfig, QueryArrayResult } from 'pg';
import { aborted } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';
import { oneAfterAnother } from '../shared/queue.ts';
import type { Rows, Session, Statement } from '../sql/database.ts';
import { fault, isLost } from './faults.ts';
import { FIX_SETTINGS, identifyServer } from './settings.ts';

export interface SessionOptions {
  readonly config: ClientConfig;
  readonly connect: (config: ClientConfig) => Client;
  /** Milliseconds that a statement may take. */
  readonly timeout: number | undefined;
  readonly trace: ((statement: Statement) => void) | undefined;
}

const RAW = { getTypeParser: () => (value: unknown) => value };

/** One statement over the extended protocol, which takes no second one behind it. */
export const send = (client: PoolClient, sql: string): Promise<QueryArrayResult> =>
  client.query({ text: sql, rowMode: 'array', types: RAW, queryMode: 'extended' } as unknown as QueryArrayConfig);

/** Stops what a connection is doing, from another one. */
const cancel = async ({ config, connect }: SessionOptions, process: number): Promise<void> => {
  const other = connect(config);
  other.on('error', () => undefined);
  try {
    await other.connect();
    await other.query('select pg_cancel_backend($1)', [process]);
  } catch {
    // Then the statement runs to its end; its answer is not waited for.
  } finally {
    await other.end().catch(() => undefined);
  }
};

const SAVEPOINT = 'durchblick';

/** Begins the transaction. A statement that is given up or fails leaves it as it was, for all others that use it. */
export const beginSession = async (client: PoolClient, options: SessionOptions): Promise<Session> => {
  const { timeout, trace } = options;
  let broken = false;
  const lost = (): void => {
    broken = true;
  };
  client.on('error', lost);
  const release = (): void => {
    client.off('error', lost);
    client.release(broken);
  };
  const sees = async (): Promise<{ readonly token: string; readonly time: number }> => {
    const server = await identifyServer(client);
    await client.query(`begin isolation level repeatable read read only; ${FIX_SETTINGS}`);
    if (timeout !== undefined) await client.query(`set local statement_timeout = ${Math.round(timeout)}`);
    const { rows } = await send(client, 'select pg_current_snapshot()::text, extract(epoch from now()) * 1000');
    await client.query(`savepoint ${SAVEPOINT}`);
    return { token: `${server} ${rows[0][0]}`, time: Number(rows[0][1]) };
  };
  const seen = await sees().catch((error: unknown) => {
    broken = true;
    release();
    throw fault(error, 'beginning', undefined, timeout);
  });

  /** What is cancelled could still arrive late: a statement that may be lost takes it instead of the next one. */
  const settle = async (cancelling: Promise<void> | undefined): Promise<void> => {
    if (cancelling) {
      await cancelling;
      await client.query('select 1').catch(() => undefined);
    }
    await client.query(`rollback to savepoint ${SAVEPOINT}`).catch(lost);
  };
  const query = async (statement: Statement, stop: Cancellation | undefined): Promise<Rows> => {
    if (stop?.aborted) throw aborted();
    trace?.(statement);
    let cancelling: Promise<void> | undefined;
    const abort = (): void => {
      const { processID } = client as unknown as { readonly processID: number };
      cancelling ??= cancel(options, processID);
    };
    stop?.addEventListener('abort', abort);
    let failed = true;
    try {
      const { rows, fields } = await send(client, statement.sql);
      failed = false;
      return {
        count: rows.length,
        columns: fields.map((_, k) => rows.map((row) => row[k])),
        fields: fields.map(({ name, dataTypeID, dataTypeModifier }) => ({ name, type: dataTypeID, modifier: dataTypeModifier })),
      };
    } catch (error) {
      if (isLost(error)) broken = true;
      throw fault(error, statement.about, stop, timeout);
    } finally {
      stop?.removeEventListener('abort', abort);
      if ((failed || cancelling) && !broken) await settle(cancelling);
    }
  };
  const queue = oneAfterAnother();
  return {
    sees: seen,
    run: (statement, stop) => queue.run(() => query(statement, stop), stop),
    end: async () => {
      await queue.idle();
      // Nothing is kept of what a function may have written in spite of all.
      if (!broken) await client.query('rollback').catch(lost);
      release();
    },
  };
};
