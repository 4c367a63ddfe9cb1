import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { type Book, open, type Question } from '../../src/index.ts';
import { type Opened, openApplication, serious } from '../setup/browser.ts';
import { ROOT } from '../setup/builders.ts';
import { loadModel, memory } from '../setup/library.ts';

let opened: Opened;
let page: Page;
let book: Book;
beforeAll(async () => {
  opened = await openApplication('examples/plan-vs-actual');
  page = opened.page;
  const { model, files } = await loadModel(join(ROOT, 'demo/model.yaml'));
  book = await open(model, memory({}, { files }));
  await page.waitForSelector('#members tbody tr');
});
afterAll(async () => {
  await opened?.close();
  await book?.close();
});

const euros = new Intl.NumberFormat('en-GB', { style: 'currency', currency: 'EUR', maximumFractionDigits: 0 });
const percent = new Intl.NumberFormat('en-GB', { style: 'percent', minimumFractionDigits: 1, maximumFractionDigits: 1 });
const ask = async (question: Question): Promise<readonly (readonly unknown[])[]> => {
  const { rows, totals } = await book.ask(question as never);
  return [...rows, ...totals];
};

/** The table worked out cell by cell, from the widest questions there are. */
const expected = async (asOf: string, per: string): Promise<string[][]> => {
  const windows = await ask({ show: ['revenue', 'budget'], by: ['mtd', 'ytd'], per: [per], asOf, totals: ['members'] });
  const year = await ask({ show: ['budget'], by: 'year', per: [per], range: asOf.slice(0, 4), asOf, totals: ['members'] });
  const at = (period: string, name: string, k: number): number =>
    Number(windows.find((row) => row[0] === period && row[1] === name)?.[k] ?? 0);
  return [...new Set(windows.filter((row) => row[1] !== 'Total').map((row) => String(row[1]))), 'Total'].map((name) => {
    const whole = Number(year.find((row) => row[1] === name)?.[2] ?? 0);
    const forecast = at('ytd', name, 2) + whole - at('ytd', name, 3);
    return [
      name,
      euros.format(at('mtd', name, 2)),
      euros.format(at('mtd', name, 3)),
      percent.format(at('mtd', name, 2) / at('mtd', name, 3)),
      euros.format(at('ytd', name, 2)),
      euros.format(at('ytd', name, 3)),
      percent.format(at('ytd', name, 2) / at('ytd', name, 3)),
      euros.format(forecast),
      euros.format(whole),
      `${forecast < whole ? '▼' : '▲'} ${euros.format(forecast - whole)}`,
    ];
  });
};
const shown = (): Promise<string[][]> =>
  page.$$eval('#members tbody tr', (rows) => rows.map((row) => [...row.children].map((cell) => cell.textContent ?? '')));

test('G4, A2: actuals to date against the budget to date, and the forecast to the end of the year by plan', async () => {
  expect(await shown()).toEqual(await expected('2026-05-20', 'region'));
  expect(await page.textContent('#title')).toBe('Monthly review, May 2026');
  expect((await page.textContent('#figures')) ?? '').toContain('€49,851');
  expect(await serious(page)).toEqual([]);
});

/** What the marks of a chart tell people who do not see them: text by text. */
const said = (selector: string): Promise<string[]> =>
  page.$$eval(`${selector} svg [aria-label]`, (marks) => marks.map((mark) => mark.getAttribute('aria-label') ?? ''));

test('like against like: half a month stands beside the budget of half a month', async () => {
  const [month] = (await ask({ show: ['revenue', 'budget over so-far'], by: 'month', range: '2026-05', asOf: '2026-05-20' })) as [
    [string, number, number],
  ];
  const [whole] = (await ask({ show: ['budget'], by: 'month', range: '2026-05', asOf: '2026-05-20' })) as [[string, number]];
  const marks = (await said('#months')).join('\n');
  expect(marks).toContain(`value: ${Math.trunc(month[2])}.`);
  expect(marks).not.toContain(`value: ${whole[1]};`);
});

test('the year goes day by day, to the as-of date, and the distance to the budget is what the figures say', async () => {
  const [day] = (await ask({ show: ['revenue over ytd', 'budget over ytd'], by: 'day', range: '2026-05-20', asOf: '2026-05-20' })) as [
    [string, number, number],
  ];
  const total = (await expected('2026-05-20', 'region')).at(-1) as string[];
  expect([euros.format(day[1]), euros.format(day[2])]).toEqual([total[4], total[5]]);
  expect(total[9]).toBe(`${day[1] < day[2] ? '▼' : '▲'} ${euros.format(day[1] - day[2])}`);
  // Two panels, with time along both: twelve months each.
  expect(await page.locator('#year svg .role-axis-label text', { hasText: 'Dec' }).count()).toBe(2);
  expect(await page.locator('#year svg .mark-area path').count()).toBeGreaterThanOrEqual(2);
});

test('it follows dark mode and the width of the window', async () => {
  const width = (): Promise<number> => page.$eval('#months svg', (svg) => svg.getBoundingClientRect().width);
  const before = await width();
  await page.setViewportSize({ width: 1500, height: 800 });
  await expect.poll(width).toBeGreaterThan(before + 60);
  await page.emulateMedia({ colorScheme: 'dark' });
  await expect.poll(() => page.locator('#year svg path[fill="#86d8a4"]').count()).toBeGreaterThan(0);
  expect(await serious(page)).toEqual([]);
  await page.emulateMedia({ colorScheme: 'light' });
  await page.setViewportSize({ width: 1280, height: 800 });
});

test('another month and another split, and the way back', async () => {
  await page.selectOption('[name=asOf]', '2026-03-31');
  await page.selectOption('[name=per]', 'family');
  await expect.poll(shown, { timeout: 10_000 }).toEqual(await expected('2026-03-31', 'family'));
  expect(await page.textContent('#title')).toBe('Monthly review, March 2026');
  await page.goBack();
  await expect.poll(shown, { timeout: 10_000 }).toEqual(await expected('2026-03-31', 'region'));
  await page.reload();
  await expect.poll(shown, { timeout: 10_000 }).toEqual(await expected('2026-03-31', 'region'));
});

test('it prints on one sheet, without its controls', async () => {
  await page.emulateMedia({ media: 'print' });
  expect(await page.isVisible('#choices')).toBe(false);
  await page.emulateMedia({ media: null });
  const pdf = (await page.pdf({ preferCSSPageSize: true, printBackground: true })).toString('latin1');
  expect([...pdf.matchAll(/\/Type\s*\/Page\b(?!s)/g)]).toHaveLength(1);
});

test('on a phone nothing is cut off, and nothing went wrong on the way', async () => {
  await page.setViewportSize({ width: 400, height: 800 });
  expect(await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth)).toBeLessThanOrEqual(0);
  expect(await serious(page)).toEqual([]);
  expect(opened.errors).toEqual([]);
});
