// Where a table is written: what every kind of place can say and do.
import type { Publication } from '../model/model.ts';
import type { PublishedTable } from './table.ts';

/** What is at a place now. `same`: the very table; `older`: one that was published; `foreign`: something else, which is left alone. */
export type There = 'nothing' | 'same' | 'older' | 'foreign';

export interface Target {
  /** How messages name the place. */
  readonly called: (to: Publication['to']) => string;
  readonly look: (to: Publication['to'], table: PublishedTable) => Promise<There>;
  /** Puts a table into its place whole: who reads meanwhile sees the one before or this one, and never half. */
  readonly write: (to: Publication['to'], table: PublishedTable) => Promise<void>;
  readonly close: () => Promise<void>;
}

/** A name as SQL has it. */
export const quotedName = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** A table's name as SQL has it. */
export const sqlName = ({ schema, table }: Extract<Publication['to'], { kind: 'table' }>): string =>
  [...(schema === undefined ? [] : [schema]), table].map(quotedName).join('.');

export const sqlText = (text: string): string => `'${text.replaceAll("'", "''")}'`;

export const tableCalled = (to: Publication['to']): string =>
  to.kind === 'file' ? to.path : [...(to.schema === undefined ? [] : [to.schema]), to.table].join('.');
