import { cpSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parquetWriteBuffer } from 'hyparquet-writer';
import type { Page } from 'playwright-core';
import { afterAll, beforeAll, expect, test, vi } from 'vitest';
import { memory } from '../../src/engines/memory/index.ts';
import { loadModel } from '../../src/files/node.ts';
import { type Book, open, type Question } from '../../src/index.ts';
import { type Opened, openApplication, serious } from '../setup/browser.ts';
import { durchblick, ROOT } from '../setup/cli.ts';

let opened: Opened;
let page: Page;
let book: Book;
beforeAll(async () => {
  opened = await openApplication('examples/explorer');
  page = opened.page;
  const { model, files } = await loadModel(join(ROOT, 'demo/model.yaml'));
  book = await open(model, memory({}, { files }));
  await page.waitForSelector('#answer tbody tr');
});
afterAll(async () => {
  await opened?.close();
  await book?.close();
});

const START: Question = { show: ['revenue', 'revenue vs year-earlier', 'revenue vs year-earlier as change'], by: 'month', range: 'ytd' };

/** The table as a person reads it: arrows of alerts and blanks aside. */
const shown = (): Promise<string[][]> =>
  page.$$eval('#answer tbody tr', (rows) =>
    rows.map((row) =>
      [...row.children].map((cell) =>
        (cell.textContent ?? '')
          .replace(/^[▼▲]\s*/, '')
          .replace(/^–$/, '')
          .trim(),
      ),
    ),
  );
const expected = async (question: Question): Promise<string[][]> =>
  (await book.ask(question as never)).toTable().rows.map(({ cells }) => [...cells]);
/** Waits until the page shows what the library answers. */
const shows = async (question: Question): Promise<void> => {
  const wanted = await expected(question);
  await expect.poll(shown, { timeout: 10_000 }).toEqual(wanted);
};
const choose = async (label: string, option: string): Promise<void> => {
  await page.getByRole('combobox', { name: label, exact: true }).click();
  await page.getByRole('option', { name: option, exact: true }).click();
};
const fresh = async (search = ''): Promise<void> => {
  await page.goto(`${opened.url}${search}`);
  await page.waitForSelector('#answer tbody tr');
};

test('it opens on the demo: this year by month against the year before, as the library answers', async () => {
  await shows(START);
  expect(await page.textContent('#caption')).toBe('1 Jan – 15 Aug 2026 against 1 Jan – 15 Aug 2025, as of 2026-08-15');
  expect(await page.getByRole('img', { name: /^Days/ }).getAttribute('aria-label')).toBe(
    'Days covered: 2026-01-01 to 2026-08-15; compared: 2025-01-01 to 2025-08-15; as of 2026-08-15',
  );
  expect(await page.locator('.chart svg .mark-rect path').count()).toBeGreaterThan(16);
  expect(await page.getByRole('list', { name: 'alerts' }).textContent()).toContain('behind budget: West, 2026-08');
  expect(await serious(page)).toEqual([]);
});

test('a reading is typed with completion, by the keyboard alone', async () => {
  const field = page.getByRole('textbox', { name: 'reading 2' }).or(page.getByRole('combobox', { name: 'reading 2' }));
  await field.focus();
  await field.fill('orders over rolling-28');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect.poll(() => field.inputValue()).toBe('orders over rolling-28-days');
  await shows({ ...START, show: ['revenue', 'orders over rolling-28-days', 'revenue vs year-earlier as change'] });
});

