import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Book, defineModel, type ModelInput, open, type Question } from '../../src/index.ts';
import { engineOver, openBook, type Tables } from '../setup/builders.ts';

/** Six orders, four counts and a budget; every case worked out by hand. The as-of date is Saturday, 14 March 2026. */
const input = {
  asOf: '2026-03-14',
  dimensions: {
    region: {},
    customer: { source: 'customers', key: 'id', valid: { from: 'since', until: 'until' }, attributes: { segment: 'segment' } },
  },
  rates: { 'to-eur': { source: 'fx', date: 'month', grain: 'month', of: 'rate', by: { currency: 'code' } } },
  facts: {
    orders: {
      source: 'orders',
      dates: { ordered: 'day', shipped: 'shipped' },
      links: { region: 'region', customer: 'customer', 'customer-now': { dimension: 'customer', column: 'customer', at: 'now' } },
      columns: { eur: 'amount * to-eur', rough: 'round(max(amount, 15) / 7, 1)' },
      measures: {
        revenue: { sum: 'amount', role: 'ordered' },
        'in-eur': { sum: 'eur', role: 'ordered' },
        rough: { sum: 'rough', role: 'ordered' },
        customers: { countDistinct: 'customer', role: 'ordered' },
        new: { firstTime: 'customer', role: 'ordered' },
        'new-on-weekdays': { firstTime: 'customer', role: 'ordered', where: { 'working-day': 'yes' } },
        weekend: { sum: 'amount', role: 'ordered', where: { weekday: ['sat', 'Sunday'] } },
        median: { median: 'amount', role: 'ordered' },
        most: { percentile: { of: 'amount', at: 0.9 }, role: 'ordered' },
        least: { percentile: { of: 'amount', at: 0 }, role: 'ordered' },
        greatest: { percentile: { of: 'amount', at: 1 }, role: 'ordered' },
        wait: { median: 'ordered/shipped', role: 'ordered' },
      },
    },
    stock: { source: 'stock', dates: { counted: 'day' }, measures: { stock: { sum: 'quantity', acrossTime: 'last' } } },
    budget: {
      source: 'budget',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'month' },
      recorded: 'recorded',
      versionKey: ['month'],
      measures: { budget: { sum: 'amount', spread: 'even' }, whole: { sum: 'amount' } },
    },
  },
  formulas: { returning: 'customers - new' },
} as const satisfies ModelInput;
const order = (day: string, customer: string, region: string, amount: number, shipped: string | null) => ({
  day,
  customer,
  region,
  amount,
  shipped,
  currency: region === 'South' ? 'CHF' : 'EUR',
});
const tables = {
  orders: [
    order('2026-03-02', 'a', 'North', 10, '2026-03-04'),
    order('2026-03-03', 'b', 'North', 20, '2026-03-10'),
    order('2026-03-06', 'a', 'South', 40, '2026-03-06'),
    order('2026-03-07', 'c', 'South', 5, null),
    order('2026-03-09', 'b', 'North', 30, '2026-03-12'),
    order('2026-03-13', 'a', 'North', 100, '2026-03-20'),
  ],
  stock: [
    { day: '2026-03-05', quantity: 7 },
    { day: '2026-03-06', quantity: 9 },
    { day: '2026-03-13', quantity: 4 },
    { day: '2026-03-14', quantity: 6 },
  ],
  budget: [
    { month: '2026-03', amount: 3000, recorded: '2026-01-01' },
    { month: '2026-03', amount: 3100, recorded: '2026-03-10' },
  ],
  customers: [
    { id: 'a', since: null, until: '2026-03-06', segment: 'garden' },
    { id: 'a', since: '2026-03-06', until: null, segment: 'trade' },
    { id: 'b', since: null, until: null, segment: 'garden' },
    { id: 'c', since: '2026-03-10', until: null, segment: 'trade' },
  ],
  fx: [
    { month: '2026-03', code: 'EUR', rate: 1 },
    { month: '2026-03', code: 'CHF', rate: 1.5 },
  ],
};

let book: Book;
beforeAll(async () => {
  book = await open(defineModel(input), engineOver(tables));
});
afterAll(() => book.close());

