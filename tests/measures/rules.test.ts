import { describe, expect, test } from 'vitest';
import { defineModel, type ModelInput, open, type Question } from '../../src/index.ts';
import { engineOver, factModel, openBook } from '../setup/builders.ts';

/** One small model; every case worked out by hand. */
const input: ModelInput = {
  calendar: {
    periods: {
      season: { rows: { Spring: { starts: '2026-03-01', ends: '2026-05-31' }, Autumn: { starts: '2026-09-01', ends: '2026-10-31' } } },
    },
  },
  dimensions: { product: { source: 'products', key: 'id', attributes: { product: 'name', family: 'family' } }, region: {} },
  facts: {
    stock: {
      source: 'stock',
      dates: { counted: 'day' },
      links: { product: 'product' },
      measures: Object.fromEntries(
        (['last', 'last-known', 'first', 'average', 'min', 'max'] as const).map((way) => [way, { sum: 'quantity', acrossTime: way }]),
      ),
    },
    lines: {
      source: 'lines',
      enters: 'ordered',
      dates: { ordered: 'ordered', shipped: 'shipped', planned: { column: 'ordered', horizon: 'plan' } },
      links: { product: 'product', region: 'region' },
      columns: { net: 'quantity * price - discount', unit: 'net / quantity' },
      bands: { size: { of: 'net', starts: { small: 0, large: 10 } } },
      measures: {
        revenue: { sum: 'net', role: 'ordered' },
        units: { average: 'unit', role: 'ordered' },
        large: { count: 'rows', role: 'ordered', where: { size: 'large' } },
        counted: { count: 'discount', role: 'ordered' },
        zero: { sum: 'net', role: 'ordered', empty: 'zero' },
        blank: { count: 'rows', role: 'ordered', empty: 'blank' },
        backlog: { count: 'rows', open: 'ordered/shipped' },
        expected: { count: 'rows', open: 'planned/shipped' },
        dearest: { max: 'price', role: 'ordered' },
        wait: { daysBetween: 'ordered/shipped', role: 'ordered' },
        'working-wait': { daysBetween: 'ordered/shipped', role: 'ordered', workingDays: true },
      },
    },
    plan: {
      source: 'plan',
      grain: 'season',
      horizon: 'plan',
      dates: { planned: 'day' },
      links: { 'product.family': 'family' },
      measures: {
        goal: { sum: 'amount', spread: 'even' },
        spread: { sum: 'amount', spreadAcross: { product: 'revenue over to-date' } },
        repeated: { sum: 'amount', unrelated: 'repeat' },
        hidden: { sum: 'amount', unrelated: 'blank' },
      },
    },
  },
};
const tables = {
  products: [
    { id: 1, name: 'Basil', family: 'Herbs' },
    { id: 2, name: 'Mint', family: 'Herbs' },
    { id: 3, name: 'Maple', family: 'Trees' },
  ],
  stock: [
    { day: '2026-01-02', product: 1, quantity: 5 },
    { day: '2026-01-02', product: 2, quantity: 7 },
    { day: '2026-01-05', product: 1, quantity: 4 },
    { day: '2026-01-06', product: 1, quantity: 9 },
  ],
  lines: [
    { ordered: '2026-01-02', shipped: '2026-01-05', product: 1, region: 'North', quantity: 2, price: 5.25, discount: 0.5 },
    { ordered: '2026-01-02', shipped: null, product: 2, region: 'North', quantity: 1, price: 9.99, discount: null },
    { ordered: '2026-01-09', shipped: '2026-01-08', product: 9, region: null, quantity: 0, price: 1, discount: 2 },
    { ordered: '2026-01-10', shipped: '2026-01-12', product: 1, region: 'South', quantity: 3, price: 4, discount: 1.5 },
  ],
  plan: [
    { day: '2026-03-01', family: 'Herbs', amount: 92 },
    { day: '2026-07-15', family: 'Herbs', amount: 5 },
    { day: '2026-09-01', family: 'Trees', amount: 61 },
  ],
};
const ask = async (question: Question) => {
  const book = await open(defineModel(input), engineOver(tables));
  try {
    return await book.ask({ asOf: '2026-01-31', range: '2026-01-01/2026-01-31', ...question });
  } finally {
    await book.close();
  }
};
const values = async (question: Question) => (await ask(question)).rows.map((row) => row.slice(1));

