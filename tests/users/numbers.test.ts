import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import {
  type Calendar,
  calendar,
  calendarPicture,
  calendarTable,
  defineModel,
  explanationText,
  isoOf,
  type ModelInput,
  open,
  resultFromJson,
  toDay,
} from '../../src/index.ts';
import { durchblick, engineOver, factModel, makeFolder, openBook, table } from '../setup/builders.ts';
import { chartSpec, duckdb, memory } from '../setup/library.ts';

const lines = [
  { day: '2026-07-10', sent: '2026-08-01', amount: 10.5, region: 'North' },
  { day: '2026-08-03', sent: '2026-08-04', amount: 20.25, region: 'South' },
  { day: '2026-08-15', sent: '2026-08-16', amount: 5, region: 'North' },
];
const euros = { style: 'currency', currency: 'EUR' } as const;
const input = {
  locale: 'de-DE',
  dimensions: { region: {} },
  facts: {
    lines: {
      source: 'lines',
      dates: { ordered: 'day', sent: 'sent' },
      links: { region: 'region' },
      measures: {
        revenue: { sum: 'amount', role: 'ordered', label: 'Umsatz', format: euros },
        gross: { sum: 'amount', role: 'ordered', label: 'Umsatz', format: euros },
        plain: { sum: 'amount', role: 'ordered' },
      },
    },
  },
  formulas: { twice: { is: 'revenue * 2', label: 'Doppelt' } },
  windows: { fortnight: { is: 'P14D/anchor', label: 'zwei Wochen' } },
} as const satisfies ModelInput;
const model = defineModel(input);
const ask = async (question: object) => {
  const book = await openBook(model, engineOver({ lines }));
  const result = await book.ask({ by: 'month', ...question } as never);
  return result;
};

describe('a heading says what was asked, and no two of a result are alike', () => {
  // biome-ignore format: one case a line
  test.each([
    [['revenue'], ['Umsatz']],
    [['revenue', 'revenue on sent'], ['Umsatz', 'Umsatz (sent)']],
    [['revenue over mtd vs year-earlier as change', 'revenue vs previous'], ['Umsatz (Monat bis heute, Veränderung zu Vorjahr)', 'Umsatz (Vorzeitraum)']],
    [['revenue over fortnight', 'revenue over [P3D/anchor]'], ['Umsatz (zwei Wochen)', 'Umsatz ([P3D/anchor])']],
    [['(revenue - "plain")/twice'], ['(Umsatz - plain) / Doppelt']],
    [['max(revenue,  twice) across all'], ['max(Umsatz, Doppelt) (über alles)']],
    [['revenue', 'gross'], ['Umsatz (revenue)', 'Umsatz (gross)']],
    [['revenue', { is: 'plain', label: 'Umsatz' }], ['Umsatz (revenue)', 'Umsatz']],
    [['plain', { is: 'revenue', label: 'Mein Umsatz' }], ['plain', 'Mein Umsatz']],
  ] as const)('%j → %j', async (show, headings) => {
    const result = await ask({ show });
    expect(result.columns.slice(1).map(({ label }) => label)).toEqual(headings);
    // Table, Markdown and chart say the same.
    expect(result.toTable().header.slice(1)).toEqual(headings);
    expect(result.toMarkdown().split('\n')[0]).toBe(`| Zeitraum | ${headings.join(' | ')} |`);
    const values = (chartSpec(result) as { data: { values: { reading: string }[] } }).data.values;
    expect([...new Set(values.map(({ reading }) => reading))]).toEqual(headings);
  });

  test('an attribute called like a label is no second heading', async () => {
    const own = factModel('f', { dates: { d: 'd' }, links: { region: 'r' }, measures: { n: { count: 'rows', label: 'region' } } });
    const book = await open(own, memory({ f: [{ d: '2026-01-01', r: 'North' }] }));
    const { columns } = await book.ask({ show: ['n'], per: ['region'] });
    expect(columns.map(({ label }) => label)).toEqual(['period', 'region', 'region (n)']);
  });

  test('two readings of one measure stand side by side in a chart, with two entries in its legend', async () => {
    const { vconcat } = chartSpec(await ask({ show: ['revenue', 'revenue on sent'] })) as unknown as { vconcat: object[] };
    const text = JSON.stringify(vconcat);
    expect(text).toContain('"xOffset"');
    expect(text).toContain('Umsatz (sent)');
  });
});

