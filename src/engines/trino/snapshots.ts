// States of tables that keep snapshots: the present one of all of them together, or an older one that somebody names.
import { DurchblickError } from '../../errors.ts';
import type { Change } from '../sql/database.ts';
import { trinoDialect } from './dialect.ts';

const { identifier, text } = trinoDialect;

/** Runs a statement; answers its rows. Numbers of snapshots have more digits than a double: they travel as texts. */
export type RunRows = (sql: string) => Promise<readonly (readonly unknown[])[]>;

/** A table as a question reads it. */
export interface PinnedTable {
  /** As the model names it. */
  readonly name: string;
  /** Table and what tells its snapshots, as SQL names them. */
  readonly from: string;
  readonly refs: string;
  readonly commits: string;
  readonly history: string;
  readonly snapshots: string;
  /** The rows that came after one snapshot up to another, where in between rows came and nothing else. */
  readonly between: (after: string, upTo: string) => string;
}

/** A table of a catalog that keeps snapshots, by the parts of its name; those left out are those of the connection. */
export const pinnedTable = (name: string, own: { readonly catalog: string; readonly schema: string }): PinnedTable => {
  const parts = name.split('.');
  const [table, schema = own.schema, catalog = own.catalog] = [...parts].reverse();
  const beside = (what: string): string => [...parts.slice(0, -1).map(identifier), identifier(`${table}$${what}`)].join('.');
  return {
    name,
    from: parts.map(identifier).join('.'),
    refs: beside('refs'),
    commits: beside('metadata_log_entries'),
    history: beside('history'),
    snapshots: beside('snapshots'),
    between: (after, upTo) =>
      `table(${identifier(catalog)}.system.table_changes(schema_name => ${text(schema)}, table_name => ${text(table)}, start_snapshot_id => ${after}, end_snapshot_id => ${upTo}))`,
  };
};

/** A state as people and options write it: `table=id,table=id`. */
export const shownState = (snapshots: Iterable<readonly [table: string, id: string]>): string =>
  [...snapshots]
    .map(([table, id]) => `${table}=${id}`)
    .sort()
    .join(',');

/** A present state: what tells it from every other, and the snapshots alone, by which it can be asked again. */
export interface PresentState {
  readonly token: string;
  readonly snapshots: string;
}

/**
 * Which snapshots all tables have now. Within a transaction a table and what it tells of itself are the same, so that none is seen later
 * than another from here on. A table can change without a new snapshot, its columns above all: when that was last is part of the state.
 */
export const presentState = async (tables: readonly PinnedTable[], run: RunRows): Promise<PresentState | undefined> => {
  if (tables.length === 0) return undefined;
  const looks = tables.flatMap(({ refs, commits }, k) => [
    `select ${k}, cast(snapshot_id as varchar), null from ${refs} where name = 'main'`,
    `select ${k}, null, cast(timestamp as varchar) from ${commits}`,
  ]);
  const found = tables.map(() => ({ id: 'none', at: '' }));
  for (const [k, id, at] of await run(looks.join(' union all '))) {
    const own = found[Number(k)];
    if (id !== null) own.id = String(id);
    else if (String(at) > own.at) own.at = String(at);
  }
  return {
    token: shownState(tables.map(({ name }, k) => [name, `${found[k].id}@${found[k].at}`])),
    snapshots: shownState(tables.flatMap(({ name }, k) => (found[k].id === 'none' ? [] : [[name, found[k].id] as const]))),
  };
};

/** The snapshots of a state as {@link shownState} writes them, by table. */
const snapshotsOf = (state: string): Map<string, string> =>
  new Map(state.split(',').map((part) => part.trim().split('=') as [string, string]));

/** A commit of rows makes a version of a table, and one of its statistics another; more may be of its columns. */
const MOST_VERSIONS = 2;

