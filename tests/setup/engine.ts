import { readFileSync } from 'node:fs';
import Papa from 'papaparse';
import pg from 'pg';
import { afterAll, inject } from 'vitest';
import { duckdb } from '../../src/engines/duckdb/index.ts';
import { memory } from '../../src/engines/memory/index.ts';
import { postgres } from '../../src/engines/postgres/index.ts';
import { trino } from '../../src/engines/trino/index.ts';
import { folderFiles } from '../../src/files/node.ts';
import type { Engine, Model } from '../../src/index.ts';
import { loadIntoCluster } from './cluster.ts';
import { loadTables, type Tables } from './tables.ts';

/** The engine that this run of the rule suites is about: vitest.config.ts runs them once on each. */
export const ENGINE = process.env.DURCHBLICK_ENGINE ?? 'memory';

let client: Promise<pg.Client> | undefined;
let schemas = 0;
afterAll(async () => {
  await (await client)?.end();
  client = undefined;
});

const connect = async (): Promise<pg.Client> => {
  const own = new pg.Client({ connectionString: inject('postgres') });
  await own.connect();
  return own;
};

/** The CSV sources of a model as tables with types, blanks as null. */
const fileTables = (model: Model, folder: string): Tables =>
  Object.fromEntries(
    [...model.sources.values()].flatMap((source) => {
      if (source.kind !== 'file') return [];
      const text = readFileSync(`${folder}/${source.file}`, 'utf8');
      const { data } = Papa.parse<Record<string, unknown>>(text, { header: true, skipEmptyLines: true, dynamicTyping: true });
      return [[source.name, data]];
    }),
  );

/** An engine over tables that are loaded when it opens, and dropped when its store closes. */
const loading = (
  name: string,
  load: (schema: string, model: Model) => Promise<{ readonly engine: Engine; readonly drop: () => Promise<void> }>,
): Engine => ({
  name,
  open: async (model, options) => {
    const { engine, drop } = await load(`suite_${process.pid}_${schemas++}`, model);
    const store = await engine.open(model, options).catch(async (error: unknown) => {
      await drop();
      throw error;
    });
    return {
      ...store,
      close: async () => {
        await store.close();
        await drop();
      },
    };
  },
});

const onDatabase = (tables: Tables, folder: string | undefined): Engine => {
  const files = folder === undefined ? {} : { files: folderFiles(folder) };
  const tablesOf = (model: Model): Tables => ({ ...(folder === undefined ? {} : fileTables(model, folder)), ...tables });
  if (ENGINE === 'trino')
    return loading('trino', async (schema, model) => {
      const { options, drop } = await loadIntoCluster(schema, tablesOf(model));
      return { engine: trino({ ...options, ...files }), drop };
    });
  return loading('postgres', async (schema, model) => {
    client ??= connect();
    const { options, drop } = await loadTables(await client, schema, tablesOf(model));
    return { engine: postgres({ connectionString: inject('postgres') + options, ...files }), drop };
  });
};

/** The engine under test over tables given in the test, and over the files of a model's folder. */
export const engineOver = (tables: Tables, folder?: string): Engine => {
  const files = folder === undefined ? {} : { files: folderFiles(folder) };
  if (ENGINE === 'duckdb') return duckdb({ tables, ...(folder === undefined ? {} : { folder }), ...files });
  return ENGINE === 'memory' ? memory(tables, files) : onDatabase(tables, folder);
};