test('a mistake is told where it was made, with the nearest name; the last answer stays', async () => {
  const field = page.getByRole('textbox', { name: 'reading 2' }).or(page.getByRole('combobox', { name: 'reading 2' }));
  await field.fill('revenue over mdt');
  await page.keyboard.press('Enter');
  await expect.poll(() => page.locator('.caret').textContent()).toBe(`revenue over mdt\n${' '.repeat(13)}^`);
  expect(await page.getByRole('group', { name: 'Readings' }).textContent()).toContain('Did you mean "mtd"?');
  expect((await shown()).length).toBe(8);
  // It is the answer to an earlier question, and looks like one.
  expect(await page.$eval('#answer', (table) => getComputedStyle(table.closest('.answer > *') as Element).opacity)).toBe('0.45');
  // What is wrong takes the room of its field, and pushes nothing into the answer.
  const [aside, remove] = await Promise.all([
    page.locator('aside').boundingBox(),
    page.getByRole('button', { name: 'remove reading 2' }).boundingBox(),
  ]);
  expect((remove?.x ?? 0) + (remove?.width ?? 0)).toBeLessThanOrEqual((aside?.x ?? 0) + (aside?.width ?? 0));
  await field.fill('revenue over mtd');
  await page.keyboard.press('Enter');
  await shows({ ...START, show: ['revenue', 'revenue over mtd', 'revenue vs year-earlier as change'] });
  expect(await page.locator('.caret').count()).toBe(0);
});

test('what is wrong and what would be right are two sentences', async () => {
  const field = page.getByRole('textbox', { name: 'reading 2' }).or(page.getByRole('combobox', { name: 'reading 2' }));
  await field.fill('revenue vs year-earlier as chnge');
  await page.keyboard.press('Enter');
  await expect
    .poll(() => page.getByRole('group', { name: 'Readings' }).textContent())
    .toContain('"chnge" is not a form. Forms: value, difference, change, ratio, index.');
  await field.fill('revenue over mtd');
  await page.keyboard.press('Enter');
  await expect.poll(() => page.locator('.answer').getAttribute('data-stale')).toBe('false');
});

test('a unit is typed and taken with Enter', async () => {
  const by = page.getByRole('combobox', { name: 'By', exact: true });
  /** Types what stands for a unit, and takes it once it is the one that is marked; a page under load may lose a key. */
  const types = (text: string, unit: string): Promise<void> =>
    vi.waitFor(
      async () => {
        await page.keyboard.press('Escape');
        await by.blur();
        await by.click();
        await page.keyboard.type(text, { delay: 30 });
        await page.locator('[role=option][data-combobox-selected]', { hasText: new RegExp(`^${unit}$`) }).waitFor({ timeout: 5000 });
        await page.keyboard.press('Enter');
        await expect.poll(() => by.inputValue(), { timeout: 3000 }).toBe(unit);
      },
      { timeout: 60_000 },
    );
  await types('quart', 'quarter');
  await shows({ ...START, show: ['revenue', 'revenue over mtd', 'revenue vs year-earlier as change'], by: 'quarter' });
  await types('month', 'month');
  await shows({ ...START, show: ['revenue', 'revenue over mtd', 'revenue vs year-earlier as change'] });
});

test('a reading is built from lists', async () => {
  await page.getByRole('button', { name: 'remove reading 3' }).click();
  await page.getByRole('button', { name: 'Build a reading…' }).click();
  await choose('what', 'orders');
  await choose('by which date', 'shipped');
  await choose('compared with', 'year-earlier');
  await page.getByRole('button', { name: 'Add this reading' }).click();
  await shows({ ...START, show: ['revenue', 'revenue over mtd', 'orders on shipped vs year-earlier as change'] });
});

test('unit, splits, filters and totals change the numbers, and the way back undoes each', async () => {
  await fresh();
  await choose('By', 'quarter');
  await shows({ ...START, by: 'quarter' });
  await choose('Split by', 'region');
  await page.keyboard.press('Escape');
  await shows({ ...START, by: 'quarter', per: ['region'] });
  await choose('Filter on', 'channel');
  await choose('only channel', 'web');
  await page.keyboard.press('Escape');
  await shows({ ...START, by: 'quarter', per: ['region'], where: { channel: ['web'] } });
  await page.getByRole('switch', { name: 'totals' }).click();
  await shows({ ...START, by: 'quarter', per: ['region'], where: { channel: ['web'] }, totals: true });
  await page.goBack();
  await shows({ ...START, by: 'quarter', per: ['region'], where: { channel: ['web'] } });
  await page.reload();
  await shows({ ...START, by: 'quarter', per: ['region'], where: { channel: ['web'] } });
});

