import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { parse } from 'yaml';
import { DEMO, durchblick, makeFolder } from '../setup/builders.ts';

/** A model over a CSV file in a folder of its own. */
const written = (figures: string): string => {
  const folder = makeFolder({ 'sales.csv': 'sold,town,amount\n2025-12-30,Kiel,12.25\n2026-01-10,Ulm,7\n2026-02-11,"Kiel, Nord",5\n' });
  writeFileSync(
    join(folder, 'model.yaml'),
    `sources: { sales: { file: sales.csv } }
dimensions: { town: {} }
facts: { sales: { source: sales, dates: { sold: sold }, links: { town: town }, measures: { revenue: { sum: amount } } } }
${figures}`,
  );
  return folder;
};

test('`check` tells figures that differ with both numbers and ends with 4; with `--figures` it lists all of them (V4)', () => {
  const folder = written('figures: [{ reading: revenue, at: 2025, is: 12.25 }, { reading: revenue, at: 2026-01, is: 8, note: audited }]');
  const place = `${folder}/model.yaml:4:`;
  const plain = durchblick('check', folder);
  const line = `differs: ${place}54: revenue at 2026-01 is 7, and 8 is vouched for (audited)\n2 figures: 1 holds, 1 differs\n`;
  expect([plain.code, plain.stdout.includes(line), plain.stdout.includes('holds: ')]).toEqual([4, true, false]);
  expect(durchblick('check', folder, '--figures').stdout).toContain(`holds: ${place}11: revenue at 2025 is 12.25\n`);
  const { figures } = JSON.parse(durchblick('check', folder, '--format', 'json').stdout);
  expect(figures.map(({ is, found, holds }: Record<string, unknown>) => [is, found, holds])).toEqual([
    [12.25, 12.25, true],
    [8, 7, false],
  ]);
  expect(durchblick('check', DEMO, '--figures').code).toBe(0);
});

test.each([
  ['by year', ['revenue', '--by', 'year']],
  ['by month and member, a blank left out', ['revenue', 'revenue vs previous', '--by', 'month', '--per', 'town']],
  ['over windows', ['revenue', '--by', 'mtd,ytd']],
  ['over the whole range', ['revenue', '--where', 'town=Kiel,"Kiel, Nord"']],
])('what `figures` writes %s is read back, and holds (V4)', (_, args) => {
  const { code, stdout } = durchblick('figures', written(''), ...args);
  expect(code).toBe(0);
  const folder = written(stdout);
  const checked = durchblick('check', folder, '--figures');
  expect([checked.code, checked.stdout.match(/^holds: /gm)?.length]).toEqual([0, parse(stdout).figures.length]);
  // The next day brings a row: what is finished holds still, and what is running says as of when.
  writeFileSync(
    join(folder, 'sales.csv'),
    'sold,town,amount\n2025-12-30,Kiel,12.25\n2026-01-10,Ulm,7\n2026-02-11,"Kiel, Nord",5\n2026-02-12,Kiel,1\n',
  );
  if (!args.includes('--where')) expect(durchblick('check', folder).code).toBe(0);
});
