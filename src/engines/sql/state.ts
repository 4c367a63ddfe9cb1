// What was found out about a database in one state of its data: nothing of it is taken for another state (V6).

import { once } from '../../basics/kept-promises.ts';
import { DurchblickError } from '../../errors.ts';
import type { AttributeRef } from '../../model/attributes.ts';
import { usedColumns } from '../../model/columns.ts';
import type { Dimension, Fact, Model, Rate } from '../../model/model.ts';
import { rowMapOf } from '../../plan/members/kinds.ts';
import type { Filter } from '../../plan/request.ts';
import type { OpenOptions } from '../engine.ts';
import { hiddenFault } from '../shared/faults.ts';
import type { Database } from './database.ts';
import { namesIn, type Relation, rawColumn, readable } from './dialect.ts';
import { openDimension, type SqlDimension, withZones } from './dimensions.ts';
import { checkColumns, openSqlFact, ROWS, type SqlFact } from './fact.ts';
import { keepFact } from './kept-rows.ts';
import { membersIn } from './members.ts';
import type { NumberSql } from './numbers.ts';
import { openRate, type RateTable } from './rates.ts';
import { sampleOf } from './sample.ts';
import { selectOf } from './select.ts';
import { type Grown, gainedFrom, type StatisticValue } from './statistics.ts';
import { type Earlier, type Run, rangedAttributes, type SqlState, sourceNamed, worldOf } from './tables.ts';

/** Sources that something else than a fact's own rows rests on. */
const sharedSources = (model: Model): ReadonlySet<string> => {
  const ofFacts = new Map<string, number>();
  for (const { source } of model.facts.values()) ofFacts.set(source, (ofFacts.get(source) ?? 0) + 1);
  const beside = [...model.dimensions.values(), ...model.rates.values()].map(({ source }) => source);
  return new Set([...model.sources.keys()].filter((name) => !ofFacts.has(name) || beside.includes(name)));
};

/** The state before, where since then nothing but rows of facts can have changed. */
const onlyGrown = (model: Model, earlier: Earlier | undefined): Earlier | undefined =>
  earlier && [...sharedSources(model)].every((name) => earlier.changes.get(name) === 'nothing') ? earlier : undefined;

/** What is known of a source's rows from the state before. */
const grownOf = (earlier: Earlier | undefined, name: string, base: string): Grown | undefined => {
  const change = earlier?.changes.get(name);
  if (!earlier || change === undefined) return undefined;
  return { base, gained: change === 'nothing' ? undefined : change.rows, before: earlier.statistics.get(name) ?? new Map() };
};

/** A state under way: everything is looked up when it is first wanted, through the session that sees it. */
export const sqlState = (model: Model, database: Database, run: Run, { fixed, hiding }: OpenOptions, last?: Earlier): SqlState => {
  const earlier = onlyGrown(model, last);
  const { dialect } = database;
  const relations = new Map<string, Promise<Relation>>();
  const dimensions = new Map<string, Promise<SqlDimension>>();
  const facts = new Map<string, Promise<SqlFact>>();
  const hidden = hiding.length > 0;
  const statistics = new Map<string, Map<string, StatisticValue>>();
  const named = new Map<string, readonly string[]>();
  const columnsOf = new Map<string, string>();

  const looked = (name: string): Promise<Relation> =>
    once(relations, name, async () => {
      const source = sourceNamed(model, name);
      const place = () => model.locate(source.kind === 'given' ? ['sources', name] : ['sources', name, source.kind]);
      const found = await database.relation(source, run).catch((error: unknown) => {
        throw error instanceof DurchblickError ? error.located(place()) : error;
      });
      if (found.denied) return { ...found, denied: found.denied.located(place()) };
      const columns = found.columns.map((column) => ({ ...column, numbers: source.numbers }));
      if (!database.changes) return { ...found, columns };
      const described = JSON.stringify(columns);
      columnsOf.set(name, described);
      const grown = earlier?.columns.get(name) === described ? grownOf(earlier, name, found.from) : undefined;
      const own = new Map<string, StatisticValue>();
      statistics.set(name, own);
      return { ...found, columns, statistics: own, ...(grown ? { grown } : {}) };
    });
  const relation = async (name: string): Promise<Relation> => readable(await looked(name));
  const rates = new Map<string, Promise<RateTable>>();
  const rateTable = (rate: Rate): Promise<RateTable> =>
    once(rates, rate.name, () => earlier?.rates.get(rate.name) ?? openRate(rate, { model, dialect, run, relation, rows: plainRows }));
  const plainRows = async (name: string, columns: readonly string[]) =>
    sampleOf.plain(await relation(name), columns, dialect, (sql) => run({ about: `rows of ${name}`, sql }));
  const opened = (name: string): Promise<SqlDimension> =>
    once(dimensions, name, async () => {
      const before = await earlier?.dimensions.get(name);
      if (before) return before;
      const own = model.dimensions.get(name) as Dimension;
      const found = await looked(own.source as string);
      return found.denied ? { relation: found, rows: 0 } : openDimension(own, found, model, dialect, run, hidden);
    });
  const dimension = async (name: string): Promise<SqlDimension> => {
    const found = await opened(name);
    readable(found.relation);
    return found;
  };
  const allDimensions = async (): Promise<ReadonlyMap<string, SqlDimension>> => {
    const found = new Map<string, SqlDimension>();
    for (const own of model.dimensions.values()) if (own.source !== undefined) found.set(own.name, await opened(own.name));
    return found;
  };
  const state: SqlState = {
    relation,
    denied: async (fact) => (await looked(fact.source)).denied,
    dimension,
    dimensions: allDimensions,
    fact: (fact, rows = 'seen') =>
      once(facts, `${rows} ${fact.name}`, async () => {
        const whole = await relation(fact.source);
        checkColumns({ fact, relation: whole, model });
        const keys = usedColumns(fact, model).flatMap(({ use, column }) => (use === 'link' || use === 'version' ? [column] : []));
        const own = await withZones(whole, keys, model.timeZone, dialect, run);
        const filters = rows === 'all' ? [] : (fixed.get(fact.name) ?? []);
        const seen = filters.length === 0 ? own : await seenRows(fact, own, filters, { model, database, run, state, rateTable });
        const opened = await openSqlFact({ fact, relation: seen, model, dialect, run, hidden: seen !== own, rateTable }).catch(
          (error: unknown) => {
            throw rows === 'all' && hidden ? hiddenFault(whole.name, error) : error;
          },
        );
        return database.keep && whole.texts ? keepFact(opened, database.keep, dialect) : opened;
      }),
    gained: async (fact, rows) => {
      const own = await state.fact(fact, rows);
      const { grown, from } = own.relation;
      // Of revisions a later one replaces an earlier (G7).
      if (!grown || own.versions) return undefined;
      if (grown.gained === undefined) return 'nothing';
      const gained = gainedFrom(from, grown);
      return gained === undefined ? undefined : { ...own, relation: { ...own.relation, from: gained } };
    },
    named,
    namedBefore: earlier?.named ?? new Map(),
    kept: { columns: columnsOf, statistics, named, dimensions, rates },
  };
  return state;
};

