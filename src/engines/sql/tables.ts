// What statements are written from: a model's tables and facts as one state of the data has them.
import type { DurchblickError } from '../../errors.ts';
import type { AttributeRef } from '../../model/attributes.ts';
import type { Fact, Model, Source } from '../../model/model.ts';
import type { Filter } from '../../plan/request.ts';
import type { RowsOf } from '../engine.ts';
import type { Database, Session } from './database.ts';
import type { Relation } from './dialect.ts';
import type { SqlDimension } from './dimensions.ts';
import type { SqlFact } from './fact.ts';
import type { SqlWorld } from './select.ts';

export type Run = Session['run'];

/** Everything is looked up when it is first wanted, and kept for as long as the state lasts. */
export interface SqlState {
  readonly relation: (source: string) => Promise<Relation>;
  readonly dimension: (name: string) => Promise<SqlDimension>;
  /** Why the rows of a fact may not be read; undefined where they may. */
  readonly denied: (fact: Fact) => Promise<DurchblickError | undefined>;
  /** Every dimension that has a table, those that may not be read among them. */
  readonly dimensions: () => Promise<ReadonlyMap<string, SqlDimension>>;
  readonly fact: (fact: Fact, rows?: RowsOf) => Promise<SqlFact>;
}

export const sourceNamed = (model: Model, name: string): Source => model.sources.get(name) ?? { kind: 'given', name, numbers: 'plain' };

/** What statements over a state are made of; `members` are those that filters between two ends choose from. */
export const worldOf = async (
  state: Pick<SqlState, 'dimensions'>,
  { dialect }: Database,
  members: ReadonlyMap<string, readonly string[]> = new Map(),
): Promise<SqlWorld> => ({
  dialect,
  dimensions: new Map(Array.from(await state.dimensions(), ([name, { relation }]) => [name, relation])),
  members: (attribute) => members.get(attribute.key) ?? [],
  workingDays: undefined,
});

/** Attributes of filters between two ends, which are lists of members in SQL. */
export const rangedAttributes = (filters: readonly Filter[]): AttributeRef[] =>
  filters.flatMap((filter) =>
    filter.kind === 'members' && (filter.test.from !== undefined || filter.test.to !== undefined) ? [filter.attribute] : [],
  );
