import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import fc from 'fast-check';
import { parquetWriteBuffer } from 'hyparquet-writer';
import { describe, expect, test } from 'vitest';
import { type Book, type DurchblickError, type Engine, open, type Question } from '../../src/index.ts';
import { bytes, factModel, makeFolder, same } from '../setup/builders.ts';
import { assertDraws } from '../setup/draws.ts';
import { duckdb, folderFiles, memory, withTyped } from '../setup/library.ts';

const model = factModel(
  'lines',
  {
    enters: 'ordered',
    dates: { ordered: 'ordered', shipped: 'shipped' },
    links: { channel: 'channel' },
    columns: { worth: 'amount * 2' },
    bands: { size: { of: 'amount', starts: { small: 0, large: 100 } } },
    measures: {
      revenue: { sum: 'amount', role: 'ordered' },
      worth: { sum: 'worth', role: 'ordered' },
      quantity: { sum: 'quantity', role: 'shipped' },
      orders: { countDistinct: 'order_no', role: 'ordered' },
    },
  },
  { durchblick: 1, timeZone: 'Europe/Berlin', sources: { lines: { file: 'lines*.parquet' } } },
);
const QUESTIONS: readonly Question[] = [
  { show: ['revenue', 'worth', 'quantity', 'orders', 'revenue on shipped'], by: 'month', totals: true },
  { show: ['revenue', 'orders'], by: 'day', per: ['size'] },
  { show: ['quantity', 'orders on shipped'], per: ['channel'] },
  { show: ['quantity over rolling-28-days', 'revenue vs year-earlier as difference'], by: 'week' },
];

const DATES = ['date', 'timestamp', 'timestamp_ms', 'timestamp_s', 'timestamp_ns', 'timestamptz', 'varchar', 'integer', 'bigint'] as const;
const TYPES = {
  ordered: DATES,
  shipped: DATES,
  channel: [...'varchar integer utinyint ubigint decimal(6,2) decimal(12,0) double float boolean date timestamptz'.split(' ')],
  amount: ['decimal(5,1)', 'decimal(9,2)', 'decimal(15,4)', 'decimal(30,6)', 'double', 'smallint', 'bigint', 'varchar'],
  quantity: ['tinyint', 'usmallint', 'integer', 'bigint', 'decimal(12,0)', 'float'],
  order_no: ['integer', 'bigint', 'varchar', 'decimal(9,1)', 'timestamp', 'boolean', 'uuid'],
} as const;
const KINDS = {
  decimal: /^decimal/,
  whole: /int/,
  double: /double|float/,
  text: /varchar|uuid/,
  date: /^date/,
  instant: /tz$/,
  timestamp: /^timestamp/,
  boolean: /^boolean/,
};
const kindOf = (type: string): string => Object.entries(KINDS).find(([, pattern]) => pattern.test(type))?.[0] as string;

/** A file of some rows, its columns of some types; each row is drawn by its number. */
interface Written {
  readonly types: Readonly<Record<string, string>>;
  readonly rows: number;
  readonly seed: number;
}

/** A day as a type of dates has it, in the middle of the day or at its ends; as a number, or as a text. */
const dateAs = (day: string, type: string): string =>
  type.startsWith('timestamp')
    ? `(${day} + to_seconds((hash(i * 31) % 3)::int * 43199))::${type}`
    : kindOf(type) === 'whole'
      ? `strftime(${day}, '%Y%m%d')::${type}`
      : `(${day})::${type}`;
