import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { expect, test } from 'vitest';
import { TOUR } from '../../src/cli/demo.ts';
import { DEMO, durchblick, makeFolder } from '../setup/builders.ts';

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

test('brackets and quotes in the comments of a query of the model move nothing, and the statements run as printed', async () => {
  const folder = makeFolder();
  const query = `select day, (n -- it's 1) of 2
    + 1) as n /* ( ' */ from (values (date '2026-01-01', 1), (date '2026-01-02', 2)) as t (day, n)`;
  const model = {
    sources: { lines: { query } },
    facts: { lines: { source: 'lines', dates: { on: 'day' }, measures: { amount: { sum: 'n' } } } },
  };
  writeFileSync(join(folder, 'model.json'), JSON.stringify(model));
  await (await DuckDBInstance.create(join(folder, 'some.duckdb'))).closeSync();
  const connect = ['--connect', `duckdb:${join(folder, 'some.duckdb')}`];
  const { code, stdout, stderr } = durchblick('sql', join(folder, 'model.json'), 'amount', ...connect);
  expect([code, stderr]).toEqual([0, '']);
  expect(stdout).toContain("-- it's 1) of 2\n");
  const connection = await (await DuckDBInstance.create(':memory:')).connect();
  const rows = (await connection.runAndReadAll(stdout)).getRowsJS();
  expect(rows.map((row) => row[row.length - 1])).toEqual([2, 3]);
});
