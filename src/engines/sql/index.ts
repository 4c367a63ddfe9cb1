// What an engine over a database is made of: a dialect, and a way to run statements. Everything else is here already.
import type { Model } from '../../model/model.ts';
import type { Engine } from '../engine.ts';
import type { Database } from './database.ts';
import { openSqlStore } from './store.ts';

export type { Cancellation } from '../../plan/request.ts';
export type { Engine } from '../engine.ts';
export type { Database, Field, Rows, Session, Statement } from './database.ts';
export { type Dialect, type Relation, type SqlColumn, type SqlKind, standardQuotes } from './dialect.ts';

export interface SqlEngineOptions {
  /** What the engine is called in messages and by `--time`. */
  readonly name: string;
  /** Connects. It is called once for each book that is opened, and its `close` when the book is closed. */
  readonly connect: (model: Model) => Promise<Database>;
}

/**
 * An engine over a database that counts itself. Statements are written for its dialect and run in its sessions; all parts of
 * an answer are of one session, so a session must see one state of the data (V6).
 */
export const sqlEngine = ({ name, connect }: SqlEngineOptions): Engine => ({
  name,
  open: async (model, options) => openSqlStore(model, await connect(model), options),
});
