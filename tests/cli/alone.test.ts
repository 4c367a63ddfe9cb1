// Most tests run commands in a process that has run others before; what they print there is what they print alone.
import { expect, test } from 'vitest';
import { alone, DEMO, durchblick } from '../setup/cli.ts';

const COMMANDS: readonly (readonly string[])[] = [
  ['ask', DEMO, 'revenue', 'revenue vs year-earlier as change', '--by', 'month', '--range', '2026'],
  ['ask', DEMO, 'stock', '--by', 'month', '--per', 'family', '--engine', 'duckdb', '--format', 'json', '--keep', 'off'],
  ['ask', DEMO, 'revenu'],
  ['ask', DEMO, 'revenue', '--bye', 'month'],
  ['ask', DEMO, 'budget-attainment', '--by', 'month', '--locale', 'de', '--range', '2026'],
  ['check', DEMO, '--alerts'],
  ['explain', DEMO, 'revenue over mtd', '--at', '2026-08'],
  ['calendar', DEMO, '--range', '2026', '--format', 'csv'],
  ['sql', DEMO, 'revenue'],
  ['aks'],
  ['--version'],
];

test('commands do the same in a process of their own and after one another', () => {
  const own = COMMANDS.map((args) => alone(...args));
  // Also backwards, so that each has others before it than the first time.
  const orders = [[...COMMANDS.keys()], [...COMMANDS.keys()].reverse()];
  for (const order of orders) expect(order.map((k) => durchblick(...COMMANDS[k]))).toEqual(order.map((k) => own[k]));
  expect(new Set(own.map(({ code }) => code))).toEqual(new Set([0, 2, 3]));
});
