import { join } from 'node:path';
import { parse, View } from 'vega';
import { compile } from 'vega-lite';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { DARK, LIGHT } from '../../src/chart/look.ts';
import { type Book, open, type Question, type Result } from '../../src/index.ts';
import { factModel, ROOT } from '../setup/builders.ts';
import { type ChartOptions, chartSpec, loadModel, memory, renderChart } from '../setup/library.ts';

let book: Book;
beforeAll(async () => {
  const { model, files } = await loadModel(join(ROOT, 'demo/model.yaml'));
  book = await open(model, memory({}, { files }));
});
afterAll(() => book.close());

interface Item {
  readonly mark: string;
  readonly role: string;
  readonly text?: string;
  readonly bounds: { readonly x1: number; readonly x2: number; readonly y1: number; readonly y2: number };
  readonly datum?: Record<string, unknown>;
  readonly fill?: string;
  readonly stroke?: string;
  readonly fillOpacity?: number;
  readonly strokeDash?: readonly number[];
}
interface Node {
  readonly marktype?: string;
  readonly role?: string;
  readonly items?: readonly Node[];
  readonly x?: number;
  readonly y?: number;
  readonly bounds?: Item['bounds'];
  readonly [key: string]: unknown;
}

/** Everything that is drawn, with where it stands on the picture. */
const drawn = async (result: Result, options?: ChartOptions): Promise<Item[]> => {
  const spec = compile(chartSpec(result, options) as unknown as Parameters<typeof compile>[0]).spec;
  const view = new View(parse(spec), { renderer: 'none' });
  await view.runAsync();
  const items: Item[] = [];
  const walk = (node: Node, dx: number, dy: number, mark: string, role: string): void => {
    for (const child of node.items ?? []) {
      if (child.marktype !== undefined) {
        walk(child, dx, dy, child.marktype, child.role ?? '');
        continue;
      }
      const bounds = child.bounds as Item['bounds'];
      if (mark === 'group') walk(child, dx + (child.x ?? 0), dy + (child.y ?? 0), mark, role);
      else
        items.push({
          ...(child as unknown as Item),
          mark,
          role,
          bounds: { x1: bounds.x1 + dx, x2: bounds.x2 + dx, y1: bounds.y1 + dy, y2: bounds.y2 + dy },
        });
    }
  };
  walk((view.scenegraph() as unknown as { root: Node }).root, 0, 0, 'group', '');
  view.finalize();
  return items;
};

const labels = (items: readonly Item[]): Item[] =>
  items.filter(({ mark, role, text }) => mark === 'text' && role === 'axis-label' && text !== '');
const overlap = (a: Item['bounds'], b: Item['bounds']): boolean =>
  a.x1 < b.x2 - 0.5 && b.x1 < a.x2 - 0.5 && a.y1 < b.y2 - 0.5 && b.y1 < a.y2 - 0.5;
const ofReading = (items: readonly Item[], mark: string, reading: string): Item[] =>
  items.filter((item) => item.mark === mark && item.role === 'mark' && item.datum?.reading === reading);

describe('labels of an axis never touch', () => {
  const windows = [
    ...'mtd qtd ytd wtd fiscal-ytd rolling-7-days rolling-28-days rolling-3-months rolling-12-months'.split(' '),
    ...'last-14-days fiscal-qtd to-date'.split(' '),
  ];
  // biome-ignore format: one case a line
  test.each<[string, Question, ChartOptions]>([
    ['60 months', { show: ['revenue'], by: 'month', range: '2023-01/2027-12' }, {}],
    ['400 days', { show: ['revenue', 'revenue vs year-earlier'], by: 'day', range: '2025-04-16/2026-05-20' }, {}],
    ['12 windows', { show: ['revenue', 'revenue vs year-earlier'], by: windows }, {}],
    ['14 days', { show: ['revenue'], by: 'day', range: 'last-14-days' }, {}],
    ['months on a phone', { show: ['revenue', 'budget'], by: 'month', range: '2026' }, { width: 300 }],
    ['weeks by region, small multiples', { show: ['revenue', 'revenue vs year-earlier'], by: 'week', per: ['region'], range: '2025-W18/2026-W21' }, {}],
    ['weeks of four years on a phone', { show: ['orders'], by: 'week', range: '2023-W01/2026-W21' }, { width: 300 }],
    ['members down the side', { show: ['revenue', 'budget'], per: ['family'], range: '2026-04' }, { width: 420 }],
  ])('%s', async (_, question, options) => {
    const items = await drawn(await book.ask(question), options);
    const found = labels(items);
    expect(found.length).toBeGreaterThan(4);
    for (const [k, a] of found.entries())
      for (const b of found.slice(k + 1)) expect(overlap(a.bounds, b.bounds), `${a.text} and ${b.text}`).toBe(false);
  });
});

