import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { expect, test, vi } from 'vitest';
import { serious } from '../setup/browser.ts';
import { makeFolder } from '../setup/builders.ts';
import { openExplorer, START } from './explorer-page.ts';

const { page, url, context, errors, readTable, shows, choose, textbox } = await openExplorer();

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
  await shows({ ...START, by: 'quarter' });
  await types('month', 'month');
  await shows(START);
});

test('a model is opened together with its files, and what is missing is told', async () => {
  await page.goto(url);
  await page.waitForSelector('#answer tbody tr');
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
  await expect.poll(async () => (await readTable()).map((row) => row.slice(0, 2))).toEqual([['2026-01', '10']]);
  await page.setInputFiles('input[type=file]', [model, { ...model, name: 'other.yml' }]);
  await expect.poll(() => page.getByRole('alert').textContent()).toContain('shop.yaml and other.yml are two models: open one of them.');
  await page.keyboard.press('Escape');
});

test('Parquet rows and a CSV file with semicolons and decimal commas are opened together', async () => {
  await page.goto(url);
  await page.waitForSelector('#answer tbody tr');
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
    const field = textbox(`reading ${k + 1}`);
    await field.fill(reading);
    await field.blur();
  }
  const pieces = (month: string): string => String(rows.filter(({ when }) => when.startsWith(month)).reduce((sum, { n }) => sum + n, 0));
  await expect
    .poll(async () => (await readTable()).map((row) => row.slice(0, 3)))
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
  const other = await context.newPage();
  await other.emulateMedia({ colorScheme: scheme });
  await other.setViewportSize({ width, height: 900 });
  await other.goto(
    `${url}?show=revenue&show=budget&by=month&per=region&range=2026-01%2F2026-05&cell=%5B%22revenue%22%2C%222026-03%22%2C%22North%22%5D`,
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
  await other.goto(`${url}?show=revenue&show=revenue+vs+year-earlier+as+change&by=week&per=region&range=ytd`);
  await other.waitForSelector('.chart svg');
  expect(await beyond()).toBeLessThanOrEqual(0);
  await other.close();
});

test('at 800 × 600 the answer stands beside the form, and on a phone the form folds away', async () => {
  const other = await context.newPage();
  await other.emulateMedia({ colorScheme: 'dark' });
  await other.setViewportSize({ width: 800, height: 600 });
  await other.goto(`${url}?show=revenue&show=budget-attainment&by=month&per=region&range=2026-05`);
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
    await page.goto(`${url}${search}`);
    const known = page.getByRole('alert').or(page.locator('.caret')).or(page.locator('#answer tbody tr'));
    await expect.poll(() => known.count(), { timeout: 10_000 }).toBeGreaterThan(0);
  },
);

test('own files are dropped, a model is drafted, corrected and opened; names are shown as they are', async () => {
  await page.goto(url);
  await page.waitForSelector('#answer tbody tr');
  const folder = makeFolder();
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
    .poll(async () => (await readTable()).map((row) => row.slice(0, 3)))
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

test('the SQL of a question is written by DuckDB in the browser', async () => {
  await page.goto(`${url}?show=revenue&by=quarter&per=region&range=2026`);
  await page.getByRole('tab', { name: 'SQL' }).click();
  await page.getByRole('button', { name: 'write the SQL' }).click();
  const code = page.locator('.code[data-what="SQL"]');
  await code.waitFor({ timeout: 60_000 });
  expect(await code.textContent()).toMatch(/^-- [\s\S]+select[\s\S]+"order_lines"/);
});

test('nothing went wrong on the way, and nothing was asked of anyone else', () => {
  expect(errors).toEqual([]);
});
