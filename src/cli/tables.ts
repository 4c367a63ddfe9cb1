// Tables of a database, to draft a model from.
import type { DraftFile } from '../draft/index.ts';
import { type Engine, type Store, UNFILTERED } from '../engines/engine.ts';
import { DurchblickError, suggest } from '../errors.ts';
import { defineParts } from '../plan/define.ts';

/** So many rows of a table are looked at. */
const SAMPLE_ROWS = 100_000;
/** More tables than a draft makes sense of; then some are named. */
const MOST_TABLES = 40;

const COLUMNS = 'every-column';

interface Column {
  readonly schema: string;
  readonly table: string;
  readonly column: string;
}

/** Runs something over sources, as a model without facts would open them. */
export const over = async <T>(
  engine: Engine,
  sources: Readonly<Record<string, unknown>>,
  run: (store: Store) => Promise<T>,
): Promise<T> => {
  const model = defineParts([{ written: { sources, facts: {} }, locate: () => undefined }]);
  const store = await engine.open(model, UNFILTERED);
  try {
    return await run(store);
  } finally {
    await store.close();
  }
};

const columnsIn = async (engine: Engine): Promise<readonly Column[]> => {
  const query =
    "select table_schema, table_name, column_name, ordinal_position from information_schema.columns where table_schema not in ('information_schema', 'pg_catalog')";
  const rows = await over(engine, { [COLUMNS]: { query } }, (store) =>
    store.rows(COLUMNS, ['table_schema', 'table_name', 'column_name', 'ordinal_position']),
  );
  return [...rows]
    .sort((a, b) => Number(a.ordinal_position) - Number(b.ordinal_position))
    .map((row) => ({ schema: String(row.table_schema), table: String(row.table_name), column: String(row.column_name) }));
};

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** The tables that are named, or all that there are, each with its columns. */
const chosen = (columns: readonly Column[], wanted: readonly string[]): ReadonlyMap<string, readonly Column[]> => {
  const tables = new Map<string, Column[]>();
  for (const column of columns) {
    const name = `${column.schema}.${column.table}`;
    tables.set(name, [...(tables.get(name) ?? []), column]);
  }
  if (wanted.length === 0) {
    if (tables.size > 0 && tables.size <= MOST_TABLES) return tables;
    throw new DurchblickError(
      'no-table',
      tables.size === 0 ? 'the database has no tables that may be read' : `the database has ${tables.size} tables`,
      {
        hint:
          tables.size === 0
            ? 'Connect as a role that may read some.'
            : `Name those that the model is to be made of: ${[...tables.keys()].slice(0, 5).join(' ')} …`,
      },
    );
  }
  return new Map(
    wanted.map((name) => {
      const found = [...tables].find(([full]) => full === name || full.slice(full.indexOf('.') + 1) === name);
      if (!found) throw new DurchblickError('no-table', `there is no table "${name}"`, { hint: suggest(name, tables.keys(), 'tables') });
      return found;
    }),
  );
};

/** Looks into tables of a database: all columns, and the first rows. `make` gives an engine, which opens once. */
export const tablesToDraft = async (make: () => Engine, wanted: readonly string[]): Promise<readonly DraftFile[]> => {
  const tables = chosen(await columnsIn(make()), wanted);
  const sources = Object.fromEntries(
    [...tables].map(([name, [{ schema, table }]]) => [
      name,
      { query: `select * from ${quoted(schema)}.${quoted(table)} limit ${SAMPLE_ROWS}` },
    ]),
  );
  return over(make(), sources, async (store) => {
    const found: DraftFile[] = [];
    for (const [name, columns] of tables) {
      const names = columns.map(({ column }) => column);
      const kinds = await Promise.all(names.map((column) => store.kind(name, column)));
      const usable = names.filter((_, k) => kinds[k] !== 'unusable');
      const rows = await store.rows(name, usable);
      found.push({
        table: name,
        sample: {
          rows: rows.length,
          of: rows.length === SAMPLE_ROWS ? 'first' : 'all',
          // Days and points in time come as texts.
          columns: usable.map((column) => {
            const kind = kinds[names.indexOf(column)];
            const isTime = kind === 'date' || kind === 'timestamp' || kind === 'instant';
            return { name: column, kind: isTime ? 'text' : kind, values: rows.map((row) => row[column] ?? null) };
          }),
        },
      });
    }
    return found;
  });
};