test('an axis that begins with a month says which, one that begins inside it does not', async () => {
  const first = async (range: string): Promise<string | undefined> =>
    labels(await drawn(await book.ask({ show: ['revenue'], by: 'week', range })))[0].text;
  expect(await first('2026-01-01/2026-07-31')).toBe('Jan 2026');
  expect(await first('2026-01-08/2026-07-31')).toBe('Feb 2026');
});

test('the days on an axis of more than a year are told apart, and each stands at its place', async () => {
  const result = await book.ask({ show: ['revenue'], by: 'day', range: '2025-04-16/2026-05-20' });
  const [line] = (await drawn(result)).filter(({ mark, role }) => mark === 'line' && role === 'mark');
  expect(line).toBeDefined();
  const orders = new Set((chartSpec(result).data as { values: { order: number }[] }).values.map(({ order }) => order));
  expect(orders.size).toBe(400);
});

test('few periods are columns, the comparison a wider pale one behind', async () => {
  const items = await drawn(await book.ask({ show: ['revenue', 'revenue vs year-earlier'], by: 'month', range: '2025-12/2026-05' }));
  const [chosen, pale] = [ofReading(items, 'rect', 'revenue'), ofReading(items, 'rect', 'revenue vs year-earlier')];
  expect([chosen.length, pale.length]).toEqual([6, 6]);
  expect(pale[0].fill).toBe(LIGHT.pale);
  expect(items.indexOf(pale[0])).toBeLessThan(items.indexOf(chosen[0]));
  chosen.forEach(({ bounds }, k) => {
    expect(bounds.x1).toBeGreaterThan(pale[k].bounds.x1);
    expect(bounds.x2).toBeLessThan(pale[k].bounds.x2);
  });
  expect(pale[0].datum).toMatchObject({ days: '1 Dec 2025 – 31 Dec 2025', compared: '1 Dec 2024 – 31 Dec 2024' });
});

test('a period that is not over is pale with a dashed edge, and says how far it goes', async () => {
  const items = await drawn(await book.ask({ show: ['revenue'], by: 'month', range: '2026-02/2026-05' }));
  const bars = ofReading(items, 'rect', 'revenue');
  expect(bars.map(({ fillOpacity }) => fillOpacity)).toEqual([1, 1, 1, 0.35]);
  expect(bars[3].strokeDash).toEqual([3, 2]);
  expect(items.filter(({ text }) => text === 'to 20 May')).toHaveLength(1);
});

test('a plan is a line in steps over the columns, goes on after the as-of date, and that is marked', async () => {
  const items = await drawn(await book.ask({ show: ['revenue', 'budget'], by: 'month', range: '2026' }));
  expect(ofReading(items, 'rect', 'revenue').filter(({ datum }) => datum?.value !== null)).toHaveLength(5);
  const plan = items.filter(({ mark, role, stroke }) => mark === 'line' && role === 'mark' && stroke === LIGHT.plan);
  expect(plan).toHaveLength(12);
  expect(new Set(plan.map((item) => (item as unknown as { interpolate: string }).interpolate))).toEqual(new Set(['step']));
  const rule = items.find(({ mark, role, strokeDash }) => mark === 'rule' && role === 'mark' && strokeDash !== undefined) as Item;
  const running = ofReading(items, 'rect', 'revenue').find(({ datum }) => datum?.period === '2026-05') as Item;
  expect(rule.bounds.x1).toBeGreaterThan(running.bounds.x1);
  expect(rule.bounds.x2).toBeLessThan(running.bounds.x2);
  expect(items.filter(({ text }) => text === 'as of 20 May')).toHaveLength(1);
});

