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
afterAll(async () => (await client)?.end());

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

const onPostgres = (tables: Tables, folder: string | undefined): Engine => ({
  name: 'postgres',
  open: async (model, options) => {
    client ??= connect();
    const schema = `suite_${process.pid}_${schemas++}`;
    const files = folder === undefined ? {} : fileTables(model, folder);
    const loaded = await loadTables(await client, schema, { ...files, ...tables });
    const engine = postgres({
      connectionString: inject('postgres') + loaded.options,
      ...(folder === undefined ? {} : { files: folderFiles(folder) }),
    });
    const store = await engine.open(model, options).catch(async (error: unknown) => {
      await loaded.drop();
      throw error;
    });
    return {
      ...store,
      close: async () => {
        await store.close();
        await loaded.drop();
      },
    };
  },
});

const onCluster = (tables: Tables, folder: string | undefined): Engine => ({
  name: 'trino',
  open: async (model, options) => {
    const schema = `suite_${process.pid}_${schemas++}`;
    const loaded = await loadIntoCluster(schema, { ...(folder === undefined ? {} : fileTables(model, folder)), ...tables });
    const engine = trino({ ...loaded.options, ...(folder === undefined ? {} : { files: folderFiles(folder) }) });
    const store = await engine.open(model, options).catch(async (error: unknown) => {
      await loaded.drop();
      throw error;
    });
    return {
      ...store,
      close: async () => {
        await store.close();
        await loaded.drop();
      },
    };
  },
});

/** The engine under test over tables given in the test, and over the files of a model's folder. */
export const engineOver = (tables: Tables, folder?: string): Engine => {
  const files = folder === undefined ? {} : { files: folderFiles(folder) };
  if (ENGINE === 'duckdb') return duckdb({ tables, ...(folder === undefined ? {} : { folder }), ...files });
  if (ENGINE === 'trino') return onCluster(tables, folder);
  return ENGINE === 'postgres' ? onPostgres(tables, folder) : memory(tables, files);
};
