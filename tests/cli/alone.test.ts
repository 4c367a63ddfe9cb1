// Most tests run commands in a process that has run others before; what they print there is what they print alone.

import { expect, test } from 'vitest';
import { alone, DEMO, durchblick } from '../setup/builders.ts';

const COMMANDS: readonly (readonly string[])[] = [
  ['ask', DEMO, 'revenue', 'revenue vs year-earlier as change', '--by', 'month', '--range', '2026'],
  ['ask', DEMO, 'stock', '--by', 'month', '--per', 'family', '--engine', 'duckdb', '--format', 'json', '--keep', 'off'],
  ['ask', DEMO, 'revenu'],
  ['check', DEMO, '--alerts'],
  ['explain', DEMO, 'revenue over mtd', '--at', '2026-08'],
  ['aks'],
];

test('commands do the same in a process of their own and after one another', () => {
  const own = COMMANDS.map((args) => alone(...args));
  // Backwards, so that each has others before it.
  const order = [...COMMANDS.keys()].reverse();
  expect(order.map((k) => durchblick(...COMMANDS[k]))).toMatchObject(order.map((k) => own[k]));
  expect(new Set(own.map(({ code }) => code))).toEqual(new Set([0, 2, 3]));
});
