import type pg from 'pg';

export type Rows = readonly Readonly<Record<string, unknown>>[];
export type Tables = Readonly<Record<string, Rows>>;

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** The types that a careful person would give columns of such values; `texts` keeps dates and amounts as they were written. */
export const typeOf = (values: readonly unknown[], texts: boolean): string => {
  const there = values.filter((value) => value !== null && value !== undefined);
  if (there.length === 0 || texts) return 'text';
  if (there.every((value) => typeof value === 'number')) {
    if (there.every((value) => Number.isInteger(value))) return 'bigint';
    return there.every((value) => Number((value as number).toFixed(2)) === value) ? 'numeric(14,2)' : 'double precision';
  }
  return there.every((value) => /^\d{4}-\d\d-\d\d$/.test(String(value))) ? 'date' : 'text';
};

/** Loads tables into a schema of their own and gives the settings that make a connection look there, and a way to drop it again. */
export const loadTables = async (
  client: pg.Client,
  schema: string,
  tables: Tables,
  texts = false,
  place: 'new' | 'there' = 'new',
): Promise<{ readonly options: string; readonly drop: (through?: pg.Client) => Promise<void> }> => {
  if (place === 'new') await client.query(`create schema ${quoted(schema)}`);
  for (const [name, rows] of Object.entries(tables)) {
    const columns = [...new Set(rows.flatMap((row) => Object.keys(row)))].map((column) => {
      const values = rows.map((row) => row[column] ?? null);
      return { name: quoted(column), values, type: typeOf(values, texts) };
    });
    const table = `${quoted(schema)}.${quoted(name)}`;
    await client.query(`create table ${table} (${columns.map((column) => `${column.name} ${column.type}`).join(', ')})`);
    if (rows.length === 0) continue;
    const lists = columns.map((_, k) => `$${k + 1}::text[]`).join(', ');
    const typed = columns.map(({ type }, k) => `c${k}::${type}`).join(', ');
    const names = columns.map((_, k) => `c${k}`).join(', ');
    await client.query(
      `insert into ${table} select ${typed} from unnest(${lists}) as given(${names})`,
      columns.map(({ values }) => values.map((value) => (value === null ? null : String(value)))),
    );
    // Without statistics the planner picks slow plans.
    if (rows.length > 1000) await client.query(`analyze ${table}`);
  }
  return {
    options: `?options=${encodeURIComponent(`-c search_path=${quoted(schema)}`)}`,
    drop: async (through = client) => {
      await through.query(`drop schema ${quoted(schema)} cascade`);
    },
  };
};
