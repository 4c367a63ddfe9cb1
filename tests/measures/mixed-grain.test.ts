import { describe, expect, test } from 'vitest';
import { defineModel, isoOf, type ModelInput, type Question, toDay } from '../../src/index.ts';
import { engineOver, openBook, table } from '../setup/builders.ts';

/** Sales on a few days, a budget of 310 for January and 280 for February 2026. */
const sales = [
  ['2025-01-10', 3, 'North'],
  ['2025-01-20', 1, 'South'],
  ['2026-01-05', 10.1, 'North'],
  ['2026-01-06', 20.2, 'South'],
  ['2026-02-03', 0.7, 'North'],
].map(([day, amount, region]) => ({ day, amount, region }));
const budget = [
  { month: '2026-01', amount: 310, region: 'North' },
  { month: '2026-02', amount: 280, region: 'North' },
];
const input = (spread: NonNullable<ModelInput['facts'][string]['measures'][string]['spread']>): ModelInput => ({
  dimensions: { region: {} },
  facts: {
    sales: { source: 'sales', dates: { ordered: 'day' }, links: { region: 'region' }, measures: { revenue: { sum: 'amount' } } },
    budget: {
      source: 'budget',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'month' },
      links: { region: 'region' },
      measures: { budget: { sum: 'amount', spread } },
    },
  },
});
const ask = async (spread: Parameters<typeof input>[0], question: Question) => {
  const book = await openBook(defineModel(input(spread)), engineOver({ sales, budget }));
  const result = await book.ask({ asOf: '2026-02-10', ...question });
  return result;
};
const values = (rows: readonly (readonly unknown[])[]) => rows.map((row) => row[1]);

describe('G3, G4: a monthly amount on finer days', () => {
  test.each([
    ['even', '2026-01-01/2026-01-10', 100],
    ['even', '2026-01-16/2026-02-14', 300],
    // 1 to 9 January 2026 has 7 of 22 working days (no holidays here).
    ['working-days', '2026-01-01/2026-01-09', (310 * 7) / 22],
  ] as const)('%s over %s', async (spread, range, amount) => {
    const { rows } = await ask(spread, { show: ['budget'], range });
    expect(rows[0][1]).toBeCloseTo(amount, 9);
  });

  test('none: whole months are exact, a cut one is blank and noted', async () => {
    const { rows, notes } = await ask('none', { show: ['budget'], by: 'month', range: '2026-01-01/2026-02-10' });
    expect(values(rows)).toEqual([310, null]);
    expect(notes).toMatchObject([{ code: 'coarse-grain', rows: 1 }]);
  });

  test('like: in the shape of last year, even where it says nothing', async () => {
    const { rows, notes } = await ask({ like: 'revenue vs year-earlier' }, { show: ['budget'], by: 'day', range: '2026-01-09/2026-02-01' });
    const byDay = new Map(rows.map((row) => [row[0], row[1]]));
    expect([byDay.get('2026-01-09'), byDay.get('2026-01-10'), byDay.get('2026-01-20'), byDay.get('2026-02-01')]).toEqual([
      0, 232.5, 77.5, 10,
    ]);
    expect(notes).toMatchObject([{ code: 'spread-fallback', measure: 'budget' }]);
    expect(() => defineModel(input({ like: 'budget' }))).toThrow(/spread in a shape itself/);
    expect(() => defineModel(input({ like: 'revenu' }))).toThrow(/revenu/);
  });

  test('every spread adds up to the whole amount (G4)', async () => {
    for (const spread of ['even', 'working-days', { like: 'revenue' }] as const) {
      const { rows } = await ask(spread, { show: ['budget'], by: 'day', range: '2026-01' });
      expect(values(rows).reduce<number>((sum, value) => sum + Number(value ?? 0), 0)).toBeCloseTo(310, 9);
    }
  });
});

describe('M7, M9, M10, G1: formulas, totals and exact sums', () => {
  test('sums are exact to the last decimal; a sum over nothing is 0 in + and -, and blank elsewhere', async () => {
    const { rows, totals } = await ask('even', {
      show: ['revenue', 'revenue - budget', 'revenue / budget', 'revenue + revenue'],
      by: 'month',
      range: '2025-12/2026-02',
      totals: ['axis'],
    });
    expect(rows).toEqual([
      ['2025-12', null, null, null, null],
      ['2026-01', 30.3, -279.7, 30.3 / 310, 60.6],
      ['2026-02', 0.7, -279.3, 0.7 / 280, 1.4],
    ]);
    expect(totals[0].slice(0, 3)).toEqual(['Total', 31, -559]);
  });

  test('facts are aligned by members, never multiplied by each other', async () => {
    const { rows } = await ask('even', { show: ['revenue', 'budget'], per: ['region'], by: 'month', range: '2026-01' });
    expect(rows).toEqual(table('2026-01 North 10.1 310 | 2026-01 South 20.2 –'));
  });

  test('M10: more than six decimals are summed inexactly, and that is said', async () => {
    const rows = [
      { day: '2026-01-01', amount: 1e-7 },
      { day: '2026-01-02', amount: 0.1 },
    ];
    const book = await openBook(
      defineModel(input('even')),
      engineOver({ sales: rows.map((row) => ({ ...row, region: 'North' })), budget }),
    );
    const result = await book.ask({ show: ['revenue over ytd'], by: 'month', range: '2026-01' });
    expect(result.rows[0][1]).toBeCloseTo(0.1000001, 12);
    expect(result.notes).toMatchObject([{ code: 'inexact' }]);
  });

  test('V3: filters fixed at open hold for values, bounds and totals', async () => {
    const book = await openBook(defineModel(input('even')), engineOver({ sales, budget }), { where: { region: 'South' } });
    const result = await book.ask({ show: ['revenue'], by: 'year', totals: ['axis'] });
    expect([result.rows, result.totals]).toEqual([
      [
        ['2025', 1],
        ['2026', 20.2],
      ],
      [['Total', 21.2]],
    ]);
    expect(await book.bounds('sales', 'ordered')).toEqual({ first: toDay('2025-01-20'), last: toDay('2026-01-06') });
    expect(isoOf(await book.asOf())).toBe('2026-01-06');
  });

  test('asking again with another unit, window or as-of date does not scan again', async () => {
    const book = await openBook(defineModel(input('even')), engineOver({ sales, budget }));
    await book.ask({ show: ['revenue', 'revenue over ytd'], by: 'month' });
    const { scans } = book.cost();
    await book.ask({ show: ['revenue over rolling-28-days vs year-earlier'], by: 'week', asOf: '2026-01-20' });
    expect(book.cost().scans).toBe(scans);
  });
});
