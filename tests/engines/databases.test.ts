import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { orderModel, orderStatements } from '../../bench/orders.ts';
import type { Statement } from '../../src/engines/sql/database.ts';
import { type Book, defineModel, type Engine, type Model, open, type Question } from '../../src/index.ts';
import { factModel, loadTables, makeFolder, openBook, type Postgres, startPostgres, type Tables, table } from '../setup/builders.ts';
import { duckdb, memory, postgres } from '../setup/library.ts';

let server: Postgres;
beforeAll(async () => {
  server = await startPostgres();
});
afterAll(() => server?.stop());

const bytes = async (book: Book, question: Question): Promise<string> => JSON.stringify((await book.ask(question)).toJson());

describe('names and values that would break out of a statement', () => {
  const evil = `x"; drop table "y'; --`;
  const member = `O'Neill"); delete from t; --\\`;
  const column = (k: number): string => `${evil} ${k}`;
  const model: Model = defineModel({
    sources: { [`s${evil}`]: {}, [`d${evil}`]: {} },
    dimensions: { place: { source: `d${evil}`, key: column(1), attributes: { town: column(2) } }, kind: {} },
    facts: {
      things: {
        source: `s${evil}`,
        dates: { on: { column: column(3), blankDates: [`'; --`, '9999-12-31'] } },
        links: { place: column(4), kind: column(5) },
        columns: { [`twice${evil}`]: 'n * 2' },
        measures: {
          amount: { sum: `twice${evil}`, where: { town: { not: [`'; select 1; --`] } } },
          keys: { countDistinct: column(5) },
        },
      },
    },
  });
  const tables: Tables = {
    [`d${evil}`]: [
      { [column(1)]: `k'"`, [column(2)]: member },
      { [column(1)]: 'k2', [column(2)]: '%_' },
    ],
    [`s${evil}`]: [
      { [column(3)]: '2026-01-05', [column(4)]: `k'"`, [column(5)]: `a'b`, n: 1.25 },
      { [column(3)]: '2026-01-06', [column(4)]: 'k2', [column(5)]: 'a"b', n: 2 },
      { [column(3)]: `'; --`, [column(4)]: `k"'; --`, [column(5)]: '\\', n: 4 },
    ],
  };
  const questions: readonly Question[] = [
    { show: ['amount', 'keys'], per: ['town', 'kind'], totals: true },
    { show: ['amount'], by: 'day', where: { town: member } },
    { show: ['amount', 'keys over [P10D/anchor]'], by: 'day', where: { kind: { not: [`a'b`] } } },
  ];

  test('DuckDB and PostgreSQL answer as memory does', async () => {
    const loaded = await loadTables(server.client, `schema"'--`, tables);
    const engines: readonly Engine[] = [duckdb({ tables }), postgres({ connectionString: server.url + loaded.options })];
    const wanted = await openBook(model, memory(tables));
    for (const engine of engines) {
      const book = await openBook(model, engine);
      for (const question of questions) expect(await bytes(book, question)).toBe(await bytes(wanted, question));
    }
    expect((await wanted.ask(questions[1])).rows).toEqual(table('2026-01-05 2.5 | 2026-01-06 –'));
    await loaded.drop();
  });
});

/** Sales of which a view says slowly what they are, so that a question can be met in the middle. */
const slowModel = factModel(
  'sales',
  { dates: { on: 'day' }, links: { region: 'region' }, measures: { revenue: { sum: 'amount' } } },
  { sources: { sales: { query: 'select day, amount, region from sales where pg_sleep(0.002) is not null' } } },
);
const slowTables: Tables = {
  sales: Array.from({ length: 400 }, (_, k) => ({
    day: `2026-01-${String(1 + (k % 28)).padStart(2, '0')}`,
    amount: k,
    region: `r${k % 3}`,
  })),
};
const REVENUE: Question = { show: ['revenue'], by: 'day', per: ['region'], range: '2026-01' };
const running = async (part: string): Promise<number> => {
  const { rows } = await server.client.query(
    `select count(*)::int as n from pg_stat_activity where state = 'active' and query like $1 and pid <> pg_backend_pid()`,
    [`%${part}%`],
  );
  return rows[0].n;
};
const until = async (condition: () => Promise<boolean>): Promise<void> => {
  for (let k = 0; !(await condition()); k++) {
    if (k > 400) throw new Error('it did not happen');
    await new Promise((resolve) => setTimeout(resolve, 10));
  }
};