test.each(['memory', 'duckdb'] as const)('D2: a format is for texts; a value that is a date is a date (%s)', async (name) => {
  const own = factModel('f', { dates: { d: { column: 'd', format: 'dd.MM.yyyy' } }, measures: { n: { count: 'rows' } } });
  for (const d of [new Date('2026-08-01T00:00:00Z'), Int32Array.of(toDay('2026-08-01'))]) {
    const tables = { f: d instanceof Date ? [{ d }] : { d } };
    const book = await openBook(own, name === 'memory' ? memory(tables) : duckdb({ tables }));
    const { result, different } = await book.verify({ show: ['n'], by: 'month' });
    expect([result.rows, different]).toEqual([[['2026-08', 1]], []]);
  }
  const texts = await openBook(
    own,
    name === 'memory' ? memory({ f: [{ d: '01.08.2026' }] }) : duckdb({ tables: { f: [{ d: '01.08.2026' }] } }),
  );
  expect((await texts.ask({ show: ['n'], by: 'month' })).rows).toEqual([['2026-08', 1]]);
});

describe('A2, W7: a window that reaches past the as-of date says that it is cut there', () => {
  const cut = async (show: readonly string[], more: object = {}) =>
    (await ask({ show, asOf: '2026-08-15', range: '2026-07/2026-08', locale: 'en', ...more })).notes.filter(
      ({ code }) => code === 'cut-at-as-of',
    );
  // biome-ignore format: one case a line
  test.each([
    ['of a measure', ['revenue over [start(month)/end(month)]'], 1],
    ['of working days, in a projection', ['(revenue over mtd) / (working-days over mtd) * (working-days over [start(month)/end(month)])'], 1],
    ['of every day of the month so far', ['revenue over [start(month)/end(month)]'], 15, { by: 'day', range: '2026-08-01/2026-08-15' }],
  ] as const)('%s', async (_, show, rows, more: object = {}) => {
    expect(await cut(show, more)).toEqual([
      {
        code: 'cut-at-as-of',
        window: '[start(month)/end(month)]',
        asOf: '2026-08-15',
        rows,
        message: `over [start(month)/end(month)] reaches past the as-of date, 2026-08-15, on ${rows} ${rows === 1 ? 'row' : 'rows'} and is cut there`,
      },
    ]);
  });
  test.each([
    ['to-date windows end at the as-of date', ['revenue over mtd', 'revenue over so-far', 'revenue over rolling-3-months']],
    ['a plain reading is marked partial', ['revenue']],
  ])('%s', async (_, show) => expect(await cut(show)).toEqual([]));
});

test.each([
  ['max', 'revenue / max(revenue)', 'greatest', 10],
  ['min', 'min(revenue)', 'least', 0],
])('%s of one reading is an error that says what to write', async (name, text, which, at) => {
  await expect(ask({ show: [text] })).rejects.toMatchObject({
    code: 'bad-reading',
    at,
    message: `${name} of one reading is that reading itself, in every row`,
    hint: expect.stringMatching(new RegExp(`${which} of several.*${name}\\(revenue, budget\\).*\\{ ${name}: column \\}`)),
  });
});

