// What the generator needs of a database.
import type { Source } from '../../model/model.ts';
import type { Cancellation } from '../../plan/request.ts';
import type { DataState } from '../engine.ts';
import type { Dialect, Relation } from './dialect.ts';

/** One statement and what it is for. */
export interface Statement {
  readonly about: string;
  readonly sql: string;
}

/** Columns of an answer: numbers as numbers, texts as texts, null where blank. */
export interface Rows {
  readonly count: number;
  readonly columns: readonly ArrayLike<unknown>[];
  /** What the database says of the columns, where it numbers its types. */
  readonly fields?: readonly Field[];
  /** The same where its types have names. */
  readonly named?: readonly { readonly name: string; readonly type: string }[];
}

/** A column of an answer: the number of its type, and what else the type says. */
export interface Field {
  readonly name: string;
  readonly type: number;
  readonly modifier: number;
}

/** What became of a relation between two states: nothing, or rows came, which stand behind FROM in its place. */
export type Change = 'nothing' | { readonly rows: string };

/** Runs statements, one after the other, all of which see the same state of the data. */
export interface Session {
  readonly run: (statement: Statement, signal?: Cancellation) => Promise<Rows>;
  /** What the state that it sees is told apart by, and when it was begun, in milliseconds; undefined where nobody writes. */
  readonly sees?: DataState;
  /** The same once all relations are known, where only then it can be told. */
  readonly settled?: () => Promise<DataState>;
  readonly end: () => Promise<void>;
}

export interface Database {
  readonly dialect: Dialect;
  /** `still`: nobody writes while it is open. `live`: the data may change between one question and the next. */
  readonly state: 'still' | 'live';
  /** Whether a relation may change while a session sees it. */
  readonly isUnpinned?: (relation: Relation) => boolean;
  /** A source as a relation, as a session sees it. Throws `no-file`, `no-table` and the like, with what would be right. */
  readonly relation: (source: Source, run: Session['run']) => Promise<Relation>;
  /**
   * Keeps the rows of a select, where reading its source again and again would cost more than memory: text files.
   * Undefined where rows stay where they are.
   */
  readonly keep?: (name: string, select: string) => Promise<string>;
  /** What became of relations since an earlier state, by what stands behind FROM; anything may have become of those left out. */
  readonly changes?: (relations: readonly Relation[], since: DataState, session: Session) => Promise<ReadonlyMap<string, Change>>;
  readonly file?: (path: string) => Promise<Uint8Array>;
  /** `fixing` is called right before the state that the session sees is fixed. */
  readonly begin: (signal?: Cancellation, fixing?: () => void) => Promise<Session>;
  readonly close: () => Promise<void>;
}