describe('M4: levels over time', () => {
  // biome-ignore format: one case a line
  test.each([
    // Days with any row: 2, 5 and 6 January. On 5 and 6 Mint has no row, but rows elsewhere in the window: 0.
    ['last', [['Basil', 9], ['Mint', 0]], 9],
    ['first', [['Basil', 5], ['Mint', 7]], 12],
    ['last-known', [['Basil', 9], ['Mint', 7]], 16],
    ['average', [['Basil', 6], ['Mint', 7 / 3]], 25 / 3],
    ['min', [['Basil', 4], ['Mint', 0]], 4],
    ['max', [['Basil', 9], ['Mint', 7]], 12],
  ] as const)('%s', async (measure, members, total) => {
    const result = await ask({ show: [measure], per: ['product'], totals: ['members'] });
    expect(result.rows.map((row) => row.slice(1))).toEqual(members);
    expect(result.totals[0][2]).toBe(total);
  });

  test('a member without rows in the window is blank, and the day is picked before filters', async () => {
    expect(await values({ show: ['last'], range: '2026-01-05/2026-01-31', per: ['product'] })).toEqual([['Basil', 9]]);
    expect(await values({ show: ['last'], range: '2026-01-02/2026-01-05', where: { product: 'Mint' } })).toEqual([[0]]);
  });
});

describe('M1, M2, M5, M6, M13: aggregates by hand', () => {
  // biome-ignore format: one case a line
  test.each<[string, Question, unknown[][]]>([
    ['computed columns are exact, and a blank operand gives blank', { show: ['revenue'] }, [[18.5]]],
    ['a division by 0 is blank and skipped', { show: ['units'] }, [[(5 + 3.5) / 2]]],
    ['a measure with a filter on a band', { show: ['large'] }, [[2]]],
    ['count of a column counts what is not blank', { show: ['counted'] }, [[3]]],
    ['nothing to add up is blank, or zero, or a blank count', { show: ['revenue', 'zero', 'blank'], range: '2026-01-20/2026-01-31' }, [[null, 0, null]]],
    ['bands: below every start, and blank, is (none)', { show: ['blank'], per: ['size'] }, [['large', 2], ['(none)', 2]]],
    // On 12 January the last one has gone; the one that was shipped before it was ordered never counts.
    ['a level counts until the day of leaving', { show: ['backlog'], by: 'day', range: '2026-01-04/2026-01-05' }, [[2], [1]]],
    ['a level at a date before a leaving', { show: ['backlog'], by: 'day', range: '2026-01-10/2026-01-12', asOf: '2026-01-11' }, [[2], [2], [null]]],
    // A row that closes after the as-of date counts as open in a plan.
    ['a level of a plan knows what has left by the as-of date', { show: ['expected'], asOf: '2026-01-11' }, [[2]]],
    ['an extreme of several keys of one member', { show: ['dearest'], per: ['family'], range: '2026-01-02' }, [['Herbs', 9.99]]],
    ['days between, reversed and open rows left out', { show: ['wait'] }, [[2.5]]],
    ['days from the first day of the facts beside them', { show: ['revenue over [first/anchor] / (days over [first/anchor])'] }, [[18.5 / 30]]],
    // From Friday 2 to Monday 5: one working day; from Saturday 10 to Monday 12: one.
    ['working days between', { show: ['working-wait'] }, [[1]]],
  ])('%s', async (_, question, wanted) => expect(await values(question)).toEqual(wanted));

  test('what was left out is noted with its count', async () => {
    const { notes } = await ask({ show: ['wait', 'revenue'], per: ['product'] });
    expect(notes).toMatchObject([
      { code: 'reversed-dates', rows: 1 },
      { code: 'unknown-members', fact: 'lines', attribute: 'product', rows: 1 },
    ]);
    // The row did not exist before it was ordered (G11).
    expect((await ask({ show: ['wait', 'revenue'], per: ['product'], asOf: '2026-01-08' })).notes).toEqual([]);
  });
});

