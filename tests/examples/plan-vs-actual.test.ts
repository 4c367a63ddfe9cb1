import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { memory } from '../../src/engines/memory/index.ts';
import { loadModel } from '../../src/files/node.ts';
import { type Book, open, type Question } from '../../src/index.ts';
import { type Opened, openApplication, serious } from '../setup/browser.ts';
import { ROOT } from '../setup/cli.ts';

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
  expect(await shown()).toEqual(await expected('2026-08-15', 'region'));
  expect(await page.textContent('#title')).toBe('Monthly review, August 2026');
  expect((await page.textContent('#figures')) ?? '').toContain('€27,038');
  expect(await serious(page)).toEqual([]);
});

test('the forecast line starts from what came in and ends at the forecast of the table', async () => {
  const points = await page.$$eval('#year svg .mark-symbol path[aria-label]', (marks) =>
    marks.map((mark) => mark.getAttribute('aria-label') ?? ''),
  );
  const forecast = points.filter((label) => label.includes('forecast by plan')).map((label) => Number(/value: ([\d.]+)/.exec(label)?.[1]));
  expect(forecast).toHaveLength(5);
  const total = (await expected('2026-08-15', 'region')).at(-1) as string[];
  expect(euros.format(forecast[4])).toBe(total[7]);
});

test('another month and another split, and the way back', async () => {
  await page.selectOption('[name=asOf]', '2026-05-31');
  await page.selectOption('[name=per]', 'family');
  await expect.poll(shown, { timeout: 10_000 }).toEqual(await expected('2026-05-31', 'family'));
  expect(await page.textContent('#title')).toBe('Monthly review, May 2026');
  await page.goBack();
  await expect.poll(shown, { timeout: 10_000 }).toEqual(await expected('2026-05-31', 'region'));
  await page.reload();
  await expect.poll(shown, { timeout: 10_000 }).toEqual(await expected('2026-05-31', 'region'));
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
