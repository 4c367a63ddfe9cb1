import pg from 'pg';
import { afterAll, beforeAll, describe, expect, inject, test } from 'vitest';
import { type Book, defineModel, type Model, type OpenBookOptions, open, type Question } from '../../src/index.ts';
import { factModel, table } from '../setup/builders.ts';
import { postgres } from '../setup/library.ts';

let client: pg.Client;
let schema = 0;
beforeAll(async () => {
  client = new pg.Client({ connectionString: inject('postgres') });
  await client.connect();
});
afterAll(() => client?.end());

const run = (sql: string) => client.query(sql);
const MODEL = {
  timeZone: 'Europe/Berlin',
  calendar: {
    workingDays: { holidays: { table: 'holidays', date: 'day' } },
    periods: { season: { table: 'seasons', start: 'day', label: 'name' } },
  },
  sources: { sales: {}, places: {}, holidays: {}, seasons: {} },
  dimensions: { place: { source: 'places', key: 'id', attributes: { place: 'name' } } },
  facts: {
    sales: {
      source: 'sales',
      dates: { sold: 'day', sent: { column: 'sent', onBadDate: 'error' } },
      links: { place: 'place' },
      measures: {
        revenue: { sum: 'amount', role: 'sold' },
        sent: { sum: 'amount', role: 'sent' },
        transit: { daysBetween: 'sold/sent', workingDays: true, role: 'sold' },
        rows: { count: 'rows', role: 'sold' },
        middle: { median: 'amount', role: 'sold' },
      },
    },
  },
} as const;

/** A book over tables of its own, opened on a first state of them. */
const opened = async (
  rows: string,
  options: OpenBookOptions = {},
): Promise<{ readonly book: Book; readonly insert: (rows: string) => Promise<unknown> }> => {
  const name = `live${process.pid}_${schema++}`;
  await run(`create schema ${name}; set search_path = ${name};
    create table sales (day timestamptz, sent text, place text, amount numeric);
    create table places (id text, name text); create table holidays (day date); create table seasons (day date, name text);
    insert into places values ('n', 'North'); insert into seasons values ('2026-01-01', 'Winter');
    insert into sales values ${rows}`);
  const book = await open(
    defineModel(MODEL) as unknown as Model,
    postgres({ connectionString: `${inject('postgres')}?options=${encodeURIComponent(`-c search_path=${name}`)}` }),
    options,
  );
  return { book, insert: (more) => run(`set search_path = ${name}; insert into ${name}.sales values ${more}`) };
};
const rowsOf = async (book: Book, question: Question) => (await book.ask(question)).rows;
const FIRST = `('2026-01-05 10:00+01', '2026-01-06', 'n', 1.5), ('2026-01-05 10:00+01', '2026-01-06', 'n', 2)`;

