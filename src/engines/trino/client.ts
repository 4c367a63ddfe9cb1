// Statements over the engine's HTTP protocol: a statement is posted, and its pages followed.
import { DurchblickError } from '../../errors.ts';
import { aborted } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';
import { createTimeoutError } from '../shared/faults.ts';

export interface Connection {
  /** `http://host:port` or `https://…`, without a path. */
  readonly server: string;
  readonly user: string;
  readonly catalog: string;
  readonly schema: string;
  readonly password?: string;
  readonly token?: string;
  /** Milliseconds that a statement may take; no limit when left out. */
  readonly timeout?: number;
  /** Ends all statements. */
  readonly signal?: Cancellation;
  /** What an administrator sees and may choose resources by; without commas. */
  readonly tags?: readonly string[];
  /** Settings of every statement, by their names on the cluster. */
  readonly session?: Readonly<Record<string, string>>;
}

/** What a statement took, over all workers. */
export interface StatementCost {
  readonly splits: number;
  /** Bytes and rows that were read of tables. */
  readonly bytes: number;
  readonly rows: number;
  /** Milliseconds of computing. */
  readonly cpu: number;
}

export interface Page {
  readonly id: string;
  readonly columns?: readonly { readonly name: string; readonly type: string }[];
  readonly data?: readonly (readonly unknown[])[];
  readonly nextUri?: string;
  readonly error?: { readonly message: string; readonly errorName: string; readonly errorType: string };
  readonly stats?: {
    readonly totalSplits?: number;
    readonly physicalInputBytes?: number;
    readonly processedRows?: number;
    readonly cpuTimeMillis?: number;
  };
}

export interface StatementAnswer {
  readonly id: string;
  readonly columns: readonly { readonly name: string; readonly type: string }[];
  readonly rows: readonly (readonly unknown[])[];
  /** The transaction that a statement has begun. */
  readonly started: string | undefined;
  readonly cost: StatementCost;
}

/** What the engine itself said was wrong. */
export class StatementFault extends Error {
  readonly errorName: string;

  constructor(message: string, errorName: string) {
    super(message);
    this.errorName = errorName;
  }
}

/** A server that is busy says so; it is asked again after so many milliseconds, so often. */
const AGAIN = [100, 200, 400, 800, 1600, 3000];

/** A text as a header may have it. */
const inHeader = (text: string): string => text.replace(/[^ -~]/g, '?');

const settingsOf = ({ tags = [], session = {} }: Connection): Record<string, string> => {
  const settings = Object.entries(session).map(([name, value]) => `${name}=${encodeURIComponent(value)}`);
  return {
    ...(tags.length === 0 ? {} : { 'X-Trino-Client-Tags': inHeader(tags.map((tag) => tag.replaceAll(',', ' ')).join()) }),
    ...(settings.length === 0 ? {} : { 'X-Trino-Session': inHeader(settings.join()) }),
  };
};

const headersOf = (connection: Connection, transaction: string | undefined, about: string | undefined): Record<string, string> => {
  const { user, catalog, schema, password, token } = connection;
  return {
    'X-Trino-User': user,
    'X-Trino-Source': 'durchblick',
    'X-Trino-Catalog': catalog,
    'X-Trino-Schema': schema,
    'X-Trino-Time-Zone': 'UTC',
    ...(about === undefined ? {} : { 'X-Trino-Client-Info': inHeader(about) }),
    ...settingsOf(connection),
    ...(transaction === undefined ? {} : { 'X-Trino-Transaction-Id': transaction }),
    ...(token !== undefined
      ? { Authorization: `Bearer ${token}` }
      : password !== undefined
        ? { Authorization: `Basic ${btoa(String.fromCharCode(...new TextEncoder().encode(`${user}:${password}`)))}` }
        : {}),
  };
};

