import { expect, test } from 'vitest';
import { open } from '../../src/index.ts';
import { engineOver, factModel } from '../setup/builders.ts';

// So many members by so many days that sums are asked for by stretches between the ends of windows, and no longer by the day.
const MEMBERS = 4700;
// biome-ignore format: one case a line
const rows = [
  ...Array.from({ length: MEMBERS }, (_, k) => ({ day: '2024-01-01', plant: `P${k}`, pot: `T${k % 7}`, quantity: 1, order: `O${k}`, out: '2024-01-03' })),
  { day: '2026-05-03', plant: 'P7', pot: 'T1', quantity: 10, order: 'O1', out: '2026-05-08' },
  { day: '2026-05-20', plant: 'P7', pot: 'T1', quantity: 4, order: 'O1', out: '2026-05-21' },
  { day: '2026-06-30', plant: 'P8', pot: 'T2', quantity: 2, order: 'O2', out: '2026-07-04' },
];
const model = factModel('stock', {
  dates: { counted: 'day', out: { column: 'out', horizon: 'plan' } },
  links: { plant: 'plant', pot: 'pot' },
  measures: {
    total: { sum: 'quantity', role: 'counted' },
    last: { sum: 'quantity', acrossTime: 'last', role: 'counted' },
    known: { sum: 'quantity', acrossTime: 'last-known', role: 'counted' },
    highest: { sum: 'quantity', acrossTime: 'max', role: 'counted' },
    orders: { countDistinct: 'order', role: 'counted' },
    stay: { daysBetween: 'counted/out', role: 'counted' },
    greatest: { max: 'quantity', role: 'counted' },
  },
});

test('M1, M4, M6: levels know each day, however many members there are', async () => {
  const book = await open(model, engineOver({ stock: rows }));
  const { rows: cells } = await book.ask({
    show: ['total', 'last', 'known', 'highest', 'orders', 'stay', 'greatest'],
    by: 'month',
    per: ['plant'],
    range: '2026-05',
    asOf: '2026-06-30',
    where: { plant: ['P7', 'P8'] },
    gaps: 'hide',
  });
  expect(cells).toEqual([['2026-05', 'P7', 14, 4, 4, 10, 1, 3, 10]]);
  const all = await book.ask({
    show: ['total', 'last', 'highest'],
    by: 'month',
    per: ['plant'],
    range: '2026-05',
    asOf: '2026-06-30',
    gaps: 'hide',
  });
  expect(all.rows).toEqual([['2026-05', 'P7', 14, 4, 10]]);
});
