// What went wrong with PostgreSQL, in words that say what to do.

import { DurchblickError } from '../../errors.ts';
import { aborted } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';
import { createTimeoutError } from '../shared/faults.ts';

interface Fault {
  readonly code?: string;
  readonly message: string;
}

const LOST = /^(08|57P0)|ECONNRESET|EPIPE|ECONNREFUSED|ENOTFOUND|ETIMEDOUT|EHOSTUNREACH/;
const CANCELED = '57014';

export const isLost = (error: unknown): boolean => {
  const { code = '', message } = error as Fault;
  return LOST.test(code) || /terminat|Connection ended|not queryable|timeout expired/i.test(message);
};

/** `during` is the statement that was running. */
export const fault = (error: unknown, during: string, signal: Cancellation | undefined, timeout: number | undefined): DurchblickError => {
  if (error instanceof DurchblickError) return error;
  const { code = '', message } = error as Fault;
  if (signal?.aborted) return aborted();
  if (code === CANCELED && timeout !== undefined) return createTimeoutError('PostgreSQL', timeout, during);
  if (isLost(error))
    return new DurchblickError('connection-lost', `the connection to PostgreSQL was lost (${message}; ${during})`, {
      kind: 'engine',
      hint: 'The next question opens a new one.',
    });
  return new DurchblickError('engine-failed', `PostgreSQL: ${message} (${during})`, { kind: 'engine', cause: error });
};

/** What to look at when a server cannot be reached or lets nobody in, by what it or the network says. */
const WAYS_IN: readonly (readonly [RegExp, string])[] = [
  [/^(ENOTFOUND|EAI_AGAIN)$/, 'There is no host of that name: look at the address behind the @.'],
  [/^ECONNREFUSED$/, 'Nothing listens there: look at host and port, and whether the server runs.'],
  [/^(ETIMEDOUT|EHOSTUNREACH|ENETUNREACH)$/, 'Nothing answers there: look at host and port, and at firewalls between.'],
  [/^28/, 'Look at user and password; what is left out comes from the PG… variables.'],
  [/^3D000$/, 'Look at the name of the database behind the last slash.'],
  [/^(57P03|53300)$/, 'Ask again in a moment.'],
];

/** A connection that could not be had. */
export const noConnection = (error: unknown, connections: number, waited: number): DurchblickError => {
  const { message, code = '' } = error as Fault;
  if (!/timeout exceeded when trying to connect/.test(message))
    return new DurchblickError('no-connection', `could not connect to PostgreSQL (${message || code})`, {
      kind: 'engine',
      hint: WAYS_IN.find(([pattern]) => pattern.test(code))?.[1] ?? 'Look at the address, and whether the server runs.',
    });
  return new DurchblickError(
    'connections-busy',
    `no connection to PostgreSQL came free within ${waited / 1000} s (${connections} at most)`,
    {
      kind: 'engine',
      hint: 'Raise `connections`, or ask fewer questions at once; if none is in use, the server does not answer.',
    },
  );
};

/** The right to read is missing; nothing is wrong with model or data. */
export const isDenied = (error: unknown): boolean => (((error as { readonly cause?: unknown }).cause ?? error) as Fault).code === '42501';

/** A source that cannot be read. */
export const sourceFault = (
  error: unknown,
  source: { readonly name: string; readonly table?: string; readonly isQuery: boolean },
): DurchblickError | undefined => {
  const { code, message } = ((error as { readonly cause?: unknown }).cause ?? error) as Fault;
  const { name, table = name, isQuery } = source;
  if (code === '42P01' && !isQuery)
    return new DurchblickError('unknown-table', `PostgreSQL has no table ${table}`, {
      hint:
        table === name
          ? `Source "${name}" is no table of the database in the model; a table of that name would do.`
          : 'Name it with its schema, as in public.regions.',
    });
  if (code?.startsWith('42') || code === '25006')
    return new DurchblickError(isQuery ? 'bad-query' : 'bad-table', `source "${name}" cannot be read: ${message}`, {
      hint: isQuery ? 'A query is one SELECT, which writes nothing.' : 'The role that connects needs the right to read it.',
    });
  return undefined;
};