test('the range is typed or taken from a window; windows side by side have none', async () => {
  await fresh();
  await page
    .getByRole('combobox', { name: 'Range' })
    .or(page.getByRole('textbox', { name: 'Range' }))
    .fill('2026-03/2026-05');
  await page.keyboard.press('Enter');
  await shows({ ...START, range: '2026-03/2026-05' });
  await page.getByRole('button', { name: 'choose the range' }).click();
  await choose('A window at the as-of date', 'rolling-3-months');
  await shows({ ...START, range: 'rolling-3-months' });
  await choose('By', 'windows');
  await shows({ show: START.show, by: ['mtd', 'qtd', 'ytd'] });
});

test('the as-of date slides, and every number moves with it', async () => {
  await fresh();
  await page.getByRole('slider', { name: 'As-of date' }).focus();
  for (let k = 0; k < 5; k++) await page.keyboard.press('ArrowLeft');
  await shows({ ...START, asOf: '2026-08-10' });
  expect(new URL(page.url()).searchParams.get('as-of')).toBe('2026-08-10');
  await page.getByLabel('As of', { exact: true }).fill('2025-11-30');
  await shows({ ...START, asOf: '2025-11-30' });
  await page.getByRole('button', { name: 'latest' }).click();
  await shows(START);
});

test('V1: a click on a number, or on its mark in the chart, says why; the way back closes it', async () => {
  await fresh('?show=revenue+over+mtd&show=budget+over+mtd&show=budget-attainment&by=month&per=region&range=2026-08');
  await page.getByRole('button', { name: /why budget-attainment is .* in 2026-08, West/ }).click();
  const why = page.locator('#why');
  await why.waitFor();
  const text = (await why.textContent()) ?? '';
  expect(text).toContain('Why budget-attainment is 83.9% in 2026-08, region West');
  expect(text).toContain('10 of 21 working days');
  expect(text).toContain('77 rows behind it');
  expect(await page.locator('#why .strip .bar').count()).toBe(2);
  // Whoever asks is taken there, and back to the number afterwards.
  expect(await page.evaluate(() => document.activeElement?.id)).toBe('why');
  expect((await why.boundingBox())?.y ?? 9999).toBeLessThan(600);
  await page.getByRole('button', { name: 'close the explanation' }).click();
  await expect.poll(() => why.count()).toBe(0);
  expect(await page.evaluate(() => document.activeElement?.getAttribute('aria-label'))).toMatch(
    /^why budget-attainment is .* in 2026-08, West/,
  );
  await page.keyboard.press('Enter');
  await why.waitFor();
  expect(await serious(page)).toEqual([]);
  await page.goBack();
  await expect.poll(() => why.count()).toBe(0);
  await fresh('?show=revenue&by=month&range=2026-05%2F2026-07');
  await page.locator('.chart svg .mark-rect.role-mark path').nth(1).click();
  await why.waitFor();
  expect(await why.textContent()).toContain('in 2026-06');
});

test('the question is a command, JSON and SQL to copy; the command gives the same numbers', async () => {
  await fresh(
    '?show=revenue&show=revenue+over+ytd&by=quarter&per=region&range=2026&where=%5B%22channel%22%2C%22web%22%5D&as-of=2026-06-30',
  );
  const code = (what: string) => page.locator(`.code[data-what="${what}"]`);
  const command = (await code('command').textContent()) as string;
  expect(command).toBe(
    `npx durchblick ask model.yaml revenue 'revenue over ytd' --by quarter --per region --range 2026 --as-of 2026-06-30 --where channel=web`,
  );
  const words = [...command.matchAll(/'([^']*)'|(\S+)/g)].map(([, quoted, plain]) => quoted ?? plain).slice(2);
  const { stdout } = durchblick(...words.map((word) => (word === 'model.yaml' ? 'demo/model.yaml' : word)), '--format', 'csv');
  const question: Question = {
    show: ['revenue', 'revenue over ytd'],
    by: 'quarter',
    per: ['region'],
    range: '2026',
    asOf: '2026-06-30',
    where: { channel: ['web'] },
  };
  expect(stdout).toBe((await book.ask(question as never)).toCsv());
  await page.getByRole('tab', { name: 'JSON' }).click();
  expect(JSON.parse((await code('JSON').textContent()) as string)).toEqual(question);
  await page.getByRole('tab', { name: 'SQL' }).click();
  await page.getByRole('button', { name: 'write the SQL' }).click();
  await code('SQL').waitFor({ timeout: 60_000 });
  expect(await code('SQL').textContent()).toMatch(/^-- [\s\S]+select[\s\S]+"order_lines"/);
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'answer as CSV' }).click();
  expect(readFileSync(await (await download).path(), 'utf8')).toBe(stdout);
});