describe('V6: what is known of one state is not taken for another', () => {
  test('U10, M6: the calendar of working days reaches to rows beyond the first bounds, holidays included', async () => {
    const { book, insert } = await opened(FIRST);
    expect(await rowsOf(book, { show: ['transit'], by: 'year', asOf: '2026-01-10' })).toEqual([['2026', 1]]);
    await insert(`('2027-03-01 10:00+01', '2027-04-02', 'n', 1)`);
    // From 1 March to 2 April 2027 there are 24 working days; the average with two of one day.
    const asked: Question = { show: ['transit'], by: 'year', asOf: '2027-12-31' };
    expect(await rowsOf(book, asked)).toEqual(table("'2026' 1 | '2027' 24"));
    await run(`insert into holidays values ('2027-03-26'), ('2027-03-29')`);
    expect(await rowsOf(book, asked)).toEqual(table("'2026' 1 | '2027' 22"));
    await book.close();
  });

  test('decimals that were not there when the book was opened', async () => {
    const { book, insert } = await opened(FIRST);
    expect(await rowsOf(book, { show: ['revenue'], by: 'month' })).toEqual([['2026-01', 3.5]]);
    await insert(`('2026-01-05 10:00+01', '2026-01-06', 'n', 0.25), ('2026-01-05 10:00+01', '2026-01-06', 'n', 0.04)`);
    const { rows, notes } = await book.ask({ show: ['revenue'], by: 'month' });
    expect([rows, notes]).toEqual([[['2026-01', 3.79]], []]);
    await book.close();
  });

  test('instants in summer, of a book that was opened in winter', async () => {
    const { book, insert } = await opened(FIRST);
    await rowsOf(book, { show: ['revenue'], by: 'day' });
    await insert(`('2026-07-14 22:30+00', '2026-07-15', 'n', 8)`);
    expect(await rowsOf(book, { show: ['revenue'], by: 'day', range: '2026-07-14/2026-07-15' })).toEqual(
      table('2026-07-14 – | 2026-07-15 8'),
    );
    await book.close();
  });

  test('dates of another form, and of none', async () => {
    const { book, insert } = await opened(FIRST);
    await rowsOf(book, { show: ['sent'], by: 'day' });
    await insert(`('2026-01-08 10:00+01', '20260108', 'n', 4)`);
    expect(await rowsOf(book, { show: ['sent'], by: 'month' })).toEqual([['2026-01', 7.5]]);
    await insert(`('2026-01-09 10:00+01', '9 January', 'n', 4)`);
    await expect(book.ask({ show: ['sent'], by: 'month' })).rejects.toMatchObject({
      code: 'bad-dates',
      message: expect.stringContaining('"9 January" is not a date'),
    });
    await run(`delete from sales where sent = '9 January'`);
    expect(await rowsOf(book, { show: ['sent'], by: 'month' })).toEqual([['2026-01', 7.5]]);
    await book.close();
  });

  test('rows beyond the first and last day there were, and members that were not there', async () => {
    const { book, insert } = await opened(FIRST);
    expect(await rowsOf(book, { show: ['revenue'], by: 'month', per: ['place'] })).toEqual([['2026-01', 'North', 3.5]]);
    await run(`insert into places values ('s', 'South'), ('x', '(none)')`);
    await insert(`('2025-12-31 10:00+01', null, 's', 1), ('2026-02-01 10:00+01', null, 'x', 2), ('2026-02-01 10:00+01', null, null, 4)`);
    expect(await rowsOf(book, { show: ['revenue'], by: 'month', per: ['place'], gaps: 'hide' })).toEqual([
      ['2025-12', 'South', 1],
      ['2026-01', 'North', 3.5],
      ['2026-02', '"(none)"', 2],
      ['2026-02', '(none)', 4],
    ]);
    expect(await book.members('place')).toEqual(['"(none)"', 'North', 'South']);
    expect(await book.bounds('sales', 'sold')).toEqual({ first: 20453, last: 20485 });
    await run(`insert into places values ('s', 'Sud')`);
    await expect(book.ask({ show: ['revenue'], per: ['place'] })).rejects.toMatchObject({ code: 'doubled-key' });
    await book.close();
  });

  test('tables of the calendar', async () => {
    const { book } = await opened(FIRST);
    const days = async () =>
      (await rowsOf(book, { show: ['working-days'], by: 'month', range: '2026-01/2026-01', asOf: '2026-02-15' }))[0][1];
    expect(await days()).toBe(22);
    await run(`insert into holidays values ('2026-01-06')`);
    expect(await days()).toBe(21);
    await run(`insert into seasons values ('2026-01-06', 'Late winter')`);
    expect(await rowsOf(book, { show: ['revenue'], by: 'season', range: '2026-01', asOf: '2026-01-31' })).toEqual(
      table("Winter 3.5 | 'Late winter' –"),
    );
    await book.close();
  });

  test('columns of another type, and tables that are gone', async () => {
    const { book } = await opened(FIRST);
    await rowsOf(book, { show: ['revenue'] });
    await run('alter table sales alter amount type double precision');
    expect((await rowsOf(book, { show: ['revenue'], by: 'month' }))[0][1]).toBe(3.5);
    await run('alter table sales alter amount type text');
    expect((await rowsOf(book, { show: ['revenue'], by: 'month' }))[0][1]).toBe(3.5);
    await run('alter table sales rename amount to sum');
    await expect(book.ask({ show: ['revenue'] })).rejects.toMatchObject({ code: 'unknown-column' });
    await run('alter table sales rename to old');
    await expect(book.ask({ show: ['revenue'] })).rejects.toMatchObject({ code: 'unknown-table' });
    await run('alter table old rename to sales; alter table sales rename sum to amount');
    expect((await rowsOf(book, { show: ['revenue'], by: 'month' }))[0][1]).toBe(3.5);
    await book.close();
  });

  test('the same state is looked up once: asking again fetches nothing of the facts', async () => {
    const { book } = await opened(FIRST);
    const question: Question = { show: ['revenue'], by: 'month', per: ['place'] };
    await book.ask(question);
    const { scans } = book.cost();
    await book.ask(question);
    await book.ask({ ...question, by: 'quarter' });
    expect(book.cost().scans).toBe(scans);
    await book.close();
  });
});