const MARCH = { range: '2026-03' } as const;
/** Members and values, or values alone, of every row. */
type Expected = readonly (readonly (string | number | null)[])[];
// biome-ignore format: one case a line
const cases: readonly (readonly [rule: string, question: Question, rows: Expected])[] = [
  [
    'U12: days by name split a sum, the last day of a level, a budget by its weight, and days',
    { show: ['revenue', 'stock', 'budget', 'revenue / days'], per: ['weekday'], ...MARCH },
    [
      ['Mon', 40, null, 500, 20],
      ['Tue', 20, null, 500, 10],
      ['Wed', null, null, 400, null],
      ['Thu', null, 7, 400, null],
      ['Fri', 140, 4, 400, 70],
      ['Sat', 5, 6, 400, 2.5],
      ['Sun', null, null, 500, null],
    ],
  ],
  ['U11: a filter takes long names and numbers', { show: ['revenue'], where: { weekday: ['friday', '1'] }, ...MARCH }, [[180]]],
  ['U12: a measure of its own days', { show: ['weekend', 'weekend across weekday'], ...MARCH }, [[5, 5]]],
  ['U12: days count what a filter leaves', { show: ['days', 'revenue'], where: { 'working-day': 'no' }, ...MARCH }, [[4, 5]]],
  [
    'U12: a coarse amount that is not spread is told where its period lies in one member, and blank where it is cut',
    { show: ['whole', 'budget'], per: ['month-of-quarter'], range: '2026-Q1' },
    [
      ['1', null, null],
      ['2', null, null],
      ['3', 3100, 3100],
    ],
  ],
  ['G4: blank by weekday, where each day is a part', { show: ['whole'], where: { weekday: 'Mon' }, ...MARCH }, [[null]]],
  [
    'R1: what is left of days is a set of days',
    { show: ['revenue', 'customers'], per: ['weekday'], order: 'revenue desc', limit: 1, rest: true, ...MARCH },
    [
      ['Fri', 140, 1],
      ['(others)', 65, 3],
    ],
  ],
  [
    'M11: across time is the whole range in every row',
    { show: ['revenue', 'revenue across time', 'customers across time'], by: 'week', range: '2026-03-02/2026-03-14' },
    [
      [75, 205, 3],
      [130, 205, 3],
    ],
  ],
  [
    'C11: what arrived within a week, and a plan as it was known',
    { show: ['revenue vs [as-of -P7D] as difference', 'budget vs [known-by 2026-02-01]', 'revenue vs [2026-02]'], ...MARCH },
    [[130, 3000, null]],
  ],
  ['C11: a duration counts from the known-by date of the query', { show: ['budget', 'budget vs [known-by -P3D]'], knownBy: '2026-03-12', ...MARCH }, [[3100, 3000]]],
  ['C8, M7: change by the size of the base, and halves rounded away from zero', { show: ['(0 - revenue) vs [as-of -P7D] as change', 'round(0 - revenue / 82)'], ...MARCH }, [[(-205 + 75) / 75, -3]]],
  ['M12: days on a role that lies ahead are whole', { show: ['days', 'days on planned', 'revenue'], by: 'month', ...MARCH }, [[14, 31, 205]]],
  [
    'M14: between two neighbours in a straight line; 0 and 1 are the least and the greatest',
    { show: ['median', 'most', 'least', 'greatest', 'wait'], ...MARCH },
    [[25, 70, 5, 100, 2.5]],
  ],
  ['M14: in every window and total', { show: ['median over [P7D/anchor]', 'median'], by: 'week', range: '2026-03-02/2026-03-14', totals: 'axis' }, [[15, 15], [65, 65]]],
  [
    'M15: new on the first day of all, counted where it was, and once in all',
    { show: ['new', 'returning', 'new-on-weekdays'], per: ['region'], totals: 'members', ...MARCH },
    [
      ['North', 2, 0, 2],
      ['South', 1, 1, 0],
    ],
  ],
  ['M15: before the filters of the question', { show: ['new', 'customers'], where: { region: 'South' }, ...MARCH }, [[1, 2]]],
  [
    'R4: members that meet a condition, and all that do not',
    { show: ['revenue'], per: ['region'], keep: ['revenue > 50', 'customers >= 2'], rest: true, ...MARCH },
    [
      ['North', 160],
      ['(others)', 45],
    ],
  ],
  [
    'R1: a limit within each member',
    { show: ['revenue'], per: ['region', 'segment'], within: 'region', limit: 1, order: 'revenue desc', rest: true, ...MARCH },
    [
      ['North', 'trade', 100],
      ['North', '(others)', 60],
      ['South', 'trade', 40],
      ['South', '(others)', 5],
    ],
  ],
  ['R1: a limit without an order keeps those with the most, (unknown) among them', { show: ['revenue'], per: ['segment'], limit: 2, ...MARCH }, [['trade', 140], ['garden', 60]]],
  ['R1: without members the periods are sorted, and a limit ends them', { show: ['revenue'], by: 'week', range: '2026-03-02/2026-03-14', order: 'revenue desc', limit: 1 }, [[130]]],
  [
    'U13: a filter on periods is a range, and cuts neither windows nor comparisons',
    { show: ['revenue over ytd', 'revenue vs [-P7D]'], where: { year: '2026', month: '2026-03' }, by: 'month' },
    [[205, 75]],
  ],
  ['U13: separate periods are one row, whose comparison moves each', { show: ['revenue', 'revenue vs [-P7D]'], where: { day: ['2026-03-06', '2026-03-14'] } }, [[40, 5]]],
  [
    'U13: a period in `per` is a row of its own; across it stands the range, across time it stands itself',
    { show: ['revenue', 'revenue vs previous', 'revenue across all', 'revenue across time'], per: ['week'], range: '2026-03-02/2026-03-14' },
    [['2026-W10', 75, null, 205, 75], ['2026-W11', 130, 75, 205, 130]],
  ],
  [
    'U13: a month and its days by number are days; a part of an axis period is compared as one',
    { show: ['revenue', 'revenue vs [-P7D]', 'revenue across day-of-month'], by: 'week', per: ['month', 'day-of-month'], range: '2026-03-13/2026-03-14' },
    [['2026-03', '13', 100, 40, 100], ['2026-03', '14', null, 5, 100]],
  ],
  ['U13, R1: the others of periods', { show: ['revenue', 'customers'], per: ['week'], order: 'revenue desc', limit: 1, rest: true, range: '2026-03-02/2026-03-14' }, [['2026-W11', 130, 2], ['(others)', 75, 3]]],
  ['U13, R4: periods that meet a condition', { show: ['revenue'], per: ['week', 'region'], keep: 'revenue > 50', range: '2026-03-02/2026-03-14' }, [['2026-W11', 'North', 130]]],
  ['R1: periods backwards', { show: ['revenue'], by: 'week', range: '2026-03-02/2026-03-14', order: 'period desc' }, [[130], [75]]],
  ['G9: by the version that holds on the day of the row', { show: ['revenue'], per: ['segment'], ...MARCH }, [['garden', 60], ['trade', 140], ['(unknown)', 5]]],
  ['G9: by the version that holds on the as-of date', { show: ['revenue'], per: ['customer-now.segment'], ...MARCH }, [['garden', 50], ['trade', 155]]],
  ['G10, M13: by the rate of the month, and rounded row by row', { show: ['in-eur', 'rough'], ...MARCH }, [[227.5, 31.4]]],
];