interface Looking {
  readonly model: Model;
  readonly database: Database;
  readonly run: Run;
  readonly state: SqlState;
  readonly rateTable: (rate: Rate) => Promise<RateTable>;
}

/** The rows of a relation that fixed filters leave: everything else is found out from these alone (V3). */
const seenRows = async (fact: Fact, relation: Relation, filters: readonly Filter[], looking: Looking): Promise<Relation> => {
  const { database } = looking;
  const members = new Map<string, readonly string[]>();
  for (const attribute of rangedAttributes(filters)) members.set(attribute.key, await allMembers(attribute, looking));
  const numbers = await bandNumbers(fact, relation, filters, looking);
  const dated = await datedRows(fact, relation, filters, looking);
  const rows = { ...bareFact(fact, dated?.relation ?? relation, database), ...(dated ? { day: dated.day } : {}) };
  const select = selectOf(
    { ...rows, number: (name: string) => numbers.get(name) as NumberSql },
    await worldOf(looking.state, database, members),
    undefined,
  );
  const conditions = filters.map(select.condition);
  // What has been read of dates stands beside the columns, and is read anew of the rows that are left.
  const own = namesIn(relation).map((name) => `${ROWS}.${database.dialect.identifier(name)}`);
  return { ...relation, from: `(select ${dated ? own.join(', ') : `${ROWS}.*`} from ${select.from()} where ${conditions.join(' and ')})` };
};

/** The rows with their dates, where filters are about versions that hold on them (G9). */
const datedRows = async (
  fact: Fact,
  relation: Relation,
  filters: readonly Filter[],
  { model, database, run, rateTable }: Looking,
): Promise<SqlFact | undefined> => {
  const isVersioned = (filter: Filter): boolean => filter.kind === 'members' && rowMapOf(fact, filter.attribute)?.kind === 'key-day';
  if (!filters.some(isVersioned)) return undefined;
  return openSqlFact({ fact, relation, model, dialect: database.dialect, run, hidden: true, rateTable }).catch((error: unknown) => {
    throw hiddenFault(relation.name, error);
  });
};

/** A fact of which nothing is known but its links. */
const bareFact = (fact: Fact, relation: Relation, { dialect }: Database): SqlFact => ({
  fact,
  relation,
  rows: 0,
  bounds: new Map(),
  filled: new Set(),
  late: [],
  notes: [],
  day: () => 'null',
  sameDay: () => 'null',
  between: () => undefined,
  fullKeys: new Set(),
  number: () => ({ sql: 'null', scale: -1, most: 0 }),
  numbers: new Map(),
  present: () => 'null',
  link: ({ column }) => {
    const found = relation.columns.find(({ name }) => name === column);
    if (!found) throw new Error(`no column ${column}`);
    return { sql: rawColumn(dialect, ROWS, found), column: found, special: found.kind === 'text' };
  },
  versions: undefined,
});

/** Numbers of the bands that fixed filters are about, over all rows: which band a row is in decides whether it is seen. */
const bandNumbers = async (
  fact: Fact,
  relation: Relation,
  filters: readonly Filter[],
  { model, database, run, rateTable }: Looking,
): Promise<ReadonlyMap<string, NumberSql>> => {
  const maps = filters.map((filter) => (filter.kind === 'members' ? rowMapOf(fact, filter.attribute) : undefined));
  const columns = [...new Set(maps.flatMap((map) => (map?.kind === 'thresholds' ? [map.band.of] : [])))];
  if (columns.length === 0) return new Map();
  const opened = await openSqlFact({ fact, relation, model, dialect: database.dialect, run, hidden: true, rateTable }).catch(
    (error: unknown) => {
      throw hiddenFault(relation.name, error);
    },
  );
  return new Map(columns.map((column) => [column, opened.number(column)]));
};

const allMembers = async (attribute: AttributeRef, { model, database, run, state }: Looking): Promise<readonly string[]> =>
  membersIn(attribute, { model, state, database, run, rows: 'all', fixed: [] });
