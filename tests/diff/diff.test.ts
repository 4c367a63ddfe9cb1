import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { type DiffReport, diffSides, diffText, type Side } from '../../src/diff/index.ts';
import { defineModel, type ModelInput, type Question } from '../../src/index.ts';
import { DEMO, durchblick, makeFolder, ROOT, run, table } from '../setup/builders.ts';
import { memory } from '../setup/library.ts';

type Row = Record<string, unknown>;
type Tables = Readonly<Record<string, readonly Row[]>>;

const INPUT: ModelInput = {
  calendar: {
    yearSystems: { fiscal: { starts: '--07-01', label: 'FY{year}' } },
    periods: {
      season: { rows: { Winter: { starts: '2025-12-01', ends: '2026-02-28' }, Spring: { starts: '2026-03-01', ends: '2026-05-31' } } },
    },
    workingDays: { week: 'monday-friday', holidays: ['2026-01-01'] },
  },
  sources: { sales: {}, regions: {}, plan: {}, fx: {} },
  dimensions: { region: { source: 'regions', key: 'id', attributes: { region: 'name', country: 'country' } }, channel: {} },
  rates: { 'to-eur': { source: 'fx', date: 'day', grain: 'month', of: 'rate' } },
  facts: {
    sales: {
      source: 'sales',
      enters: 'ordered',
      dates: { ordered: 'ordered', shipped: 'shipped' },
      columns: { net: 'amount - discount', euro: 'amount * to-eur' },
      links: { region: 'region', channel: 'channel' },
      bands: { size: { of: 'amount', starts: { small: 0, large: 15 } } },
      measures: {
        revenue: { sum: 'net', role: 'ordered' },
        orders: { countDistinct: 'id', role: 'ordered' },
        web: { sum: 'amount', role: 'ordered', where: { channel: 'web' } },
        euros: { sum: 'euro', role: 'ordered' },
        lead: { daysBetween: 'ordered/shipped', role: 'ordered', workingDays: true },
      },
    },
    plan: {
      source: 'plan',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'month' },
      recorded: 'loaded',
      versionKey: ['month'],
      measures: { budget: { sum: 'amount', spread: 'even' } },
    },
  },
  formulas: { average: 'revenue / orders' },
  windows: { recent: 'P10D/anchor' },
  comparisons: { before: { shift: '-P1M' } },
};
const at = (ordered: string, more: Row): Row => ({
  ordered,
  shipped: ordered,
  region: 1,
  channel: 'web',
  amount: 10,
  discount: 0,
  ...more,
});
const TABLES: Tables = {
  regions: [
    { id: 1, name: 'North', country: 'Here' },
    { id: 2, name: 'South', country: 'There' },
  ],
  sales: [
    at('2026-01-05', { id: 1, shipped: '2026-01-09' }),
    at('2026-01-20', { id: 2, amount: 20, discount: 5, region: 2, shipped: '2026-02-02' }),
    at('2026-02-03', { id: 3, channel: 'shop', shipped: '2026-02-09' }),
    at('2026-02-28', { id: 4, amount: 40, shipped: '2026-03-04' }),
    at('2026-03-10', { id: 5, region: 2 }),
  ],
  plan: ['2026-01', '2026-02', '2026-03'].map((month) => ({ month, amount: 310, loaded: '2025-12-01' })),
  fx: ['2026-01', '2026-02', '2026-03'].map((month) => ({ day: `${month}-01`, rate: 2 })),
};

type Change = (world: { input: ModelInput; tables: Tables; side: { asOf?: string; knownBy?: string } }) => void;
/** What may be changed freely in a copy. */
// biome-ignore lint/suspicious/noExplicitAny: models are written to here as nobody else may.
type Loose = any;

const sideOf = (data: string, change: Change = () => undefined): Side => {
  const world = { input: structuredClone(INPUT), tables: structuredClone(TABLES), side: {} };
  change(world);
  return { model: defineModel(world.input as never), engine: () => memory(world.tables as never), data, ...world.side };
};
const diffOf = (question: object, change: Change, old?: Change): Promise<DiffReport> => {
  const moves = (JSON.stringify(change.toString()) + (old?.toString() ?? '')).includes('tables');
  return diffSides(sideOf('a', old), sideOf(moves ? 'b' : 'a', change), [{ name: 'q', question: question as Question }]);
};
const input =
  (edit: (input: Loose) => void): Change =>
  (world) =>
    edit(world.input);
const rows =
  (edit: (tables: Loose) => void): Change =>
  (world) =>
    edit(world.tables);

const BY_MONTH = (show: string): object => ({ show: [show], by: 'month' });

