import { expect, test } from 'vitest';
import { factModel } from '../setup/builders.ts';
import { memory, report } from '../setup/library.ts';

test('a report that does not fit into mail is refused', async () => {
  const rows = 1_300_000;
  const lines = {
    day: Int32Array.from({ length: rows }, (_, k) => 20_000 + (k % 700)),
    amount: Float64Array.from({ length: rows }, (_, k) => (Math.imul(k ^ (k >>> 7), 0x9e3779b1) >>> 8) / 100),
  };
  const model = factModel(
    'lines',
    { dates: { sold: 'day' }, measures: { middle: { median: 'amount' } } },
    { sources: { lines: { table: 'lines' } }, questions: { large: { show: ['middle'], by: 'month' } } },
  );
  await expect(report(model as never, memory({ lines }), { questions: ['large'] })).rejects.toThrow(/larger than 5 MB|would have \d/);
});
