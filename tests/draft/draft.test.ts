import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { expect, test } from 'vitest';
import { draftModel } from '../../src/draft/index.ts';
import type { Question } from '../../src/index.ts';
import { durchblick, makeFolder, openBook, ROOT, table } from '../setup/builders.ts';
import { memory, parseModel } from '../setup/library.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const files = (texts: Readonly<Record<string, string>>) => Object.entries(texts).map(([file, text]) => ({ file, bytes: bytes(text) }));
/** Drafts, opens what was drafted, and answers. */
const answers = async (texts: Readonly<Record<string, string>>, question: Question) => {
  const { yaml, guesses } = await draftModel(files(texts));
  const book = await openBook(parseModel(yaml, 'model.yaml'), memory({}, { files: async (path) => bytes(texts[path]) }));
  const { rows } = await book.ask(question as never);
  return { rows, yaml, guesses: guesses.join('\n') };
};

test('the demo: orders, links, promises, a monthly budget in revisions, a level, seasons', async () => {
  const names = readdirSync(`${ROOT}demo/data`).filter((name) => name.endsWith('.csv'));
  const texts = Object.fromEntries(names.map((name) => [name, readFileSync(`${ROOT}demo/data/${name}`, 'utf8')]));
  const question: Question = {
    show: ['revenue', 'budget', 'orders'],
    by: 'month',
    per: ['region'],
    range: '2026-03/2026-04',
    asOf: '2026-05-20',
  };
  const { rows, yaml, guesses } = await answers(texts, question);
  const { stdout } = durchblick(
    ...'ask demo/model.yaml revenue budget orders --by month --per region --range 2026-03/2026-04 --format'.split(' '),
    ...'json'.split(' '),
  );
  const byMember = (list: readonly (readonly unknown[])[]) => [...list].map((row) => row.join(' ')).sort();
  expect(byMember(rows)).toEqual(byMember(JSON.parse(stdout).rows));
  expect(yaml).toContain('ship-region: { dimension: region, column: ship_region_id }');
  expect(yaml).toContain('version-key: [ month, region_id, family ]');
  expect(yaml).toContain('across-time: last');
  expect(yaml).toContain('season: { table: seasons, start: starts_on, end: ends_on, label: name }');
  expect(guesses).toContain('promised is a promise or plan');
  expect(guesses).toContain('3% of its keys are not in products.csv');
});

// biome-ignore format: one case a line
test.each([
  ['dd.MM.yyyy', ['05.01.2026', '17.02.2026', '31.12.2026'], 'format: dd.MM.yyyy'],
  ['MM/dd/yyyy', ['01/05/2026', '02/17/2026', '12/31/2026'], 'format: MM/dd/yyyy'],
  ['dd.MM.yyyy HH:mm', ['05.01.2026 08:30', '17.02.2026 19:05', '31.12.2026 00:00'], 'format: dd.MM.yyyy HH:mm'],
  ['M/d/yyyy h:mm a', ['1/5/2026 8:30 PM', '2/17/2026 11:05 AM', '12/31/2026 1:00 AM'], 'format: M/d/yyyy h:mm a'],
  ['eight digits', ['20260105', '20260217', '20261231'], 'sold: sold_on'],
  ['ISO with offsets', ['2026-01-05T10:00:00Z', '2026-02-17T23:30:00+02:00', '2026-12-31T12:00:00Z'], 'decides on which day a timestamp lies'],
  ['a placeholder', ['2026-01-05', '2026-02-17', '9999-12-31'], 'blank-dates: [ 9999-12-31 ]'],
])('dates written as %s', async (_, dates, expected) => {
  const text = `sold_on,shop,amount\n${dates.map((date, k) => `${date},Kiel,${k + 1}`).join('\n')}\n`;
  const { rows, yaml } = await answers({ 'sales.csv': text }, { show: ['amount'], by: 'month', range: '2026', asOf: '2026-12-31' });
  expect(yaml).toContain(expected);
  expect(rows.slice(0, 2).map((row) => row[1])).toEqual([1, 2]);
});

test('a date that can be read both ways is said to be a guess', async () => {
  const { guesses } = await draftModel(files({ 'sales.csv': 'day,amount\n01/02/2026,1\n03/04/2026,2\n' }));
  expect(guesses.join()).toContain('the other way round');
});

