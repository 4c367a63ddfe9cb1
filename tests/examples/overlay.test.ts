import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { type Book, open } from '../../src/index.ts';
import { type Opened, openApplication, serious } from '../setup/browser.ts';
import { ROOT } from '../setup/builders.ts';
import { loadModel, memory } from '../setup/library.ts';

let opened: Opened;
let page: Page;
let book: Book;
let errors: readonly string[];

beforeAll(async () => {
  opened = await openApplication('examples/overlay');
  ({ page, errors } = opened);
  const { model, files } = await loadModel(join(ROOT, 'demo/model.yaml'));
  book = await open(model, memory({}, { files }));
  await page.waitForSelector('#answer table');
});

afterAll(async () => {
  await opened?.close();
  await book?.close();
});

/** The table as a person reads it. */
const shown = (): Promise<string[][]> =>
  page.$$eval('#answer tr', (rows) => rows.map((row) => [...row.children].map((cell) => cell.textContent ?? '')));
const chooses = async (name: string, value: string): Promise<void> => {
  const before = await page.innerHTML('main');
  const control = page.locator(`[name=${name}]`);
  if (name === 'asOf') {
    await control.fill(value);
    await control.dispatchEvent('change');
  } else await control.selectOption(value);
  await page.waitForFunction((html) => document.querySelector('main')?.innerHTML !== html, before);
};
const expected = async (reading: string, by: string, range: string, asOf: string, before = 'year-earlier'): Promise<string[][]> => {
  const show = [
    { is: reading, label: 'this year' },
    { is: `${reading} vs ${before}`, label: 'year before' },
    { is: `${reading} vs ${before} as change`, label: 'change' },
  ];
  const { header, rows } = (await book.ask({ show, by, range, asOf })).toTable();
  return [[...header], ...rows.map(({ cells }) => [...cells])];
};

test('the page opens on the last 14 days over the year before, without an error', async () => {
  expect(await shown()).toEqual(await expected('revenue on ordered', 'day', 'last-14-days', '2026-05-20', '[-P52W]'));
  expect(await page.textContent('#caption')).toBe('revenue: 7–20 May 2026 against 8–21 May 2025 (same weekday), as of 2026-05-20');
  // One loud and one pale column for each of the 14 days.
  expect(await page.locator('#chart svg .mark-rect path').count()).toBeGreaterThanOrEqual(28);
  expect(errors).toEqual([]);
});

test('days are held against the same weekday or the same date, as is chosen, and the title says which (C2, C3)', async () => {
  await chooses('before', 'same date');
  expect(await shown()).toEqual(await expected('revenue on ordered', 'day', 'last-14-days', '2026-05-20'));
  expect(await page.textContent('#caption')).toBe('revenue: 7–20 May 2026 against 7–20 May 2025 (same date), as of 2026-05-20');
  const offered = (): Promise<string[]> =>
    page.$$eval('[name=before] option', (options) => options.map(({ textContent }) => textContent ?? ''));
  expect(await offered()).toEqual(['same weekday', 'same date']);
  await chooses('unit', 'week');
  expect(await offered()).toEqual(['same week', 'same weekday']);
  expect(await page.textContent('#caption')).toContain('(same week)');
  await chooses('unit', 'day');
  expect(await page.textContent('#caption')).toContain('(same weekday)');
});

test('unit, date, window and as-of date change the numbers as the library gives them', async () => {
  await chooses('range', 'rolling-12-months');
  await chooses('unit', 'month');
  await chooses('role', 'shipped');
  await chooses('window', 'ytd');
  await chooses('asOf', '2026-04-18');
  expect(await shown()).toEqual(await expected('revenue on shipped over ytd', 'month', 'rolling-12-months', '2026-04-18'));
  expect(await page.textContent('#notes')).toContain('no shipped date');
  // The range ends at the as-of date and cuts April there (A5).
  expect(await page.locator('#answer tr').last().getAttribute('title')).toMatch(/^2026-04-01 to 2026-04-18, against /);
  expect(errors).toEqual([]);
});

test('weeks compare with weeks, and every unit keeps its columns (C5)', async () => {
  await chooses('window', 'the period itself');
  await chooses('unit', 'week');
  expect((await shown()).length).toBeGreaterThan(50);
  await chooses('window', 'season-to-date');
  await chooses('unit', 'fiscal-quarter');
  expect((await shown())[0]).toEqual(['period', 'this year', 'year before', 'change']);
  expect(errors).toEqual([]);
});

test('it follows dark mode and the width of the window', async () => {
  const drawn = (): Promise<{ width: number; fill: string | null }> =>
    page.$eval('#chart svg', (svg) => ({
      width: svg.getBoundingClientRect().width,
      fill: svg.querySelector('.mark-rect path:last-child')?.getAttribute('fill') ?? null,
    }));
  const wide = await drawn();
  await page.setViewportSize({ width: 1000, height: 800 });
  await expect.poll(async () => (await drawn()).width).toBeLessThan(wide.width - 50);
  await page.emulateMedia({ colorScheme: 'dark' });
  await expect.poll(async () => (await drawn()).fill).not.toBe(wide.fill);
  expect(await page.evaluate(() => getComputedStyle(document.body).backgroundColor)).toBe('rgb(21, 29, 24)');
  expect(await serious(page)).toEqual([]);
  await page.emulateMedia({ colorScheme: 'light' });
});

test('axe-core finds nothing serious, and on a phone nothing is cut off', async () => {
  expect(await serious(page)).toEqual([]);
  await page.setViewportSize({ width: 400, height: 800 });
  expect(await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth)).toBeLessThanOrEqual(0);
});