describe('what practitioners ask next', () => {
  test.each(cases)('%s', async (_, question, expected) => {
    const result = await book.ask(question);
    expect(result.rows.map((row) => row.slice(1))).toEqual(expected);
    const verified = await book.verify(question);
    expect(verified.different).toEqual([]);
  });

  test('C12: days compared and captions say from when they were seen', async () => {
    const result = await book.ask({ show: ['revenue vs [as-of -P7D]', 'budget vs [known-by 2026-02-01]'], ...MARCH });
    expect(result.caption).toBe('Mar 1–31, 2026 (actuals to Mar 14, 2026) against Mar 1–31, 2026 as it stood on Mar 7, 2026');
    expect(result.compared).toEqual({
      'revenue vs [as-of -P7D]': [{ start: '2026-03-01', end: '2026-03-07', asOf: '2026-03-07' }],
      'budget vs [known-by 2026-02-01]': [{ start: '2026-03-01', end: '2026-03-31', knownBy: '2026-02-01' }],
    });
  });

  test('C11: at the own as-of date a reading is itself', async () => {
    const { rows } = await book.ask({ show: ['revenue', 'revenue vs [as-of 2026-03-14]'], by: 'day', range: '2026-03-01/2026-03-20' });
    for (const [, own, other] of rows) expect(other).toBe(own);
  });

  test('V1: an explanation counts the days and rows of the member alone', async () => {
    const { parts } = await book.explain({ reading: 'revenue', at: '2026-03', members: { weekday: 'friday' } });
    expect(parts[0]).toMatchObject({ value: 140, days: { start: '2026-03-06', end: '2026-03-13', days: 2 }, rows: { count: 2 } });
  });

  test.each<readonly [code: string, question: Question, hint: string]>([
    ['does-not-nest', { show: ['revenue'], per: ['week-of-month'] }, 'What works: week-of-week-year.'],
    ['unknown-member', { show: ['revenue'], where: { weekday: 'Mondag' } }, 'Did you mean "Mon"?'],
    ['unknown-attribute', { show: ['revenue'], per: ['weekdy'] }, 'Did you mean "weekday"?'],
    ['bad-filter', { show: ['revenue'], where: { weekday: { from: 'Fri', to: 'Mon' } } }, 'in the order of time'],
    ['no-revisions', { show: ['revenue vs [known-by -P1M]'] }, '`as-of`'],
    ['bad-condition', { show: ['revenue'], per: ['region'], keep: 'revenue > lots' }, 'revenue over ytd > 10000'],
    ['bad-within', { show: ['revenue'], per: ['region'], within: 'region', limit: 1 }, 'others behind it'],
    ['bad-rest', { show: ['revenue'], per: ['region', 'weekday'], limit: 1, rest: true }, 'Ask per weekday alone'],
    ['bad-rest', { show: ['revenue'], per: ['week', 'weekday'], limit: 1, rest: true, ...MARCH }, 'Ask per week alone'],
    ['no-axis-total', { show: ['revenue across time'], by: ['mtd', 'wtd'] }, 'Ask by a unit'],
    ['idle-limit', { show: ['revenue'], keep: 'revenue > 1' }, 'Name an attribute'],
  ])('%s is told with what would be right', async (code, question, hint) => {
    await expect(book.ask(question)).rejects.toMatchObject({ code, hint: expect.stringContaining(hint) });
  });

  test.each<readonly [code: string, tables: Tables, message: string]>([
    [
      'overlapping-versions',
      { customers: [...tables.customers, { id: 'b', since: '2026-02-01', until: '2026-02-10', segment: 'trade' }] },
      'customers: the key id = "b" has two versions from 2026-02-01 to 2026-02-09',
    ],
    [
      'doubled-rates',
      { fx: [...tables.fx, { month: '2026-03', code: 'CHF', rate: 2 }] },
      'fx: two rates stand for code = CHF in the month of 2026-03-01',
    ],
  ])('%s of the data names what collides (G9, G10)', async (code, other, message) => {
    await expect(open(defineModel(input), engineOver({ ...tables, ...other }))).rejects.toMatchObject({ code, message });
  });

  test('G10: rows without a rate are blank and noted with how many and since when', async () => {
    const own = await openBook(defineModel(input), engineOver({ ...tables, fx: tables.fx.slice(0, 1) }));
    const { rows, notes } = await own.ask({ show: ['in-eur'], ...MARCH });
    expect([rows[0][1], notes.find(({ code }) => code === 'missing-rates')]).toEqual([
      160,
      expect.objectContaining({ count: 2, message: expect.stringContaining('2 rows have no to-eur on ordered, the first on 2026-03-06') }),
    ]);
    // Excluded or unused rows are not counted (G11).
    for (const asked of [{ show: ['in-eur'], asOf: '2026-03-05' }, { show: ['revenue'] }])
      expect((await own.ask({ ...asked, ...MARCH })).notes.filter(({ code }) => code === 'missing-rates')).toEqual([]);
  });

  test('V3: a fixed filter looks at the version of the row, and refuses what is seen now', async () => {
    const own = await open(defineModel(input), engineOver(tables), { where: { segment: 'trade' } }).catch((error: Error) => error);
    expect((own as { code?: string }).code).toBe('unfiltered-fact');
    const model = defineModel({
      ...input,
      facts: { ...input.facts, stock: { ...input.facts.stock, openTo: 'everyone' }, budget: { ...input.facts.budget, openTo: 'everyone' } },
    });
    const seen = await openBook(model, engineOver(tables), { where: { segment: 'trade' } });
    expect((await seen.ask({ show: ['revenue', 'new'], ...MARCH })).rows[0].slice(1)).toEqual([140, 1]);
    await expect(open(model, engineOver(tables), { where: { 'customer-now.segment': 'trade' } })).rejects.toMatchObject({
      code: 'bad-filter',
    });
    await expect(open(model, engineOver(tables), { where: { weekday: 'Mon' } })).rejects.toMatchObject({ code: 'bad-filter' });
  });
});
