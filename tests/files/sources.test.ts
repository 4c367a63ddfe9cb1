import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { expect, test } from 'vitest';
import writeXlsxFile from 'write-excel-file/node';
import { open } from '../../src/index.ts';
import { makeFolder, piped } from '../setup/builders.ts';
import { duckdb, loadModel, memory } from '../setup/library.ts';

type Tree = Readonly<Record<string, string | Uint8Array>>;
const ENGINES = ['memory', 'duckdb'] as const;

/** A model over files in a folder of its own, asked on both engines that read files. */
const asked = async (tree: Tree, source: string, question: object, fact = ''): Promise<readonly string[]> => {
  const folder = makeFolder();
  for (const [path, content] of Object.entries(tree)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), content);
  }
  const path = join(folder, 'model.yaml');
  writeFileSync(
    path,
    `sources: { sales: ${source} }
dimensions: { town: {}, year: {}, month: {} }
facts: { sales: { source: sales, dates: { sold: ${fact || 'sold'} }, links: { town: town${question.toString()} }, measures: { revenue: { sum: amount } } } }
`.replace('[object Object]', (question as { links?: string }).links ?? ''),
  );
  const { model, files } = await loadModel(path);
  const { links: _, ...rest } = question as { links?: string };
  return Promise.all(
    ENGINES.map(async (engine) => {
      const book = await open(model, engine === 'memory' ? memory({}, { files }) : duckdb({ folder }));
      try {
        return (await book.ask({ show: ['revenue'], ...rest } as never)).toCsv();
      } finally {
        await book.close();
      }
    }),
  );
};
const both = (lines: readonly string[]): string[] => Array.from(ENGINES, () => lines.map((line) => `${line}\r\n`).join(''));

const PLAIN = 'sold,town,amount\n2026-01-05,Köln,1\n2026-02-06,Ulm,2\n';
const latin = (text: string): Uint8Array =>
  Uint8Array.from(text, (char) => (char === '€' ? 0x80 : char === '„' ? 0x84 : char.charCodeAt(0)));
const utf16 = (text: string, order: 'little' | 'big', mark: boolean): Uint8Array => {
  const units = [...(mark ? '\ufeff' : ''), ...text].map((char) => char.charCodeAt(0));
  return Uint8Array.from(units.flatMap((unit) => (order === 'big' ? [unit >> 8, unit & 255] : [unit & 255, unit >> 8])));
};

test.each<[string, Tree, string]>([
  ['Windows-1252', { 's.csv': latin(PLAIN.replace('Ulm', '„Ulm€')) }, '{ file: s.csv, encoding: windows-1252 }'],
  ['Windows-1252, packed', { 's.csv.gz': gzipSync(latin(PLAIN.replace('Ulm', '„Ulm€'))) }, '{ file: s.csv.gz, encoding: windows-1252 }'],
  ['UTF-16, as most write it', { 's.csv': utf16(PLAIN.replace('Ulm', '„Ulm€'), 'little', true) }, '{ file: s.csv, encoding: utf-16 }'],
  ['UTF-16 without a mark', { 's.csv': utf16(PLAIN.replace('Ulm', '„Ulm€'), 'little', false) }, '{ file: s.csv, encoding: utf-16 }'],
  ['UTF-16 the other way round', { 's.csv': utf16(PLAIN.replace('Ulm', '„Ulm€'), 'big', true) }, '{ file: s.csv, encoding: utf-16 }'],
  ['UTF-8, said', { 's.csv': PLAIN.replace('Ulm', '„Ulm€') }, '{ file: s.csv, encoding: utf-8 }'],
  [
    'JSON in Windows-1252',
    { 's.json': latin('[{"sold":"2026-01-05","town":"Köln","amount":1},{"sold":"2026-02-06","town":"„Ulm€","amount":2}]') },
    '{ file: s.json, encoding: windows-1252 }',
  ],
])('a file in %s is read as it says (V7)', async (_, tree, source) => {
  expect(await asked(tree, source, { per: ['town'] })).toEqual(
    both(['period,town,revenue', '2026-01-05/2026-02-06,Köln,1', '2026-01-05/2026-02-06,„Ulm€,2']),
  );
});

test('the euro sign of ISO 8859-15 is one, and a byte that Windows-1252 does not have is none (V7)', async () => {
  const bytes = Uint8Array.from(PLAIN.replace('Ulm', 'Ulm€'), (char) => (char === '€' ? 0xa4 : char.charCodeAt(0)));
  expect((await asked({ 's.csv': bytes }, '{ file: s.csv, encoding: iso-8859-15 }', { per: ['town'] }))[0]).toContain('Ulm€,2');
  const wrong = asked({ 's.csv': Uint8Array.of(...latin(PLAIN), 0x81) }, '{ file: s.csv, encoding: windows-1252 }', {});
  await expect(wrong).rejects.toMatchObject({ code: 'bad-encoding', message: 's.csv is not windows-1252' });
});

