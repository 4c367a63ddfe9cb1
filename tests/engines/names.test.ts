import { expect, test } from 'vitest';
import { defineModel, type Model, type Question } from '../../src/index.ts';
import { connectPostgres, loadTables, openBook, type Tables } from '../setup/builders.ts';
import { isDeep } from '../setup/draws.ts';
import { duckdb, memory, postgres } from '../setup/library.ts';

const server = await connectPostgres();

/** Names that statements use for themselves, in several ways of writing them, and as long as a database lets names be. */
const OURS = [
  ...'row_key n d k r s w p m0 a0 l0 c0 text_0 code_0 d1 revision_rank segment day worked first'.split(' '),
  'v number',
  'day day',
  'Amount',
  'AMOUNT',
  'é'.repeat(31),
  ...'rows seen order group null *'.split(' '),
];

const worldOf = (name: string, other: string): { readonly model: Model; readonly tables: Tables } => {
  const [date, recorded, amount, key, label] = [name, `${other}1`, `${other}2`, `${other}3`, name];
  const rows = [
    { [date]: '2026-01-05', [recorded]: '2026-01-06', [amount]: 1.5, [key]: 'x', id: '1' },
    { [date]: '2026-01-05', [recorded]: '2026-01-07', [amount]: 2.5, [key]: 'x', id: '1' },
    { [date]: '2026-02-05', [recorded]: '2026-02-06', [amount]: 4, [key]: 'y', id: '2' },
    { [date]: '2026-02-06', [recorded]: '2026-02-06', [amount]: 8, [key]: 'z', id: '3' },
  ];
  const places = [
    { [name]: 'x', [other]: 'North\n  end', pad: '1' },
    { [name]: 'y', [other]: "O'Hara\r\nwest", pad: '2' },
  ];
  return {
    tables: { [name]: rows, [other]: places },
    model: defineModel({
      sources: { [name]: {}, [other]: {} },
      dimensions: { [name]: { source: other, key: name, attributes: { [label]: other, pad: 'pad' } } },
      facts: {
        [other]: {
          source: name,
          dates: { [name]: date },
          links: { [name]: key },
          columns: { [`${name}x`]: `"${amount.replaceAll('"', '""')}" * 2` },
          bands: { [`${name}b`]: { of: amount, starts: { low: 0, high: 3 } } },
          recorded,
          versionKey: ['id'],
          measures: { m: { sum: amount }, m2: { sum: `${name}x` }, m3: { countDistinct: key }, m4: { max: amount } },
        },
      },
    }) as unknown as Model,
  };
};

const PAIRS = OURS.map((name, k) => [name, OURS[(k + 7) % OURS.length]] as const);

test.each(PAIRS)(
  'tables, columns, keys and attributes called %j and %j mean on databases what they mean in memory',
  async (name, other) => {
    const { model, tables } = worldOf(name, other);
    const loaded = await loadTables(server.client, `names_${PAIRS.findIndex((pair) => pair[0] === name)}`, tables);
    const wanted = await openBook(model, memory(tables));
    const member = 'North\n  end';
    const questions: readonly Question[] = [
      { show: ['m', 'm2', 'm3', 'm4'], by: 'month', per: [name, `${name}b`], totals: true },
      { show: ['m', 'm3 over [P40D/anchor]'], by: 'month', per: [name], where: { [name]: { not: member } } },
      { show: ['m'], by: 'day', where: { [name]: [member, "O'Hara\r\nwest"], pad: { from: '1', to: '2' } } },
      { show: ['m'], per: ['pad'], knownBy: '2026-01-06' },
    ];
    const engines = [duckdb({ tables, threads: 1 }), postgres({ connectionString: server.url + loaded.options })];
    // In `npm test` each name on one of them.
    for (const engine of isDeep ? engines : [engines[name.length % 2]]) {
      const book = await openBook(model, engine);
      for (const question of questions) {
        const found = (await book.ask(question)).toJson();
        expect(found, engine.name).toEqual((await wanted.ask(question)).toJson());
        expect(found.rows.length).toBeGreaterThan(0);
      }
      const why = { reading: 'm', at: '2026-02', by: 'month', members: { [name]: '(unknown)' } };
      expect((await book.explain(why)).parts[0].rows, engine.name).toEqual((await wanted.explain(why)).parts[0].rows);
    }
    await loaded.drop();
  },
);
