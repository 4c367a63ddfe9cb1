import { rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { type Book, type DurchblickError, open } from '../../src/index.ts';
import { factModel, makeFolder } from '../setup/builders.ts';
import { assertDraws } from '../setup/draws.ts';
import { duckdb, folderFiles, memory, withTyped } from '../setup/library.ts';

/** Columns of order lines as they mostly are, by row, and what now and then stands there instead. */
const COLUMNS: Readonly<Record<string, { readonly tidy: (row: number) => string; readonly odd: readonly string[] }>> = {
  ordered: {
    tidy: (row) => `2026-01-${String(1 + (row % 28)).padStart(2, '0')}`,
    odd: [
      '',
      ' 2026-01-03 ',
      '2026-01-04T23:30:00Z',
      '20260105',
      '2026-01-06 10:00',
      ...'2026-1-7 x 2026-02-30 0000-01-01 "2026-01-08"'.split(' '),
    ],
  },
  shipped: {
    tidy: (row) => (row % 5 === 0 ? '' : `2026-02-${String(1 + (row % 28)).padStart(2, '0')}`),
    odd: ['', '9999-12-31', '2026-01-09T00:00:00+02:00', '20260110', 'y'],
  },
  family_id: { tidy: (row) => String(1 + (row % 9)), odd: ['', '007', '7.0', 'x', '"7"', ' 7', '-0', '99999999999999999', '(none)'] },
  channel: { tidy: (row) => ['web', 'shop', 'phone'][row % 3], odd: ['', '"a,b"', '"a""b"', '(unknown)', 'Ä', ' a', '1', '01'] },
  amount: {
    tidy: (row) => (row % 11 === 0 ? '' : (((row * 37) % 10_000) / 100).toFixed(2)),
    odd: ['', '1e3', '+5', '.5', '5.', '1.2345678', '12345678901234567', '-0', '"3.5"', ' 4 ', 'z', '1234567890123.25'],
  },
  quantity: { tidy: (row) => (row % 17 === 0 ? '' : String(1 + (row % 7))), odd: ['', '1.5', '007', '-3', '12345678901234567', '"2"'] },
  order_no: { tidy: (row) => (row % 23 === 0 ? '' : String(1000 + (row % 60))), odd: ['', 'A1', '007', '7', '7.0', '"7"', '1e2'] },
  remark: { tidy: (row) => (row % 3 === 0 ? 'tall' : ''), odd: ['"tall, green"', '""'] },
};
const NAMES = Object.keys(COLUMNS);

const FAMILIES = `id,family,kind\n${[1, 2, 3, 4, 5, 6, 7, 8].map((id) => `${id},Family ${id},Kind ${id % 2}`).join('\n')}\n007,Seven,Kind 0\n`;

const modelOf = (ending: string, onBadDate: 'error' | 'blank') =>
  factModel(
    'lines',
    {
      enters: 'ordered',
      dates: { ordered: { column: 'ordered', onBadDate }, shipped: { column: 'shipped', onBadDate, blankDates: ['9999-12-31'] } },
      links: { family: 'family_id', channel: 'channel' },
      columns: { net: 'amount * quantity' },
      bands: { size: { of: 'amount', starts: { small: 0, large: 50 } } },
      measures: {
        revenue: { sum: 'amount', role: 'ordered' },
        net: { sum: 'net', role: 'ordered' },
        quantity: { average: 'quantity', role: 'shipped' },
        orders: { countDistinct: 'order_no', role: 'ordered' },
        'new-orders': { firstTime: 'order_no', role: 'ordered' },
        median: { median: 'amount', role: 'ordered' },
        average: { average: 'amount', role: 'ordered' },
        counted: { count: 'order_no', role: 'shipped' },
        waiting: { count: 'rows', open: 'ordered/shipped' },
      },
    },
    {
      timeZone: 'Europe/Berlin',
      sources: { lines: { file: `lines*.${ending}` }, families: { file: 'families.csv' } },
      dimensions: { family: { source: 'families', key: 'id', attributes: { family: 'family', kind: 'kind' } }, channel: {} },
    },
  );

/** A call's answer, or its error as a user reads it. */
const told = async (call: () => unknown): Promise<string> => {
  try {
    return JSON.stringify((await call()) ?? null);
  } catch (error) {
    const { code, message } = error as DurchblickError;
    if (!code) throw error;
    return `${code}: ${message}`;
  }
};

const everything = async (opening: () => Promise<Book>): Promise<readonly string[]> => {
  let book: Book | undefined;
  const opened = await told(async () => {
    book = await opening();
    return 'opened';
  });
  const own = book as Book | undefined;
  if (!own) return [opened];
  const all = ['revenue', 'net', 'quantity', 'orders', 'new-orders', 'median', 'average', 'counted', 'waiting'];
  const found = [
    await told(async () => (await own.ask({ show: all, by: 'month', totals: true })).toJson()),
    await told(async () => (await own.ask({ show: ['revenue', 'orders on shipped', 'quantity'], per: ['family', 'channel'] })).toJson()),
    await told(async () => (await own.ask({ show: ['revenue', 'net'], by: 'week', per: ['size'] })).toJson()),
    await told(async () => (await own.explain({ reading: 'revenue', at: '2026-01-05' })).parts),
    await told(async () => (await own.verify({ show: ['revenue', 'quantity', 'orders'], by: 'month' })).different),
    await told(() => own.members('channel')),
  ];
  await own.close();
  return [opened, ...found];
};

const oddity = fc
  .constantFrom(...NAMES)
  .chain((name) => fc.record({ name: fc.constant(name), text: fc.constantFrom(...COLUMNS[name].odd), row: fc.nat({ max: 1800 }) }));
const untidy = fc.record({
  odd: fc.array(oddity, { maxLength: 4 }),
  // Fewer and more than what is looked at for a guess.
  rows: fc.constantFrom(3, 520, 900),
  files: fc.integer({ min: 1, max: 2 }),
  packed: fc.boolean(),
  lineEnd: fc.constantFrom('\n', '\r\n'),
  lastEnd: fc.boolean(),
  order: fc.shuffledSubarray(NAMES, { minLength: NAMES.length }),
  onBadDate: fc.constantFrom('error' as const, 'blank' as const),
  hidden: fc.boolean(),
});

test('D2, D3, M10, V1, V3, V7: our reader, DuckDB, and DuckDB reading for rows in memory make the same of untidy files', async () => {
  await assertDraws(
    fc.asyncProperty(untidy, async ({ odd, rows, files, packed, lineEnd, lastEnd, order, onBadDate, hidden }) => {
      const folder = makeFolder();
      const ending = packed ? 'csv.gz' : 'csv';
      const field = (name: string, row: number): string =>
        odd.findLast((own) => own.name === name && own.row % (rows * files) === row)?.text ?? COLUMNS[name].tidy(row);
      for (let file = 0; file < files; file++) {
        const records = Array.from({ length: rows }, (_, k) => order.map((name) => field(name, file * rows + k)).join(','));
        const text = [order.join(','), ...records].join(lineEnd) + (lastEnd ? lineEnd : '');
        writeFileSync(join(folder, `lines-${file}.${ending}`), packed ? gzipSync(text) : text);
      }
      writeFileSync(join(folder, 'families.csv'), FAMILIES);
      const model = modelOf(ending, onBadDate);
      const where = hidden ? { where: { 'family.kind': 'Kind 0' } } : {};
      const own = folderFiles(folder);
      const engines = [memory({}, { files: own }), duckdb({ folder }), memory({}, { files: withTyped(own, { least: 0 }) })];
      const [wanted, ...others] = await Promise.all(
        engines.map((engine) => everything(() => open(model, engine, where) as unknown as Promise<Book>)),
      );
      for (const found of others) expect(found).toEqual(wanted);
      rmSync(folder, { recursive: true });
    }),
    { few: 3, many: 40 },
  );
}, 300_000);