// biome-ignore format: one case a line
test.each<[string, Tree, string, object]>([
  ['bytes that are no UTF-8', { 's.csv': latin(PLAIN) }, '{ file: s.csv }', { code: 'bad-encoding', hint: expect.stringContaining('encoding: windows-1252') }],
  ['half a character of UTF-16', { 's.csv': utf16(PLAIN, 'little', true).slice(0, -1) }, '{ file: s.csv, encoding: utf-16 }', { code: 'bad-encoding' }],
  ['an encoding of what is no text', { 's.parquet': '' }, '{ file: s.parquet, encoding: windows-1252 }', { code: 'contradiction' }],
  ['an encoding that is none', { 's.csv': PLAIN }, '{ file: s.csv, encoding: latin }', { code: 'bad-value' }],
  ['a sheet of what has none', { 's.csv': PLAIN }, '{ file: s.csv, sheet: One }', { code: 'contradiction' }],
])('%s is told', async (_, tree, source, error) => {
  await expect(asked(tree, source, {})).rejects.toMatchObject(error);
});

const part = (amount: number, day: string): Uint8Array =>
  new Uint8Array(
    parquetWriteBuffer({
      columnData: [
        { name: 'sold', data: [day], type: 'STRING' },
        { name: 'town', data: ['Köln'], type: 'STRING' },
        { name: 'amount', data: [amount], type: 'DOUBLE' },
      ],
    }),
  );
const csvPart = (amount: number, day: string): string => `sold,town,amount\n${day},Köln,${amount}\n`;
const LINKS = ', year: year, month: month';

test.each<[string, (amount: number, day: string) => string | Uint8Array, string, string]>([
  ['CSV by a pattern', csvPart, 'csv', 'orders/*/*/*.csv'],
  ['CSV by its folder', csvPart, 'csv', 'orders'],
  ['packed CSV by its folder', (amount, day) => gzipSync(csvPart(amount, day)), 'csv.gz', 'orders/'],
  ['Parquet by a pattern', part, 'parquet', 'orders/**/*.parquet'],
  ['Parquet by its folder', part, 'parquet', 'orders'],
  ['JSON by its folder', (amount, day) => JSON.stringify([{ sold: day, town: 'Köln', amount }]), 'json', 'orders'],
])('folders of %s say what they say of their rows, as texts (V7)', async (_, make, ending, file) => {
  const tree: Tree = {
    [`orders/year=2025/month=12/a.${ending}`]: make(1, '2025-12-31'),
    [`orders/year=2026/month=01/a.${ending}`]: make(2, '2026-01-01'),
    [`orders/year=2026/month=01/b.${ending}`]: make(4, '2026-01-02'),
    [`orders/year=2026/month=__HIVE_DEFAULT_PARTITION__/a.${ending}`]: make(8, '2026-01-03'),
    'orders/year=2026/month=01/.hidden': 'nothing',
    'orders/README.md': '# What lies here',
  };
  expect(await asked(tree, `{ file: "${file}" }`, { per: ['year', 'month'], links: LINKS })).toEqual(
    both([
      'period,year,month,revenue',
      '2025-12-31/2026-01-03,2025,12,1',
      '2025-12-31/2026-01-03,2026,01,6',
      '2025-12-31/2026-01-03,2026,(none),8',
    ]),
  );
});

test('a date of a folder is a date of its rows; a column of the file goes before what its folder says', async () => {
  const tree = { 'o/day=2026-01-05/a.csv': 'town,amount\nKöln,1\n', 'o/day=2026-01-06/a.csv': 'town,amount\nKöln,2\n' };
  expect(await asked(tree, '{ file: o }', { by: 'day' }, 'day')).toEqual(both(['period,revenue', '2026-01-05,1', '2026-01-06,2']));
  const own = { 'o/town=Ulm/a.csv': csvPart(1, '2026-01-05'), 'o/town=Bonn/a.csv': csvPart(2, '2026-01-05') };
  expect(await asked(own, '{ file: o }', { per: ['town'] })).toEqual(both(['period,town,revenue', '2026-01-05/2026-01-05,Köln,3']));
});

// biome-ignore format: one case a line
test.each<[string, Tree, string, object]>([
  ['files of several kinds in a folder', { 'o/a.csv': PLAIN, 'o/b.json': '[]' }, '{ file: o }', { code: 'no-file', message: expect.stringContaining('.csv, .json') }],
  ['a folder without files of rows', { 'o/a.txt': '' }, '{ file: o }', { code: 'no-file' }],
  ['folders that say different things', { 'o/year=2026/a.csv': PLAIN, 'o/month=01/a.csv': PLAIN }, '{ file: o }', { code: 'uneven-files' }],
  ['a folder that says one thing twice', { 'o/year=2026/year=2025/a.csv': PLAIN }, '{ file: o }', { code: 'uneven-files' }],
])('%s are told', async (_, tree, source, error) => {
  await expect(asked(tree, source, {})).rejects.toMatchObject(error);
});