/** A small number as any type has it. */
const valueAs = (number: string, type: string): string => {
  switch (kindOf(type)) {
    case 'date':
    case 'timestamp':
    case 'instant':
      return dateAs(`date '2026-03-28' + ${number}`, type);
    case 'boolean':
      return `(${number}) % 2 = 0`;
    default:
      return type === 'uuid' ? `('00000000-0000-4000-8000-0000000000' || (10 + ${number} % 80))::uuid` : `(${number})::${type}`;
  }
};
const unless = (condition: string, value: string): string => `case when not (${condition}) then ${value} end`;
const values = ({ seed, types }: Written): Readonly<Record<string, string>> => ({
  ordered: unless(`hash(i + ${seed}) % 9 = 0`, dateAs(`date '2025-06-20' + (hash(i * 3 + ${seed}) % 40)::int`, types.ordered)),
  shipped: unless(
    `hash(i * 5 + ${seed}) % 4 < ${seed % 6}`,
    dateAs(`date '2025-06-25' + (hash(i * 7 + ${seed}) % 50)::int`, types.shipped),
  ),
  channel: unless(`hash(i * 37 + ${seed}) % 13 = 0`, valueAs(`(hash(i * 41 + ${seed}) % 12)::int * 10`, types.channel)),
  amount: unless(
    `hash(i * 11 + ${seed}) % 7 = 0`,
    `round((hash(i * 13 + ${seed}) % 40000)::double / 100 - ${seed % 90}, 2)::${types.amount}`,
  ),
  quantity: unless(`hash(i * 17 + ${seed}) % 5 < ${seed % 7}`, valueAs(`(hash(i * 19 + ${seed}) % 100)::int`, types.quantity)),
  order_no: unless(
    `hash(i * 23 + ${seed}) % 11 = 0 and ${seed % 2} = 0`,
    valueAs(`(hash(i * 29 + ${seed}) % 50)::int * 10`, types.order_no),
  ),
});

const write = async (files: readonly Written[]): Promise<string> => {
  const folder = makeFolder();
  const instance = await DuckDBInstance.create(':memory:');
  const connection = await instance.connect();
  for (const [k, file] of files.entries()) {
    const of = values(file);
    const columns = Object.keys(file.types).map((name) => `${of[name]} as ${name}`);
    // Groups of no fewer rows can be asked for.
    await connection.run(
      `copy (select ${columns.join(', ')} from range(${file.rows}) r(i)) to '${folder}/lines-${k}.parquet' (format parquet, row_group_size 2048)`,
    );
  }
  connection.closeSync();
  instance.closeSync();
  return folder;
};

/** What opening comes to: a book, or the error that refuses the files. */
const openedBy = (engine: Engine, where?: Question['where']): Promise<Book | DurchblickError> =>
  open(model, engine, where ? { where } : {}).catch((error: DurchblickError) => error) as Promise<Book | DurchblickError>;

/** Holds the reader of Parquet, DuckDB, and DuckDB reading for the engine in memory to the same; answers what DuckDB looked at. */
const agree = async (folder: string, where?: Question['where']): Promise<readonly string[]> => {
  const looks: string[] = [];
  const files = folderFiles(folder);
  const trace = ({ about }: { readonly about: string }): void => void looks.push(about);
  const engines = [memory({}, { files }), duckdb({ folder, trace }), memory({}, { files: withTyped(files, { least: 0 }) })];
  const all = await Promise.all(engines.map((engine) => openedBy(engine, where)));
  const books = all.filter((own) => 'ask' in own);
  if (books.length === 0) {
    const errors = all.map((own) => [(own as DurchblickError).code, (own as DurchblickError).message]);
    expect(errors).toEqual(errors.map(() => errors[0]));
    expect(['uneven-files', 'bad-dates']).toContain(errors[0][0]);
    return looks;
  }
  expect(all.map((own) => ('ask' in own ? 'opened' : own.message))).toEqual(engines.map(() => 'opened'));
  for (const asked of QUESTIONS) {
    const wanted = await bytes(books[0], asked);
    for (const book of books.slice(1)) same(await bytes(book, asked), wanted, asked);
  }
  // A row as it stands, and all of them for a second computation.
  const [told, ...others] = await Promise.all(books.map((book) => book.explain({ reading: 'revenue', at: '2025-07-01' })));
  for (const other of others) expect(other.parts[0].rows).toEqual(told.parts[0].rows);
  for (const book of books) expect((await book.verify(QUESTIONS[0])).different).toEqual([]);
  for (const book of books) await book.close();
  return looks;
};

const looksAtRows = (looks: readonly string[]): boolean => looks.some((about) => about.startsWith('dates and numbers of lines'));