describe('a PostgreSQL server with troubles', () => {
  let book: Book;
  let drop: Awaited<ReturnType<typeof loadTables>>['drop'];
  let options = '';
  beforeAll(async () => {
    ({ drop, options } = await loadTables(server.client, 'slow', slowTables));
    book = (await open(slowModel, postgres({ connectionString: server.url + options }))) as Book;
  });
  afterAll(async () => {
    await book.close();
    await drop(server.client);
  });

  test('a question that is given up stops the server too', async () => {
    const control = new AbortController();
    const asked = book.ask(REVENUE, { signal: control.signal });
    const failed = expect(asked).rejects.toMatchObject({ code: 'aborted', kind: 'engine' });
    await until(async () => (await running('pg_sleep')) > 0);
    control.abort();
    await failed;
    await until(async () => (await running('pg_sleep')) === 0);
    expect((await book.ask({ ...REVENUE, per: [], range: '2026-01-01/2026-01-28' })).rows).toHaveLength(28);
  });

  test('a statement that takes too long is an error that names the limit', async () => {
    const _hasty = await openBook(slowModel, postgres({ connectionString: server.url + options, statementTimeout: 5000 }));
    await expect(open(slowModel, postgres({ connectionString: server.url + options, statementTimeout: 50 }))).rejects.toMatchObject({
      code: 'timeout',
      message: expect.stringContaining('50 ms'),
    });
  });

  test('questions change nothing: every transaction is read-only', async () => {
    const writing = factModel(
      'sales',
      { dates: { on: 'day' }, measures: { revenue: { sum: 'amount' } } },
      { sources: { sales: { query: `select day, amount, region, nextval('numbers') as n from sales` } } },
    );
    await server.client.query('create sequence slow.numbers');
    await expect(
      open(writing, postgres({ connectionString: server.url + options })).then((own) => own.ask({ show: ['revenue'] })),
    ).rejects.toMatchObject({
      code: expect.stringMatching(/bad-query|engine-failed/),
      message: expect.stringContaining('read-only'),
    });
    await server.client.query('drop sequence slow.numbers');
  });

  test('a server that dies in the middle is an error that says so; when it is back, the next question works', async () => {
    const asked = book.ask({ ...REVENUE, where: { region: 'r1' } });
    const failed = expect(asked).rejects.toMatchObject({ code: 'connection-lost', hint: expect.stringContaining('next question') });
    await until(async () => (await running('pg_sleep')) > 0);
    server.kill();
    await failed;
    await expect(book.ask({ ...REVENUE, where: { region: 'r2' } })).rejects.toMatchObject({ code: 'no-connection' });
    server.start();
    await server.reconnect();
    const { rows } = await book.ask({ ...REVENUE, where: { region: 'r1' } });
    expect(rows.reduce((sum, row) => sum + Number(row[2]), 0)).toBe(
      slowTables.sales.reduce((sum, { amount, region }) => sum + (region === 'r1' ? Number(amount) : 0), 0),
    );
  });

  test('no server at all', async () => {
    await expect(open(slowModel, postgres({ connectionString: 'postgres://test@127.0.0.1:1/none' }))).rejects.toMatchObject({
      code: 'no-connection',
      message: expect.stringContaining('could not connect'),
      hint: expect.stringContaining('Nothing listens there'),
    });
    await expect(open(slowModel, postgres({ connectionString: 'postgres://test@nowhere.invalid/none' }))).rejects.toMatchObject({
      code: 'no-connection',
      hint: expect.stringContaining('no host of that name'),
    });
    await expect(open(slowModel, postgres({ connectionString: 'postgres://test:se#cr@t@h:x/none' }))).rejects.toMatchObject({
      code: 'bad-option',
      message: expect.not.stringContaining('cr@t'),
    });
  });
});

