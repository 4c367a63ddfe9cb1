import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { dictionaryFor, dictionaryHtml, dictionaryMarkdown } from '../../src/dictionary/index.ts';
import { defineModel, type ModelInput, open } from '../../src/index.ts';
import { openFile, serious } from '../setup/browser.ts';
import { DEMO, durchblick, makeFolder } from '../setup/builders.ts';
import { memory } from '../setup/library.ts';

const input: ModelInput = {
  name: 'Model <b>& more',
  sources: { sales: { file: 'sales/*.csv' }, plan: { table: 'plans.monthly' }, fx: { query: 'select * from rates' } },
  calendar: { yearSystems: { fiscal: { starts: '--07-01', label: 'FY{year}' } }, workingDays: { week: 'monday-friday' } },
  dimensions: { channel: {} },
  rates: { 'to-eur': { source: 'fx', date: 'day', of: 'rate', by: { currency: 'code' } } },
  facts: {
    'order-lines': {
      source: 'sales',
      owner: 'sales team',
      dates: { ordered: 'ordered_at', shipped: 'shipped_at', month: { column: 'booked', horizon: 'plan' } },
      columns: { gross: 'quantity * (unit_price + 1)', net: 'gross - (discount - bonus)', euro: 'net * to-eur / 2' },
      links: { channel: 'channel' },
      measures: {
        revenue: { sum: 'net', role: 'ordered', label: { de: 'Umsatz' }, description: { en: 'All we sold.', de: 'Alles Verkaufte.' } },
        euros: { sum: 'euro', role: 'ordered' },
        orders: { countDistinct: 'order_id', role: 'ordered', owner: 'logistics' },
        lines: { count: 'rows', role: 'shipped', where: { channel: ['web', 'phone'], weekday: { not: 'sun' } } },
        booked: { sum: 'quantity', role: 'month' },
        backlog: { sum: 'net', open: 'ordered/shipped', better: 'lower' },
        slow: { percentile: { of: 'ordered/shipped', at: 0.9 }, role: 'shipped' },
        fresh: { firstTime: 'customer', role: 'ordered' },
        level: { sum: 'quantity', role: 'ordered', acrossTime: 'last' },
      },
    },
    plan: {
      source: 'plan',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'month' },
      links: { channel: 'channel' },
      measures: { budget: { sum: 'amount', spread: { like: 'revenue vs year-earlier' }, unrelated: 'repeat' } },
    },
  },
  formulas: {
    ratio: { is: '(revenue over mtd) / (budget - orders)', format: { style: 'percent' }, better: 'higher' },
    twice: 'ratio * 2',
  },
  windows: { fortnight: { is: 'P14D/anchor', label: { en: 'two weeks', de: 'zwei Wochen' } } },
  comparisons: { before: { shift: '-P7D', description: 'A week before.' } },
  alerts: { low: { reading: 'ratio', below: 0.5, by: 'month', per: ['channel'] } },
  questions: { q: { show: ['revenue'], by: 'month', description: 'Asked on Mondays.' } },
  figures: [{ reading: 'revenue', at: 2026, is: 12.5, note: '<i>audited</i>' }],
};
const day = '2026-02-10';
const line = { ordered_at: day, shipped_at: day, booked: day, quantity: 1, unit_price: 2, discount: 0, bonus: 0, currency: 'x' };
const book = await open(
  defineModel(input),
  memory({
    sales: [{ ...line, order_id: 1, customer: 1, channel: 'web' }],
    plan: [{ month: '2026-02', channel: 'web', amount: 3 }],
    fx: [{ day: '2026-02-01', rate: 1, code: 'x' }],
  }),
);
const english = await dictionaryFor(book);
const german = await dictionaryFor(book, { locale: 'de' });

