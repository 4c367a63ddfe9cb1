import { describe, expect, test } from 'vitest';
import { DurchblickError, defineModel, type ModelInput } from '../../src/index.ts';
import { engineOver, openBook } from '../setup/builders.ts';
import { chartSpec } from '../setup/library.ts';

const input = (alerts: NonNullable<ModelInput['alerts']>, better?: 'higher' | 'lower'): ModelInput => ({
  dimensions: { region: {} },
  facts: {
    sales: {
      source: 'sales',
      dates: { ordered: 'day' },
      links: { region: 'region' },
      measures: { revenue: { sum: 'amount', better }, lines: { count: 'rows' } },
    },
  },
  alerts,
});
const sales = [
  ['2026-07-10', 5, 'North'],
  ['2026-07-11', 50, 'South'],
  ['2026-08-05', 60, 'North'],
  ['2026-08-06', 10, 'South'],
].map(([day, amount, region]) => ({ day, amount, region }));

describe('alerts', () => {
  test.each([
    [{ below: 10 }, []],
    [{ atMost: 10 }, ['South 10 at-most']],
    [{ above: 10 }, ['North 60 above']],
    [{ atLeast: 10 }, ['North 60 at-least', 'South 10 at-least']],
    [{ below: 20, above: 50 }, ['North 60 above', 'South 10 below']],
  ] as const)('%o watches the period of the as-of date, and blank breaks no bound', async (bound, fired) => {
    const model = defineModel(input({ low: { reading: 'revenue', by: 'month', per: ['region'], ...bound } }));
    const book = await openBook(model, engineOver({ sales }));
    const found = await book.alerts();
    expect(found.map(({ members, value, limit }) => `${members.region} ${value} ${limit.kind}`)).toEqual(fired);
    expect(await book.alerts('2026-09-15')).toEqual([]);
  });

  test('without a unit the day itself is watched, at any as-of date', async () => {
    const model = defineModel(input({ low: { reading: 'revenue over ytd', below: 60, label: 'slow year' } }));
    const book = await openBook(model, engineOver({ sales }));
    expect(await book.alerts('2026-07-20')).toMatchObject([{ label: 'slow year', period: '2026-07-20', value: 55, members: {} }]);
    expect(await book.alerts()).toEqual([]);
  });

  test.each([
    ['higher', 'bad'],
    ['lower', 'good'],
    [undefined, 'neutral'],
  ] as const)('what is %s better decides what a low value is: %s; marked in tables and charts', async (better, verdict) => {
    const model = defineModel(input({ low: { reading: 'revenue', by: 'month', per: ['region'], below: 20 } }, better));
    const book = await openBook(model, engineOver({ sales }));
    const result = await book.ask({ show: ['lines', 'revenue'], by: 'month', per: ['region'] });
    const mark = { alert: 'low', label: 'low', direction: 'low', verdict };
    expect(result.marks.map((row) => row[3])).toEqual([mark, null, null, mark]);
    expect(result.toTable().rows.map(({ marks }) => marks[3]?.verdict)).toEqual([verdict, undefined, undefined, verdict]);
    expect(result.notes).toMatchObject([{ code: 'alert', alert: 'low', column: 'revenue', cells: 2 }]);
    const { values } = chartSpec(result).data as { values: { reading: string; arrow?: string }[] };
    expect(values.filter(({ reading }) => reading === 'revenue').map(({ arrow }) => arrow)).toEqual(['▼', undefined, undefined, '▼']);
    // By another unit, or for other members, the bound says nothing.
    for (const other of [{ by: 'quarter', per: ['region'] }, { by: 'month' }])
      expect((await book.ask({ show: ['revenue'], ...other })).marks.flat().filter(Boolean)).toEqual([]);
  });

  test.each<[NonNullable<ModelInput['alerts']>[string], string]>([
    [{ reading: 'revenu', below: 1 }, 'unknown-measure'],
    [{ reading: 'revenue' }, 'bad-alert'],
    [{ reading: 'revenue', below: 1, by: 'mont' }, 'unknown-unit'],
    [{ reading: 'revenue', below: 1, per: ['regoin'] }, 'unknown-attribute'],
  ])('%o is refused', (alert, code) => {
    expect(() => defineModel(input({ low: alert }))).toThrow(expect.objectContaining({ code, constructor: DurchblickError }));
  });
});