test('semicolons and decimal commas; links by their values, whatever they are called; codes that come back are counted', async () => {
  const lines = Array.from(
    { length: 120 },
    (_, k) => `R${100 + (k >> 1)};K${k % 4}7;0${(k % 9) + 1}.03.2026;A${k % 3}0;2;${k === 0 ? '1.000,25' : '0,50'};"a;b"`,
  );
  const { rows, yaml, guesses } = await answers(
    {
      'Umsatz.csv': `\uFEFFBeleg;Kunde Nr;Datum;Ware;Menge;Preis;Notiz\r\n${lines.join('\r\n')}\r\n`,
      'Artikel.csv': 'Nummer;Gruppe\nA00;Rosen\nA10;Rosen\nA20;Farne\n',
    },
    { show: ['revenue', 'belegs', 'kundes'], per: ['gruppe'] },
  );
  expect(rows.map(([, ...row]) => row)).toEqual(table('Farne 40 40 4 | Rosen 2079.5 60 4'));
  expect(yaml).toContain('{ file: Umsatz.csv, decimal: comma }');
  expect(guesses).toContain('Ware: its values are those of Nummer in Artikel.csv');
  expect(guesses).toContain('decimal comma');
});

test('of large files only the first rows are looked at, whole records of them', async () => {
  const record = `2026-01-05,"a note\nof two lines, ${'x'.repeat(400)}",3\n`;
  const csv = bytes(`day,note,n\n${record.repeat(Math.ceil((33 * 2 ** 20) / record.length))}`);
  const ids = Array.from({ length: 200_001 }, (_, k) => k);
  const parquet = parquetWriteBuffer({ columnData: [{ name: 'id', data: ids, type: 'INT32' }] });
  const { guesses, yaml } = await draftModel([
    { file: 'notes.csv', bytes: csv },
    { file: 'things.parquet', bytes: parquet },
  ]);
  expect(yaml).toContain('n: { sum: n }');
  expect(guesses).toContain('things.parquet: only the first 200000 rows were looked at');
  expect(guesses.join()).toMatch(/notes.csv: only the first \d+ rows/);
});

test.each([
  ['discount', ['0.1', '0', '0.25'], 'qty * price * (1 - discount)'],
  ['discount_pct', ['10', '0', '25'], 'qty * price * (100 - discount_pct) * 0.01'],
  ['discount', ['1.5', '0', '25'], 'qty * price - discount'],
])('%s of %o lessens the amount: %s', async (name, values, formula) => {
  const text = `day,qty,price,${name}\n${values.map((value) => `2026-01-05,2,9.5,${value}`).join('\n')}\n`;
  expect((await draftModel(files({ 'sales.csv': text }))).yaml).toContain(`net: ${formula}`);
});

test('amounts with signs of currency, and dates that another column tells apart', async () => {
  const text = 'Ordered,Shipped,Sales\n1/5/2026,1/9/2026,"$1,234.50"\n2/17/2026,3/1/2026,$34.50\n';
  const { rows, yaml, guesses } = await answers({ 'sales.csv': text }, { show: ['sales'], by: 'month' });
  expect(rows.map((row) => row[1])).toEqual([1234.5, 34.5]);
  expect(yaml).toContain('shipped: { column: Shipped, format: M/d/yyyy }');
  expect(guesses).not.toContain('other way round');
});

test('names of any shape become names that readings can use, and rows keep their meaning', async () => {
  const { yaml } = await answers(
    { 'Über Sales 2026.csv': 'Order Date;x,Größe,vs,Amount ($)\n2026-01-05,klein,a,10\n2026-01-06,"gr,oß",b,2.5\n'.replace(';x', '') },
    { show: ['amount'], by: 'month' },
  );
  expect(yaml).toMatch(/amount: \{ sum: Amount \(\$\) \}/);
});

test.each([
  [{}, 'there is no file'],
  [{ 'a.csv': 'x,y\n1,2\n' }, 'no file has a column of dates'],
  [{ 'a.txt': 'x' }, 'cannot be read'],
  [{ 'a.csv': '' }, 'is empty'],
])('%o is an error that says why', async (texts, message) => {
  await expect(draftModel(files(texts as Record<string, string>))).rejects.toThrow(message);
});

