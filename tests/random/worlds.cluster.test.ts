// Random worlds on a cluster, few of them: a statement takes some tenths of a second there. CONTRIBUTING.md says how to draw more.

import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { open, type Question } from '../../src/index.ts';
import { bytes, same } from '../setup/builders.ts';
import { clusterUrl, loadIntoCluster } from '../setup/cluster.ts';
import { assertDraws } from '../setup/draws.ts';
import { trino } from '../setup/library.ts';
import { type Data, data, openWorld, question, worldOf } from './world.ts';

let schemas = 0;
const schema = (): string => `worlds_${process.pid}_${schemas++}`;

describe.skipIf(clusterUrl === undefined)('random worlds on a cluster', () => {
  test.each([
    ['typed columns', false],
    ['text columns', true],
  ])(
    'the cluster and memory give the same bytes over %s (A to G, M, R1, M10)',
    async (_, texts) => {
      await assertDraws(
        fc.asyncProperty(data, fc.array(question, { minLength: 8, maxLength: 8 }), async (drawn, asked) => {
          const loaded = await loadIntoCluster(schema(), worldOf(drawn).tables, { texts });
          const [wanted, found] = [await openWorld(drawn), await openWorld(drawn, () => trino(loaded.options))];
          try {
            for (const one of asked) same(await bytes(found.book, one), await bytes(wanted.book, one), one);
          } finally {
            await wanted.book.close();
            await found.book.close();
            await loaded.drop();
          }
        }),
        { few: texts ? 1 : 2, many: texts ? 1 : 2 },
      );
    },
    600_000,
  );

  /** The rows that a table has after it was changed for the n-th time. */
  const portion = (drawn: Data, part: number): Data => {
    const upTo = <T>(rows: readonly T[]): readonly T[] => rows.slice(0, Math.max(1, Math.ceil(rows.length * part)));
    return { ...drawn, sales: upTo(drawn.sales), stock: upTo(drawn.stock) };
  };

  test('V6: a book follows its tables, of which it asks for no more than the rows that came', async () => {
    let grown = 0;
    await assertDraws(
      fc.asyncProperty(data, fc.array(question, { minLength: 2, maxLength: 2 }), async (drawn, drawnQuestions) => {
        const questions: Question[] = [{ show: ['revenue', 'lines'], by: 'month', per: ['region'] } as Question, ...drawnQuestions];
        const [whole, start] = [worldOf(drawn).tables, worldOf(portion(drawn, 0.5)).tables];
        const loaded = await loadIntoCluster(schema(), whole, { catalog: 'lake', first: start });
        const engine = trino({ ...loaded.options, trace: ({ about }) => void (grown += about.includes('rows that came since') ? 1 : 0) });
        const where = Object.keys(drawn.fixed).length > 0 ? { where: drawn.fixed } : {};
        const book = await open(worldOf(drawn).world.model, engine, { ...where, clock: () => Date.parse('2025-07-01T12:00:00Z') });
        const follows = async (now: Data): Promise<void> => {
          const wanted = await openWorld(now);
          for (const one of questions) same(await bytes(book as never, one), await bytes(wanted.book, one), one);
          await wanted.book.close();
        };
        try {
          await follows(portion(drawn, 0.5));
          let before = start;
          for (const part of [0.75, 1]) {
            const now = worldOf(portion(drawn, part)).tables;
            for (const name of ['sales', 'stock'] as const) await loaded.insert(name, now[name].slice(before[name].length));
            before = now;
            await follows(portion(drawn, part));
          }
          // What is deleted is asked for anew.
          const [first] = drawn.sales;
          await loaded.run(`delete from sales where "order" = '${first.order}'`);
          const left = drawn.sales.filter(({ order }) => order !== first.order);
          if (left.length > 0) await follows({ ...drawn, sales: left });
        } finally {
          await book.close();
          await loaded.drop();
        }
      }),
      { few: 1, many: 1 },
    );
    expect(grown).toBeGreaterThan(0);
  }, 600_000);
});
