// States of tables that keep snapshots: the present one of all of them together, or an older one that somebody names.
import { DurchblickError } from '../../errors.ts';
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
  readonly history: string;
}

/** A table of a catalog that keeps snapshots, by the parts of its name. */
export const pinnedTable = (name: string): PinnedTable => {
  const parts = name.split('.');
  const beside = (what: string): string =>
    [...parts.slice(0, -1).map(identifier), identifier(`${parts[parts.length - 1]}$${what}`)].join('.');
  return { name, from: parts.map(identifier).join('.'), refs: beside('refs'), history: beside('history') };
};

/** A state as people and options write it: `table=id,table=id`. */
export const shownState = (snapshots: Iterable<readonly [table: string, id: string]>): string =>
  [...snapshots]
    .map(([table, id]) => `${table}=${id}`)
    .sort()
    .join(',');

/**
 * Touches all tables, so that none is seen later than another, and says which snapshots those are. Within a
 * transaction a table and what it tells of itself are the same.
 */
export const presentState = async (tables: readonly PinnedTable[], run: RunRows): Promise<string | undefined> => {
  if (tables.length === 0) return undefined;
  await run(tables.map(({ from }) => `(select 1 from ${from} limit 0)`).join(' union all '));
  const rows = await run(
    tables.map(({ refs }, k) => `select ${k}, cast(snapshot_id as varchar) from ${refs} where name = 'main'`).join(' union all '),
  );
  return shownState(rows.map(([k, id]) => [tables[Number(k)].name, String(id)]));
};

const wrong = (state: string): DurchblickError =>
  new DurchblickError('bad-state', `"${state}" names no state`, {
    hint: 'It takes an instant, as in 2026-08-15T06:00:00Z, or the snapshot of every table, as in sales=4132,shops=977: --time prints those of an answer.',
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
  const given = new Map(state.split(',').map((part) => part.trim().split('=') as [string, string]));
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