// biome-ignore format: one case a line
test.each<[string, object, Change, string, number]>([
  ['a computed column', BY_MONTH('revenue'), input((m) => (m.facts.sales.columns.net = 'amount')), 'definition: defined differently: column net, measure revenue', 1],
  ['what a measure adds up', BY_MONTH('revenue'), input((m) => (m.facts.sales.measures.revenue.sum = 'amount')), 'definition: defined differently: measure revenue', 1],
  ['the filter of a measure', BY_MONTH('web'), input((m) => (m.facts.sales.measures.web.where = { channel: 'shop' })), 'definition: defined differently: measure web', 3],
  ['the date of a measure', BY_MONTH('revenue'), input((m) => (m.facts.sales.measures.revenue.role = 'shipped')), 'definition: defined differently: measure revenue', 3],
  ['the column of a date', BY_MONTH('revenue'), input((m) => (m.facts.sales.dates.ordered = 'shipped')), 'definition: defined differently: date ordered', 3],
  ['a formula', BY_MONTH('average'), input((m) => (m.formulas.average = 'revenue / orders * 2')), 'definition: defined differently: formula average', 3],
  ['a window', BY_MONTH('revenue over recent'), input((m) => (m.windows.recent = 'P40D/anchor')), 'definition: defined differently: window recent', 3],
  ['a comparison', BY_MONTH('revenue vs before'), input((m) => (m.comparisons.before.shift = '-P2M')), 'definition: defined differently: comparison before', 1],
  ['a band', { show: ['revenue'], per: ['size'] }, input((m) => (m.facts.sales.bands.size.starts.large = 30)), 'definition: defined differently: band size', 2],
  [
    'the column of an attribute',
    { show: ['revenue'], per: ['region'] },
    input((m) => (m.dimensions.region.attributes.region = 'country')),
    'definition: defined differently: attribute region',
    4,
  ],
  ['a link', { show: ['revenue'], per: ['region'] }, input((m) => (m.facts.sales.links.region = 'id')), 'definition: defined differently: link region', 3],
  [
    'a spread',
    { show: ['budget over recent'], by: 'month' },
    input((m) => (m.facts.plan.measures.budget.spread = 'working-days')),
    'definition: defined differently: measure budget',
    3,
  ],
  ['the start of a year', { show: ['revenue'], by: 'fiscal-quarter' }, input((m) => (m.calendar.yearSystems.fiscal.starts = '--02-01')), 'calendar: the calendar differs: fiscal', 3],
  [
    'the rule of weeks',
    { show: ['revenue'], by: 'week', gaps: 'hide' },
    input((m) => (m.calendar.week = { starts: 'wednesday', minDays: 7 })),
    'calendar: the calendar differs: week',
    7,
  ],
  ['a season', { show: ['revenue'], by: 'season' }, input((m) => (m.calendar.periods.season.rows.Winter.ends = '2026-01-31')), 'calendar: the calendar differs: season', 1],
  ['a holiday', BY_MONTH('lead'), input((m) => m.calendar.workingDays.holidays.push('2026-02-05')), 'calendar: the calendar differs: working-days', 1],
  ['rows that came', BY_MONTH('revenue'), rows((t) => t.sales.push(at('2026-02-10', { id: 6 }))), 'rows-added: 1 row added to sales', 1],
  ['rows that went', BY_MONTH('revenue'), rows((t) => t.sales.splice(0, 2)), 'rows-removed: 2 rows removed from sales', 1],
  ['rows that changed', BY_MONTH('revenue'), rows((t) => (t.sales[2].amount = 11)), 'rows-changed: 1 row changed in sales (amount)', 1],
  ['a member that moved', { show: ['revenue'], per: ['country'] }, rows((t) => (t.regions[1].country = 'Here')), 'rows-changed: 1 row changed in regions (country)', 2],
  ['a rate', BY_MONTH('euros'), rows((t) => (t.fx[1].rate = 3)), 'rows-changed: 1 row changed in fx (rate)', 1],
  ['a revision', BY_MONTH('budget'), rows((t) => t.plan.push({ month: '2026-02', amount: 280, loaded: '2026-02-01' })), 'revision: 1 row revised in plan', 1],
  ['the as-of date of a side', BY_MONTH('revenue'), (world) => (world.side.asOf = '2026-02-20'), 'as-of: seen as of 2026-02-20 instead of latest', 2],
  ['the as-of date of the model', BY_MONTH('revenue'), input((m) => (m.asOf = '2026-01-31')), 'as-of: seen as of 2026-01-31 instead of latest', 2],
])('%s is what the numbers differ by', async (_, question, change, cause, cells) => {
  const { questions, same } = await diffOf(question, change);
  const [{ readings }] = questions;
  expect(readings.flatMap(({ why }) => why).map(({ code, text }) => `${code}: ${text}`)).toEqual([cause]);
  expect([readings[0].differing.length, same]).toEqual([cells, false]);
});