describe('refresh: how long a state is taken for the present one', () => {
  test('in seconds, and by a call', async () => {
    const { book, insert } = await opened(FIRST, { refresh: 3600 });
    const question: Question = { show: ['revenue'], by: 'month' };
    const before = await book.ask(question);
    await insert(`('2026-01-05 10:00+01', '2026-01-06', 'n', 1)`);
    const again = await book.ask(question);
    expect([again.rows, again.state]).toEqual([before.rows, before.state]);
    const seen = await book.refresh();
    const after = await book.ask(question);
    expect(after.rows).toEqual([['2026-01', 4.5]]);
    expect(after.state).toEqual(seen);
    expect(Date.parse(after.state?.time ?? '')).toBeGreaterThan(Date.parse(before.state?.time ?? ''));
    // What the kept state has not is asked of the present one.
    await insert(`('2026-01-05 10:00+01', '2026-01-06', 'n', 2)`);
    expect(await rowsOf(book, { show: ['sent'], by: 'month', asOf: '2026-01-31' })).toEqual([['2026-01', 6.5]]);
    await book.close();
  });

  test('V6: value counts are asked of the same state as sums, also where an older state is still in use', async () => {
    const { book, insert } = await opened(FIRST, { refresh: 3600 });
    const before = await book.ask({ show: ['revenue', 'rows'], by: 'month' });
    await insert(`('2026-01-05 10:00+01', '2026-01-06', 'n', 100), ('2026-01-05 10:00+01', '2026-01-06', 'n', 101)`);
    const after = await book.ask({ show: ['revenue', 'rows', 'middle'], by: 'month' });
    expect([after.rows, after.state?.data === before.state?.data]).toEqual([[['2026-01', 204.5, 4, 51]], false]);
    await book.close();
  });

  test.each([[-1], [Number.NaN], ['5'], [Number.POSITIVE_INFINITY]])('%s is no time', async (refresh) => {
    await expect(opened(FIRST, { refresh: refresh as number })).rejects.toMatchObject({ code: 'bad-option' });
  });
});

describe('what the settings of a database or role change', () => {
  const SETTINGS = [
    "datestyle = 'German, DMY'",
    'extra_float_digits = -8',
    'standard_conforming_strings = off',
    "intervalstyle = 'sql_standard'",
    "bytea_output = 'escape'",
    "timezone = 'Pacific/Auckland'",
    "lc_monetary = 'C'",
    'transform_null_equals = on',
    'statement_timeout = 0',
  ];
  test('R3: answers are the same bytes under any of them, and no text breaks out of a statement', async () => {
    const own = `settings_${process.pid}`;
    await run(`create database ${own}`);
    const url = new URL(inject('postgres'));
    url.pathname = `/${own}`;
    const other = new pg.Client({ connectionString: url.href });
    await other.connect();
    await other.query(`create table sales (day date, loaded timestamptz, place text, rate double precision);
      insert into sales values ('2026-03-02', '2026-03-02 23:30+00', 'back\\slash', 12345678.123456), ('2026-03-03', '2026-03-03 10:00+00', 'O''Neill', 0.1)`);
    const model = defineModel({
      timeZone: 'Europe/Berlin',
      sources: { sales: {} },
      dimensions: { place: {}, day: {}, loaded: {} },
      facts: {
        sales: {
          source: 'sales',
          dates: { sold: 'day', loaded: 'loaded' },
          links: { place: 'place', day: 'day', loaded: 'loaded' },
          measures: { rate: { sum: 'rate', role: 'sold' }, rows: { count: 'rows', role: 'loaded' } },
        },
      },
    });
    const answers = async (): Promise<string> => {
      const book = await open(model, postgres({ connectionString: url.href }));
      const asked = [
        { show: ['rate'], per: ['place', 'day'] },
        { show: ['rate', 'rows'], per: ['loaded'], by: 'day' },
        { show: ['rate'], where: { place: ['back\\slash', "O'Neill"] } },
      ];
      const found = [];
      for (const question of asked) found.push((await book.ask(question as never)).toJson().rows);
      found.push((await book.explain({ reading: 'rate', at: '2026-03' })).parts);
      await book.close();
      return JSON.stringify(found);
    };
    const plain = await answers();
    expect(plain).toContain('12345678.123456');
    for (const setting of SETTINGS) {
      await other.query(`alter database ${own} set ${setting}`);
      expect(await answers(), setting).toBe(plain);
    }
    await other.end();
    await run(`drop database ${own} with (force)`);
  });

  test('V5: two databases of one server are two states, even where their snapshots are numbered alike', async () => {
    const names = ['one', 'two'].map((name) => `${name}_${process.pid}`);
    const states: (string | undefined)[] = [];
    for (const name of names) {
      await run(`create database ${name}`);
      const url = new URL(inject('postgres'));
      url.pathname = `/${name}`;
      const book = await open(
        factModel(
          'sales',
          { source: 'sales', dates: { sold: 'day' }, measures: { n: { count: 'rows' } } },
          { sources: { sales: { query: "select date '2026-01-01' as day" } } },
        ),
        postgres({ connectionString: url.href }),
      );
      states.push((await book.ask({ show: ['n'] })).state?.data);
      await book.close();
    }
    expect(states[0]).not.toBe(states[1]);
    for (const name of names) await run(`drop database ${name} with (force)`);
  });
});
