import { expect, test } from 'vitest';
import { factModel, openBook, ROOT } from '../setup/builders.ts';

/** The package as it is built: only there is the second thread. */
const built = (path: string): Promise<unknown> => import(`${ROOT}dist/${path}`);
const { memory } = (await built('engines/memory/index.js')) as typeof import('../../src/engines/memory/index.ts');

test('two threads add up what one would (M10)', async () => {
  const rows = 1_500_000;
  const day = Int32Array.from({ length: rows }, (_, i) => 20000 + ((i * 7919) % 500));
  const amount = Float64Array.from({ length: rows }, (_, i) => ((i * 31) % 9973) / 100);
  const region = Array.from({ length: rows }, (_, i) => ['North', 'South', 'Alps'][i % 3]);
  const model = factModel('lines', { dates: { ordered: 'day' }, links: { region: 'region' }, measures: { revenue: { sum: 'amount' } } });
  const book = await openBook(model, memory({ lines: { day, amount, region } }));
  const result = await book.ask({ show: ['revenue'], by: 'month', per: ['region'] });
  const cents = new Map<string, number>();
  for (let i = 0; i < rows; i++) {
    const key = `${new Date(day[i] * 86_400_000).toISOString().slice(0, 7)} ${region[i]}`;
    cents.set(key, (cents.get(key) ?? 0) + Math.round(amount[i] * 100));
  }
  expect(new Map(result.rows.map(([month, name, revenue]) => [`${month} ${name}`, revenue]))).toEqual(
    new Map([...cents].map(([key, value]) => [key, value / 100])),
  );
});
