import { cpSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { DEMO, durchblick, makeFolder, rowsOf } from '../setup/builders.ts';

const folder = (): string => makeFolder();

/** A demo of its own whose model and data a test may spoil. */
const spoiled = (file: string, change: (text: string) => string): string => {
  const place = folder();
  cpSync('demo', place, { recursive: true });
  writeFileSync(join(place, file), change(readFileSync(join(place, file), 'utf8')));
  return join(place, 'model.yaml');
};

describe('what works', () => {
  test('demo lays out the files and walks through the tour', () => {
    const place = folder();
    const { code, stdout, stderr } = durchblick('demo', place);
    expect({ code, stderr }).toEqual({ code: 0, stderr: '' });
    expect(readdirSync(place).sort()).toEqual(['data', 'model.schema.json', 'model.yaml']);
    expect(stdout.match(/\$ npx durchblick ask/g)).toHaveLength(10);
    expect(durchblick('demo', place)).toMatchObject({ code: 2, stdout: '' });
  });

  test('every form of answer says the same (interface contract)', () => {
    const args = ['revenue', 'revenue vs previous as change', ...'--by quarter --per channel --range 2026-Q1/2026-Q2 --totals'.split(' ')];
    const as = (format: string) => durchblick('ask', DEMO, ...args, '--format', format).stdout;
    const csv = rowsOf(as('csv'));
    const json = JSON.parse(as('json'));
    expect(Object.keys(json)).toEqual(['asOf', 'unit', 'caption', 'periods', 'columns', 'rows', 'totals', 'compared', 'notes', 'locale']);
    expect(csv).toHaveLength(json.rows.length + json.totals.length);
    expect(csv.filter((row) => row[1] === 'Total')).toHaveLength(3);
    expect(csv.at(-1)?.slice(0, 2)).toEqual(['Total', 'Total']);
    const lines = as('ndjson')
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line));
    expect(lines[0]).toEqual({
      period: '2026-Q1',
      channel: 'phone',
      revenue: json.rows[0][2],
      'revenue vs previous as change': json.rows[0][3],
    });
    expect(as('markdown').split('\n')[0]).toBe('| period | channel | revenue | revenue vs previous as change |');
    expect(as('table').split('\n')[0]).toMatch(/^period\s+channel\s+revenue/);
    expect(json.compared['revenue vs previous as change'][0]).toEqual({ start: '2025-10-01', end: '2025-12-31' });
  });

  test('order and limit of periods reach every output (R1)', () => {
    const args = ['ask', DEMO, 'revenue', ...'--by month --range 2026 --order'.split(' '), 'revenue desc', '--limit', '3', '--totals'];
    const labels = (format: string) => durchblick(...args, '--format', format).stdout.match(/2026-\d\d(?!-)|Total/g);
    for (const format of ['csv', 'markdown', 'table', 'ndjson'])
      expect([format, labels(format)]).toEqual([format, ['2026-04', '2026-03', '2026-05', 'Total']]);
  });

  test('order, limit and the others, computed at their own level (R1, M9)', () => {
    const args = [
      ...'orders --by year --range 2025 --per product --order'.split(' '),
      'orders desc',
      ...'--limit 3 --rest --totals members'.split(' '),
    ];
    const rows = rowsOf(durchblick('ask', DEMO, ...args, '--format', 'csv').stdout);
    expect(rows.map((row) => row[1]).slice(3)).toEqual(['(others)', 'Total']);
    const counts = rows.map((row) => Number(row[2]));
    expect(counts[0]).toBeGreaterThanOrEqual(counts[1]);
    // Orders with several products are counted once in the total: it is less than the sum.
    expect(counts[4]).toBeLessThan(counts.slice(0, 4).reduce((a, b) => a + b));
  });

  test('a question from a file, and charts of every kind', () => {
    const place = folder();
    writeFileSync(
      join(place, 'q.json'),
      JSON.stringify({ show: ['revenue', 'revenue vs year-earlier'], by: 'month', range: '2026-01/2026-05', 'as-of': '2026-05-20' }),
    );
    const charts = ['svg', 'png', 'html', 'vl.json'].map((ending) => join(place, `c.${ending}`));
    const { code, stdout } = durchblick(
      'ask',
      DEMO,
      '--question',
      join(place, 'q.json'),
      '--format',
      'csv',
      ...charts.flatMap((file) => ['--chart', file]),
    );
    expect(code).toBe(0);
    expect(rowsOf(stdout)).toHaveLength(5);
    const [svg, png, html, spec] = charts.map((file) => readFileSync(file));
    expect(svg.toString()).toMatch(/^<svg[\s\S]*2026-05/);
    expect(png.subarray(1, 4).toString()).toBe('PNG');
    expect(html.toString()).toContain('<svg');
    const values = JSON.parse(spec.toString()).data.values as { reading: string; value: number }[];
    expect(values.filter(({ reading }) => reading === 'revenue').map(({ value }) => String(value))).toEqual(
      rowsOf(stdout).map((row) => row[1]),
    );
  });

  test('windows lists every window with its days (W2, W4, W10)', () => {
    const { code, stdout } = durchblick('windows', DEMO, '--as-of', '2026-05-20', '--format', 'csv');
    expect(code).toBe(0);
    const rows = new Map(rowsOf(stdout).map((row) => [row[1], row.slice(5)]));
    expect(rows.get('same-weekdays-last-year')).toEqual(['2025-05-02', '2025-05-21', '20']);
    expect(rows.get('rolling-3-months')).toEqual(['2026-02-21', '2026-05-20', '89']);
    expect(rows.get('fiscal-ytd')).toEqual(['2025-10-01', '2026-05-20', '232']);
    expect(rows.get('fortnight-to-yesterday')).toEqual(['2026-05-06', '2026-05-19', '14']);
    expect(rows.get('season-to-date')).toEqual(['2026-02-20', '2026-05-20', '90']);
    expect(durchblick('windows', DEMO).stdout).toMatch(/mtd\s+2026-05-01\s+2026-05-20\s+20\s+·+██/);
    const chart = join(folder(), 'windows.svg');
    const moved = durchblick('windows', DEMO, 'mtd', 'previous', '--at', '2026-02-28,2026-05-20', '--chart', chart);
    expect(moved.stdout).toMatch(/mtd\s+2026-02-28\s+2026-02-01.*\n\s+2026-05-20\s+2026-05-01[\s\S]*the month so far vs/);
    expect(readFileSync(chart, 'utf8')).toMatch(/<svg[\s\S]*Windows at several as-of dates/);
  });

  test('check finds the demo in order', () => {
    expect(durchblick('check', DEMO)).toMatchObject({ code: 0, stderr: '' });
  });

  test.each([['ask'], ['windows'], ['check'], ['demo']])('the example in the help of %s runs', (command) => {
    const example = durchblick(command, '--help').stdout.split('Example:\n')[1].trim();
    const args = [...example.matchAll(/'([^']*)'|(\S+)/g)].map((match) => match[1] ?? match[2]).slice(2);
    expect(durchblick(...(command === 'demo' ? ['demo', folder()] : args)).code).toBe(0);
  });
});

