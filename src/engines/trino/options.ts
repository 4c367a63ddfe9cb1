// What a cluster is connected by.
import type { Files } from '../../files/files.ts';
import type { Cancellation } from '../../plan/request.ts';
import type { Statement } from '../sql/database.ts';
import type { Connection, StatementCost } from './client.ts';

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
  /** Ends all statements, and the statement that runs on the cluster too. */
  readonly signal?: Cancellation;
  /** What an administrator of the cluster sees beside each statement, and may choose resources by. */
  readonly tags?: readonly string[];
  /** Settings of every statement, by their names on the cluster: `{ query_max_run_time: '5m' }`. */
  readonly session?: Readonly<Record<string, string>>;
  /**
   * An older state of tables that keep snapshots (V5): an instant in ISO 8601 with its offset, or the snapshot of every table, as in
   * `sales=4132,shops=977`. The present one when left out.
   */
  readonly state?: string;
  /** Is told every statement before it runs. */
  readonly trace?: (statement: Statement) => void;
  /** Is told what a statement took, after it ran. */
  readonly ran?: (run: StatementRun) => void;
}

/** A statement that ran, by the name that the cluster has for it. */
export interface StatementRun extends StatementCost {
  readonly id: string;
  readonly about: string;
}

export const connectionOf = (options: TrinoOptions): Connection => {
  const { server, catalog, schema, user = 'durchblick', password, token, statementTimeout, signal, tags, session } = options;
  return {
    server: server.replace(/\/+$/, ''),
    catalog,
    schema,
    user,
    ...(password === undefined ? {} : { password }),
    ...(token === undefined ? {} : { token }),
    ...(statementTimeout === undefined ? {} : { timeout: statementTimeout }),
    ...(signal ? { signal } : {}),
    ...(tags ? { tags } : {}),
    ...(session ? { session } : {}),
  };
};