test('changes are bars above and below zero in a panel of their own', async () => {
  const items = await drawn(await book.ask({ show: ['revenue', 'revenue vs previous as change'], by: 'month', range: '2025-11/2026-05' }));
  const bars = ofReading(items, 'rect', 'revenue vs previous as change');
  expect(bars).toHaveLength(7);
  for (const { datum, fill } of bars) expect(fill).toBe(LIGHT.signs[Number(datum?.value) < 0 ? 1 : 0]);
  const up = bars.filter(({ datum }) => Number(datum?.value) > 0);
  const down = bars.filter(({ datum }) => Number(datum?.value) < 0);
  expect(up.length * down.length).toBeGreaterThan(0);
  for (const a of up) for (const b of down) expect(a.bounds.y2).toBeLessThanOrEqual(b.bounds.y1 + 2);
});

test('few members share a panel and a legend; many, or a comparison, are small multiples with their names', async () => {
  const few = await drawn(await book.ask({ show: ['revenue'], by: 'week', per: ['region'], range: '2026-W01/2026-W30' }));
  const legend = few.filter(({ role }) => role === 'legend-label').map(({ text }) => text);
  expect(legend).toEqual(['North', 'East', 'South', 'West', 'Alps']);
  const many = await drawn(
    await book.ask({ show: ['revenue', 'revenue vs year-earlier'], by: 'week', per: ['region'], range: '2026-W01/2026-W30' }),
  );
  expect(many.filter(({ role, text }) => role === 'title-text' && legend.includes(text)).length).toBe(5);
});

test('gaps stay open: a line does not run over blank periods', async () => {
  const result = await book.ask({
    show: ['stock'],
    by: 'day',
    per: ['product'],
    range: '2026-04-01/2026-04-30',
    where: { product: 'Basil' },
  });
  const blanks = result.rows.filter((row) => row[2] === null).length;
  const line = (await drawn(result)).filter(({ mark, role }) => mark === 'line' && role === 'mark');
  const defined = line.filter((item) => (item as unknown as { defined?: boolean }).defined !== false).length;
  expect(defined).toBe(line.length - blanks);
});

test('alerts are arrows: their shape says which way, whatever the colour', async () => {
  const result = await book.ask({ show: ['budget-attainment'], by: 'month', per: ['region'], range: '2025-01/2026-05' });
  const arrows = (await drawn(result)).filter(({ text }) => text === '▼');
  const marked = result.marks.flat().filter((mark) => mark !== null).length;
  expect(marked).toBeGreaterThan(5);
  expect(arrows).toHaveLength(marked);
  expect(new Set(arrows.map(({ fill }) => fill))).toEqual(new Set([LIGHT.verdicts.bad]));
});

test.each([
  ['light', LIGHT],
  ['dark', DARK],
] as const)('on %s pages texts stand out from the background (WCAG AA), and series do (3:1)', async (name, theme) => {
  const luminance = (hex: string): number => {
    const [r, g, b] = [1, 3, 5].map((at) => {
      const v = Number.parseInt(hex.slice(at, at + 2), 16) / 255;
      return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
    });
    return 0.2126 * r + 0.7152 * g + 0.0722 * b;
  };
  const contrast = (a: string, b: string): number => {
    const [x, y] = [luminance(a), luminance(b)].sort((p, q) => q - p);
    return (x + 0.05) / (y + 0.05);
  };
  for (const ink of [theme.ink, theme.quiet, ...Object.values(theme.verdicts)])
    expect(contrast(ink, theme.background)).toBeGreaterThan(4.5);
  for (const series of [...theme.series, theme.plan, ...theme.signs]) expect(contrast(series, theme.background)).toBeGreaterThan(3);
  const spec = chartSpec(await book.ask({ show: ['revenue'], by: 'month', range: '2026' }), { theme: name });
  expect(spec.background).toBe(theme.background);
});