test('what was known on two days differs by revisions (G7)', async () => {
  const revised =
    (knownBy: string): Change =>
    (world) => {
      (world.tables as Loose).plan.push({ month: '2026-02', amount: 280, loaded: '2026-02-01' });
      world.side.knownBy = knownBy;
    };
  const found = await diffSides(sideOf('a', revised('2026-01-15')), sideOf('a', revised('2026-03-01')), [
    { name: 'q', question: BY_MONTH('budget') as Question },
  ]);
  expect(found.questions[0].readings[0]).toMatchObject({
    differing: [{ period: '2026-02', members: {}, was: 310, now: 280 }],
    why: [{ code: 'revision', cells: 1, text: 'as known by 2026-03-01 instead of 2026-01-15' }],
  });
});

test('of several changes each is blamed for the cells that it alone makes differ; what only all do is said', async () => {
  const several: Change = ({ input: model, tables }) => {
    const [m, t] = [model as Loose, tables as Loose];
    m.facts.sales.columns.net = 'amount';
    t.sales[2].amount = 12;
    t.sales.push(at('2026-03-12', { id: 6 }));
  };
  const [reading] = (await diffOf(BY_MONTH('revenue'), several)).questions[0].readings;
  expect(reading.differing.map(({ period, was, now }) => [period, was, now])).toEqual(
    table('2026-03 10 20 | 2026-01 25 30 | 2026-02 50 52'),
  );
  expect(reading.why.map(({ code, cells }) => [code, cells])).toEqual(table('definition 1 | rows-added 2 | rows-changed 2'));
  const both: Change = ({ input: model, tables }) => {
    (model as Loose).facts.sales.measures.web.where = { channel: 'fair' };
    (tables as Loose).sales.push(at('2026-03-12', { id: 6, channel: 'fair' }));
  };
  const old = input((m) => (m.facts.sales.measures.web.where = { channel: 'none' }));
  const [joint] = (await diffOf(BY_MONTH('web'), both, old)).questions[0].readings;
  expect(joint.why.map(({ code, cells }) => [code, cells])).toEqual([['together', 1]]);
});

// biome-ignore format: one case a line
test.each<[string, Change, object[]]>([
  [
    'a label',
    input((m) => (m.facts.sales.measures.revenue.label = { de: 'Umsatz' })),
    [{ kind: 'measure', name: 'revenue', of: 'sales', change: 'changed', keys: [{ key: 'label', now: '{de: "Umsatz"}' }] }],
  ],
  ['a format', input((m) => (m.formulas.average = { is: 'revenue / orders', format: { style: 'percent' } })), [{ kind: 'formula', name: 'average', change: 'changed' }]],
  ['the order of keys', input((m) => (m.facts = { plan: m.facts.plan, sales: m.facts.sales })), []],
  ['an added window', input((m) => (m.windows.more = 'P3D/anchor')), [{ kind: 'window', name: 'more', change: 'added', now: 'P3D/anchor' }]],
  ['a removed formula', input((m) => delete m.formulas.average), [{ kind: 'formula', name: 'average', change: 'removed', was: 'revenue ÷ orders' }]],
  ['a name for the model', input((m) => (m.name = 'Another')), [{ kind: 'setting', name: 'name', change: 'added', now: 'Another' }]],
  ['an alert', input((m) => (m.alerts = { low: { reading: 'revenue', below: 1 } })), [{ kind: 'alert', name: 'low', change: 'added' }]],
  ['a question', input((m) => (m.questions = { q: { show: ['revenue'] } })), [{ kind: 'question', name: 'q', change: 'added' }]],
  ['a figure', input((m) => (m.figures = [{ reading: 'revenue', at: 2026, is: 85 }])), [{ kind: 'figure', name: 'revenue at 2026', change: 'added' }]],
])('%s is told among the definitions, and no number differs by it', async (_, change, expected) => {
  const found = await diffOf(BY_MONTH('revenue'), change);
  expect(found.definitions).toEqual(expected.map((entry) => expect.objectContaining(entry)));
  expect(found.questions[0].readings[0].differing).toEqual([]);
  expect(found.same).toBe(expected.length === 0);
});

test('definitions are told in the words of the dictionary; what is made of them is told apart', async () => {
  const { definitions } = await diffOf(
    BY_MONTH('revenue'),
    input((m) => (m.facts.sales.columns.net = 'amount')),
  );
  expect(definitions).toMatchObject([
    { kind: 'column', name: 'net', of: 'sales', was: 'amount - discount', now: 'amount' },
    {
      kind: 'measure',
      name: 'revenue',
      derived: true,
      was: expect.stringContaining('sum of amount − discount over sales'),
      now: expect.stringContaining('sum of amount over sales'),
    },
  ]);
});

