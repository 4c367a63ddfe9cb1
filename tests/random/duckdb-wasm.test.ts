import { afterAll, beforeAll, expect, test } from 'vitest';
import type { Question } from '../../src/index.ts';
import { type Opened, openApplication } from '../setup/browser.ts';
import { countDraws } from '../setup/draws.ts';

let opened: Opened;
beforeAll(async () => {
  opened = await openApplication('tests/engines/wasm-page');
  await opened.page.waitForSelector('body[data-ready=yes]', { state: 'attached', timeout: 60_000 });
});
afterAll(() => opened?.close());

type Page = Window & {
  answers: (question: Question) => Promise<{ duckdb: string; memory: string; fetched: number }>;
  stopped: (question: Question) => Promise<string>;
  queried: (query: string) => Promise<string>;
  stress: (
    questions: readonly Question[],
    asks: number,
  ) => Promise<{
    readonly right: number;
    readonly aborted: number;
    readonly wrong: readonly string[];
    readonly unhandled: readonly string[];
  }>;
};

test.each<Question>([
  { show: ['revenue', 'orders', 'budget-attainment'], by: 'month', per: ['region'], range: '2026-01/2026-08', totals: true },
  { show: ['revenue over mtd vs year-earlier as change', 'backlog'], by: 'week', per: ['family'], range: '2026-07' },
  { show: ['stock', 'lead-time', 'revenue on shipped'], by: ['mtd', 'qtd', 'fiscal-ytd'] },
])('R3: DuckDB in a browser gives the bytes that memory gives: $show', async (question) => {
  const found = await opened.page.evaluate((asked) => (window as unknown as Page).answers(asked), question);
  expect(found.duckdb).toBe(found.memory);
  expect(JSON.parse(found.duckdb).rows.length).toBeGreaterThan(0);
});

test('a question that is given up says so, and the next one works', async () => {
  const { page } = opened;
  const asked: Question = { show: ['orders over rolling-28-days'], by: 'day', per: ['product'], range: '2024' };
  expect(await page.evaluate((question) => (window as unknown as Page).stopped(question), asked)).toBe('the question was aborted');
  const next = await page.evaluate((question) => (window as unknown as Page).answers(question), {
    ...asked,
    per: ['region'],
    range: '2026-07',
  });
  expect(next.duckdb).toBe(next.memory);
});

const ASKS = countDraws({ few: 200, many: 10_000 });
test(`${ASKS} asks, every other one given up at some moment: no other one fails`, { timeout: 600_000 }, async () => {
  const questions: readonly Question[] = [
    { show: ['revenue'], by: 'month', range: '2026' },
    { show: ['revenue vs previous'], by: 'week', per: ['region'], range: '2026-06/2026-07' },
    { show: ['orders over rolling-28-days'], by: 'month', range: '2026-05/2026-08' },
    { show: ['backlog', 'budget'], by: 'quarter', range: '2026' },
  ];
  const found = await opened.page.evaluate(([list, count]) => (window as unknown as Page).stress(list, count), [questions, ASKS] as const);
  expect([found.wrong.slice(0, 3), found.unhandled]).toEqual([[], []]);
  expect(found.right + found.aborted).toBe(ASKS);
  expect(found.aborted).toBeGreaterThan(ASKS / 10);
});

test.each([
  ["select date '2026-01-05' as d", /^period,lines,more\r\n2026-01,1,2\r\n/],
  ["select date '2026-01-05' as d -- )", /^period,lines,more\r\n2026-01,1,2\r\n/],
  [
    "select date '2026-01-05' as d) t; create table made (i integer); select * from (select date '2026-01-05' as d",
    /source "lines" cannot run/,
  ],
  ["select * from read_csv('model.yaml')", /source "lines" cannot run/],
  ["select * from 'http://localhost/lines.parquet'", /source "lines" cannot run/],
  ['insert into made values (1)', /source "lines" cannot run/],
])('a query of a model is one SELECT that fetches nothing (V8): %s', async (query, said) => {
  expect(await opened.page.evaluate((text) => (window as unknown as Page).queried(text), query)).toMatch(said);
});

test('nothing is fetched from anywhere else, and nothing goes wrong on the way', () => {
  expect(opened.errors).toEqual([]);
});