describe('what Parquet files state of their rows', () => {
  const one: Written = {
    types: { ordered: 'date', shipped: 'date', channel: 'varchar', amount: 'decimal(9,2)', quantity: 'integer', order_no: 'bigint' },
    rows: 5000,
    seed: 40,
  };

  test('is not asked of the rows: a book opens without a look at them (D3, M10)', async () => {
    const plain = factModel(
      'lines',
      {
        dates: { ordered: 'ordered', shipped: 'shipped' },
        measures: { revenue: { sum: 'amount', role: 'ordered' }, orders: { countDistinct: 'order_no', role: 'shipped' } },
      },
      { durchblick: 1, sources: { lines: { file: 'lines*.parquet' } } },
    );
    const folder = await write([one, { ...one, seed: 7 }]);
    const looks: string[] = [];
    const found = await open(plain, duckdb({ folder, trace: ({ about }) => void looks.push(about) }));
    expect(looks).toEqual([]);
    const wanted = await open(plain, memory({}, { files: folderFiles(folder) }));
    const asked: Question = { show: ['revenue', 'orders'], by: 'day', totals: true };
    same(await bytes(found, asked), await bytes(wanted, asked), asked);
    await found.close();
    await wanted.close();
  });

  test('nothing of it is taken for the rows that a fixed filter leaves (V3, V6)', async () => {
    const looks = await agree(await write([one]), { size: 'large' });
    expect(looksAtRows(looks)).toBe(true);
  });

  test('a file that states nothing is looked at (V7)', async () => {
    const folder = makeFolder();
    const day = (k: number) => new Date(Date.UTC(2026, 0, 1 + k));
    const data = {
      ordered: [day(0), null, day(9)],
      shipped: [day(3), day(1), null],
      channel: [1, 2, null],
      amount: [150, 20, null],
      quantity: [1, 2, 3],
      order_no: [7, 7, 8],
    };
    const names = Object.keys(data);
    const dated = (name: string) => (/ed$/.test(name) ? { converted_type: 'DATE' as const } : {});
    const schema = names.map((name) => ({ name, type: 'INT32' as const, repetition_type: 'OPTIONAL' as const, ...dated(name) }));
    const columnData = Object.entries(data).map(([name, list]) => ({ name, data: list }));
    const written = parquetWriteBuffer({
      columnData,
      schema: [{ name: 'root', num_children: names.length }, ...schema],
      statistics: false,
    });
    writeFileSync(join(folder, 'lines.parquet'), Buffer.from(written));
    expect(looksAtRows(await agree(folder))).toBe(true);
  });

  test('a file that is damaged is told by our reader, whoever read it first (V7)', async () => {
    const folder = await write([one]);
    const path = join(folder, 'lines-0.parquet');
    const whole = readFileSync(path);
    // Everything but what the footer says of it.
    const damaged = Buffer.concat([whole.subarray(0, 4), Buffer.alloc((whole.length >> 1) - 4, 0xff), whole.subarray(whole.length >> 1)]);
    writeFileSync(path, damaged);
    const files = folderFiles(folder);
    const told = await Promise.all([files, withTyped(files, { least: 0 })].map((own) => openedBy(memory({}, { files: own }))));
    const [wanted, found] = told.map((own) => ({ code: (own as DurchblickError).code, message: (own as DurchblickError).message }));
    expect(wanted).toMatchObject({ code: 'bad-file', message: expect.stringContaining('lines-0.parquet') });
    expect(found).toEqual(wanted);
  });

  test('files of several types give the same bytes on both engines, no value squeezed into the type of another (M10, V7, R3)', async () => {
    const file = fc.record({
      types: fc.record(Object.fromEntries(Object.entries(TYPES).map(([name, types]) => [name, fc.constantFrom<string>(...types)]))),
      rows: fc.constantFrom(0, 1, 30, 2500, 4500),
      seed: fc.nat({ max: 1000 }),
    });
    await assertDraws(
      fc.asyncProperty(fc.array(file, { minLength: 1, maxLength: 3 }), async (drawn) => {
        // Kinds are the same in all files but for one now and then, which is refused by everybody.
        const isOdd = drawn[0].seed % 10 === 0;
        const files = drawn.map((own) => ({
          ...own,
          types: Object.fromEntries(
            Object.entries(own.types).map(([name, type]) => [
              name,
              isOdd || kindOf(type) === kindOf(drawn[0].types[name]) ? type : drawn[0].types[name],
            ]),
          ),
        }));
        await agree(await write(files));
      }),
      { few: 4, many: 50 },
    );
  }, 300_000);
});