test('own files are dropped, a model is drafted, corrected and opened; names are shown as they are', async () => {
  await fresh();
  const folder = mkdtempSync(join(tmpdir(), 'dropped-'));
  const evil = '<img src=x onerror=alert(1)>';
  writeFileSync(join(folder, 'sales.csv'), `day,shop,amount\r\n2026-01-05,"${evil}",10\r\n2026-02-07,Kiel,20.5\r\n2026-02-08,Kiel,1\r\n`);
  await page.setInputFiles('input[type=file]', join(folder, 'sales.csv'));
  const box = page.getByRole('textbox', { name: 'Model' });
  await box.waitFor();
  const drafted = await box.inputValue();
  await box.fill(drafted.replace('name: My model', 'name: Shops').replace('sum: amount', 'sum: amont'));
  await page.getByRole('button', { name: 'Open this model' }).click();
  await expect.poll(() => page.getByRole('alert').textContent()).toContain('Did you mean "amount"?');
  await box.fill(drafted.replace('name: My model', 'name: Shops'));
  await page.getByRole('button', { name: 'Open this model' }).click();
  await expect.poll(() => page.getByRole('heading', { level: 1 }).textContent()).toBe('Shops');
  await choose('Split by', 'shop');
  await page.keyboard.press('Escape');
  await expect
    .poll(async () => (await shown()).map((row) => row.slice(0, 3)))
    .toEqual([
      ['2026-01', evil, '10.0'],
      ['2026-01', 'Kiel', ''],
      ['2026-02', evil, ''],
      ['2026-02', 'Kiel', '21.5'],
    ]);
  expect(await page.locator('img').count()).toBe(0);
  // A file can be dropped on the page as well.
  const transfer = await page.evaluateHandle(() => {
    const data = new DataTransfer();
    data.items.add(new File(['when,n\n2026-03-01,4\n'], 'visits.csv', { type: 'text/csv' }));
    return data;
  });
  await page.dispatchEvent('body', 'drop', { dataTransfer: transfer });
  await expect.poll(() => box.inputValue()).toContain('visits.csv');
  await page.keyboard.press('Escape');
});

test('a model is opened together with its files, and what is missing is told', async () => {
  await fresh();
  const model = {
    name: 'shop.yaml',
    mimeType: 'text/yaml',
    buffer: Buffer.from(
      'name: Kiosk\nsources: { sales: { file: data/sales.csv } }\nfacts: { sales: { source: sales, dates: { sold: day }, measures: { amount: { sum: amount } } } }\n',
    ),
  };
  const sales = { name: 'sales.csv', mimeType: 'text/csv', buffer: Buffer.from('day,amount\n2026-01-05,10\n') };
  await page.setInputFiles('input[type=file]', [model]);
  await expect
    .poll(() => page.getByRole('alert').textContent())
    .toContain('data/sales.csv was not opened with the model. Choose the model and all of its files together');
  await page.keyboard.press('Escape');
  await page.setInputFiles('input[type=file]', [model, sales]);
  await expect.poll(() => page.getByRole('heading', { level: 1 }).textContent()).toBe('Kiosk');
  await expect.poll(async () => (await shown()).map((row) => row.slice(0, 2))).toEqual([['2026-01', '10']]);
  await page.setInputFiles('input[type=file]', [model, { ...model, name: 'other.yml' }]);
  await expect.poll(() => page.getByRole('alert').textContent()).toContain('shop.yaml and other.yml are two models: open one of them.');
  await page.keyboard.press('Escape');
});

