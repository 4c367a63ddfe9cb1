import { join } from 'node:path';
import { afterAll, expect } from 'vitest';
import { open, type Question } from '../../src/index.ts';
import { openBuilt } from '../setup/browser.ts';
import { ROOT } from '../setup/builders.ts';
import { loadModel, memory } from '../setup/library.ts';

/** The explorer in a browser, and the library over the same model beside it. */
export const openExplorer = async () => {
  const opened = await openBuilt('examples/explorer');
  const { page } = opened;
  const { model, files } = await loadModel(join(ROOT, 'demo/model.yaml'));
  const book = await open(model, memory({}, { files }));
  await page.waitForSelector('#answer tbody tr');
  afterAll(async () => {
    await opened.close();
    await book.close();
  });
  /** The table as a person reads it: arrows of alerts and blanks aside. */
  const readTable = (): Promise<string[][]> =>
    page.$$eval('#answer tbody tr', (rows) =>
      rows.map((row) => [...row.children].map((cell) => (cell.textContent ?? '').replace(/^[▼▲]\s*|^–$/g, '').trim())),
    );
  /** Waits until the page shows what the library answers. */
  const shows = async (question: Question): Promise<void> => {
    const wanted = (await book.ask(question as never)).toTable().rows.map(({ cells }) => [...cells]);
    await expect.poll(readTable, { timeout: 10_000 }).toEqual(wanted);
  };
  const choose = async (label: string, option: string): Promise<void> => {
    await page.getByRole('combobox', { name: label, exact: true }).click();
    await page.getByRole('option', { name: option, exact: true }).click();
  };
  /** Another address without a reload, as the way back does it. */
  const goTo = async (search = ''): Promise<void> => {
    await page.evaluate((text) => {
      history.pushState(null, '', `${location.pathname}${text}`);
      window.dispatchEvent(new PopStateEvent('popstate'));
    }, search);
    await expect.poll(() => page.locator('.answer').getAttribute('data-stale')).toBe('false');
  };
  const textbox = (name: string) => page.getByRole('textbox', { name }).or(page.getByRole('combobox', { name }));
  return { ...opened, book, readTable, shows, choose, goTo, textbox };
};

export const START: Question = {
  show: ['revenue', 'revenue vs year-earlier', 'revenue vs year-earlier as change'],
  by: 'month',
  range: 'ytd',
};