// biome-ignore format: one case a line
test.each([
  ['revenue', 'sum of quantity × (unit price + 1) − (discount − bonus) over order lines, by the day they were ordered', 'adds up over everything'],
  ['orders', 'distinct values of order id over order lines, by the day they were ordered', 'does not add up: taken anew from the rows of each period and member'],
  ['lines', 'count of rows over order lines, by the day they were shipped, where channel is web or phone and weekday is not sun', 'adds up over everything'],
  ['booked', 'sum of quantity over order lines, by the day month, a plan', 'adds up over everything'],
  [
    'backlog',
    'sum of quantity × (unit price + 1) − (discount − bonus) over order lines, of rows that are open: from ordered until shipped, at the last day covered',
    'adds up over members, not over time',
  ],
  [
    'slow',
    'percentile at 0.9 of days between ordered and shipped over order lines, by the day they were shipped',
    'does not add up: taken anew from the rows of each period and member',
  ],
  ['fresh', 'values of customer seen for the first time of all over order lines, by the day they were ordered', 'adds up over time, not over members'],
  ['level', 'sum of quantity over order lines, over time the last of the days that have rows, by the day they were ordered', 'adds up over members, not over time'],
  ['euros', 'sum of (quantity × (unit price + 1) − (discount − bonus)) × to eur (ordered) ÷ 2 over order lines, by the day they were ordered', 'adds up over everything'],
  [
    'budget',
    'sum of amount over plan, by the day they were planned, a plan',
    'adds up over everything; kept by month; spread over its days like revenue (a year earlier); repeated when split by what it has no link to',
  ],
])('%s in one sentence from its definition, and how it adds up', (name, sentence, adds) => {
  expect(english.measures.find((measure) => measure.name === name)).toMatchObject({ sentence, adds });
});

test('formulas in words, with what they are made of and used in', () => {
  expect(english.formulas).toMatchObject([
    {
      name: 'ratio',
      sentence: 'revenue (month to date) ÷ (budget − orders)',
      uses: ['revenue', 'budget', 'orders'],
      usedIn: [],
      written: '12%',
      better: 'higher',
    },
    { name: 'twice', sentence: 'ratio × 2', uses: ['revenue', 'budget', 'orders'] },
  ]);
  expect(english.measures[0]).toMatchObject({ usedIn: ['ratio', 'twice'], owner: 'sales team', description: 'All we sold.' });
  expect(english.measures[2].owner).toBe('logistics');
});

test('where numbers come from: files, tables and queries, columns computed on the way, dates and filters', () => {
  const origins = (name: string) => english.measures.find((measure) => measure.name === name)?.origins;
  expect(origins('euros')).toEqual([
    { source: 'sales', at: 'sales/*.csv', columns: ['quantity', 'unit_price', 'discount', 'bonus'], by: ['gross', 'net', 'euro'] },
    { source: 'sales', at: 'sales/*.csv', columns: ['ordered_at'], by: [] },
    { source: 'fx', at: 'select * from rates', columns: ['rate', 'day', 'code'], by: ['to-eur'] },
  ]);
  expect(origins('lines')).toEqual([{ source: 'sales', at: 'sales/*.csv', columns: ['shipped_at', 'channel'], by: [] }]);
  expect(origins('budget')).toEqual([
    { source: 'plan', at: 'plans.monthly', columns: ['amount'], by: [] },
    { source: 'plan', at: 'plans.monthly', columns: ['month'], by: [] },
  ]);
});

test('windows and comparisons lie where `windows` lays them, and years are those of the calendar', async () => {
  expect(english.windows.find(({ name }) => name === 'fortnight')).toMatchObject({
    label: 'two weeks',
    from: '2026-01-28',
    to: day,
    days: 14,
  });
  expect(english.comparisons.find(({ name }) => name === 'before')).toMatchObject({ description: 'A week before.', builtIn: false });
  const at = await dictionaryFor(book, { asOf: '2026-01-31' });
  expect([at.asOf, at.windows.find(({ name }) => name === 'mtd')?.from]).toEqual(['2026-01-31', '2026-01-01']);
  expect(english.calendars.map(({ unit }) => unit)).toEqual(['week-year', 'year', 'fiscal-year']);
  expect(english.calendars[2].years.find(({ label }) => label === 'FY2026')).toEqual({
    label: 'FY2026',
    start: '2025-07-01',
    end: '2026-06-30',
    days: 365,
    workingDays: 261,
  });
});