const workbook = async (...sheets: readonly (readonly [name: string, rows: readonly (readonly unknown[])[]])[]): Promise<Uint8Array> => {
  const cell = (value: unknown) =>
    value === null
      ? null
      : value instanceof Date
        ? { value, type: Date, format: 'dd.mm.yyyy hh:mm' }
        : { value, type: (value as string).constructor };
  const data = sheets.map(([sheet, rows]) => ({ sheet, data: rows.map((row) => row.map(cell)) }));
  return (await (writeXlsxFile as unknown as (list: unknown) => { toBuffer: () => Promise<Uint8Array> })(data)).toBuffer();
};
const day = (iso: string): Date => new Date(`${iso}Z`);
const ROWS = [
  ['sold', 'town', 'amount'],
  [day('2026-01-05T00:00:00'), 'Köln', 1],
  [null, null, null],
  [day('2026-02-06T00:00:00'), 'Ulm', 2.5],
];

test('a workbook is read as it is: dates are dates, empty rows are none; of several sheets one is named', async () => {
  const lines = both(['period,town,revenue', '2026-01,Köln,1', '2026-01,Ulm,', '2026-02,Köln,', '2026-02,Ulm,2.5']);
  const question = { by: 'month', per: ['town'] };
  expect(await asked({ 's.xlsx': await workbook(['Sales', ROWS]) }, '{ file: s.xlsx }', question)).toEqual(lines);
  const two = { 's.xlsx': await workbook(['Notes', [['hello']]], ['Sales', ROWS]) };
  expect(await asked(two, '{ file: s.xlsx, sheet: Sales }', question)).toEqual(lines);
  await expect(asked(two, '{ file: s.xlsx }', question)).rejects.toMatchObject({
    code: 'unknown-sheet',
    message: 's.xlsx has several sheets',
  });
  await expect(asked(two, '{ file: s.xlsx, sheet: Sale }', question)).rejects.toMatchObject({
    code: 'unknown-sheet',
    message: 's.xlsx has no sheet "Sale"',
  });
  await expect(asked({ 's.xlsx': 'no workbook' }, '{ file: s.xlsx }', question)).rejects.toMatchObject({ code: 'bad-file' });
});

test('cells of a workbook with a time of day, texts among numbers, and serials as numbers', async () => {
  const mixed = await workbook([
    'S',
    [
      ['sold', 'town', 'amount'],
      [day('2026-01-05T13:30:00'), 7, 1],
      [day('2026-01-06T00:00:00'), 'Ulm', 2],
    ],
  ]);
  expect(await asked({ 's.xlsx': mixed }, '{ file: s.xlsx }', { by: 'day', per: ['town'], gaps: 'hide' })).toEqual(
    both(['period,town,revenue', '2026-01-05,7,1', '2026-01-06,Ulm,2']).map((text) => text),
  );
  const serial = await workbook([
    'S',
    [
      ['sold', 'town', 'amount'],
      [46027, 'Ulm', 1],
    ],
  ]);
  expect(await asked({ 's.xlsx': serial }, '{ file: s.xlsx }', { by: 'day' }, '{ column: sold, format: serial }')).toEqual(
    both(['period,revenue', '2026-01-05,1']),
  );
});

test.each(ENGINES)('a source may be standard input, read once, by %s', (engine) => {
  const folder = makeFolder();
  const model = join(folder, 'model.yaml');
  writeFileSync(
    model,
    'sources: { sales: { file: "-" } }\nfacts: { sales: { source: sales, dates: { sold: sold }, measures: { revenue: { sum: amount } } } }\n',
  );
  const asked = ['ask', model, 'revenue', '--by', 'month', '--format', 'csv', '--quiet', '--engine', engine];
  expect(piped(PLAIN, ...asked, '--verify')).toEqual({ code: 0, stdout: 'period,revenue\r\n2026-01,1\r\n2026-02,2\r\n', stderr: '' });
  expect(piped('sold,amount\nnever,1\n', ...asked)).toMatchObject({ code: 1, stderr: expect.stringContaining('"never" is not a date') });
});

test('a model is drafted from standard input, and reads it there', () => {
  const { code, stdout } = piped(PLAIN, 'init', '-');
  expect([code, stdout.includes('stdin: { file: "-" }')]).toEqual([0, true]);
  const model = join(makeFolder(), 'model.yaml');
  writeFileSync(model, stdout);
  expect(piped(PLAIN, 'ask', model, 'amount', '--format', 'csv', '--quiet').stdout).toBe('period,amount\r\n2026-01-05/2026-02-06,3\r\n');
});
