import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import type { Question } from '../../src/index.ts';
import { readDownload, serious } from '../setup/browser.ts';
import { durchblick, makeFolder, openBook, ROOT } from '../setup/builders.ts';
import { loadModel, memory } from '../setup/library.ts';
import { openExplorer, START } from './explorer-page.ts';

const { page, errors, book, readTable, shows, choose, goTo, textbox } = await openExplorer();

test('it opens on the demo: this year by month against the year before, as the library answers', async () => {
  await shows(START);
  expect(await page.textContent('#caption')).toBe('1 Jan – 20 May 2026 against 1 Jan – 20 May 2025, as of 2026-05-20');
  expect(await page.getByRole('img', { name: /^Days/ }).getAttribute('aria-label')).toBe(
    'Days covered: 2026-01-01 to 2026-05-20; compared: 2025-01-01 to 2025-05-20; as of 2026-05-20',
  );
  expect(await page.locator('.chart svg .mark-rect path').count()).toBeGreaterThan(14);
  expect(await page.getByRole('list', { name: 'alerts' }).textContent()).toContain('behind budget: West, 2026-05');
  expect(await serious(page)).toEqual([]);
});

test('a reading is typed with completion, by the keyboard alone', async () => {
  const field = textbox('reading 2');
  await field.focus();
  await field.fill('orders over rolling-28');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect.poll(() => field.inputValue()).toBe('orders over rolling-28-days');
  await shows({ ...START, show: ['revenue', 'orders over rolling-28-days', 'revenue vs year-earlier as change'] });
});

test('a mistake is told where it was made, with the nearest name; the last answer stays', async () => {
  const field = textbox('reading 2');
  await field.fill('revenue over mdt');
  await page.keyboard.press('Enter');
  await expect.poll(() => page.locator('.caret').textContent()).toBe(`revenue over mdt\n${' '.repeat(13)}^`);
  expect(await page.getByRole('group', { name: 'Readings' }).textContent()).toContain('Did you mean "mtd"?');
  expect((await readTable()).length).toBe(5);
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
  const field = textbox('reading 2');
  await field.fill('revenue vs year-earlier as chnge');
  await page.keyboard.press('Enter');
  await expect
    .poll(() => page.getByRole('group', { name: 'Readings' }).textContent())
    .toContain('"chnge" is not a form. Forms: value, difference, change, ratio, index.');
  await field.fill('revenue over mtd');
  await page.keyboard.press('Enter');
  await expect.poll(() => page.locator('.answer').getAttribute('data-stale')).toBe('false');
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
  await goTo();
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
  await goTo();
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
  await goTo();
  await page.getByRole('slider', { name: 'As-of date' }).focus();
  for (let k = 0; k < 5; k++) await page.keyboard.press('ArrowLeft');
  await shows({ ...START, asOf: '2026-05-15' });
  expect(new URL(page.url()).searchParams.get('as-of')).toBe('2026-05-15');
  await page.getByLabel('As of', { exact: true }).fill('2025-11-30');
  await shows({ ...START, asOf: '2025-11-30' });
  await page.getByRole('button', { name: 'latest' }).click();
  await shows(START);
});

