import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import Papa from 'papaparse';
import { expect, test } from 'vitest';
import { type Book, defineModel, type Engine, type ModelInput, open, type Question } from '../../src/index.ts';
import { bytes, connectPostgres, loadTables, makeFolder, type Tables } from '../setup/builders.ts';
import { assertDraws } from '../setup/draws.ts';
import { duckdb, folderFiles, memory, postgres, withTyped } from '../setup/library.ts';
import { type Data, data, openWorld, question, worldOf } from './world.ts';

const server = await connectPostgres();

/** Other rows for the same model. */
const withRows = (drawn: Data, { sales, budget, stock }: Data): Data => ({ ...drawn, sales, budget, stock });
const worlds = fc.array(data, { minLength: 3, maxLength: 3 });
/** Every kind of request in one question, so that parts from two states are inconsistent. */
const ALL_KINDS: Question = {
  show: ['revenue', 'orders', 'new-orders', 'backlog', 'median-line', 'slow-orders', 'least', 'most', 'stock-last-known', 'budget'],
  by: 'quarter',
  range: '2024/2025',
  totals: true,
};
const questions = fc.array(question, { minLength: 2, maxLength: 2 }).map((drawn) => [...drawn, ALL_KINDS]);

/** An open book, asked before and after its rows were changed, against a book that is opened on what is there now. */
const follows = async (
  states: readonly Data[],
  asked: readonly Question[],
  openBook: (drawn: Data) => Promise<Book>,
  change: (drawn: Data) => Promise<void>,
): Promise<void> => {
  const [first] = states;
  const book = await openBook(first);
  try {
    for (const [k, state] of states.entries()) {
      const now = withRows(first, state);
      if (k > 0) await change(now);
      const wanted = await openWorld(now);
      for (const one of asked) expect(await bytes(book, one), JSON.stringify(one)).toBe(await bytes(wanted.book, one));
      await wanted.book.close();
    }
  } finally {
    await book.close();
  }
};

const clock = () => Date.parse('2025-07-01T12:00:00Z');
const fixedOf = ({ fixed }: Data) => (Object.keys(fixed).length > 0 ? { where: fixed } : {});

let schemas = 0;
test('V6: a book over PostgreSQL follows what others write', async () => {
  await assertDraws(
    fc.asyncProperty(worlds, questions, async (states, asked) => {
      const schema = `changes${schemas++}`;
      const loaded = await loadTables(server.client, schema, worldOf(states[0]).tables, true);
      const change = async (drawn: Data): Promise<void> => {
        const { tables } = worldOf(drawn);
        await server.client.query('begin');
        for (const name of ['sales', 'budget', 'stock']) await server.client.query(`drop table "${schema}"."${name}"`);
        const { sales, budget, stock } = tables;
        await loadTables(server.client, schema, { sales, budget, stock }, true, 'there');
        await server.client.query('commit');
      };
      try {
        const engine = postgres({ connectionString: server.url + loaded.options });
        await follows(states, asked, (drawn) => open(worldOf(drawn).world.model, engine, { ...fixedOf(drawn), clock }), change);
      } finally {
        await loaded.drop();
      }
    }),
    { few: 3, many: 30 },
  );
}, 600_000);

const ENGINES: readonly (readonly [string, (folder: string) => Engine])[] = [
  // Files so small are read by DuckDB for the engine in memory only where a test wants it (tests/states has our reader).
  ['memory, read by DuckDB', (folder) => memory({}, { files: withTyped(folderFiles(folder), { least: 0 }) })],
  ['duckdb', (folder) => duckdb({ folder, threads: 1 })],
];

test.each(ENGINES)(
  'V6: a book over files, by %s, follows what is written to them',
  async (_, engine) => {
    await assertDraws(
      fc.asyncProperty(worlds, questions, async (states, asked) => {
        const folder = makeFolder();
        const write = (tables: Tables): void => {
          for (const [name, rows] of Object.entries(tables))
            writeFileSync(join(folder, `${name}.csv`), Papa.unparse(rows as Record<string, unknown>[], { columns: Object.keys(rows[0]) }));
        };
        const change = async (drawn: Data): Promise<void> => write(worldOf(drawn).tables);
        const openBook = async (drawn: Data): Promise<Book> => {
          const { world, tables } = worldOf(drawn);
          write(tables);
          const input = world.model.input as ModelInput;
          const sources = Object.fromEntries(Object.keys(tables).map((name) => [name, { file: `${name}.csv` }]));
          return (await open(defineModel({ ...input, sources }), engine(folder), { ...fixedOf(drawn), clock } as never)) as unknown as Book;
        };
        await follows(states, asked, openBook, change);
      }),
      { few: 3, many: 30 },
    );
  },
  600_000,
);