test('Parquet rows and a CSV file with semicolons and decimal commas are opened together', async () => {
  await fresh();
  const rows = Array.from({ length: 60 }, (_, k) => ({
    when: `2026-0${1 + (k % 2)}-1${k % 10}`,
    shop: k % 3 === 0 ? 'Kiel' : 'Ulm',
    n: k,
  }));
  const bytes = parquetWriteBuffer({
    columnData: [
      { name: 'sold_on', data: rows.map(({ when }) => new Date(when)), type: 'TIMESTAMP' },
      { name: 'shop', data: rows.map(({ shop }) => shop), type: 'STRING' },
      { name: 'pieces', data: rows.map(({ n }) => n), type: 'INT32' },
    ],
  });
  await page.setInputFiles('input[type=file]', [
    { name: 'sales.parquet', mimeType: 'application/octet-stream', buffer: Buffer.from(bytes) },
    { name: 'targets.csv', mimeType: 'text/csv', buffer: Buffer.from('month;shop;target\n2026-01;Kiel;1.000,5\n2026-02;Ulm;20,25\n') },
  ]);
  const box = page.getByRole('textbox', { name: 'Model' });
  await expect.poll(() => box.inputValue()).toContain('{ file: targets.csv, decimal: comma }');
  await page.getByRole('button', { name: 'Open this model' }).click();
  await expect.poll(() => page.getByRole('heading', { level: 1 }).textContent()).toBe('My model');
  for (const [k, reading] of ['pieces', 'target'].entries()) {
    const field = page.getByRole('textbox', { name: `reading ${k + 1}` }).or(page.getByRole('combobox', { name: `reading ${k + 1}` }));
    await field.fill(reading);
    await field.blur();
  }
  const pieces = (month: string): string => String(rows.filter(({ when }) => when.startsWith(month)).reduce((sum, { n }) => sum + n, 0));
  await expect
    .poll(async () => (await shown()).map((row) => row.slice(0, 3)))
    .toEqual([
      ['2026-01', pieces('2026-01'), '1,000.500000'],
      // The year to date ends on the last day with rows: 19 of 28 days.
      ['2026-02', pieces('2026-02'), '13.741071'],
    ]);
});

test.each([
  [400, 'dark'],
  [1000, 'light'],
  [1600, 'light'],
] as const)('at %i pixels nothing is cut off, on %s pages too', async (width, scheme) => {
  const other = await opened.context.newPage();
  await other.emulateMedia({ colorScheme: scheme });
  await other.setViewportSize({ width, height: 900 });
  await other.goto(
    `${opened.url}?show=revenue&show=budget&by=month&per=region&range=2026-01%2F2026-08&cell=%5B%22revenue%22%2C%222026-03%22%2C%22North%22%5D`,
  );
  await other.waitForSelector('#why');
  /** By how many pixels the picture is wider than its place. */
  const beyond = (): Promise<number> =>
    other.$eval(
      '.chart',
      (place) => (place.querySelector('svg')?.getBoundingClientRect().right ?? 0) - place.getBoundingClientRect().right,
    );
  expect(await beyond()).toBeLessThanOrEqual(0);
  expect(await other.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth)).toBeLessThanOrEqual(0);
  expect(await serious(other)).toEqual([]);
  await other.goto(`${opened.url}?show=revenue&show=revenue+vs+year-earlier+as+change&by=week&per=region&range=ytd`);
  await other.waitForSelector('.chart svg');
  expect(await beyond()).toBeLessThanOrEqual(0);
  await other.close();
});

