import { afterAll, beforeAll, expect, test } from 'vitest';
import { type Book, defineModel, open } from '../../src/index.ts';
import { engineOver, table } from '../setup/builders.ts';

const model = defineModel({
  dimensions: { region: {} },
  facts: {
    lines: {
      source: 'lines',
      enters: 'ordered',
      dates: { ordered: 'ordered', shipped: 'shipped' },
      links: { region: 'region' },
      measures: {
        revenue: { sum: 'amount', role: 'ordered' },
        'large-revenue': { sum: 'amount', role: 'ordered', where: { region: ['North'] } },
        backlog: { sum: 'amount', open: 'ordered/shipped' },
        wait: { daysBetween: 'ordered/shipped', role: 'shipped' },
      },
    },
    plan: {
      source: 'plan',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'month' },
      links: { region: 'region' },
      recorded: 'recorded',
      versionKey: ['month', 'region'],
      measures: { goal: { sum: 'amount', spread: 'even' } },
    },
  },
  formulas: { attainment: '(revenue over mtd) / (goal over mtd)' },
});
const tables = {
  lines: [
    ['2025-01-10', '2025-01-12', 4, 'North'],
    ['2026-01-03', '2026-01-05', 10, 'North'],
    ['2026-01-04', null, 20.5, 'North'],
    ['2026-01-05', '2026-01-04', 1, 'South'],
    ['2026-01-06', '2026-01-09', 5, 'South'],
    ['2026-01-20', '2026-01-21', 100, 'North'],
    [null, '2026-01-07', 7, 'North'],
    ['2026-01-07', '2026-01-08', null, 'North'],
  ].map(([ordered, shipped, amount, region]) => ({ ordered, shipped, amount, region })),
  plan: [
    { month: '2026-01', region: 'North', amount: 310, recorded: '2025-11-01' },
    { month: '2026-01', region: 'North', amount: 620, recorded: '2025-12-01' },
    { month: '2026-01', region: 'South', amount: 31, recorded: '2025-11-01' },
  ],
};
let book: Book;
beforeAll(async () => {
  book = (await open(model, engineOver(tables))) as Book;
});
afterAll(() => book.close());

const asOf = '2026-01-10';

test('V1: a formula is taken apart down to rows, days, spread and revisions', async () => {
  const found = await book.explain({ reading: 'attainment', at: '2026-01', members: { region: 'North' }, asOf, rows: 1 });
  expect(found).toMatchObject({
    value: 30.5 / 200,
    formula: '(revenue over mtd) / (goal over mtd)',
    period: '2026-01',
    members: { region: 'North' },
  });
  const [whole, revenue, goal] = found.parts;
  expect(whole).toMatchObject({ depth: 0, kind: 'operation', value: 30.5 / 200 });
  expect(revenue).toMatchObject({
    depth: 1,
    kind: 'measure',
    value: 30.5,
    role: 'ordered',
    days: { start: '2026-01-01', end: '2026-01-10', days: 10 },
    window: { name: 'mtd' },
    rows: { count: 3, columns: ['ordered', 'shipped', 'amount', 'region'] },
  });
  expect(revenue.rows?.first.map((row) => row.map(String))).toEqual([['2026-01-03', '2026-01-05', '10', 'North'].map(String)]);
  expect(revenue.leftOut?.map(({ code, rows }) => [code, rows])).toEqual(table('after-as-of 1 | blank 1 | no-date 1'));
  expect(goal).toMatchObject({
    value: 200,
    horizon: 'plan',
    rows: { count: 1 },
    spread: { spread: 'even', period: { start: '2026-01-01', end: '2026-01-31' }, covered: 10, whole: 31 },
    version: expect.stringContaining('last revision'),
  });
});

test('V1: both times of a comparison, and the filters that rows did not meet', async () => {
  const { parts, value } = await book.explain({ reading: 'large-revenue vs year-earlier as change', at: '2026-01', asOf });
  expect(value).toBe((30.5 - 4) / 4);
  expect(parts.map((part) => [part.depth, part.value, part.comparison?.name, part.rows?.count])).toEqual([
    [0, (30.5 - 4) / 4, undefined, undefined],
    [1, 30.5, undefined, 3],
    [1, 4, 'year-earlier', 1],
  ]);
  expect(parts[1].leftOut).toContainEqual({ code: 'measure-filter', rows: 2, message: "2 rows do not meet the measure's own filter" });
  const filtered = await book.explain({ reading: 'revenue', at: '2026-01', where: { region: 'South' }, asOf });
  expect(filtered.parts[0].leftOut).toContainEqual({
    code: 'question-filter',
    rows: 3,
    message: '3 rows do not meet the filter of the question',
  });
});

test('V1, M5: a level counts the rows that are open, and shows those', async () => {
  const { parts, value } = await book.explain({ reading: 'backlog', at: '2026-01-08', asOf });
  expect([value, parts[0].rows?.count]).toEqual([25.5, 2]);
  expect(parts[0].rows?.first.map((row) => Number(row[2]))).toEqual([20.5, 5]);
  expect(parts[0].leftOut?.map(({ code, rows }) => [code, rows])).toEqual(table('no-date 1 | reversed-dates 1'));
});

test('V1: the value is the one that a question shows, in every kind of cell', async () => {
  for (const [reading, at, by] of [
    ['revenue', '2026-W02', undefined],
    ['wait', '2026-01', undefined],
    ['revenue over rolling-7-days', '2026-01-09', 'day'],
    ['goal', '2026-01-05/2026-01-08', undefined],
  ] as const) {
    const unit = by ?? (at.includes('/') ? undefined : at.includes('W') ? 'week' : at.length > 7 ? 'day' : 'month');
    const asked = await book.ask({ show: [reading], range: at, asOf, ...(unit ? { by: unit } : {}) } as never);
    const { value } = await book.explain({ reading, at, asOf, ...(by ? { by } : {}) });
    expect([reading, value]).toEqual([reading, asked.rows[0][1]]);
  }
});

test('a member, a period or a reading that there is not is an error as in a question', async () => {
  await expect(book.explain({ reading: 'revenue', at: '2026-01', members: { region: 'Nort' } })).rejects.toMatchObject({
    code: 'unknown-member',
    hint: 'Did you mean "North"?',
  });
  await expect(book.explain({ reading: 'revenu', at: '2026-01' })).rejects.toMatchObject({ hint: 'Did you mean "revenue"?' });
  await expect(book.explain({ reading: 'revenue', at: 'yesteryear' })).rejects.toMatchObject({ kind: 'request' });
});
