import fc from 'fast-check';
import { test } from 'vitest';
import type { Engine, Question } from '../../src/index.ts';
import { bytes, connectPostgres, loadTables, same, type Tables } from '../setup/builders.ts';
import { assertDraws } from '../setup/draws.ts';
import { duckdb, postgres } from '../setup/library.ts';
import { type Data, data, openWorld, question, worldOf } from './world.ts';

const server = await connectPostgres();

const agree = async (drawn: Data, questions: readonly Question[], engine: (tables: Tables) => Engine): Promise<void> => {
  const wanted = await openWorld(drawn);
  const found = await openWorld(drawn, engine);
  try {
    // Questions in twos at once, so that some share their work.
    for (let k = 0; k < questions.length; k += 2) {
      const pair = questions.slice(k, k + 2);
      const answers = await Promise.all(pair.map((asked) => bytes(found.book, asked)));
      for (const [i, asked] of pair.entries()) same(answers[i], await bytes(wanted.book, asked), asked);
    }
  } finally {
    await wanted.book.close();
    await found.book.close();
  }
};

const questions = fc.array(question, { minLength: 8, maxLength: 8 });

test('DuckDB and memory give the same bytes (A to G, M, R1, M10)', async () => {
  await assertDraws(
    fc.asyncProperty(data, questions, (drawn, asked) => agree(drawn, asked, (tables) => duckdb({ tables }))),
    { few: 6, many: 60 },
  );
}, 600_000);

let schemas = 0;
test.each([
  ['typed columns', false],
  ['text columns', true],
])(
  'PostgreSQL and memory give the same bytes over %s (A to G, M, R1, M10)',
  async (_, texts) => {
    await assertDraws(
      fc.asyncProperty(data, questions, async (drawn, asked) => {
        const schema = `world${schemas++}`;
        const { tables } = worldOf(drawn);
        const loaded = await loadTables(server.client, schema, tables, texts);
        try {
          await agree(drawn, asked, () => postgres({ connectionString: server.url + loaded.options }));
        } finally {
          await loaded.drop();
        }
      }),
      { few: 4, many: 40 },
    );
  },
  600_000,
);
