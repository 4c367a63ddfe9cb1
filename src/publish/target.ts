// Where a table is written: what every kind of place can say and do.
import { standardQuotes } from '../engines/sql/dialect.ts';
import type { Publication } from '../model/model.ts';
import { type PublishedTable, printIn } from './table.ts';

/** What is at a place now. `same`: the very table; `older`: one that was published; `foreign`: something else, which is left alone. */
export type There = 'nothing' | 'same' | 'older' | 'foreign';

export interface Target {
  readonly look: (to: Publication['to'], table: PublishedTable) => Promise<There>;
  /** Puts a table into its place whole: who reads meanwhile sees the one before or this one, and never half. */
  readonly write: (to: Publication['to'], table: PublishedTable) => Promise<void>;
  readonly close: () => Promise<void>;
}

/** A name, and a text, as SQL has them. */
export const { identifier: quotedName, text: sqlText } = standardQuotes;

/** A table's name as SQL has it. */
export const sqlName = ({ schema, table }: Extract<Publication['to'], { kind: 'table' }>): string =>
  [...(schema === undefined ? [] : [schema]), table].map(quotedName).join('.');

/** How messages name a place. */
export const targetText = (to: Publication['to']): string =>
  to.kind === 'file' ? to.path : [...(to.schema === undefined ? [] : [to.schema]), to.table].join('.');

/** What is at a place by the comment of the table there: null where it has none, undefined where there is nothing. */
export const thereBy = (comment: string | null | undefined, { mark, print }: PublishedTable): There => {
  if (comment === undefined) return 'nothing';
  const known = printIn(comment, mark);
  return known === undefined ? 'foreign' : known === print ? 'same' : 'older';
};