test('durchblick init writes a commented file, asks nothing in a pipe, overwrites nothing', () => {
  const folder = makeFolder({ 'visits.csv': 'day,shop,n\n2026-01-05,Kiel,4\n2026-02-06,Ulm,5\n' });
  const model = join(folder, 'model.yaml');
  const first = durchblick('init', join(folder, 'visits.csv'), '-o', model);
  expect(first).toMatchObject({ code: 0, stderr: expect.stringContaining('durchblick check') });
  expect(readFileSync(model, 'utf8')).toMatch(/^# A first model/);
  expect(durchblick('check', model).code).toBe(0);
  expect(durchblick('ask', model, 'n', '--by', 'month', '--format', 'csv').stdout).toBe('period,n\r\n2026-01,4\r\n2026-02,5\r\n');
  expect(durchblick('init', join(folder, 'visits.csv'), '-o', model)).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('nothing is overwritten'),
  });
  expect(durchblick('init', folder)).toMatchObject({ code: 2, stderr: expect.stringContaining('it is a folder') });
  expect(durchblick('init', join(folder, 'none.csv'))).toMatchObject({ code: 2, stderr: expect.stringContaining('there is no such file') });
});

const numbered = (rows: number, make: (k: number) => string): string => Array.from({ length: rows }, (_, k) => make(k)).join('\n');

test('numbers of documents are never added up, whatever they are called', async () => {
  const text = `sold_on,invoice,amount,pieces,cents\n${numbered(40, (k) => `2026-01-${String((k % 28) + 1).padStart(2, '0')},${90_000 + 7 * k},${(k % 9) + 0.5},${k % 5},${k * 37}`)}\n`;
  const { yaml, guesses } = await draftModel(files({ 'sales.csv': text }));
  expect(yaml).not.toContain('sum: invoice');
  expect(yaml).toContain('sum: amount');
  expect(yaml).toContain('sum: pieces');
  // Amounts in cents may all differ.
  expect(yaml).toContain('sum: cents');
  expect(guesses).toContain('sales.csv, invoice: a key or number of something, and not added up');
});

test('files of one shape whose names differ by digits are one source, by a pattern', async () => {
  const texts = {
    'data/orders_2025-12.csv': 'sold_on,amount\n2025-12-01,1\n',
    'data/orders_2026-01.csv': 'sold_on,amount\n2026-01-01,2\n',
    'data/orders_2026-02.csv': 'sold_on,amount\n2026-02-01,4\n',
    'data/orders_note_3.csv': 'sold_on,note\n2026-02-01,x\n',
  };
  const { yaml, guesses } = await draftModel(files(texts));
  expect(yaml).toContain('orders: { file: data/orders_*.csv }');
  expect(yaml).toContain('orders_note_3: { file: data/orders_note_3.csv }');
  expect(guesses).toContain('data/orders_*.csv: 3 files of one shape are one source');
});

test('a table that others link to is a dimension, dates of its own or not; with amounts it is a fact as well', async () => {
  const customers = `customer_id,name,joined_on\n1,Ann,2025-01-01\n2,Bob,2025-02-01\n`;
  const orders = `order_id,customer_id,sold_on,amount\n${numbered(4, (k) => `${k + 10},${(k % 2) + 1},2026-01-0${k + 1},${k + 0.5}`)}\n`;
  const parcels = `parcel,order_id,sent_on,weight\n${numbered(6, (k) => `p${k},${(k % 4) + 10},2026-01-0${k + 1},${k + 0.25}`)}\n`;
  const { rows, yaml, guesses } = await answers(
    { 'customers.csv': customers, 'orders.csv': orders, 'parcels.csv': parcels },
    { show: ['amount'], per: ['customer'] },
  );
  expect(yaml).toMatch(/customer: \{ source: customers, key: customer_id/);
  expect(yaml).not.toMatch(/source: customers\n/);
  expect(yaml).toMatch(/order: \{ source: orders, key: order_id/);
  expect(rows.map((row) => row.slice(1))).toEqual(table('Ann 3 | Bob 5'));
  expect(guesses).toContain('customers.csv: others link to its rows, so it is a dimension');
  expect(guesses).toContain('orders.csv: others link to its rows, so it is a dimension and a fact');
});