describe('list options add up, repeated or with commas', () => {
  const csv = (...args: readonly string[]) => {
    const { code, stdout, stderr } = durchblick('ask', 'demo/model.yaml', 'revenue', '--range', '2026-08', '--format', 'csv', ...args);
    expect(stderr).not.toContain('error');
    expect(code).toBe(0);
    return stdout;
  };
  // biome-ignore format: one case a line
  test.each([
    ['per', ['--per', 'region', '--per', 'family'], ['--per', 'region,family']],
    ['by', ['--by', 'mtd', '--by', 'qtd'], ['--by', 'mtd,qtd']],
    ['totals', ['--per', 'region', '--by', 'month', '--totals', 'members', '--totals', 'axis'], ['--per', 'region', '--by', 'month', '--totals', 'members,axis']],
    ['order', ['--per', 'region,channel', '--order', 'orders desc', '--order', 'revenue'], ['--per', 'region,channel', '--order', 'orders desc,revenue']],
    ['order with commas inside', ['--per', 'region', '--order', 'max(revenue, orders) desc'], ['--per', 'region', '--order', 'revenue desc']],
    ['where', ['--per', 'region', '--where', 'region=North', '--where', 'region=South'], ['--per', 'region', '--where', 'region=North,South']],
    ['where not', ['--per', 'region', '--where', 'region!=North', '--where', 'region!=South'], ['--per', 'region', '--where', 'region!=North,South']],
  ])('--%s', (_, repeated, listed) => expect(csv(...repeated)).toBe(csv(...listed)));

  test('what does not add up is an error', () => {
    const { code, stderr } = durchblick('ask', 'demo/model.yaml', 'revenue', '--where', 'region=North', '--where', 'region!=South');
    expect([code, stderr]).toEqual([2, expect.stringContaining('--where names "region" twice')]);
  });
});

describe('D1: wherever the calendar takes a day, a date as text does as well, and anything else is an error', () => {
  const own: Calendar = calendar({
    from: '2026-01-01',
    to: '2026-12-31',
    workingDays: { holidays: [{ day: '2026-05-01', name: 'May Day' }] },
    periods: {
      season: [
        { start: '2026-03-01', end: '2026-05-31', label: 'Spring' },
        { start: toDay('2026-09-01'), label: 'Autumn' },
      ],
    },
  });
  const calls: Record<string, (day: never, other: never) => unknown> = {
    workingDays: (day, other) => own.workingDays(day, other),
    isWorkingDay: (day) => own.isWorkingDay(day),
    holiday: (day) => own.holiday(day),
    indexOf: (day) => own.indexOf(own.unit('season'), day),
    floor: (day) => own.floor('month', day),
    ceil: (day) => own.ceil('season', day),
    offset: (day) => own.offset('month', day, 1),
    ordinal: (day) => own.ordinal('week', day),
    label: (day) => own.label('season', day),
    range: (day, other) => own.range('month', day, other),
    table: (day, other) => calendarTable(own, { from: day, to: other, asOf: day }),
    picture: (day) => calendarPicture(own, { year: 2026, asOf: day }),
  };
  test.each(Object.entries(calls))('%s', (_, call) => {
    const [day, other] = ['2026-05-01', '2026-05-31'];
    const asText = call(day as never, other as never);
    expect(asText).toEqual(call(toDay(day) as never, toDay(other) as never));
    expect(asText).not.toBeNaN();
    for (const bad of [Number.NaN, 1.5, '2026-13-01', 'today', {}, new Date()])
      expect(() => call(bad as never, bad as never)).toThrow(/is not a/);
  });
  test('and what is asked of it comes out', () => {
    expect([own.workingDays('2026-05-01', '2026-05-31'), own.isWorkingDay('2026-05-01'), own.holiday('2026-05-01')]).toEqual([
      20,
      false,
      'May Day',
    ]);
    expect([own.label('season', '2026-10-01'), isoOf(own.floor('season', '2026-07-01'))]).toEqual(['Autumn', '2026-09-01']);
  });
});