const lost = (connection: Connection, error: unknown): DurchblickError => {
  const { cause, message } = error as { cause?: { code?: string }; message: string };
  return new DurchblickError('no-connection', `could not reach the engine at ${connection.server} (${cause?.code ?? message})`, {
    kind: 'engine',
    hint: 'Look at host and port, and whether it runs; the next question tries again.',
  });
};

const wait = (milliseconds: number): Promise<void> => new Promise((done) => setTimeout(done, milliseconds));

const fetched = async (connection: Connection, url: string, init: RequestInit, signal: AbortSignal): Promise<Response> => {
  for (const pause of [...AGAIN, 0]) {
    const response = await fetch(url, init).catch((error: unknown) => {
      throw signal.aborted ? aborted() : lost(connection, error);
    });
    if (response.ok) return response;
    if (response.status === 401 || response.status === 403)
      throw new DurchblickError(
        'no-connection',
        `the engine at ${connection.server} lets "${connection.user}" not in (${response.status})`,
        {
          kind: 'engine',
          hint: 'Look at user and password, or at the token.',
        },
      );
    if (![429, 502, 503, 504].includes(response.status) || pause === 0)
      throw new DurchblickError('engine-failed', `the engine at ${connection.server} answered ${response.status}`, { kind: 'engine' });
    await wait(pause);
    if (signal.aborted) throw aborted();
  }
  throw new Error('unreachable');
};

/** Signals, and the time that a statement may take, as one signal that `fetch` knows. */
const stopping = (signals: readonly (Cancellation | undefined)[], timeout: number | undefined) => {
  const controller = new AbortController();
  let isLate = false;
  const abort = (): void => controller.abort();
  for (const signal of signals) {
    if (signal?.aborted) abort();
    signal?.addEventListener('abort', abort);
  }
  const timer =
    timeout === undefined
      ? undefined
      : setTimeout(() => {
          isLate = true;
          abort();
        }, timeout);
  return {
    signal: controller.signal,
    isLate: () => isLate,
    end: () => {
      for (const signal of signals) signal?.removeEventListener('abort', abort);
      clearTimeout(timer);
    },
  };
};

const costOf = ({ stats = {} }: Page): StatementCost => ({
  splits: stats.totalSplits ?? 0,
  bytes: stats.physicalInputBytes ?? 0,
  rows: stats.processedRows ?? 0,
  cpu: stats.cpuTimeMillis ?? 0,
});

/** Runs a statement to its end. Given up, it is ended on the cluster too. */
export const statement = async (
  connection: Connection,
  sql: string,
  transaction: string | undefined,
  signal?: Cancellation,
  about?: string,
): Promise<StatementAnswer> => {
  const headers = headersOf(connection, transaction, about);
  const stop = stopping([signal, connection.signal], connection.timeout);
  let next: string | undefined;
  try {
    // Not given up itself: what it answers is how the statement is ended.
    let response = await fetched(connection, `${connection.server}/v1/statement`, { method: 'POST', headers, body: sql }, stop.signal);
    const rows: (readonly unknown[])[] = [];
    let columns: StatementAnswer['columns'] = [];
    let started: string | undefined;
    for (;;) {
      started ??= response.headers.get('x-trino-started-transaction-id') ?? undefined;
      const page = (await response.json()) as Page;
      next = page.nextUri;
      if (stop.signal.aborted) throw aborted();
      if (page.error) throw new StatementFault(page.error.message, page.error.errorName);
      if (page.columns) columns = page.columns;
      for (const row of page.data ?? []) rows.push(row);
      if (next === undefined) return { id: page.id, columns, rows, started, cost: costOf(page) };
      response = await fetched(connection, next, { headers, signal: stop.signal }, stop.signal);
    }
  } catch (error) {
    if (stop.signal.aborted && next !== undefined) await fetch(next, { method: 'DELETE', headers }).catch(() => undefined);
    if (stop.isLate()) throw createTimeoutError('the cluster', connection.timeout as number, about ?? 'a statement');
    throw stop.signal.aborted ? aborted() : error;
  } finally {
    stop.end();
  }
};
