// Tables in a real cluster, which scripts/cluster.mjs starts.
import { statement } from '../../src/engines/trino/client.ts';
import type { TrinoOptions } from '../../src/engines/trino/index.ts';
import { type Tables, typeOf } from './tables.ts';

export const CLUSTER = process.env.DURCHBLICK_CLUSTER_URL ?? 'http://127.0.0.1:18080';

/** Types of the tests' tables by the names that the cluster has for them, and how their values are written. */
const TYPES: Readonly<Record<string, { readonly name: string; readonly written: (value: unknown) => string }>> = {
  text: { name: 'varchar', written: (value) => `'${String(value).replaceAll("'", "''")}'` },
  bigint: { name: 'bigint', written: (value) => `bigint '${value}'` },
  'numeric(14,2)': { name: 'decimal(14,2)', written: (value) => `cast('${value}' as decimal(14,2))` },
  'double precision': { name: 'double', written: (value) => `double '${value}'` },
  date: { name: 'date', written: (value) => `date '${value}'` },
};

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;
const BATCH = 500;

/** Loads tables into a schema of their own. */
export const loadIntoCluster = async (
  schema: string,
  tables: Tables,
  texts = false,
): Promise<{ readonly options: TrinoOptions; readonly drop: () => Promise<void> }> => {
  const options = { server: CLUSTER, catalog: 'memory', schema, user: 'tests', writes: 'nobody' as const };
  const run = (sql: string) => statement(options, sql, undefined);
  await run(`create schema ${quoted(schema)}`);
  for (const [name, rows] of Object.entries(tables)) {
    const columns = [...new Set(rows.flatMap((row) => Object.keys(row)))].map((column) => {
      const values = rows.map((row) => row[column] ?? null);
      return { name: quoted(column), values, type: TYPES[typeOf(values, texts)] };
    });
    await run(`create table ${quoted(name)} (${columns.map((column) => `${column.name} ${column.type.name}`).join(', ')})`);
    for (let start = 0; start < rows.length; start += BATCH) {
      const lines = rows.slice(start, start + BATCH).map((_, k) => {
        const cells = columns.map(({ values, type }) =>
          values[start + k] === null ? `cast(null as ${type.name})` : type.written(values[start + k]),
        );
        return `(${cells.join(', ')})`;
      });
      await run(`insert into ${quoted(name)} values ${lines.join(',\n')}`);
    }
  }
  return {
    options,
    drop: async () => {
      for (const name of Object.keys(tables)) await run(`drop table ${quoted(name)}`);
      await run(`drop schema ${quoted(schema)}`);
    },
  };
};
