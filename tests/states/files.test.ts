import { renameSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { describe, expect, test } from 'vitest';
import { type Book, defineModel, type Engine, type Model, type OpenBookOptions, open } from '../../src/index.ts';
import { factModel, makeFolder, openBook, table } from '../setup/builders.ts';
import { duckdb, folderFiles, memory } from '../setup/library.ts';

const modelOf = (ending: string): Model =>
  factModel(
    'sales',
    { dates: { sold: 'day' }, links: { place: 'place' }, measures: { revenue: { sum: 'amount' } } },
    {
      sources: { sales: { file: `sales.${ending}` }, seasons: { file: 'seasons.csv' } },
      calendar: { periods: { season: { table: 'seasons', start: 'day', label: 'name' } }, workingDays: { holidays: 'free.ics' } },
    },
  ) as unknown as Model;

const ics = (day: string): string =>
  `BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Grünhof//Free days//EN\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20260101T000000Z\r\nSUMMARY:Free\r\nDTSTART;VALUE=DATE:${day}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n`;

/** Puts a file in its place at once, as a careful program does. */
const put = (folder: string, name: string, bytes: string): void => {
  writeFileSync(join(folder, `.${name}`), bytes);
  renameSync(join(folder, `.${name}`), join(folder, name));
};

const parquet = async (folder: string, rows: string): Promise<void> => {
  const connection = await (await DuckDBInstance.create()).connect();
  await connection.run(
    `copy (select day::date as day, place, amount::decimal(9, 2) as amount from (values ${rows}) t(day, place, amount)) to '${folder}/.sales.parquet' (format parquet)`,
  );
  connection.closeSync();
  renameSync(join(folder, '.sales.parquet'), join(folder, 'sales.parquet'));
};

const ENGINES: readonly (readonly [string, string, (folder: string) => Engine])[] = [
  ['memory', 'csv', (folder) => memory({}, { files: folderFiles(folder) })],
  ['duckdb', 'csv', (folder) => duckdb({ folder })],
  ['memory', 'parquet', (folder) => memory({}, { files: folderFiles(folder) })],
  ['duckdb', 'parquet', (folder) => duckdb({ folder })],
];

const write = async (folder: string, ending: string, rows: readonly (readonly [string, string, number])[]): Promise<void> => {
  if (ending === 'parquet') return parquet(folder, rows.map(([day, place, amount]) => `('${day}', '${place}', ${amount})`).join(', '));
  put(folder, 'sales.csv', `day,place,amount\n${rows.map((row) => row.join()).join('\n')}\n`);
};

const prepared = async (
  ending: string,
  engine: (folder: string) => Engine,
  options: OpenBookOptions = {},
): Promise<{ readonly folder: string; readonly book: Book }> => {
  const folder = makeFolder();
  put(folder, 'seasons.csv', 'day,name\n2026-01-01,Winter\n');
  put(folder, 'free.ics', ics('20260106'));
  await write(folder, ending, [['2026-01-05', 'North', 1.5]]);
  return { folder, book: await open(modelOf(ending), engine(folder), options) };
};

describe.each(ENGINES)('V6: files replaced under an open book of %s, .%s', (name, ending, engine) => {
  test('the next question is about what is there then, members and totals alike', async () => {
    const { folder, book } = await prepared(ending, engine);
    const ask = () => book.ask({ show: ['revenue'], by: 'month', per: ['place'], totals: true });
    const before = await ask();
    expect(before.rows).toEqual([['2026-01', 'North', 1.5]]);
    await write(folder, ending, [
      ['2026-01-05', 'South', 2.25],
      ['2026-02-05', 'West', 4],
    ]);
    const after = await ask();
    expect(after.rows).toEqual(table('2026-01 South 2.25 | 2026-01 West – | 2026-02 South – | 2026-02 West 4'));
    expect(after.totals.at(-1)).toEqual(['Total', 'Total', 6.25]);
    expect(await book.members('place')).toEqual(['South', 'West']);
    expect(Date.parse(after.state?.time ?? '')).toBeGreaterThanOrEqual(Date.parse(before.state?.time ?? ''));
    await book.close();
  });

  test('an answer names what it was computed from: model and data, each by itself (V5)', async () => {
    const { folder, book } = await prepared(ending, engine);
    const ask = async () => (await book.ask({ show: ['revenue'], by: 'month', per: ['place'] })).state;
    const before = await ask();
    expect(before).toEqual({
      model: expect.stringMatching(/^[0-9a-f]{16}$/),
      data: expect.stringMatching(/^[0-9a-f]{16}$/),
      time: expect.any(String),
    });
    expect(await ask()).toMatchObject({ model: before?.model, data: before?.data });
    await write(folder, ending, [['2026-01-05', 'South', 2.25]]);
    const after = await ask();
    expect([after?.model === before?.model, after?.data === before?.data]).toEqual([true, false]);
    expect((await book.refresh())?.data).toBe(after?.data);
    await book.close();
  });

  test('so for tables of the calendar and holidays', async () => {
    const { folder, book } = await prepared(ending, engine);
    const days = async () => (await book.ask({ show: ['working-days'], range: '2026-01', asOf: '2026-01-31' })).rows[0][1];
    expect(await days()).toBe(21);
    put(folder, 'free.ics', ics('20260103'));
    expect(await days()).toBe(22);
    put(folder, 'seasons.csv', 'day,name\n2026-01-01,Frost\n');
    expect((await book.ask({ show: ['revenue'], by: 'season' })).rows[0][0]).toBe('Frost');
    await book.close();
  });

  test('with refresh it is looked at when the time is over, or when it is called for', async () => {
    const { folder, book } = await prepared(ending, engine, { refresh: 3600 });
    const ask = async () => (await book.ask({ show: ['revenue'] })).rows[0][1];
    await write(folder, ending, [['2026-01-05', 'North', 7]]);
    // An engine that reads rows where they lie has nothing left of the old ones.
    expect(await ask()).toBe(name === 'duckdb' && ending === 'parquet' ? 7 : 1.5);
    await book.refresh();
    expect(await ask()).toBe(7);
    await book.close();
  });

  test('what is wrong with the new files is told; when they are right again, so are the answers', async () => {
    const { folder, book } = await prepared(ending, engine);
    put(folder, `sales.${ending}`, 'no such table');
    await expect(book.ask({ show: ['revenue'] })).rejects.toMatchObject({ code: ending === 'csv' ? 'unknown-column' : 'bad-file' });
    await write(folder, ending, [['2026-01-05', 'North', 3]]);
    expect((await book.ask({ show: ['revenue'] })).rows[0][1]).toBe(3);
    await book.close();
  });

  test('questions at one time share one opening', async () => {
    const { folder, book } = await prepared(ending, engine);
    await write(folder, ending, [['2026-01-05', 'North', 5]]);
    const answers = await Promise.all(Array.from({ length: 20 }, () => book.ask({ show: ['revenue'] })));
    expect(new Set(answers.map(({ rows }) => rows[0][1]))).toEqual(new Set([5]));
    expect(new Set(answers.map(({ state }) => state?.time)).size).toBe(1);
    await book.close();
  });
});

test('V6: a file that changes in the middle of a question is an error where rows are read then', async () => {
  const folder = makeFolder();
  put(folder, 'seasons.csv', 'day,name\n2026-01-01,Winter\n');
  put(folder, 'free.ics', ics('20260106'));
  await parquet(folder, `('2026-01-05', 'North', 1)`);
  let asked = 0;
  const engine = duckdb({
    folder,
    trace: () => {
      // Somebody touches the file between two statements of a question.
      if (asked++ === 0) return;
      const { atime, mtime } = statSync(join(folder, 'sales.parquet'));
      if (touching) utimesSync(join(folder, 'sales.parquet'), atime, new Date(mtime.getTime() + 1000));
    },
  });
  let touching = false;
  const book = await openBook(modelOf('parquet'), engine);
  touching = true;
  await expect(book.ask({ show: ['revenue'], by: 'month', per: ['place'] })).rejects.toMatchObject({
    code: 'source-changed',
    message: 'sales.parquet changed while a question was answered',
  });
  touching = false;
  expect((await book.ask({ show: ['revenue'], by: 'month', per: ['place'] })).rows).toEqual([['2026-01', 'North', 1]]);
});

test('the fingerprint of a model is that of what it says, in whatever order, and of rows that a program gives there is none (V5)', async () => {
  const facts = { f: { source: 'f', dates: { d: 'd' }, measures: { n: { count: 'rows' }, m: { sum: 'a' } } } } as const;
  const other = { f: { measures: { m: { sum: 'a' }, n: { count: 'rows' } }, dates: { d: 'd' }, source: 'f' } } as const;
  const stateOf = async (model: object) => {
    const book = await open(defineModel(model as never), memory({ f: [{ d: '2026-01-01', a: 1 }] }));
    return (await book.ask({ show: ['n'] } as never)).state;
  };
  const own = await stateOf({ facts });
  expect(own).toEqual({ model: expect.stringMatching(/^[0-9a-f]{16}$/) });
  expect(await stateOf({ facts: other })).toEqual(own);
  expect(await stateOf({ facts: { f: { ...facts.f, grain: 'month' } } })).not.toEqual(own);
});
