import { expect, test } from 'vitest';
import { defineModel, type Finding, isoOf, type ModelInput, open, toDay } from '../../src/index.ts';
import { ENGINE, engineOver, type Tables } from '../setup/builders.ts';

const input: ModelInput = {
  calendar: { yearSystems: { retail: { pattern: '4-4-5', ends: 'saturday nearest june 30', label: 'R{year}' } } },
  sources: { lines: {}, shops: {}, budget: {}, visits: {}, spare: {} },
  dimensions: {
    shop: { source: 'shops', key: 'id', attributes: { shop: 'name', town: 'town' } },
    spare: { source: 'spare', key: 'id', attributes: { colour: 'colour' } },
  },
  facts: {
    lines: {
      source: 'lines',
      enters: 'ordered',
      dates: { ordered: 'ordered', shipped: 'shipped' },
      columns: { net: 'amount - discount', gross: 'amount * 2' },
      links: { shop: 'shop_id' },
      measures: { revenue: { sum: 'net', role: 'ordered' } },
    },
    visits: { source: 'visits', dates: { day: 'day' }, measures: { visits: { count: 'rows' } } },
    budget: {
      source: 'budget',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'month' },
      links: { 'shop.town': 'town' },
      measures: { budget: { sum: 'amount' } },
    },
  },
  windows: { 'this-month': 'start(month)/anchor', own: 'P9D/anchor' },
  comparisons: { 'week-earlier': { shift: '-P7D' } },
};
const day = (k: number): string => isoOf(toDay('2026-01-01') + k);
const line = (k: number, more: Record<string, unknown> = {}) => ({
  ordered: day(k),
  shipped: day(Math.min(k + 2, 119)),
  shop_id: 1 + (k % 2),
  amount: 10,
  discount: 1,
  ...more,
});
/** A line a day for 120 days, with one fault of each kind. */
const clean: Tables = {
  shops: [
    { id: 1, name: 'Harbour', town: 'Kiel' },
    { id: 2, name: 'Market', town: 'Ulm' },
  ],
  spare: [{ id: 1, colour: 'red' }],
  lines: Array.from({ length: 120 }, (_, k) => line(k)),
  visits: Array.from({ length: 120 }, (_, k) => ({ day: day(k) })),
  budget: ['2026-01', '2026-02', '2026-03', '2026-04'].flatMap((month) => ['Kiel', 'Ulm'].map((town) => ({ month, town, amount: 100 }))),
};
const broken: Tables = {
  ...clean,
  lines: [
    ...clean.lines.filter(({ ordered }) => String(ordered) < '2026-02-10' || String(ordered) > '2026-03-05'),
    line(3, { shop_id: 77 }),
    line(3, { shop_id: 78 }),
    line(4, { shop_id: null }),
    line(5, { shipped: '2025-12-20' }),
    line(6, { shipped: null }),
    line(7, { ordered: '1970-01-01', shipped: '1970-01-03' }),
  ],
  visits: clean.visits.slice(0, 60),
  budget: [
    ...clean.budget.filter(({ month, town }) => month !== '2026-02' || town !== 'Ulm'),
    { month: '2026-03', town: 'Kiel', amount: 5 },
  ],
};

const findings = async (tables: Tables, own = input): Promise<readonly Finding[]> => {
  const book = await open(defineModel(own), engineOver(tables));
  try {
    return await book.check();
  } finally {
    await book.close();
  }
};
const brief = (found: readonly Finding[]) =>
  Object.fromEntries(found.map(({ code, severity, count, examples }) => [code, [severity, count, examples.join('; ')]]));

test('what is wrong with the data is found, counted and shown, with a way out', async () => {
  const found = await findings(broken);
  expect(brief(found)).toEqual({
    orphans: ['warning', 2, '77; 78'],
    'blank-links': ['hint', 1, ''],
    'blank-dates': ['hint', 1, ''],
    'far-dates': ['warning', 1, expect.stringMatching(/^19(69|70)-[\d-]+ \(1 row\)$/)],
    'reversed-dates': ['warning', 1, '2025-12-20'],
    'long-gaps': ['warning', 1, '2026-02-10 to 2026-03-05 (24 days)'],
    'stops-early': ['warning', 60, ''],
    'duplicate-rows': ['warning', 1, '2026-03, Kiel (2 rows)'],
    'missing-periods': ['warning', 1, '2026-02, Ulm'],
    'unused-name': ['hint', 1, ''],
    'window-built-in': ['hint', 1, 'start(month)/anchor'],
  });
  for (const { message, wayOut } of found) expect([message.length > 10, wayOut.length > 10]).toEqual([true, true]);
  // What may make numbers wrong comes first.
  const order = found.map(({ severity }) => severity);
  expect(order).toEqual([...order].sort((a, b) => (a === b ? 0 : a === 'warning' ? -1 : 1)));
});

test('D5: rows after the as-of date in another role are told with the way to show them', async () => {
  const found = await findings({ ...clean, lines: [...clean.lines, { ...clean.lines[0], shipped: '2027-01-01' }] });
  expect(found.filter(({ code }) => code === 'after-as-of')).toMatchObject([
    {
      severity: 'hint',
      count: 1,
      message: expect.stringContaining('1 row has a shipped date after'),
      wayOut: expect.stringContaining('horizon: plan'),
    },
  ]);
});

test('where nothing is wrong only names are left to say', async () => {
  const found = await findings(clean);
  expect(new Set(found.map(({ code }) => code))).toEqual(new Set(['unused-name', 'window-built-in']));
  expect(found.filter(({ code }) => code === 'unused-name').map(({ message }) => message)).toEqual([
    'dimension "spare" is used by nothing',
    'column "gross" is used by nothing',
  ]);
});

test('C4: a comparison that works on no axis', async () => {
  const found = await findings(clean, {
    ...input,
    comparisons: { ...input.comparisons, odd: { shift: '-1 season' } },
    calendar: { periods: { season: { rows: { Dawn: { starts: '2026-01-10', ends: '2026-01-20' } } } } },
  });
  const odd = found.filter(({ code }) => code === 'comparison-unusable');
  expect(odd.length).toBeLessThanOrEqual(1);
  for (const { message } of odd) expect(message).toContain('"odd"');
});

test.runIf(ENGINE === 'postgres')('a database that keeps dates as text is told so', async () => {
  const texts = { ...clean, visits: clean.visits.map(({ day: at }) => ({ day: `${at}T10:00` })) };
  expect((await findings(texts)).filter(({ code }) => code === 'text-dates')).toMatchObject([
    { message: 'visits: day holds its dates as text', severity: 'hint' },
  ]);
});