test('two hundred questions at once share connections and scans, and each gets its own answer', async () => {
  const tables: Tables = { sales: slowTables.sales };
  const model = factModel('sales', {
    dates: { on: 'day' },
    links: { region: 'region' },
    measures: { revenue: { sum: 'amount' }, rows: { count: 'rows' } },
  });
  const loaded = await loadTables(server.client, 'many', tables);
  const statements: Statement[] = [];
  const trace = (statement: Statement): void => void statements.push(statement);
  const wanted = await openBook(model, memory(tables));
  for (const engine of [postgres({ connectionString: server.url + loaded.options, trace }), duckdb({ tables, trace })]) {
    const book = await openBook(model, engine);
    statements.length = 0;
    const questions = Array.from(
      { length: 200 },
      (_, k): Question => ({
        show: k % 2 === 0 ? ['revenue'] : ['rows', 'revenue over mtd'],
        by: k % 3 === 0 ? 'week' : 'day',
        per: k % 5 === 0 ? [] : ['region'],
        range: `2026-01-0${1 + (k % 9)}/2026-01-28`,
        asOf: `2026-01-${10 + (k % 18)}`,
      }),
    );
    const answers = await Promise.all(questions.map((question) => bytes(book, question)));
    for (const [k, question] of questions.entries()) expect(answers[k]).toBe(await bytes(wanted, question));
    // Without sharing it would be more than one a question.
    expect(statements.length).toBeLessThan(60);
  }
  await loaded.drop();
});

describe('lines of orders with four dates in a DuckDB file', () => {
  const path = join(makeFolder(), 'orders.duckdb');
  const model = defineModel(
    orderModel({ lines: { table: 'lines' }, orders: { table: 'orders' }, nurseries: { table: 'nurseries' }, budget: { table: 'budget' } }),
  );
  let book: Book;
  const sql = async (text: string): Promise<unknown[][]> => {
    const instance = await DuckDBInstance.create(path, { access_mode: 'READ_ONLY' });
    const connection = await instance.connect();
    const rows = (await connection.runAndReadAll(text)).getRowsJS();
    connection.closeSync();
    instance.closeSync();
    return rows.map((row) => row.map((value) => (typeof value === 'bigint' ? Number(value) : value)));
  };
  beforeAll(async () => {
    const instance = await DuckDBInstance.create(path);
    const connection = await instance.connect();
    for (const statement of orderStatements(300_000)) await connection.run(statement);
    connection.closeSync();
    instance.closeSync();
    book = (await open(model, duckdb({ path }))) as Book;
  });
  afterAll(() => book?.close());

  test.each([
    ['revenue', 'ordered_on'],
    ['revenue on promised', 'promised_on'],
    ['revenue on shipped', 'shipped_on'],
    ['revenue on received', 'received_on'],
  ])('%s by quarter and region is what SQL says, and only day cubes travel', async (reading, column) => {
    const before = book.cost().fetched as number;
    const { rows } = await book.ask({ show: [reading], by: 'quarter', per: ['region'], range: '2020/2025', asOf: '2026-12-31' });
    const fetched = (book.cost().fetched as number) - before;
    const wanted = await sql(
      `select year(${column}) || '-Q' || quarter(${column}), region, sum(price)::double from lines join nurseries using (nursery_id) where year(${column}) between 2020 and 2025 group by all order by 1, 2`,
    );
    expect(rows).toEqual(wanted);
    expect(fetched).toBeGreaterThan(0);
    expect(fetched).toBeLessThan(366 * 6 * 5 + 100);
  });

  test('M2, M6, M10: distinct customers, days in transit and a computed column', async () => {
    const { rows } = await book.ask({ show: ['customers', 'transit', 'net'], by: 'year', range: '2020/2024', asOf: '2026-12-31' });
    const wanted = await sql(`select y, c, t, n from
      (select year(ordered_on)::varchar as y, count(distinct customer_id) as c, (sum(price - price * discount))::double as n from lines group by 1)
      join (select year(received_on)::varchar as y, avg(received_on - shipped_on) as t from lines where received_on is not null group by 1) using (y)
      where y between '2020' and '2024' order by y`);
    expect(rows.map((row) => row.slice(0, 2))).toEqual(wanted.map((row) => row.slice(0, 2)));
    rows.forEach((row, k) => {
      expect(row[2]).toBeCloseTo(Number(wanted[k][2]), 9);
      // Of products with more than six decimals, in double precision (M10, R3).
      expect(Number(row[3]) / Number(wanted[k][3])).toBeCloseTo(1, 11);
    });
  });

  test('G5: split by an attribute of a million and a half orders', async () => {
    const { rows } = await book.ask({ show: ['lines'], per: ['priority'], by: 'year', range: '2024', asOf: '2026-12-31' });
    expect(rows).toEqual(
      await sql(
        `select '2024', priority, count(*) from lines join orders using (order_id) where year(lines.ordered_on) = 2024 group by all order by 2`,
      ),
    );
  });
});
