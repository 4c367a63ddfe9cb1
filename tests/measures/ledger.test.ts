import { readFileSync } from 'node:fs';
import Papa from 'papaparse';
import { afterAll, beforeEach, describe, expect, test } from 'vitest';
import { type Book, defineModel, open } from '../../src/index.ts';
import { ENGINE, engineOver, openBook, ROOT } from '../setup/builders.ts';
import { loadModel, memory } from '../setup/library.ts';

/** The demo's books must balance: whatever unit or date a total is taken by, it is that of the raw file. */
let book: Book;
beforeEach(async () => {
  const { model } = await loadModel(`${ROOT}demo/model.yaml`);
  book ??= await open(model, engineOver({}, `${ROOT}demo`));
});
afterAll(() => book?.close());

type Raw = Readonly<Record<string, string>>;
const parsed = new Map<string, Raw[]>();
const raw = (name: string): Raw[] => {
  const rows =
    parsed.get(name) ?? Papa.parse<Raw>(readFileSync(`${ROOT}demo/data/${name}.csv`, 'utf8'), { header: true, skipEmptyLines: true }).data;
  parsed.set(name, rows);
  return rows;
};
const cents = (text: string): number => Math.round(Number(text) * 100);
const netOf = (row: Raw): number => Number(row.quantity) * cents(row.unit_price) - cents(row.discount);

const MEASURES: Readonly<Record<string, (row: Raw) => number>> = {
  revenue: (row) => netOf(row) / 100,
  lines: () => 1,
  quantity: (row) => Number(row.quantity),
  'web-sales': (row) => (row.channel === 'web' ? netOf(row) / 100 : 0),
};
const ROLES = { ordered: 'ordered_on', promised: 'promised_on', shipped: 'shipped_on' } as const;
const UNITS = ['day', 'week', 'month', 'quarter', 'half', 'year', 'week-year', 'fiscal-month', 'fiscal-year'] as const;
/** Adds amounts in cents, so that the test itself does not drift. */
const total = (values: readonly (number | null)[]): number =>
  values.reduce<number>((sum, value) => sum + Math.round((value ?? 0) * 100), 0) / 100;

describe.each(Object.keys(MEASURES))('the ledger of %s (A3, D4, M10)', (measure) => {
  test.each(Object.entries(ROLES))(
    'on %s: every unit adds up to the rows that have the date, and the rest is noted',
    async (role, column) => {
      const rows = raw('order_lines').filter((row) => measure !== 'web-sales' || row.channel === 'web');
      const sum = (list: readonly Raw[]) => total(list.map(MEASURES[measure]));
      const placed = sum(rows.filter((row) => row[column] !== ''));
      const missing = rows.filter((row) => row[column] === '');
      for (const by of UNITS) {
        const result = await book.ask({ show: [`${measure} on ${role}`], by, range: '2023-01-01/2027-12-31', totals: ['axis'] });
        expect([by, total(result.rows.map((row) => row[1] as number | null)), result.totals[0][1]]).toEqual([by, placed, placed]);
        const note = result.notes.find(({ code }) => code === 'unplaced-dates');
        expect(note?.rows ?? 0).toBe(missing.length);
        if (measure !== 'lines' && note) expect(note.amount).toBeCloseTo(sum(missing), 9);
      }
    },
  );

  test('by every attribute', async () => {
    for (const attribute of ['region', 'country', 'product', 'family', 'channel', 'ship-region.country', 'line-size']) {
      const result = await book.ask({ show: [measure], per: [attribute], totals: ['members'] });
      expect([attribute, total(result.rows.map((row) => row[2] as number | null))]).toEqual([attribute, result.totals[0][2]]);
    }
  });
});

describe('days and first times balance (U12, M14, M15, C11)', () => {
  test.each(['weekday', 'working-day', 'holiday', 'month-of-year', 'day-of-month', 'season', 'week-of-week-year'])(
    'what lies on each %s adds up to the whole, month by month',
    async (attribute) => {
      const question = { show: ['revenue', 'budget', 'days'], by: 'month', range: '2025-11/2026-10' } as const;
      const { rows } = await book.ask({ ...question, per: [attribute] });
      const { rows: whole } = await book.ask(question);
      for (const [month, ...sums] of whole)
        sums.forEach((sum, k) => {
          const own = rows.filter((row) => row[0] === month).map((row) => Number(row[2 + k] ?? 0));
          expect(own.reduce((a, b) => a + b, 0)).toBeCloseTo(Number(sum ?? 0), 6);
        });
    },
  );
  test('new and returning customers are all; new ones of all years are all there ever were', async () => {
    const { rows } = await book.ask({
      show: ['new-customers', 'returning-customers', 'customers', 'new-customers over to-date', 'customers over to-date'],
      by: 'year',
    });
    for (const [, fresh, back, all, ever, seen] of rows) {
      expect(Number(fresh) + Number(back)).toBe(all);
      expect(ever).toBe(seen);
    }
  });
  test('what is seen as of the own day is what is seen', async () => {
    const { rows } = await book.ask({
      show: ['revenue on promised over mtd', 'revenue on promised over mtd vs [as-of -P0D]'],
      by: 'month',
      range: '2026',
    });
    for (const [, own, other] of rows) expect(other).toBe(own);
  });
});