describe('bad input: one clear message on stderr, nothing on stdout, no stack trace', () => {
  const cases: [string, string[], number, RegExp][] = [
    ['unknown measure', ['revenu'], 2, /no measure or formula "revenu"[\s\S]*Did you mean "revenue"/],
    ['unknown window', ['revenue over mdt'], 2, /no window "mdt"[\s\S]*\^[\s\S]*"mtd"/],
    ['unknown comparison', ['revenue vs year-earlyer'], 2, /"year-earlier"/],
    ['unknown role', ['revenue on delivered'], 2, /no date "delivered"[\s\S]*ordered/],
    ['unknown unit', ['revenue', '--by', 'mont'], 2, /"month"/],
    ['unknown attribute', ['revenue', '--per', 'regoin'], 2, /"region"/],
    ['unknown member', ['revenue', '--where', 'region=Nroth'], 2, /"North"/],
    ['unknown period', ['revenue', '--range', '2026-13'], 2, /no period "2026-13"/],
    ['backwards range', ['revenue', '--range', '2026-05/2026-01'], 2, /backwards/],
    ['bad date', ['revenue', '--as-of', '2026-02-30'], 2, /2026-02-30/],
    ['bad syntax', ['revenue /'], 2, /expected, but the end/],
    ['ambiguous vs', ['revenue / budget vs year-earlier'], 2, /parentheses/],
    ['unclosed parenthesis', ['(revenue'], 2, /not closed/],
    ['split reading', ['revenue', 'over', 'mtd'], 2, /durchblick ask .* 'revenue over mtd'/],
    ['shift that cannot be laid out (C7)', ['revenue vs [-P1Y]', '--by', 'week'], 2, /-1 week-year/],
    ['unrelated split (G5)', ['budget', '--per', 'channel'], 2, /cannot be split by channel/],
    ['bad limit', ['revenue', '--per', 'region', '--limit', '0'], 2, /whole number/],
    ['two ranges', ['revenue', '--range', '2026', '--from', '2026-01'], 2, /--range stands beside/],
    ['bad filter', ['revenue', '--where', 'region'], 2, /no filter/],
    ['bad format', ['revenue', '--format', 'xls'], 2, /table, csv/],
    ['missing question file', ['--question', 'nowhere.json'], 2, /cannot read the question nowhere.json \(there is no such file\)/],
    ['no reading', [], 2, /no reading/],
  ];
  test.each(cases)('%s', (_, args, code, message) => {
    const outcome = durchblick('ask', DEMO, ...args);
    expect(outcome.stdout).toBe('');
    expect(outcome.stderr).toMatch(message);
    expect(outcome.stderr).not.toMatch(/\n\s+at .*\.js/);
    expect(outcome.code).toBe(code);
  });

  // biome-ignore format: one case a line
  const spoils: [string, string, (text: string) => string, number, RegExp][] = [
    ['wrong YAML', 'model.yaml', (text) => text.replace('facts:', 'facts: ['), 2, /model\.yaml:\d+:\d+: /],
    ['doubled key', 'model.yaml', (text) => text.replace('locale: en-GB', 'locale: en-GB\nlocale: de'), 2, /model\.yaml:7:1: the key "locale" stands twice/],
    ['unknown key', 'model.yaml', (text) => text.replace('grain: day', 'grian: day'), 2, /model\.yaml:\d+:5: there is no key "grian" here\nDid you mean "grain"/],
    ['wrong type', 'model.yaml', (text) => text.replace('name: Grünhof nurseries', 'name: [a]'), 2, /"name" is a list\nIt takes text/],
    ['unknown source', 'model.yaml', (text) => text.replace('source: order_lines', 'source: order_line'), 2, /no source "order_line"[\s\S]*"order_lines"/],
    ['unknown role', 'model.yaml', (text) => text.replace('sum: quantity, role: ordered', 'sum: quantity, role: order'), 2, /"ordered"/],
    ['missing file', 'model.yaml', (text) => text.replace('budget.csv', 'budgets.csv'), 2, /model\.yaml:\d+:\d+: cannot read data\/budgets\.csv/],
    ['missing column', 'model.yaml', (text) => text.replace('counted: counted_on', 'counted: counted'), 2, /no column "counted"[\s\S]*"counted_on"/],
    ['formula with a fault', 'model.yaml', (text) => text.replace('is: revenue / orders', 'is: revenue / order'), 2, /model\.yaml:\d+:\d+: there is no measure[\s\S]*"orders"/],
    ['contradictory year system', 'model.yaml', (text) => text.replace('starts: "--10-01",', 'starts: "--10-01", pattern: 4-4-5,'), 2, /both of months/],
    ['day past the 28th', 'model.yaml', (text) => text.replace('--10-01', '--10-31'), 2, /up to the 28th/],
    ['bad date (D3)', 'data/order_lines.csv', (text) => text.replace('2023-01-02', '2023-02-30'), 1, /row 1, column ordered_on: "2023-02-30" is not a date \(1 bad value\)/],
    ['bad number', 'data/budget.csv', (text) => text.replace(',Bulbs,', ',Bulbs,x'), 1, /row 1, column amount: "x\d+" is not a number/],
    ['ragged line', 'data/regions.csv', (text) => `${text}6,East\n`, 1, /it has 2 fields, the header has 4/],
    ['doubled key in data (G8)', 'data/regions.csv', (text) => `${text}1,Twice,Germany,9\n`, 1, /region_id = "1" stands in rows 1 and 6/],
    ['doubled version (G7)', 'data/budget.csv', (text) => `${text}2023-01,1,Bulbs,5,2022-11-20\n`, 1, /both recorded at 2022-11-20/],
    ['no iCalendar', 'data/holidays.ics', () => 'hello', 1, /holidays\.ics is not an iCalendar file/],
    ['not UTF-8', 'data/regions.csv', () => '\uFFFD', 1, /no column|header|regions/],
  ];
  test.each(spoils)('%s', (_, file, change, code, message) => {
    const model = spoiled(file, change);
    const outcome = durchblick('ask', model, 'revenue', 'budget');
    expect(outcome.stdout).toBe('');
    expect(outcome.stderr).toMatch(message);
    expect(outcome.stderr).not.toMatch(/\n\s+at .*\.js/);
    // A column that the file no longer has is a fault of the model.
    expect(outcome.code).toBe(/no column/.test(outcome.stderr) ? 2 : code);
  });

  test('a missing model, an unknown command and an unknown option', () => {
    expect(durchblick('ask', 'nowhere.yaml', 'revenue')).toMatchObject({ code: 2, stdout: '' });
    expect(durchblick('aks')).toMatchObject({ code: 2, stdout: '' });
    expect(durchblick('ask', DEMO, 'revenue', '--bye', 'month').stderr).toMatch(/--by\?/);
  });
});