test('values are written in the format of their measure, on the axis in few characters', async () => {
  const result = await book.ask({ show: ['revenue', 'budget-attainment'], by: 'month', range: '2026-01/2026-03' });
  const items = await drawn(result);
  const texts = labels(items).map(({ text }) => text);
  expect(texts).toEqual(expect.arrayContaining(['€0', '€20k', '0%']));
  expect(ofReading(items, 'rect', 'revenue')[0].datum?.text).toMatch(/^€\d\d,\d{3}$/);
});

test('SVG, HTML and PNG come out whole; an answer without rows is an error that says so', async () => {
  const result = await book.ask({ show: ['revenue'], by: 'month', range: '2026' });
  expect(await renderChart(result, 'svg')).toMatch(/^<svg[\s\S]+<\/svg>$/);
  expect(await renderChart(result, 'html')).toMatch(/^<!doctype html>[\s\S]+<\/html>\n$/);
  expect(String.fromCharCode(...((await renderChart(result, 'png')) as Uint8Array).slice(1, 4))).toBe('PNG');
  const empty = await book.ask({
    show: ['revenue'],
    by: 'month',
    range: '2026',
    per: ['region'],
    where: { channel: 'shop', region: '(unknown)' },
  });
  await expect(renderChart(empty, 'svg')).rejects.toMatchObject({ code: 'empty-chart' });
});

test('C8: a comparison is drawn by its form, written out or behind the name of a formula', async () => {
  const own = factModel(
    'f',
    { dates: { d: 'd' }, measures: { n: { sum: 'n' } } },
    { formulas: { growth: 'n vs previous as change', before: '(n vs previous)' } },
  );
  const rows = [3, 4, 6].map((n, k) => ({ d: `2026-0${k + 1}-01`, n }));
  const book = await open(own, memory({ f: rows }));
  const marks = async (reading: string): Promise<string> => {
    const { columns, ...result } = await book.ask({ show: ['n', { is: reading, label: 'x' }], by: 'month' });
    expect(columns[2].form).toBe(reading.includes('growth') || reading.includes('change') ? 'change' : 'value');
    return JSON.stringify(chartSpec({ ...result, columns: columns.map((column) => ({ ...column, expression: 'x' })) }));
  };
  expect(await marks('growth')).toBe(await marks('n vs previous as change'));
  expect(await marks('before')).toBe(await marks('n vs previous'));
  expect(await marks('growth')).not.toBe(await marks('before'));
});

test('years stand over one axis of months, the newest loud and its running month hollow (U11)', async () => {
  const result = await book.ask({ show: ['revenue'], per: ['year', 'month-of-year'] });
  const items = await drawn(result);
  const lines = items.filter(({ mark, role }) => mark === 'line' && role === 'mark');
  const colours = [...new Set(lines.map(({ stroke }) => stroke))];
  expect(colours).toHaveLength(4);
  expect(colours[3]).toBe(LIGHT.series[0]);
  const axis = items.filter(({ role }) => role === 'axis-label').map(({ text }) => text);
  expect(axis).toEqual(expect.arrayContaining(['Jan', 'Sept', 'Dec']));
  const hollow = items.filter(({ fill, datum }) => fill === LIGHT.background && datum?.partial === true);
  expect(hollow.map(({ datum }) => [datum?.member, datum?.period])).toEqual([['2026', 'May']]);
});

test('R5: the title of a chart is in the language of its answer', async () => {
  const result = await book.ask({ show: ['revenue'], by: 'month', range: 'ytd', locale: 'de' });
  expect(chartSpec(result).title).toMatchObject({ text: 'Umsatz', subtitle: '1. Jan. – 20. Mai 2026, Stand 2026-05-20' });
});
