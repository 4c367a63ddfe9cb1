// The report as its readers have it: a file opened from the disk, without a network, in a real browser.

import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { gunzipSync } from 'node:zlib';
import type { Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { Book, Question } from '../../src/index.ts';
import { type Opened, openApplication, openFile, serious } from '../setup/browser.ts';
import { DEMO, durchblick, makeFolder, openBook, ROOT } from '../setup/builders.ts';

const folder = makeFolder();
const file = join(folder, 'report.html');
const dataIn = (html: string): string => gunzipSync(Buffer.from(/id="data">([^<]*)</.exec(html)?.[1] as string, 'base64')).toString('utf8');
/** As it lies in the package, with the program of a report beside it. */
const packed = async <T>(path: string): Promise<T> => (await import(pathToFileURL(join(ROOT, 'dist', path)).href)) as T;
const { report } = await packed<typeof import('../../src/report/index.ts')>('report/index.js');
const { memory } = await packed<typeof import('../../src/engines/memory/index.ts')>('engines/memory/index.js');
const { loadModel } = await packed<typeof import('../../src/files/node.ts')>('files/node.js');
const { open } = await packed<typeof import('../../src/index.ts')>('index.js');
const demo = () => loadModel(join(ROOT, DEMO));

/** Rows of the table in an answer, as a person reads them. */
const tableIn = (page: Page, within: string): Promise<string[][]> =>
  page.$$eval(`${within} durchblick-answer tr`, (rows) =>
    rows.map((row) => [...row.children].map((cell) => (cell.querySelector('button') ?? cell).textContent ?? '')),
  );
const wanted = async (book: Book, question: Question | string): Promise<string[][]> => {
  const { header, rows } = (await book.ask(question as Question)).toTable('header');
  return [[...header], ...rows.map(({ cells }) => cells.map((text) => (text === '' ? '\u2013' : text)))];
};

describe('a report', () => {
  let opened: Opened;
  let book: Book;
  const chooses = async (section: string, label: string, value: string): Promise<void> => {
    const place = opened.page.locator(section);
    const before = await place.getAttribute('data-shown');
    const control = place.getByLabel(label, { exact: true });
    if (label === 'As of') {
      await control.fill(value);
      await control.dispatchEvent('change');
    } else await control.selectOption(value);
    await expect.poll(() => place.getAttribute('data-shown')).not.toBe(before);
  };

  beforeAll(async () => {
    expect(durchblick('report', DEMO, '-o', file)).toMatchObject({ code: 0, stderr: expect.stringMatching(/^wrote .* \(\d+ kB\)\n$/) });
    opened = await openFile(file);
    const { model, files } = await demo();
    book = (await open(model, memory({}, { files }))) as unknown as Book;
    await opened.page.waitForSelector('#budget-by-region durchblick-answer svg');
    await opened.page.waitForSelector('#monthly-sales durchblick-answer svg');
  });
  afterAll(async () => {
    await opened?.close();
    await book?.close();
  });

  test('of the demo takes less than 600 kB and opens on the answers of `ask`', async () => {
    expect(readFileSync(file).length).toBeLessThan(600_000);
    expect(await tableIn(opened.page, '#monthly-sales')).toEqual(await wanted(book, 'monthly-sales'));
    expect(await tableIn(opened.page, '#budget-by-region')).toEqual(await wanted(book, 'budget-by-region'));
    expect(await serious(opened.page)).toEqual([]);
    expect(opened.errors).toEqual([]);
  });

  test('is switched by unit, window, comparison, as-of date and members, offline', async () => {
    const { page, errors } = opened;
    const question = { show: ['revenue', 'revenue vs year-earlier', 'revenue vs year-earlier as change'], by: 'month', range: 'ytd' };
    await chooses('#monthly-sales', 'Unit', 'quarter');
    expect(await tableIn(page, '#monthly-sales')).toEqual(await wanted(book, { ...question, by: 'quarter' }));
    await chooses('#monthly-sales', 'As of', '2025-05-20');
    expect(await tableIn(page, '#monthly-sales')).toEqual(await wanted(book, { ...question, by: 'quarter', asOf: '2025-05-20' }));
    await chooses('#monthly-sales', 'Held against', 'previous');
    await chooses('#monthly-sales', 'Window', 'ytd');
    const show = ['revenue over ytd', 'revenue over ytd vs previous', 'revenue over ytd vs previous as change'];
    expect(await tableIn(page, '#monthly-sales')).toEqual(await wanted(book, { show, by: 'quarter', range: 'ytd', asOf: '2025-05-20' }));
    await page.click('#monthly-sales summary');
    await page.getByLabel('West', { exact: true }).first().check();
    await expect
      .poll(() => tableIn(page, '#monthly-sales'))
      .toEqual(await wanted(book, { show, by: 'quarter', range: 'ytd', asOf: '2025-05-20', where: { region: ['West'] } }));
    // By week, a whole year is no number of weeks: that is said, and no other numbers stand there.
    await chooses('#monthly-sales', 'Window', '');
    expect(errors).toEqual([]);
  });

  test('says why a number is what it is, down to its days', async () => {
    const { page } = opened;
    await page.click('#budget-by-region durchblick-answer td button >> nth=0');
    await expect
      .poll(() => page.textContent('dialog pre'))
      .toMatch(/revenue over mtd is €?10,880 in 2026-05, region North[\s\S]*sum of net, from order-lines[\s\S]*rows behind it/);
    await expect.poll(async () => (await tableIn(page, 'dialog')).length).toBe(21);
    expect(await tableIn(page, 'dialog')).toEqual(
      await wanted(book, {
        show: ['revenue over mtd'],
        by: 'day',
        range: '2026-05-01/2026-05-20',
        where: { region: 'North' },
        gaps: 'hide',
      }),
    );
    await page.click('dialog .close');
  });

  test('speaks another language at once', async () => {
    const { page } = opened;
    await page.selectOption('header select', 'de');
    await expect.poll(() => page.textContent('#budget-by-region durchblick-answer table')).toMatch(/Umsatz/);
    expect(await tableIn(page, '#budget-by-region')).toEqual(
      await wanted(book, { ...(book.model.questions.get('budget-by-region')?.question as Question), locale: 'de' }),
    );
    expect(opened.errors).toEqual([]);
  });

  test('without scripts shows the answers as asked', () => {
    const still = /<noscript>([\s\S]*)<\/noscript>/.exec(readFileSync(file, 'utf8'))?.[1] ?? '';
    expect(still).toMatch(/<td>2026-05<\/td><td>North<\/td><td>€?10,880/);
  });
});

describe('what is in the file', () => {
  test('no row, no key, no place of data, and nothing that fixed filters hide (V3)', async () => {
    const { model, files } = await demo();
    const make = (where?: Record<string, string[]>) =>
      report(model, memory({}, { files }), { questions: ['monthly-sales', 'budget-by-region'], filters: ['region', 'family'], where }).then(
        dataIn,
      );
    const [whole, part] = [await make(), await make({ region: ['North', 'East'] })];
    for (const text of ['order_lines.csv', 'data/', 'annual report 2024']) expect(whole).not.toContain(text);
    expect(whole).toContain('"South"');
    for (const hidden of ['South', 'West', 'Alps']) expect(part).not.toContain(`"${hidden}"`);
    expect(part).toContain('"North"');
  });

  test('what is asked for must be there', () => {
    expect(durchblick('report', DEMO, '--question', 'mothly-sales')).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/Did you mean "monthly-sales"/),
    });
    expect(durchblick('report', DEMO, '--filter', 'regoin')).toMatchObject({ code: 2, stderr: expect.stringMatching(/"region"/) });
    expect(durchblick('report', DEMO, '-o', 'demo/model.yaml')).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/is the model or one of its sources/),
    });
  });
});

describe('an answer in a page of one\u2019s own', () => {
  test.each(['examples/answer', 'examples/answer-react'])(
    '%s shows chart, table and notes, and tells which number was chosen',
    async (example) => {
      const { page, errors, close } = await openApplication(example);
      try {
        const { model, files } = await demo();
        const book = (await openBook(model, memory({}, { files }))) as unknown as Book;
        await page.waitForSelector('durchblick-answer svg');
        const question = { show: ['revenue', 'revenue vs year-earlier'], by: 'month', range: 'ytd' };
        expect(await tableIn(page, 'body')).toEqual(await wanted(book, example === 'examples/answer' ? 'monthly-sales' : question));
        await page.click('durchblick-answer td button >> nth=0');
        await expect.poll(() => page.textContent('[role=status]')).toMatch(/^2026-01: €?29,221/);
        if (example === 'examples/answer-react') {
          await page.selectOption('select', 'quarter');
          await expect.poll(() => tableIn(page, 'body')).toEqual(await wanted(book, { ...question, by: 'quarter' }));
        }
        expect(await serious(page)).toEqual([]);
        expect(errors).toEqual([]);
      } finally {
        await close();
      }
    },
  );
});
