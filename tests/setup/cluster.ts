// A real cluster, which cluster-server.ts starts, and tables in it.
import { existsSync, readFileSync } from 'node:fs';
import { inject } from 'vitest';
import { statement } from '../../src/engines/trino/client.ts';
import type { TrinoOptions } from '../../src/engines/trino/index.ts';
import type { ClusterState } from './cluster-server.ts';
import { type Tables, typeOf } from './tables.ts';

/** Waits until it is known where the cluster of this run is; undefined where there is none. */
export const clusterUrl = async (): Promise<string | undefined> => {
  const file = inject('cluster');
  while (!existsSync(file)) await new Promise((done) => setTimeout(done, 200));
  const state = JSON.parse(readFileSync(file, 'utf8')) as ClusterState;
  return 'url' in state ? state.url : undefined;
};

/** A statement may have a million characters. */
const MOST_TEXT = 500_000;

/** Types of the tests' tables by the names that the cluster has for them. */
const TYPES: Readonly<Record<string, string>> = {
  text: 'varchar',
  bigint: 'bigint',
  'numeric(14,2)': 'decimal(14,2)',
  'double precision': 'double',
  date: 'date',
};

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;
const literal = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** Loads tables into a schema of their own. */
export const loadIntoCluster = async (
  schema: string,
  tables: Tables,
  texts = false,
): Promise<{ readonly options: TrinoOptions; readonly drop: () => Promise<void> }> => {
  const options = { server: (await clusterUrl()) as string, catalog: 'memory', schema, user: 'tests', writes: 'nobody' as const };
  const run = (sql: string) => statement(options, sql, undefined);
  await run(`create schema ${quoted(schema)}`);
  for (const [name, rows] of Object.entries(tables)) {
    const columns = [...new Set(rows.flatMap((row) => Object.keys(row)))].map((column) => {
      const values = rows.map((row) => row[column] ?? null);
      return { name: quoted(column), values, type: TYPES[typeOf(values, texts)] };
    });
    const typed = columns.map(({ name: column, type }, k) => `cast(r[${k + 1}] as ${type}) as ${column}`);
    await run(`create table ${quoted(name)} (${columns.map((column) => `${column.name} ${column.type}`).join(', ')})`);
    // As texts of JSON: a list of thousands of VALUES is planned for minutes.
    const lines = rows.map((_, k) => JSON.stringify(columns.map(({ values }) => (values[k] === null ? null : String(values[k])))));
    for (let start = 0, length = 0, k = 0; k < lines.length; k++) {
      length += lines[k].length;
      if (length < MOST_TEXT && k + 1 < lines.length) continue;
      const given = literal(`[${lines.slice(start, k + 1).join()}]`);
      await run(
        `insert into ${quoted(name)} select ${typed.join(', ')} from unnest(cast(json_parse(${given}) as array(array(varchar)))) as t (r)`,
      );
      [start, length] = [k + 1, 0];
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
