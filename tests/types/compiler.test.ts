import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { ROOT } from '../setup/cli.ts';

const ATTRIBUTES =
  '"day" | "half" | "holiday" | "month" | "quarter" | "region" | "region.region" | "week" | "week-year" | "weekday" | "working-day" | "year"';

test('names in question literals are checked by the compiler, and only wrong ones are refused (names.ts)', () => {
  const { status, stdout } = spawnSync('npx', ['tsc', '-p', 'tests/types/tsconfig.json', '--noEmit'], { cwd: ROOT, encoding: 'utf8' });
  expect(stdout).toBe('');
  expect(status).toBe(0);
});

test('a wrong name is told in a sentence with the names there are, wherever it stands (names.ts)', () => {
  const folder = join(ROOT, 'tmp', 'wrong-names');
  mkdirSync(folder, { recursive: true });
  writeFileSync(
    join(folder, 'wrong.ts'),
    `import { defineModel, open } from '../../src/index.ts';
import { memory } from '../../src/engines/memory/index.ts';
const model = defineModel({ dimensions: { region: {} }, facts: { f: { source: 's', dates: { d: 'd' }, links: { region: 'r' }, measures: { m: { sum: 'a' } } } } });
const book = await open(model, memory({}), { where: { regoin: 'North' } });
await book.ask({ show: ['n'] });
await book.ask({ show: ['m'], per: ['regoin'] });
await book.ask({ show: ['m'], where: { regoin: 'North' } });
await book.ask({ show: ['m'], order: ['n desc'] });
await book.ask({ show: ['m'], by: 'monthly' });
await book.ask({ show: ['m vs previous as percent'] });
`,
  );
  writeFileSync(
    join(folder, 'tsconfig.json'),
    JSON.stringify({ extends: '../../tsconfig.json', compilerOptions: { rootDir: '../..' }, include: ['wrong.ts'] }),
  );
  const { stdout } = spawnSync('npx', ['tsc', '-p', folder, '--noEmit'], { cwd: ROOT, encoding: 'utf8' });
  const messages = stdout.split('\n').filter((line) => line.includes('error TS'));
  const sentences = messages.map((line) => /\((\d+),\d+\).*Wrong<"((?:[^"\\]|\\.)*)", ([^>]*)>/.exec(line)?.slice(1).join(' '));
  expect(sentences.map((text) => text?.replaceAll('\\"', '"'))).toEqual([
    `4 there is no attribute "regoin"; there are ${ATTRIBUTES}`,
    '5 there is no measure "n"; there are "days" | "m" | "working-days"',
    `6 there is no attribute "regoin"; there are ${ATTRIBUTES}`,
    `7 there is no attribute "regoin"; there are ${ATTRIBUTES}`,
    '8 there is no measure "n"; there are "days" | "m" | "working-days"',
    '9 there is no unit or window "monthly"; units are "day" | "half" | "month" | "quarter" | "week" | "week-year" | "year"',
    '10 "percent" is not a form; there are "change" | "difference" | "index" | "ratio" | "value"',
  ]);
});
