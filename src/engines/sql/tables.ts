// What statements are written from: a model's tables and facts as one state of the data has them.
import type { DurchblickError } from '../../errors.ts';
import type { AttributeRef } from '../../model/attributes.ts';
import type { Fact, Model, Source } from '../../model/model.ts';
import type { Filter } from '../../plan/request.ts';
import type { RowsOf } from '../engine.ts';
import type { Change, Database, Session } from './database.ts';
import type { Relation } from './dialect.ts';
import type { SqlDimension } from './dimensions.ts';
import type { SqlFact } from './fact.ts';
import type { RateTable } from './rates.ts';
import type { SqlWorld } from './select.ts';
import type { StatisticValue } from './statistics.ts';

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
  /** The rows of a fact that came since the state before, where nothing else changed that it rests on; undefined where that is not known. */
  readonly gained: (fact: Fact, rows?: RowsOf) => Promise<'nothing' | SqlFact | undefined>;
  /** Members by attribute, and those that facts' own columns name; as this state has them, and as the one before had them. */
  readonly named: Map<string, readonly string[]>;
  readonly namedBefore: ReadonlyMap<string, readonly string[]>;
  /** What has been found out in this state, for the next one. */
  readonly kept: KeptLooks;
}

/** What is known of a state, for one in which only rows came. */
export interface KeptLooks {
  /** Columns by source, in order. */
  readonly columns: ReadonlyMap<string, string>;
  /** Statistics by source. */
  readonly statistics: ReadonlyMap<string, ReadonlyMap<string, StatisticValue>>;
  readonly named: ReadonlyMap<string, readonly string[]>;
  /** What only hangs on sources that have not changed. */
  readonly dimensions: ReadonlyMap<string, Promise<SqlDimension>>;
  readonly rates: ReadonlyMap<string, Promise<RateTable>>;
}

/** The state before, and what became of each source since. */
export interface Earlier extends KeptLooks {
  readonly changes: ReadonlyMap<string, Change>;
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
