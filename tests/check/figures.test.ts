import { expect, test } from 'vitest';
import { defineModel, type ModelInput, open } from '../../src/index.ts';
import { engineOver, openBook } from '../setup/builders.ts';

const input: ModelInput = {
  calendar: { yearSystems: { fiscal: { starts: '--07-01', label: 'FY{year}' } } },
  sources: { sales: {}, shops: {} },
  dimensions: { shop: { source: 'shops', key: 'id', attributes: { town: 'town' } }, channel: {} },
  facts: {
    sales: {
      source: 'sales',
      dates: { sold: 'sold' },
      links: { shop: 'shop', channel: 'channel' },
      recorded: 'loaded',
      versionKey: ['id'],
      measures: { revenue: { sum: 'amount' }, average: { average: 'amount' } },
    },
  },
};
const tables = {
  shops: [
    { id: 1, town: 'Kiel' },
    { id: 2, town: 'Ulm' },
  ],
  sales: [
    { id: 1, sold: '2025-12-30', shop: 1, channel: 'web', amount: 10.25, loaded: '2026-01-01' },
    { id: 1, sold: '2025-12-30', shop: 1, channel: 'web', amount: 12.25, loaded: '2026-02-01' },
    { id: 2, sold: '2026-01-10', shop: 2, channel: 'shop', amount: 7, loaded: '2026-01-11' },
    { id: 3, sold: '2026-02-11', shop: 1, channel: 'shop', amount: 5, loaded: '2026-02-12' },
  ],
};
type FigureInput = NonNullable<ModelInput['figures']>[number];
const outcomes = async (figures: readonly FigureInput[]) => {
  const book = await open(defineModel({ ...input, figures }), await engineOver(tables));
  try {
    return await book.figures();
  } finally {
    await book.close();
  }
};

test.each<[string, FigureInput, number | null, boolean]>([
  ['a period', { reading: 'revenue', at: '2026-01', is: 7 }, 7, true],
  ['a year as YAML has it', { reading: 'revenue', at: 2025, is: 12.25 }, 12.25, true],
  ['an axis that the label does not tell', { reading: 'revenue', at: '2025', by: 'fiscal-year', is: 'blank' }, null, true],
  ['a year system by its label', { reading: 'revenue', at: 'FY2026', is: 24.25 }, 24.25, true],
  ['a range', { reading: 'revenue', at: '2025-12/2026-01', is: 19.25 }, 19.25, true],
  ['a window at an as-of date', { reading: 'revenue', at: 'ytd', asOf: '2026-01-31', is: 7 }, 7, true],
  ['members', { reading: 'revenue', at: '2026-02', members: { town: 'Kiel' }, is: 5 }, 5, true],
  ['a member without rows', { reading: 'average', at: '2026-02', members: { town: 'Ulm' }, is: 'blank' }, null, true],
  ['filters', { reading: 'revenue', at: '2026', where: { channel: { not: 'shop' } }, is: 'blank' }, null, true],
  ['a known-by date', { reading: 'revenue', at: '2025', knownBy: '2026-01-15', is: 10.25 }, 10.25, true],
  ['the last digit shown, rounded up', { reading: 'revenue', at: '2025', is: 12.3 }, 12.25, true],
  ['the last digit shown, rounded down', { reading: 'revenue', at: '2025', is: 12.2 }, 12.25, true],
  ['a last digit too many', { reading: 'revenue', at: '2025', is: 12.24 }, 12.25, false],
  ['zeros at the end, in quotes', { reading: 'revenue', at: '2025', is: '12.30' }, 12.25, false],
  ['a tolerance, inclusive', { reading: 'revenue', at: '2025', is: 12, within: 0.25 }, 12.25, true],
  ['a tolerance that is too small', { reading: 'revenue', at: '2025', is: 12, within: 0.24 }, 12.25, false],
  ['a blank that is none', { reading: 'revenue', at: '2025', is: 'blank' }, 12.25, false],
  ['a number where there is none', { reading: 'average', at: '2026-03', asOf: '2026-03-31', is: 0 }, null, false],
])('a figure stands at %s, and holds or not (V4)', async (_, figure, found, holds) => {
  expect(await outcomes([figure])).toEqual([expect.objectContaining({ found, holds })]);
});

test('a figure whose period or member is none is told where it stands; the others are computed (V4)', async () => {
  const found = await outcomes([
    { reading: 'revenue', at: 'Easter', is: 1 },
    { reading: 'revenue', at: '2025', members: { town: 'Bonn' }, is: 1 },
    { reading: 'revenue', at: '2025', is: 12.25 },
  ]);
  expect(found.map(({ fault, holds }) => fault?.code ?? holds)).toEqual(['unknown-period', 'unknown-member', true]);
});

test.each<[string, object, string]>([
  ['a reading that is none', { reading: 'revenu', at: 2025, is: 1 }, 'unknown-measure'],
  ['an attribute that is none', { reading: 'revenue', at: 2025, members: { twon: 'Kiel' }, is: 1 }, 'unknown-attribute'],
  ['a unit that is none', { reading: 'revenue', at: 2025, by: 'yaer', is: 1 }, 'unknown-unit'],
  ['a filter that is none', { reading: 'revenue', at: 2025, where: { twon: 'Kiel' }, is: 1 }, 'unknown-attribute'],
  ['a number that is none', { reading: 'revenue', at: 2025, is: '1,5' }, 'bad-figure'],
])('%s is a fault of the model (V4)', (_, figure, code) => {
  expect(() => defineModel({ ...input, figures: [figure] } as never)).toThrow(expect.objectContaining({ code }));
});

test('a book that sees a part of the rows computes no figures (V3, V4)', async () => {
  const model = defineModel({ ...input, figures: [{ reading: 'revenue', at: 2025, is: 12.25 }] } as ModelInput);
  const book = await openBook(model, await engineOver(tables), { where: { town: 'Kiel' } });
  await expect(book.figures()).rejects.toMatchObject({ code: 'figures-of-a-part' });
});
