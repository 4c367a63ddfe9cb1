// A real cluster, which cluster-server.ts starts, and tables in it.
import { inject } from 'vitest';
import { statement } from '../../src/engines/trino/client.ts';
import type { TrinoOptions } from '../../src/engines/trino/index.ts';
import { type Rows, type Tables, typeOf } from './tables.ts';

export const cluster = inject('cluster');
export const clusterUrl = cluster?.url;

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

/** How tables are loaded: into which catalog, dates and amounts as texts or not, and which of their rows at first. */
interface Loading {
  readonly catalog?: 'memory' | 'lake';
  readonly texts?: boolean;
  readonly first?: Tables;
}

/** Tables of a schema on the cluster. */
export interface Loaded {
  readonly options: TrinoOptions;
  /** More rows for a table that is there. */
  readonly insert: (name: string, rows: Rows) => Promise<void>;
  readonly run: (sql: string) => Promise<unknown>;
  readonly drop: () => Promise<void>;
}

/** Loads tables into a schema of their own. */
export const loadIntoCluster = async (
  schema: string,
  tables: Tables,
  { catalog = 'memory', texts = false, first = tables }: Loading = {},
): Promise<Loaded> => {
  const writes = catalog === 'memory' ? ('nobody' as const) : ('others' as const);
  const options = { server: clusterUrl as string, catalog, schema, user: 'tests', writes };
  const run = (sql: string) => statement(options, sql, undefined);
  await run(`create schema ${quoted(schema)}`);
  const columns = new Map(
    Object.entries(tables).map(([name, rows]) => {
      const names = [...new Set(rows.flatMap((row) => Object.keys(row)))];
      return [
        name,
        names.map((column) => ({
          column,
          type: TYPES[
            typeOf(
              rows.map((row) => row[column] ?? null),
              texts,
            )
          ],
        })),
      ] as const;
    }),
  );
  const insert = async (name: string, rows: Rows): Promise<void> => {
    const own = columns.get(name) ?? [];
    const typed = own.map(({ column, type }, k) => `cast(r[${k + 1}] as ${type}) as ${quoted(column)}`);
    // As texts of JSON: a list of thousands of VALUES is planned for minutes.
    const lines = rows.map((row) => JSON.stringify(own.map(({ column }) => ((row[column] ?? null) === null ? null : String(row[column])))));
    for (let start = 0, length = 0, k = 0; k < lines.length; k++) {
      length += lines[k].length;
      if (length < MOST_TEXT && k + 1 < lines.length) continue;
      const given = literal(`[${lines.slice(start, k + 1).join()}]`);
      await run(
        `insert into ${quoted(name)} select ${typed.join(', ')} from unnest(cast(json_parse(${given}) as array(array(varchar)))) as t (r)`,
      );
      [start, length] = [k + 1, 0];
    }
  };
  for (const [name, own] of columns) {
    await run(`create table ${quoted(name)} (${own.map(({ column, type }) => `${quoted(column)} ${type}`).join(', ')})`);
    await insert(name, first[name] ?? []);
  }
  return {
    options,
    insert,
    run,
    drop: async () => {
      for (const name of Object.keys(tables)) await run(`drop table ${quoted(name)}`);
      await run(`drop schema ${quoted(schema)}`);
    },
  };
};
