import { readFileSync } from 'node:fs';
import { expect, test } from 'vitest';
import { openBook, table } from '../setup/builders.ts';
import { memory, parseModel } from '../setup/library.ts';

const read = (name: string): string => readFileSync(new URL(name, import.meta.url), 'utf8');
const tables = {
  products: [
    { id: 1, name: 'Basil', rank: 2, family: 'Herbs' },
    { id: 2, name: 'Maple', rank: 1, family: 'Trees' },
  ],
  lines: [
    {
      order_id: 1,
      ordered_at: '2026-01-10T23:30:00Z',
      promised_on: '2026-01-12',
      shipped_on: '2026-01-13',
      product_id: 1,
      other_id: 2,
      channel: 'web',
      quantity: 2,
      price: 10,
      discount: 0.5,
    },
    {
      order_id: 2,
      ordered_at: '2026-02-05',
      promised_on: '2026-02-06',
      shipped_on: '9999-12-31',
      product_id: 2,
      other_id: 1,
      channel: 'shop',
      quantity: 1,
      price: 200,
      discount: 0,
    },
  ],
  stock: [{ product_id: 1, counted_on: '2026-02-01', quantity: 7 }],
  budget: [
    { month: '2026-01', family: 'Herbs', amount: 100, loaded_on: '2025-12-01' },
    { month: '2026-02', family: 'Trees', amount: 400, loaded_on: '2026-01-15' },
    { month: '2026-02', family: 'Trees', amount: 999, loaded_on: '2026-02-15' },
  ],
};

test('a model and a question of format 1 are read as they were written, and mean what they meant', async () => {
  const book = await openBook(parseModel(read('./model-1.yaml'), 'model-1.yaml'), memory(tables));
  const { rows, totals, columns } = await book.ask(JSON.parse(read('./question-1.json')));
  expect(columns.map(({ name }) => name)).toEqual(['period', 'family', 'revenue', 'change', 'attainment', 'stock']);
  expect(rows.map((row) => row.slice(0, 3))).toEqual(
    table('2026-01 Trees – | 2026-01 (others) 19.5 | 2026-02 Trees 200 | 2026-02 (others) –'),
  );
  // 20 of February's 28 days, of the revision that was known by the first.
  expect(rows[2][4]).toBeCloseTo(200 / ((400 * 20) / 28), 9);
  expect(totals.at(-1)?.slice(0, 3)).toEqual(['Total', 'Total', 219.5]);
});

test('a model of a format that is not there yet is an error that names the version', () => {
  expect(() => parseModel('durchblick: 2\nfacts: {}\n', 'm.yaml')).toThrow(
    expect.objectContaining({ code: 'bad-value', hint: expect.stringContaining('1') }),
  );
});