describe('the budget (G3, G4, G7)', () => {
  const latest = (): number => {
    const last = new Map<string, Raw>();
    for (const row of raw('budget')) {
      const key = [row.month, row.region_id, row.family].join(' ');
      const before = last.get(key);
      if (!before || before.loaded_on < row.loaded_on) last.set(key, row);
    }
    return total([...last.values()].map((row) => Number(row.amount)));
  };
  test.each(['month', 'quarter', 'half', 'year', 'fiscal-month', 'fiscal-quarter', 'fiscal-half', 'fiscal-year'])(
    'by %s adds up to the cent',
    async (by) => {
      const result = await book.ask({ show: ['budget'], by, per: ['region'], totals: true });
      expect(total(result.rows.map((row) => row[2] as number | null))).toBe(latest());
      expect(result.totals.at(-1)?.[2]).toBe(latest());
      // Whole periods are exact: no cell has a fraction of a cent.
      for (const [, , value] of result.rows) expect(Math.round(Number(value) * 100) / 100).toBe(Number(value));
    },
  );
  test.each(['day', 'week'])('by %s adds up to its months', async (by) => {
    const { rows } = await book.ask({ show: ['budget'], by, range: '2026-01-01/2026-12-31' });
    const { rows: year } = await book.ask({ show: ['budget'], by: 'year', range: '2026' });
    expect(rows.reduce((sum, row) => sum + Number(row[1]), 0)).toBeCloseTo(Number(year[0][1]), 6);
  });
  test('G6: what lies on products adds up to the amount of their family', async () => {
    const question = { by: 'month', range: '2026-01/2026-12', show: ['budget'] } as const;
    const { rows: products } = await book.ask({ ...question, per: ['family', 'product'] });
    const { rows: families } = await book.ask({ ...question, per: ['family'] });
    for (const [month, family, amount] of families) {
      const parts = products.filter((row) => row[0] === month && row[1] === family).map((row) => Number(row[3] ?? 0));
      expect(parts.reduce((a, b) => a + b, 0)).toBeCloseTo(Number(amount), 6);
    }
    const tulip = await book.ask({ ...question, where: { product: 'Tulip Elba' } });
    expect(tulip.rows.map((row) => row[1])).toEqual(products.filter((row) => row[2] === 'Tulip Elba').map((row) => row[3]));
  });
});

test.runIf(ENGINE === 'memory')('G1: three rows beside three million multiply nothing', async () => {
  const count = 3_000_000;
  const model = defineModel({
    dimensions: { region: {} },
    facts: {
      lines: { source: 'lines', dates: { ordered: 'day' }, links: { region: 'region' }, measures: { revenue: { sum: 'amount' } } },
      goals: {
        source: 'goals',
        grain: 'year',
        horizon: 'plan',
        dates: { planned: 'year' },
        links: { region: 'region' },
        measures: { goal: { sum: 'amount' } },
      },
    },
  });
  const lines = {
    day: Int32Array.from({ length: count }, (_, i) => 20089 + (i % 365)),
    amount: new Float64Array(count).fill(0.01),
    region: Array.from({ length: count }, (_, i) => ['North', 'South', 'Alps'][i % 3]),
  };
  const goals = ['North', 'South', 'Alps'].map((region, k) => ({ year: '2025', region, amount: (k + 1) * 1000 }));
  const large = await openBook(model, memory({ lines, goals }));
  const result = await large.ask({
    show: ['revenue', 'goal', 'revenue / goal'],
    by: 'year',
    per: ['region'],
    range: '2025',
    totals: ['members'],
  });
  expect([...result.rows, ...result.totals]).toEqual([
    ['2025', 'Alps', 10000, 3000, 10000 / 3000],
    ['2025', 'North', 10000, 1000, 10],
    ['2025', 'South', 10000, 2000, 5],
    ['2025', 'Total', 30000, 6000, 5],
  ]);
});
