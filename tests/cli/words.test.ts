import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { DEMO, durchblick, makeFolder } from '../setup/builders.ts';

test('check --alerts says what fires and exits with 3; without one with 0', () => {
  const fired = durchblick('check', DEMO, '--alerts');
  expect(fired).toMatchObject({ code: 3, stderr: '' });
  expect(fired.stdout).toContain('▼ behind budget in West: budget-attainment is 91.7% in 2026-05, below 95.0%');
  expect(durchblick('check', DEMO).code).toBe(0);
  const quiet = durchblick('check', DEMO, '--alerts', '--as-of', '2026-01-31');
  expect([quiet.code, quiet.stdout.trimEnd().split('\n').at(-1)]).toEqual([0, 'no alert fires (1 watched)']);
  const table = durchblick('ask', DEMO, 'budget-attainment', '--by', 'month', '--per', 'region', '--range', '2026-05');
  expect(table.stdout).toMatch(/West\s+91\.7 ▼\n/);
  expect(table.stderr).toContain('behind budget: budget-attainment is below 0.95 in 1 cell');
  const folder = makeFolder();
  durchblick('demo', join(folder, 'demo'));
  const model = join(folder, 'demo', 'model.yaml');
  writeFileSync(model, readFileSync(model, 'utf8').replace('by: month, per: [region], label: {', 'by: mnth, per: [region], label: {'));
  expect(durchblick('check', model)).toMatchObject({
    code: 2,
    stderr: expect.stringMatching(/model\.yaml:\d+:\d+: there is no unit "mnth"[\s\S]*"month"/),
  });
});

test('durchblick explain: words first, then numbers and rows; --format json for programs', () => {
  const { code, stdout } = durchblick('explain', DEMO, 'budget-attainment', '--at', '2026-05', '--member', 'region=West', '--rows', '2');
  expect(code).toBe(0);
  expect(stdout.split('\n')[0]).toBe('budget-attainment is 91.7% in 2026-05, region West, as of 2026-05-20');
  expect(stdout).toContain('12 of 18 working days');
  expect(stdout).toMatch(/95 rows behind it\n[\s\S]+and 93 more/);
  const json = JSON.parse(durchblick('explain', DEMO, 'backlog', '--at', 'mtd', '--format', 'json').stdout);
  expect(json.parts[0].rows.count).toBe(298);
  expect(durchblick('explain', DEMO, 'backlog')).toMatchObject({ code: 2, stderr: expect.stringContaining('--at 2026-05') });
});

test('durchblick check prints them with their places, and as JSON for machines; errors are listed whole', () => {
  const { code, stdout } = durchblick('check', DEMO);
  expect(code).toBe(0);
  expect(stdout).toMatch(
    /warning: demo\/model\.yaml:\d+: order-lines: 3 rows have a product_id that product does not have, for example 99\n {2}Add them to products/,
  );
  const json = JSON.parse(durchblick('check', DEMO, '--format', 'json').stdout);
  expect(json.counts).toEqual({ error: 0, warning: 1, hint: 2 });
  const path = join(makeFolder(), 'model.yaml');
  writeFileSync(path, 'durchblick: 1\nfacts: { f: { source: s, dates: { on: d }, mesures: {} } }\nwindows: { w: "P1X/anchor" }\n');
  const failed = durchblick('check', path, '--format', 'json');
  expect(failed.code).toBe(2);
  const { counts, findings: faults } = JSON.parse(failed.stdout);
  expect(counts.error).toBe(faults.length);
  expect(faults[0]).toMatchObject({ severity: 'error', place: { line: expect.any(Number) } });
});
