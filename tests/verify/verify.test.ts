import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { beforeAll, expect, test } from 'vitest';
import type { Engine } from '../../src/index.ts';
import { factModel, makeFolder, openBook, run } from '../setup/builders.ts';
import { memory } from '../setup/library.ts';

const model = factModel('sales', {
  dates: { on: 'day' },
  links: { region: 'region' },
  measures: { revenue: { sum: 'amount' }, posts: { count: 'rows' } },
});
const sales = [
  { day: '2026-01-05', amount: 10, region: 'North' },
  { day: '2026-01-09', amount: 2.5, region: 'South' },
  { day: '2026-02-01', amount: 1, region: 'South' },
];
/** An engine that adds something where there was nothing wrong. */
const wrong: Engine = {
  name: 'wrong',
  open: async (own, options) => {
    const store = await memory({ sales }).open(own, options);
    return {
      ...store,
      cubes: async (requests, signal) =>
        (await store.cubes(requests, signal)).map((cube) => ({
          ...cube,
          columns: cube.columns.map(({ cells, scale }) => ({
            scale,
            cells: cells.map((value, k) => value + (k === 0 && scale === 1 ? 1 : 0)),
          })),
        })),
    };
  },
};

test('V2: an engine that adds up wrongly is found out, cell by cell, totals included', async () => {
  const book = await openBook(model, wrong);
  const { result, cells, different } = await book.verify({
    show: ['revenue', 'posts'],
    by: 'month',
    per: ['region'],
    range: '2026-01/2026-02',
    totals: true,
  });
  expect(cells).toBe(18);
  expect(different).toEqual([
    { row: ['2026-01', 'North'], column: 'revenue', answered: 10.1, verified: 10 },
    { row: ['2026-01', 'Total'], column: 'revenue', answered: 12.6, verified: 12.5 },
    { row: ['Total', 'North'], column: 'revenue', answered: 10.1, verified: 10 },
    { row: ['Total', 'Total'], column: 'revenue', answered: 13.6, verified: 13.5 },
  ]);
  expect(result.rows[0][2]).toBe(10.1);
});

const folder = makeFolder();
beforeAll(async () => {
  const instance = await DuckDBInstance.create(join(folder, 'sales.duckdb'));
  const connection = await instance.connect();
  await connection.run(`create table sales as select date '2026-01-01' + i::integer as day, 10 + i as amount from range(31) t(i)`);
  connection.closeSync();
  instance.closeSync();
  const file = (query: string) =>
    `durchblick: 1\nsources: { sales: { query: "${query}" } }\nfacts: { sales: { source: sales, dates: { on: day }, measures: { revenue: { sum: amount } } } }\n`;
  writeFileSync(join(folder, 'steady.yaml'), file('select * from sales'));
  // Rows that change from one reading to the next.
  writeFileSync(join(folder, 'shaky.yaml'), file('select day, amount + (random() * 1000)::integer as amount from sales'));
});

test('--verify says what it compared, exits with 0 when all agree, and with 4 when a cell differs', () => {
  const ask = (name: string) =>
    run(`ask '${join(folder, name)}' revenue --by week --connect 'duckdb:${join(folder, 'sales.duckdb')}' --verify --format csv`);
  const steady = ask('steady.yaml');
  expect([steady.code, steady.stderr]).toEqual([0, expect.stringContaining('verified row by row: 5 cells, all the same')]);
  const shaky = ask('shaky.yaml');
  expect(shaky.code).toBe(4);
  expect(shaky.stderr).toMatch(/differs: \d of 5 cells\n {2}2026-W\d\d, revenue: answered \d+, row by row \d+/);
  expect(shaky.stdout.split('\r\n')).toHaveLength(7);
});