test('the same in German (R5)', () => {
  expect(german.measures[0]).toMatchObject({
    label: 'Umsatz',
    description: 'Alles Verkaufte.',
    sentence: 'Summe von quantity × (unit price + 1) − (discount − bonus) über order lines, nach dem Tag ordered',
    adds: 'summiert sich über alles',
  });
  expect(german.formulas[0]).toMatchObject({ sentence: 'Umsatz (Monat bis heute) ÷ (budget − orders)', written: '12\u00a0%' });
  expect(german.alerts[0].is).toBe('ratio unter 0,5 (Monat, channel)');
  expect(german.weekStarts).toBe('Montag');
});

test('Markdown has every name, and nothing of the model is read as its signs', () => {
  const text = dictionaryMarkdown(english);
  expect(text.split('\n')[0]).toBe('# Model \\<b\\>& more');
  for (const name of ['revenue', 'ratio', 'fortnight', 'before', 'low', 'q', 'channel', 'order-lines', 'FY2026'])
    expect(text).toMatch(new RegExp(`(### |\\*\\*|\\| |\\()${name}\\b`));
  expect(text).toContain('- revenue, 2026: 12.5 (\\<i\\>audited\\</i\\>)');
});

test('the page stands alone: it is searched, linked, read by everybody, and nothing of the model runs in it', async () => {
  const file = join(makeFolder(), 'page.html');
  writeFileSync(file, dictionaryHtml(english));
  const { page, errors, close } = await openFile(file);
  try {
    expect(await page.locator('h1').textContent()).toBe('Model <b>& more');
    expect(await page.locator('b, i').count()).toBe(0);
    const shown = () => page.locator('article:visible h3').allTextContents();
    expect(await shown()).toHaveLength(12);
    await page.keyboard.press('/');
    await page.keyboard.type('distinct ORDER');
    expect(await shown()).toEqual(['orders']);
    expect(await page.locator('main section:visible').count()).toBe(1);
    await page.getByRole('searchbox').fill('fiscal-qtd');
    expect(await page.locator('#window-fiscal-qtd').isVisible()).toBe(true);
    await page.getByRole('searchbox').fill('no such thing');
    expect(await page.locator('[role=status]').isVisible()).toBe(true);
    await page.getByRole('searchbox').fill('');
    await page.locator('#formula-ratio a', { hasText: 'revenue' }).first().click();
    expect(new URL(page.url()).hash).toBe('#measure-revenue');
    expect(await page.locator('#measure-euros svg').getAttribute('aria-label')).toContain('select * from rates: rate, day, code → to-eur');
    for (const colorScheme of ['light', 'dark'] as const) {
      await page.emulateMedia({ colorScheme });
      expect(await serious(page)).toEqual([]);
    }
    await page.setViewportSize({ width: 390, height: 800 });
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
    await page.emulateMedia({ media: 'print' });
    expect(await page.locator('.tools').isVisible()).toBe(false);
    expect(errors).toEqual([]);
  } finally {
    await close();
  }
});

test('`dictionary` writes by the ending of the file, and says what it does not know', () => {
  const folder = makeFolder();
  for (const [name, start] of [
    ['d.html', '<!doctype html>'],
    ['d.md', '# Grünhof nurseries'],
    ['d.json', '{'],
  ]) {
    expect(durchblick('dictionary', DEMO, '-o', join(folder, name)).code).toBe(0);
    expect(readFileSync(join(folder, name), 'utf8').startsWith(start)).toBe(true);
  }
  expect(durchblick('dictionary', DEMO).stdout).toBe(readFileSync(join(folder, 'd.md'), 'utf8'));
  const { code, stderr } = durchblick('dictionary', DEMO, '-o', join(folder, 'd.txt'));
  expect([code, stderr.split('\n')[1]]).toEqual([2, 'Name it .html, .md or .json, or say --format html, markdown or json.']);
});