describe('numbers that are texts', () => {
  const asked = async (decimal: 'point' | 'comma' | undefined, numbers: readonly string[]) => {
    const model = factModel(
      'sales',
      { dates: { sold: 'day' }, measures: { amount: { sum: 'x' }, least: { min: 'x' } } },
      { sources: { sales: decimal ? { decimal } : {} } },
    );
    const book = await openBook(model, engineOver({ sales: numbers.map((x) => ({ day: '2026-01-02', x })) }));
    const { rows } = await book.ask({ show: ['amount', 'least'] });
    expect(await book.verify({ show: ['amount', 'least'] })).toMatchObject({ different: [] });
    return rows[0].slice(1);
  };
  test.each([
    [undefined, ['1234.5', ' .5 ', '', '-2', '1e2'], [1333, -2]],
    ['point', ['1,234.5', '$1,000', '-$2.50', '.5', '', '3 €', '1e2'], [2335.5, -2.5]],
    ['comma', ['1.234,5', '1234,5', ',5', '', '-2', '2.000', ' +1,25 ', '€ 1.000', '2 €'], [5470.75, -2]],
  ] as const)('with `decimal` %s', async (decimal, numbers, wanted) => expect(await asked(decimal, numbers)).toEqual(wanted));
  test.each([
    [undefined, '12,5', /row 2, column x: "12,5".*decimal: comma/],
    ['point', '12,5', /row 2, column x: "12,5".*1,234\.5/],
    ['point', '--5', /is not a number/],
    [undefined, '5\t', /is not a number/],
    ['comma', '12.5', /row 2, column x: "12.5".*1\.234,5/],
    ['comma', '1.23,5', /is not a number/],
  ] as const)('with `decimal` %s, %s is an error', async (decimal, number, message) => {
    const error = await asked(decimal, ['1', number]).catch(({ code, message, hint }) => ({ code, text: `${message} ${hint}` }));
    expect(error).toMatchObject({ code: 'bad-number', text: expect.stringMatching(message) });
  });
});

test('D2, D3: blanks around a date are nothing; what is written in another way is no date, on every engine', async () => {
  const model = factModel('sales', { dates: { sold: 'day' }, measures: { n: { count: 'rows' } } });
  const rows = (day: string) => [{ day: '2026-01-02' }, { day }];
  const book = await openBook(model, engineOver({ sales: rows(' 2026-01-03 ') }));
  expect((await book.ask({ show: ['n'] })).rows).toEqual([['2026-01-02/2026-01-03', 2]]);
  for (const text of ['2026-01-03\t', '2026-1-3', '2026/01/03', '2026-01-03 BC', 'infinity', 'today'])
    await expect(open(model, engineOver({ sales: rows(text) })), text).rejects.toMatchObject({ code: 'bad-dates' });
});

describe('G1 to G6: grain and reach', () => {
  const spring = { range: '2026-03-01/2026-05-31', asOf: '2026-02-01' } as const;
  // biome-ignore format: one case a line
  test.each<[string, Question, unknown[][]]>([
    ['a custom grain lies on months', { show: ['goal'], by: 'month', ...spring }, [[31], [30], [31]]],
    ['cut by weeks that do not nest', { show: ['goal'], by: 'week', range: '2026-02-23/2026-03-08', asOf: '2026-02-01' }, [[1], [7]]],
    // Basil sold 10.00 and 10.50, Mint nothing that can be computed: all of it lies on Basil.
    ['spread across members in a shape', { show: ['spread'], per: ['product'], ...spring, asOf: '2026-12-31' }, [['Basil', 92]]],
    ['and a filter takes its part', { show: ['spread'], where: { product: 'Mint' }, ...spring, asOf: '2026-12-31' }, [[null]]],
    ['without weight alike', { show: ['spread'], per: ['product'], ...spring }, [['Basil', 46], ['Mint', 46]]],
    [
      'repeat gives every member the whole',
      { show: ['revenue over to-date', 'repeated'], per: ['region'], ...spring, asOf: '2026-12-31' },
      [['North', 10, 92], ['South', 10.5, 92], ['(none)', -2, 92]],
    ],
    [
      'blank gives none of them any',
      { show: ['revenue over to-date', 'hidden'], per: ['region'], ...spring, asOf: '2026-12-31' },
      [['North', 10, null], ['South', 10.5, null], ['(none)', -2, null]],
    ],
  ])('%s', async (_, question, wanted) => expect(await values(question)).toEqual(wanted));

  test('error names what it can be split by; rows between the periods of their grain are noted', async () => {
    await expect(ask({ show: ['goal'], per: ['region'] })).rejects.toMatchObject({
      code: 'unrelated',
      hint: expect.stringContaining('family'),
    });
    expect((await ask({ show: ['goal'], by: 'year', range: '2026' })).notes).toMatchObject([
      { code: 'unplaced-dates', rows: 1, amount: 5 },
    ]);
  });

  test.each([
    [{ spreadAcross: { prduct: 'revenue' } }, /no dimension "prduct"/],
    [{ spreadAcross: { product: 'repeated' } }, /cannot be split by product/],
    [{ spreadAcross: { product: 'revenu' } }, /revenu/],
    [{ spreadAcross: { region: 'spread' } }, /spread in a shape itself/],
  ])('%o is refused', (parts, message) => {
    const { plan, ...facts } = input.facts;
    const measures = { ...plan.measures, goal: { sum: 'amount', ...parts } };
    expect(() => defineModel({ ...input, facts: { ...facts, plan: { ...plan, measures } } })).toThrow(message);
  });
});