test('at 800 × 600 the answer stands beside the form, and on a phone the form folds away', async () => {
  const other = await opened.context.newPage();
  await other.emulateMedia({ colorScheme: 'dark' });
  await other.setViewportSize({ width: 800, height: 600 });
  await other.goto(`${opened.url}?show=revenue&show=budget-attainment&by=month&per=region&range=2026-08`);
  await other.waitForSelector('.chart svg');
  const seen = async (selector: string): Promise<boolean> => ((await other.locator(selector).first().boundingBox())?.y ?? 9999) < 400;
  expect([await seen('aside'), await seen('.chart')]).toEqual([true, true]);
  // An alert is red on dark pages too.
  expect(await other.$eval('.alert', (badge) => getComputedStyle(badge).color)).toBe('rgb(255, 138, 128)');
  expect(await other.$eval('.mark.bad', (mark) => getComputedStyle(mark).color)).toBe('rgb(255, 138, 128)');
  await other.setViewportSize({ width: 400, height: 700 });
  expect(await seen('.chart')).toBe(true);
  expect(await other.getByRole('combobox', { name: 'By', exact: true }).isVisible()).toBe(false);
  await other.getByRole('button', { name: 'Change the question' }).click();
  expect(await other.getByRole('combobox', { name: 'By', exact: true }).isVisible()).toBe(true);
  expect(await serious(other)).toEqual([]);
  await other.close();
});

test.each(['?show=%3Cscript%3E&by=nonsense', '?show=revenue&by=month&range=ytd&where=notjson&cell=%7B%7D', `?show=${'('.repeat(300)}`])(
  'a URL that is none of ours (%s) is an error on the page or a default, never a broken page',
  async (search) => {
    await page.goto(`${opened.url}${search}`);
    const known = page.getByRole('alert').or(page.locator('.caret')).or(page.locator('#answer tbody tr'));
    await expect.poll(() => known.count(), { timeout: 10_000 }).toBeGreaterThan(0);
  },
);

test('nothing went wrong on the way, and nothing was asked of anyone else', () => {
  expect(opened.errors).toEqual([]);
});

test('questions of the model are listed and asked whole; what the page has no control for stays, and can be left out', async () => {
  await fresh();
  await choose('Named question', 'budget-by-region');
  await shows({
    show: ['revenue over mtd', 'budget over mtd', 'budget-attainment'],
    by: 'month',
    per: ['region'],
    range: 'mtd',
    totals: 'members',
  });
  await expect.poll(() => page.textContent('aside')).toContain('The running month against its budget');
  await expect.poll(() => page.textContent('aside')).toContain('totals members');
  await expect.poll(() => page.textContent('[data-what=command]')).toContain('--per region --range mtd --totals members');
  // The link says it all: another page shows the same.
  await page.reload();
  await shows({
    show: ['revenue over mtd', 'budget over mtd', 'budget-attainment'],
    by: 'month',
    per: ['region'],
    range: 'mtd',
    totals: 'members',
  });
  await page.getByRole('button', { name: 'without', exact: true }).click();
  await shows({ show: ['revenue over mtd', 'budget over mtd', 'budget-attainment'], by: 'month', per: ['region'], range: 'mtd' });
});

test('a question is taken as YAML, and a model with it answers by its name', async () => {
  await fresh();
  await page.getByRole('tab', { name: 'Named question' }).click();
  await page.getByRole('textbox', { name: 'Name', exact: true }).fill('our-year');
  await expect.poll(() => page.textContent('[data-what=YAML]')).toContain('our-year:');
  const yaml = (await page.textContent('[data-what=YAML]')) as string;
  const demo = readFileSync(join(ROOT, 'demo/model.yaml'), 'utf8');
  const folder = mkdtempSync(join(tmpdir(), 'asked-'));
  cpSync(join(ROOT, 'demo/data'), join(folder, 'data'), { recursive: true });
  writeFileSync(join(folder, 'model.yaml'), demo.replace(/^questions:\n/m, yaml));
  const { model, files } = await loadModel(join(folder, 'model.yaml'));
  expect(model.questions.get('our-year')?.question).toEqual(START);
  const own = await open(model, memory({}, { files }));
  expect((await own.ask('our-year')).toCsv()).toBe((await own.ask(START as never)).toCsv());
  await own.close();
  await page.getByRole('textbox', { name: 'Name', exact: true }).fill('Our Year');
  await expect.poll(() => page.textContent('section[aria-label="Take it elsewhere"]')).toContain('Small letters, digits and hyphens');
});