/** Whether the later of two snapshots follows from the earlier one by additions alone, with the same columns. */
const onlyAdded = (rows: readonly (readonly unknown[])[], after: string, upTo: string): boolean => {
  /** The snapshot before each one that only added rows. */
  const before = new Map<string, string>();
  const versions = new Map<string, { columns: unknown; count: number }>();
  let isThere = false;
  for (const [, id, parent, by, columns] of rows) {
    const own = String(id);
    if (by === null) versions.set(own, { columns, count: (versions.get(own)?.count ?? 0) + 1 });
    else if (by === 'append') before.set(own, String(parent));
    // What followed upon a snapshot that has been removed cannot be asked for.
    if (by !== null) isThere ||= own === after;
  }
  const [then, now] = [versions.get(after), versions.get(upTo)];
  // A column that is dropped and added again under its name is another one.
  if (!isThere || !then || !now || then.columns !== now.columns || now.count > MOST_VERSIONS) return false;
  let at: string | undefined = upTo;
  while (at !== undefined && at !== after) at = before.get(at);
  return at === after;
};

/**
 * What became of tables between two states, by their tokens: a table is left out unless rows were added to it and nothing else. What was
 * deleted, rewritten or rolled back between them is in neither.
 */
export const changesBetween = async (
  tables: readonly PinnedTable[],
  earlier: string,
  later: string,
  run: RunRows,
): Promise<ReadonlyMap<PinnedTable, Change>> => {
  const [then, now] = [earlier, later].map(snapshotsOf);
  const found = new Map<PinnedTable, Change>();
  const others: PinnedTable[] = [];
  const snapshotOf = (state: Map<string, string>, { name }: PinnedTable): string => state.get(name)?.split('@')[0] ?? '';
  for (const table of tables) {
    if (!then.has(table.name) || !now.has(table.name)) continue;
    if (then.get(table.name) === now.get(table.name)) found.set(table, 'nothing');
    else if (snapshotOf(then, table) !== snapshotOf(now, table)) others.push(table);
  }
  if (others.length === 0) return found;
  const rows = await run(
    others
      .flatMap(({ snapshots, commits }, k) => [
        `select ${k}, cast(snapshot_id as varchar), cast(parent_id as varchar), operation, null from ${snapshots}`,
        `select ${k}, cast(latest_snapshot_id as varchar), null, null, latest_schema_id from ${commits}`,
      ])
      .join(' union all '),
  );
  for (const [k, table] of others.entries()) {
    const [after, upTo] = [snapshotOf(then, table), snapshotOf(now, table)];
    const own = rows.filter(([of]) => Number(of) === k);
    if (onlyAdded(own, after, upTo)) found.set(table, { rows: table.between(after, upTo) });
  }
  return found;
};

const wrong = (state: string): DurchblickError =>
  new DurchblickError('bad-state', `"${state}" names no state`, {
    hint: 'It takes an instant, as in 2026-05-20T06:00:00Z, or the snapshot of every table, as in sales=4132,shops=977: --time prints those of an answer.',
  });

/** Which snapshot of a table a state means: given by its number, or the last one made by an instant. */
export const snapshotIn = async (state: string, { name, history }: PinnedTable, run: RunRows): Promise<string> => {
  if (/^\d{4}-\d\d-\d\d/.test(state)) {
    const instant = Date.parse(state);
    if (!/T.*(Z|[+-]\d\d:\d\d)$/.test(state) || Number.isNaN(instant)) throw wrong(state);
    const at = new Date(instant).toISOString().replace('T', ' ').replace('Z', ' UTC');
    const [row] = await run(
      `select cast(snapshot_id as varchar) from ${history} where made_current_at <= timestamp ${text(at)} order by made_current_at desc limit 1`,
    );
    if (row) return String(row[0]);
    throw new DurchblickError('unknown-state', `table ${name} has no state of ${state} any more, or had none yet`, {
      hint: 'Take a later instant; old snapshots are removed by whoever looks after the tables.',
    });
  }
  const given = snapshotsOf(state);
  if (![...given.values()].every((id) => id !== undefined && /^\d+$/.test(id))) throw wrong(state);
  const id = given.get(name);
  if (id === undefined)
    throw new DurchblickError('unknown-state', `the state has no snapshot of table ${name}`, {
      hint: `It has ${[...given.keys()].join(', ')}; name one of each table of the model.`,
    });
  const [row] = await run(`select count(*) from ${history} where snapshot_id = ${id}`);
  if (Number(row?.[0]) > 0) return id;
  throw new DurchblickError('unknown-state', `table ${name} has no snapshot ${id} any more, or never had`, {
    hint: 'Old snapshots are removed by whoever looks after the tables.',
  });
};
