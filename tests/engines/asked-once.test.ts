import { join } from 'node:path';
import { expect, test } from 'vitest';
import { open, type Question } from '../../src/index.ts';
import { ROOT } from '../setup/builders.ts';
import { duckdb, loadModel } from '../setup/library.ts';

const QUESTIONS: readonly Question[] = [
  { show: ['revenue', 'revenue vs year-earlier', 'orders'], by: 'month', per: ['product'] },
  { show: ['revenue over mtd', 'budget over mtd', 'budget-attainment'], by: 'month', per: ['region', 'family'], range: '2026' },
  { show: ['backlog', 'stock'], by: 'quarter', per: ['product'], totals: true },
];

test.each(QUESTIONS)('R3: a book that is asked once gives the same bytes, and fetches no more: %j', async (question) => {
  const { model, files, folder } = await loadModel(join(ROOT, 'demo/model.yaml'));
  const asked = async (how: 'once' | 'often') => {
    const book = await open(model, duckdb({ folder, files }), { asked: how });
    try {
      const answer = JSON.stringify((await book.ask(question)).toJson());
      return { answer, fetched: book.cost().fetched as number };
    } finally {
      await book.close();
    }
  };
  const [often, once] = [await asked('often'), await asked('once')];
  expect(once.answer).toBe(often.answer);
  expect(once.fetched).toBeLessThanOrEqual(often.fetched);
  if (question.by === 'month' && question.per?.length === 1) expect(once.fetched).toBeLessThan(often.fetched / 5);
});
