import { expect, test } from 'vitest';
import { TOUR } from '../../src/cli/demo.ts';
import { DEMO, durchblick } from '../setup/cli.ts';

/** The arguments of a command, as a shell would take them apart. */
const words = (command: string): string[] => (command.match(/'[^']*'|\S+/g) ?? []).map((word) => word.replace(/^'|'$/g, ''));

const ASKED = [
  ...TOUR.map(({ command }) => command.replace(/ --chart \S+/, '')),
  'backlog lead-time --by day --range 2026',
  "'orders over rolling-28-days' --by day --per region --range 2026",
];

test.each(ASKED)('the statements for %s can be read: 120 lines and 8 kB at most, and days as stretches in place of lists', (command) => {
  const { code, stdout } = durchblick('sql', DEMO, ...words(command));
  expect(code).toBe(0);
  const statements = stdout.split(/\n(?=-- )/).filter((statement) => /select/i.test(statement));
  expect(statements.length).toBeGreaterThan(1);
  const numbers = (line: string): number => line.match(/-?\d+/g)?.length ?? 0;
  const long = statements.filter(
    (text) => Buffer.byteLength(text) > 8192 || text.split('\n').length > 120 || text.split('\n').some((line) => numbers(line) > 60),
  );
  expect(long.map((statement) => `${statement.length} bytes: ${statement.slice(0, 200)}`)).toEqual([]);
});