test('a reading that one side alone can answer is told, and the others are compared', async () => {
  const found = await diffOf(
    { show: ['revenue', 'average'], by: 'month' },
    input((m) => delete m.formulas.average),
  );
  expect(found.questions).toMatchObject([
    {
      readings: [{ reading: 'revenue', differing: [] }],
      oneSided: [{ reading: 'average', only: 'old', problem: 'there is no measure or formula "average"' }],
    },
  ]);
  expect(found.same).toBe(false);
  await expect(diffOf({ show: ['revenues'] }, () => undefined)).rejects.toMatchObject({ code: 'unanswerable' });
});

test('the text lists the largest differences first, as many as are asked for', async () => {
  const report = await diffOf(
    BY_MONTH('revenue'),
    rows((t) => {
      for (const [k, row] of t.sales.entries()) row.amount += k;
    }),
  );
  expect(diffText(report, 2)).toBe(`nothing is defined differently

q
  revenue: 3 of 3 cells differ
    because 4 rows changed in sales (amount) (3 cells)
    2026-02  50  →  55  +5
    2026-03  10  →  14  +4
    and 1 more
`);
});

/** The demo, copied to a folder where it may be changed. */
const copied = (edit: (text: string) => string, data: (text: string) => string = (text) => text): string => {
  const folder = makeFolder();
  cpSync(join(ROOT, 'demo'), folder, { recursive: true });
  const [model, lines] = [join(folder, 'model.yaml'), join(folder, 'data/order_lines.csv')];
  writeFileSync(model, edit(readFileSync(model, 'utf8')));
  writeFileSync(lines, data(readFileSync(lines, 'utf8')));
  return folder;
};

test('`diff` compares two model files on the questions of the model, and exits with 4, or with 0 where nothing differs', () => {
  const changed = copied((text) => text.replace('average-order: { is: revenue / orders,', 'average-order: { is: revenue / lines,'));
  const { code, stdout } = durchblick('diff', DEMO, changed, 'average-order', '--by', 'year', '--cells', '1');
  expect(code).toBe(4);
  expect(stdout).toMatch(/^changed formula average-order\n {4}was {2}revenue ÷ orders\n {4}now {2}revenue ÷ lines\n/);
  expect(stdout).toContain('because defined differently: formula average-order (4 cells)');
  const same = run(`diff ${DEMO} '${copied((text) => text)}'`);
  expect([same.code, same.stdout]).toEqual([0, 'nothing differs: 2 questions asked on both sides\n']);
  const json = JSON.parse(durchblick('diff', DEMO, changed, '--question', 'monthly-sales', '--format', 'json').stdout);
  expect([json.same, json.definitions.length, json.questions[0].question]).toEqual([false, 1, 'monthly-sales']);
});

test('`diff` compares one model over two folders, two as-of dates, and two known-by dates', () => {
  const folder = copied(
    (text) => text,
    (text) => text.replace(/(\n19455,\d+,17,2,2,web,2026-05-20,20260602,,8,46.33,)37.06/, '$130.00'),
  );
  const data = durchblick('diff', DEMO, 'revenue', '--by', 'month', '--range', '2026', '--data', `demo,${folder}`);
  expect([data.code, data.stdout.split('\n').slice(2)]).toEqual([
    4,
    [
      'revenue',
      '  revenue: 1 of 12 cells differs',
      '    because 1 row changed in order_lines (discount) (1 cell)',
      '    2026-05  49850.75  →  49857.81  +7.06',
      '',
    ],
  ]);
  const asOf = durchblick('diff', DEMO, 'revenue', '--by', 'year', '--as-of', '2026-04-30,2026-05-20');
  expect(asOf.stdout).toContain('because seen as of 2026-05-20 instead of 2026-04-30 (1 cell)');
  const known = durchblick('diff', DEMO, ...'budget --by year --range 2026 --known-by 2026-01-15 --known-by 2026-03-31'.split(' '));
  expect(known.stdout).toContain('because as known by 2026-03-31 instead of 2026-01-15 (1 cell)');
});

test.each([
  ['one model and nothing that differs', [DEMO], 'both sides are the same'],
  ['three sides', [DEMO, '--as-of', '2026-01-01,2026-02-01,2026-03-01'], '--as-of stands for 3 sides'],
  ['a number of cells that is none', [DEMO, DEMO, '--cells', 'all'], '--cells is "all"'],
  ['a reading that neither side has', [DEMO, 'revenu', '--as-of', '2026-01-01,2026-02-01'], 'there is no measure or formula "revenu"'],
])('%s is told', (_, args, message) => {
  const { code, stderr } = durchblick('diff', ...args);
  expect([code, stderr.includes(message)]).toEqual([2, true]);
});