test('V1: a click on a number, or on its mark in the chart, says why; the way back closes it', async () => {
  await goTo('?show=revenue+over+mtd&show=budget+over+mtd&show=budget-attainment&by=month&per=region&range=2026-05');
  await page.getByRole('button', { name: /why budget-attainment is .* in 2026-05, West/ }).click();
  const why = page.locator('#why');
  await why.waitFor();
  const text = (await why.textContent()) ?? '';
  expect(text).toContain('Why budget-attainment is 91.7% in 2026-05, region West');
  expect(text).toContain('12 of 18 working days');
  expect(text).toContain('95 rows behind it');
  expect(await page.locator('#why .strip .bar').count()).toBe(2);
  // Whoever asks is taken there, and back to the number afterwards.
  expect(await page.evaluate(() => document.activeElement?.id)).toBe('why');
  expect((await why.boundingBox())?.y ?? 9999).toBeLessThan(600);
  await page.getByRole('button', { name: 'close the explanation' }).click();
  await expect.poll(() => why.count()).toBe(0);
  expect(await page.evaluate(() => document.activeElement?.getAttribute('aria-label'))).toMatch(
    /^why budget-attainment is .* in 2026-05, West/,
  );
  await page.keyboard.press('Enter');
  await why.waitFor();
  expect(await serious(page)).toEqual([]);
  await page.goBack();
  await expect.poll(() => why.count()).toBe(0);
  await goTo('?show=revenue&by=month&range=2026-02%2F2026-04');
  await page.locator('.chart svg .mark-rect.role-mark path').nth(1).click();
  await why.waitFor();
  expect(await why.textContent()).toContain('in 2026-03');
});

test('the question is a command and JSON to copy; the command gives the same numbers', async () => {
  await goTo('?show=revenue&show=revenue+over+ytd&by=quarter&per=region&range=2026&where=%5B%22channel%22%2C%22web%22%5D&as-of=2026-03-31');
  const code = (what: string) => page.locator(`.code[data-what="${what}"]`);
  const command = (await code('command').textContent()) as string;
  expect(command).toBe(
    `npx durchblick ask model.yaml revenue 'revenue over ytd' --by quarter --per region --range 2026 --as-of 2026-03-31 --where channel=web`,
  );
  const words = [...command.matchAll(/'([^']*)'|(\S+)/g)].map(([, quoted, plain]) => quoted ?? plain).slice(2);
  const { stdout } = durchblick(...words.map((word) => (word === 'model.yaml' ? 'demo/model.yaml' : word)), '--format', 'csv');
  const question: Question = {
    show: ['revenue', 'revenue over ytd'],
    by: 'quarter',
    per: ['region'],
    range: '2026',
    asOf: '2026-03-31',
    where: { channel: ['web'] },
  };
  expect(stdout).toBe((await book.ask(question as never)).toCsv());
  await page.getByRole('tab', { name: 'JSON' }).click();
  expect(JSON.parse((await code('JSON').textContent()) as string)).toEqual(question);
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'answer as CSV' }).click();
  expect(await readDownload(await download)).toBe(stdout);
});

test('questions of the model are listed and asked whole; what the page has no control for stays, and can be left out', async () => {
  await goTo();
  await choose('Named question', 'budget-by-region');
  await page.getByRole('tab', { name: /command/i }).click();
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
  await goTo();
  await page.getByRole('tab', { name: 'Named question' }).click();
  await page.getByRole('textbox', { name: 'Name', exact: true }).fill('our-year');
  await expect.poll(() => page.textContent('[data-what=YAML]')).toContain('our-year:');
  const yaml = (await page.textContent('[data-what=YAML]')) as string;
  const demo = readFileSync(join(ROOT, 'demo/model.yaml'), 'utf8');
  const folder = makeFolder();
  cpSync(join(ROOT, 'demo/data'), join(folder, 'data'), { recursive: true });
  writeFileSync(join(folder, 'model.yaml'), demo.replace(/^questions:\n/m, yaml));
  const { model, files } = await loadModel(join(folder, 'model.yaml'));
  expect(model.questions.get('our-year')?.question).toEqual(START);
  const own = await openBook(model, memory({}, { files }));
  expect((await own.ask('our-year')).toCsv()).toBe((await own.ask(START as never)).toCsv());
  await page.getByRole('textbox', { name: 'Name', exact: true }).fill('Our Year');
  await expect.poll(() => page.textContent('section[aria-label="Take it elsewhere"]')).toContain('Small letters, digits and hyphens');
});
test('nothing went wrong on the way, and nothing was asked of anyone else', () => {
  expect(errors).toEqual([]);
});