test('decimals of a column without a format are aligned: as many as its longest, at most six (M10)', async () => {
  const { columns, toTable } = await ask({ show: ['plain', 'plain / 7', 'plain / plain'], totals: true });
  expect(columns.slice(1).map(({ format }) => format?.minimumFractionDigits)).toEqual([2, 6, 0]);
  expect(toTable().rows.map(({ cells }) => cells.slice(1))).toEqual(table("10,50 1,500000 '1' | 25,25 3,607143 '1' | 35,75 5,107143 '1'"));
});

describe('an answer that travelled as JSON', () => {
  const alerting = defineModel({
    ...input,
    alerts: { low: { reading: 'revenue', below: 12, by: 'month', per: ['region'], label: 'wenig' } },
  });
  const answer = async () => {
    const book = await open(alerting, memory({ lines }));
    return book.ask({
      show: ['revenue', 'plain vs previous as change'],
      by: 'month',
      per: ['region'],
      totals: true,
      order: 'revenue',
      limit: 1,
      rest: true,
    });
  };
  test('is a table, CSV, columns and a chart again, marks included', async () => {
    const result = await answer();
    const again = resultFromJson(JSON.parse(JSON.stringify(result.toJson())));
    for (const out of ['toTable', 'toCsv', 'toNdjson', 'toMarkdown', 'toColumns'] as const) expect(again[out]()).toEqual(result[out]());
    expect(result.toTable().rows.some(({ marks }) => marks.some((mark) => mark?.label === 'wenig'))).toBe(true);
    expect(chartSpec(JSON.parse(JSON.stringify(result.toJson())))).toEqual(chartSpec(result));
    expect([...again]).toEqual([...result]);
    expect(await again.toParquet()).toEqual(await result.toParquet());
  });
  test('an invalid serialized result is rejected', async () => {
    const whole = (await answer()).toJson();
    expect(() => resultFromJson({ rows: [] } as never)).toThrow('this is not a serialized result: "asOf" is missing');
    expect(() => resultFromJson(null as never)).toThrow('this is not a serialized result');
    expect(() => resultFromJson({ ...whole, rows: 5 } as never)).toThrow('"rows" has the wrong type');
    expect(() => resultFromJson({ ...whole, rows: [[1]] } as never)).toThrow('its rows must have 4 cells each');
    expect(() => resultFromJson({ ...whole, columns: [null] } as never)).toThrow('"columns" has the wrong type');
  });
  test('an explanation is plain data, and says itself in the words of its model', async () => {
    const book = await open(model, memory({ lines }));
    const found = await book.explain({ reading: 'revenue', at: '2026-08' });
    const text = explanationText(JSON.parse(JSON.stringify(found)));
    expect(text).toContain('25,25');
    expect(text).toBe(explanationText(found, 'de-DE'));
  });
});

test('the chart of the command line tells roles apart', () => {
  const folder = makeFolder({
    'lines.json': JSON.stringify(lines),
    'm.json': JSON.stringify({ ...input, sources: { lines: { file: 'lines.json' } } }),
  });
  const { stdout, stderr } = durchblick('ask', join(folder, 'm.json'), 'revenue', 'revenue on sent', '--by', 'month');
  expect(stderr).not.toContain('error');
  expect(stdout.split('\n')[0].replace(/ +/g, ' ')).toBe('Zeitraum Umsatz (EUR) Umsatz (sent) (EUR)');
});

test('a book that is closed waits for what was asked before, whatever it was', async () => {
  const book = await open(model, memory({ lines }));
  const asked = Promise.all([
    book.ask({ show: ['revenue'] }),
    book.verify({ show: ['revenue'] }),
    book.explain({ reading: 'revenue', at: '2026-08' }),
  ]);
  await book.close();
  const [{ rows }, { different }, { value }] = await asked;
  expect([rows[0][1], different, value]).toEqual([35.75, [], 25.25]);
  await expect(book.explain({ reading: 'revenue', at: '2026-08' })).rejects.toMatchObject({ code: 'closed' });
});
