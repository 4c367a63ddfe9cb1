// A real cluster, where there can be one (CONTRIBUTING.md).

import { once } from 'node:events';
import { rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Connection, statement } from '../../src/engines/trino/client.ts';
import { type Book, type DurchblickError, defineModel, open } from '../../src/index.ts';
import { durchblick, factModel, makeFolder, openBook, table } from '../setup/builders.ts';
import { clusterUrl } from '../setup/cluster.ts';
import { type StatementRun, trino, workersOf } from '../setup/library.ts';

const model = factModel(
  'sales',
  { dates: { sold: 'sold' }, links: { shop: 'shop' }, measures: { revenue: { sum: 'amount' }, buyers: { countDistinct: 'buyer' } } },
  {
    sources: { sales: { table: 'sales' }, shops: { table: 'shops' } },
    dimensions: { shop: { source: 'shops', key: 'id', attributes: { shop: 'name' } } },
  },
);
const QUESTION = { show: ['revenue', 'buyers'], per: ['shop'], range: '2026' } as const;

describe.skipIf(clusterUrl === undefined)('states of a cluster (V5, V6)', () => {
  const place = (catalog: string): Connection => ({
    server: clusterUrl as string,
    user: 'tests',
    catalog,
    schema: `states_${process.pid}`,
  });
  const run = (catalog: string, sql: string) => statement(place(catalog), sql, undefined);
  beforeAll(async () => {
    for (const catalog of ['lake', 'memory']) {
      await run(catalog, `create schema ${place(catalog).schema}`);
      await run(catalog, "create table shops as select * from (values (1, 'Old Town'), (2, 'Harbour')) as t (id, name)");
      await run(
        catalog,
        "create table sales as select * from (values (date '2026-01-05', 1, cast(12.50 as decimal(10, 2)), 'a'), (date '2026-02-01', 2, cast(7.25 as decimal(10, 2)), 'b')) as t (sold, shop, amount, buyer)",
      );
    }
  });
  afterAll(async () => {
    for (const catalog of ['lake', 'memory']) {
      for (const table of ['sales', 'shops']) await run(catalog, `drop table if exists ${table}`);
      await run(catalog, `drop schema ${place(catalog).schema}`);
    }
  });
  const rowsOf = async (book: Book) => (await book.ask(QUESTION as never)).rows.map(([, ...cells]) => cells);
  const opened = async (catalog: string): Promise<Book> => (await open(model, trino(place(catalog)))) as unknown as Book;

  test('snapshots are the state: kept cubes answer while they are the same, and what is written is seen by the next question', async () => {
    const book = await opened('lake');
    const first = await book.ask(QUESTION as never);
    expect(first.notes).toEqual([]);
    expect(await rowsOf(book)).toEqual(table("Harbour 7.25 1 | 'Old Town' 12.5 1"));
    const { scans } = book.cost();
    expect((await book.ask({ show: ['revenue'], per: ['shop'], by: 'month', range: '2026' } as never)).state?.data).toBe(first.state?.data);
    expect(book.cost().scans).toBe(scans);
    await run('lake', "insert into sales values (date '2026-03-01', 1, decimal '100.00', 'a')");
    expect(await rowsOf(book)).toEqual(table("Harbour 7.25 1 | 'Old Town' 112.5 1"));
    expect((await book.ask(QUESTION as never)).state?.data).not.toBe(first.state?.data);
    // A table that only names members is part of the state, too.
    await run('lake', "update shops set name = 'New Town' where id = 1");
    expect(await rowsOf(book)).toEqual(table("Harbour 7.25 1 | 'New Town' 112.5 1"));
    await run('lake', 'drop table sales');
    await expect(rowsOf(book)).rejects.toThrow(/sales/);
    await run('lake', "create table sales as select date '2026-01-05' as sold, 2 as shop, decimal '1.00' as amount, 'c' as buyer");
    expect(await rowsOf(book)).toEqual([['Harbour', 1, 1]]);
    await book.close();
  });

  test('a catalog without snapshots is noted, and asked anew each time', async () => {
    const book = await opened('memory');
    expect((await book.ask(QUESTION as never)).notes.map(({ code }) => code)).toEqual(['unpinned-state']);
    await run('memory', "insert into sales values (date '2026-03-01', 1, decimal '100.00', 'a')");
    expect(await rowsOf(book)).toEqual(table("Harbour 7.25 1 | 'Old Town' 112.5 1"));
    await book.close();
  });

  test('what is given up or late is ended on the cluster, and the next question is answered', async () => {
    const slow =
      'select count(*) from (select a.x from unnest(sequence(1, 10000)) as a (x), unnest(sequence(1, 10000)) as b (y), unnest(sequence(1, 100)) as c (z))';
    const controller = new AbortController();
    const given = statement(place('memory'), slow, undefined, controller.signal);
    setTimeout(() => controller.abort(), 500);
    await expect(given).rejects.toMatchObject({ code: 'aborted' });
    await expect(statement({ ...place('memory'), timeout: 300 }, slow, undefined)).rejects.toMatchObject({ code: 'timeout' });
    const running =
      "select count(*) from system.runtime.queries where state in ('QUEUED', 'PLANNING', 'STARTING', 'RUNNING') and query like '%sequence(1, 10000)%' and query not like '%runtime%'";
    await expect.poll(async () => (await run('memory', running)).rows[0][0]).toBe(0);
    const away = open(model, trino({ ...place('memory'), server: 'http://127.0.0.1:1' }));
    await expect(away).rejects.toMatchObject({ code: 'no-connection' } satisfies Partial<DurchblickError>);
  });

  test('an older state is asked again by its snapshots, or by an instant; what there is no more is said (V5)', async () => {
    const schema = `older_${process.pid}`;
    const at = { ...place('lake'), schema };
    const say = (sql: string) => statement(at, sql, undefined);
    await say(`create schema ${schema}`);
    await say("create table shops as select 1 as id, 'Old Town' as name");
    await say("create table sales as select date '2026-01-05' as sold, 1 as shop, decimal '12.50' as amount, 'a' as buyer");
    const revenue = async (state?: string) => {
      const book = await openBook(model, trino({ ...at, ...(state === undefined ? {} : { state }) }));
      const result = await book.ask({ show: ['revenue'], range: '2026' } as never);
      return { value: result.rows[0][1], snapshots: result.state?.snapshots as string };
    };
    const first = await revenue();
    expect(first.snapshots).toMatch(/^sales=\d{10,},shops=\d{10,}$/);
    const instant = new Date().toISOString();
    await new Promise((done) => setTimeout(done, 50));
    await say("insert into sales values (date '2026-02-01', 1, decimal '7.25', 'b')");
    expect((await revenue()).value).toBe(19.75);
    expect(await revenue(first.snapshots)).toEqual(first);
    expect(await revenue(instant)).toEqual(first);
    for (const [state, code, message] of [
      ['soon', 'bad-state', /names no state/],
      ['2026-08-15T06:00:00', 'bad-state', /names no state/],
      ['sales=1,shops=2', 'unknown-state', /has no snapshot \d any more/],
      [first.snapshots.split(',')[0], 'unknown-state', /no snapshot of table shops/],
      ['2020-01-01T00:00:00Z', 'unknown-state', /no state of 2020/],
    ] as const)
      await expect(revenue(state), state).rejects.toMatchObject({ code, message: expect.stringMatching(message) });
    for (const table of ['sales', 'shops']) await say(`drop table ${table}`);
    await say(`drop schema ${schema}`);
  });

  test('what nothing but rows is added to is asked for those rows alone; a snapshot that is removed is not missed (V5, V6)', async () => {
    const schema = `grown_${process.pid}`;
    const at = { ...place('lake'), schema };
    const say = (sql: string) => statement(at, sql, undefined);
    await say(`create schema ${schema}`);
    await say("create table shops as select * from (values (1, 'Old Town'), (2, 'Harbour')) as t (id, name)");
    await say(`create table sales as select date_add('day', cast(n as integer), date '2026-01-01') as sold, cast(n % 2 + 1 as integer) as shop,
      cast(n as decimal(10, 2)) as amount, 'b' as buyer from unnest(sequence(0, 89)) as t (n)`);
    const runs: StatementRun[] = [];
    const book = await openBook(model, trino({ ...at, ran: (run) => void runs.push(run) }));
    const asked = async () => {
      runs.length = 0;
      const { rows } = await book.ask({ show: ['revenue'], per: ['shop'], by: 'month' } as never);
      const [mine, fresh] = [JSON.stringify(rows), await open(model, trino(at))];
      expect(mine).toBe(JSON.stringify((await fresh.ask({ show: ['revenue'], per: ['shop'], by: 'month' } as never)).rows));
      await fresh.close();
      return { rows: runs.reduce((sum, run) => sum + run.rows, 0), about: runs.map(({ about }) => about).join('\n') };
    };
    expect((await asked()).rows).toBeGreaterThan(90);
    // Rows on days that are known, and on new ones: none of the 90 is read again.
    await say("insert into sales values (date '2026-01-01', 1, decimal '5.00', 'a'), (date '2026-04-01', 2, decimal '0.50', 'a')");
    const grown = await asked();
    expect(grown.rows).toBeLessThan(20);
    expect(grown.about).toMatch(/dates and numbers of sales, of rows that came since/);
    // The same columns by name and type, of which one is another: before rows come, and after.
    for (const order of ['before', 'after']) {
      if (order === 'after') await say("insert into sales values (date '2026-04-01', 2, decimal '0.25', 'a')");
      for (const how of ['drop column buyer', 'add column buyer varchar']) await say(`alter table sales ${how}`);
      if (order === 'before') await say("insert into sales values (date '2026-04-01', 2, decimal '0.25', 'a')");
      expect((await asked()).about, order).not.toMatch(/came since/);
    }
    await say("insert into sales values (date '2026-04-02', 1, decimal '1.25', 'a')");
    const expire = { ...at, session: { 'lake.expire_snapshots_min_retention': '0s' } };
    await statement(expire, "alter table sales execute expire_snapshots(retention_threshold => '0s')", undefined);
    expect((await asked()).rows).toBeGreaterThan(90);
    for (const change of [
      "update sales set amount = 2 where sold = date '2026-04-02'",
      "delete from sales where sold = date '2026-01-01'",
      'alter table sales drop column buyer',
      'alter table sales add column buyer varchar',
      "update shops set name = 'New Town' where id = 1",
    ]) {
      await say(change);
      if (!change.includes('drop column')) expect((await asked()).about, change).not.toMatch(/came since/);
    }
    for (const table of ['sales', 'shops']) await say(`drop table ${table}`);
    await say(`drop schema ${schema}`);
  });

  test('a table that may not be read stops those who need it, and is told by its place; others are answered', async () => {
    const schema = `rights_${process.pid}`;
    const at = { ...place('lake'), schema };
    const say = (sql: string) => statement(at, sql, undefined);
    await say(`create schema ${schema}`);
    for (const table of ['sales', 'closed_sales'])
      await say(`create table ${table} as select date '2026-01-05' as sold, decimal '12.50' as amount`);
    const fact = (source: string, measure: string) => ({ source, dates: { sold: 'sold' }, measures: { [measure]: { sum: 'amount' } } });
    const both = defineModel({
      sources: { sales: { table: 'sales' }, closed: { table: 'closed_sales' } },
      facts: { sales: fact('sales', 'revenue'), wages: fact('closed', 'wages') },
    });
    const book = await openBook(both, trino({ ...at, user: 'guest' }));
    expect((await book.ask({ show: ['revenue'], range: '2026' } as never)).rows[0][1]).toBe(12.5);
    await expect(book.ask({ show: ['wages'], range: '2026' } as never)).rejects.toMatchObject({
      code: 'bad-table',
      message: expect.stringMatching(/"closed" cannot be read/),
      hint: expect.stringMatching(/right to read/),
    });
    await say("insert into sales values (date '2026-02-05', decimal '1.00')");
    expect((await book.ask({ show: ['revenue'], range: '2026' } as never)).rows[0][1]).toBe(13.5);
    for (const table of ['sales', 'closed_sales']) await say(`drop table ${table}`);
    await say(`drop schema ${schema}`);
  });

  test('names are matched whatever their case; two that differ in nothing else are an error', async () => {
    const over = (amount: string, buyer: string) =>
      factModel(
        'sales',
        { dates: { sold: 'Sold' }, measures: { n: { sum: amount }, m: { countDistinct: buyer } } },
        { sources: { sales: { table: 'sales' } } },
      );
    const asked = async (amount: string, buyer: string) => {
      const book = await openBook(over(amount, buyer), trino(place('memory')));
      const { rows } = await book.ask({ show: ['n', 'm'], range: '2026-02' } as never);
      return rows[0].slice(1);
    };
    expect(await asked('AMOUNT', 'Buyer')).toEqual(await asked('amount', 'buyer'));
    await expect(asked('amount', 'Amount')).rejects.toMatchObject({ code: 'bad-table', message: expect.stringMatching(/one column/) });
  });

  test('what a question is not about is not read: the date condition reaches the partitions, as the cluster itself counts', async () => {
    const runs: StatementRun[] = [];
    await run(
      'lake',
      `create table parts with (partitioning = array['month(sold)']) as select date_add('day', cast(n as integer), date '2026-01-01') as sold,
        cast(n as decimal(10, 2)) as amount from unnest(sequence(0, 364)) as t (n)`,
    );
    const parts = factModel(
      'parts',
      { dates: { sold: 'sold' }, measures: { revenue: { sum: 'amount' } } },
      { sources: { parts: { table: 'parts' } } },
    );
    const book = await openBook(parts, trino({ ...place('lake'), ran: (one) => void runs.push(one) }), { asked: 'once' });
    const opened = runs.length;
    expect((await book.ask({ show: ['revenue'], range: '2026-03' } as never)).rows[0][1]).toBe(2294);
    await run('lake', 'drop table parts');
    expect(runs.slice(opened).reduce((sum, { rows }) => sum + rows, 0)).toBeLessThan(40);
  });

  test('`sql --connect` prints the statements that run there, as they run', async () => {
    const folder = makeFolder();
    const path = join(folder, 'model.yaml');
    writeFileSync(
      path,
      `durchblick: 1
sources: { sales: { table: sales }, shops: { table: shops } }
dimensions: { shop: { source: shops, key: id, attributes: { shop: name } } }
facts:
  sales: { source: sales, dates: { sold: sold }, links: { shop: shop }, measures: { revenue: { sum: amount }, buyers: { count-distinct: buyer } } }
`,
    );
    const { schema, server } = place('memory');
    const at = `${server.replace('http://', 'trino://tests@')}/memory/${schema}`;
    const asked = ['revenue', 'buyers over rolling-28-days', ...'--by month --per shop --range 2026-01/2026-02 --connect'.split(' '), at];
    const { code, stdout, stderr } = durchblick('sql', path, ...asked);
    expect(code, stderr).toBe(0);
    const statements = stdout.split(/;\s*$/m).filter((sql) => sql.trim() !== '');
    expect(statements.length).toBeGreaterThan(2);
    for (const sql of statements) await run('memory', sql);
    const { stdout: answer } = durchblick('ask', path, ...asked, '--format', 'csv');
    expect(answer).toContain('2026-02,Harbour,7.25,1');
    rmSync(folder, { recursive: true });
  });

  test('keys are counted with their days as one number: the least, the greatest and none at all are themselves (G8)', async () => {
    await run(
      'memory',
      `create table edges as select * from (values (date '1969-12-31', -2147483648, decimal '1.00'), (date '1970-01-01', 2147483647, decimal '2.50'),
        (date '1969-12-31', null, decimal '4.00'), (date '1970-01-01', 7, decimal '8.25'), (date '1970-01-01', -1, decimal '16.00')) as t (sold, shop, amount)`,
    );
    await run(
      'memory',
      "create table ends as select * from (values (-2147483648, 'first'), (2147483647, 'last'), (-1, 'below')) as t (id, name)",
    );
    const edges = factModel(
      'edges',
      { dates: { sold: 'sold' }, links: { shop: 'shop' }, measures: { revenue: { sum: 'amount' } } },
      {
        sources: { edges: { table: 'edges' }, ends: { table: 'ends' } },
        dimensions: { shop: { source: 'ends', key: 'id', attributes: { shop: 'name' } } },
      },
    );
    const statements: string[] = [];
    const book = await openBook(edges, trino({ ...place('memory'), trace: ({ sql }) => void statements.push(sql) }));
    const { rows } = await book.ask({ show: ['revenue'], by: 'day', per: ['shop'], gaps: 'hide' } as never);
    for (const table of ['edges', 'ends']) await run('memory', `drop table ${table}`);
    expect(rows).toEqual(
      table('1969-12-31 first 1 | 1969-12-31 (none) 4 | 1970-01-01 below 16 | 1970-01-01 last 2.5 | 1970-01-01 (unknown) 8.25'),
    );
    expect(statements.some((sql) => sql.includes(' as packed'))).toBe(true);
  });

  test.each([
    ['looked up in a list', '1990-01-05', true],
    ['joined where the list would be long', '1890-01-05', false],
  ])('months of a history are %s, and add up to the whole (U1, M10)', async (_, first, isList) => {
    await run(
      'memory',
      `create table past as select * from (values (date '${first}', decimal '1.50'), (date '2026-01-31', decimal '2.25')) as t (sold, amount)`,
    );
    const statements: string[] = [];
    const past = factModel(
      'past',
      { dates: { sold: 'sold' }, measures: { revenue: { sum: 'amount' } } },
      { sources: { past: { table: 'past' } } },
    );
    const book = await openBook(past, trino({ ...place('memory'), trace: ({ sql }) => void statements.push(sql) }), { asked: 'once' });
    const range = `${first.slice(0, 4)}/2026`;
    const { rows, totals } = await book.ask({ show: ['revenue'], by: 'month', range, totals: ['axis'] });
    await run('memory', 'drop table past');
    expect(rows.filter(([, amount]) => amount !== null)).toEqual([
      [first.slice(0, 7), 1.5],
      ['2026-01', 2.25],
    ]);
    expect(totals).toEqual([['Total', 3.75]]);
    expect(statements.some((sql) => sql.includes('element_at'))).toBe(isList);
  });

  test('who looks after the cluster sees whose statement runs, and what it took is told', async () => {
    const runs: StatementRun[] = [];
    const tagged = trino({
      ...place('lake'),
      tags: ['ask', 'yearly, by shop'],
      session: { query_max_run_time: '4m' },
      ran: (run) => void runs.push(run),
    });
    const book = await openBook(model, tagged);
    await book.ask({ show: ['revenue'], by: 'month', range: '2026' } as never);
    const last = runs[runs.length - 1];
    expect(last).toMatchObject({ about: expect.stringMatching(/sales by sold/), splits: expect.any(Number) });
    const seen = (await (await fetch(`${clusterUrl}/v1/query/${last.id}`, { headers: { 'X-Trino-User': 'tests' } })).json()) as {
      session: { clientTags: string[]; clientInfo: string; source: string; systemProperties: Record<string, string> };
    };
    expect(seen.session).toMatchObject({ source: 'durchblick', clientInfo: last.about, systemProperties: { query_max_run_time: '4m' } });
    expect(seen.session.clientTags.sort()).toEqual(['ask', 'yearly  by shop']);
    const shares = await workersOf(
      place('lake'),
      runs.map(({ id }) => id),
    );
    expect(shares.reduce((sum, { splits }) => sum + splits, 0)).toBeGreaterThan(0);
  });

  test('a fault on the way is tried once more in the same state, or told without a secret (V6)', async () => {
    // In front of the real cluster stands somebody who spoils the answer to what looks like this.
    let spoil:
      | { readonly what: RegExp; times: number; readonly how: 'gone' | 'busy' | 'expired'; readonly first?: () => Promise<unknown> }
      | undefined;
    const server = createServer(async (request, response) => {
      const pieces: Buffer[] = [];
      for await (const piece of request) pieces.push(piece as Buffer);
      const body = Buffer.concat(pieces).toString('utf8');
      const headers = Object.fromEntries(
        Object.entries(request.headers).filter(([name]) => name.startsWith('x-trino')) as [string, string][],
      );
      if (spoil && spoil.times > 0 && spoil.what.test(body)) {
        spoil.times--;
        await spoil.first?.();
        response.statusCode = spoil.how === 'busy' ? 503 : spoil.how === 'expired' ? 401 : 200;
        const error = { message: 'worker of 10.0.0.7 is gone', errorName: 'REMOTE_HOST_GONE', errorType: 'EXTERNAL' };
        response.end(spoil.how === 'gone' ? JSON.stringify({ id: 'x', error }) : '');
        return;
      }
      const answer = await fetch(`${clusterUrl}${request.url}`, {
        method: request.method,
        headers,
        ...(request.method === 'POST' ? { body } : {}),
      });
      const started = answer.headers.get('x-trino-started-transaction-id');
      if (started) response.setHeader('x-trino-started-transaction-id', started);
      response.statusCode = answer.status;
      response.end((await answer.text()).replaceAll(clusterUrl as string, front));
    }).listen(0, '127.0.0.1');
    await once(server, 'listening');
    const front = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    await run(
      'lake',
      "insert into sales select date_add('month', m, date '2026-01-05'), s, decimal '2.50', 'd' from unnest(sequence(0, 5)) as a (m), unnest(sequence(1, 2)) as b (s)",
    );
    const WORK = /count\(distinct|lead\(|sum\(/i;
    /** What is answered, or the error, where the answer to a statement that adds up is spoiled. */
    const asked = async (spoiled: typeof spoil, server = front): Promise<unknown> => {
      spoil = undefined;
      const book = await open(model, trino({ ...place('lake'), server, token: 'geheim' }));
      spoil = spoiled;
      try {
        return (await book.ask({ ...QUESTION, by: 'month' } as never)).rows;
      } catch (error) {
        const { code, message, hint } = error as DurchblickError;
        return `${code} ${message} ${hint}`;
      } finally {
        await book.close();
      }
    };
    const wanted = await asked(undefined, clusterUrl as string);
    expect(wanted).toHaveLength(24);
    expect(await asked({ what: WORK, times: 2, how: 'busy' })).toEqual(wanted);
    expect(await asked({ what: WORK, times: 1, how: 'gone' })).toEqual(wanted);
    expect(await asked({ what: WORK, times: 9, how: 'gone' })).toMatch(/^engine-failed .*is gone/);
    const first = () => run('lake', "insert into sales values (date '2026-05-01', 1, decimal '1.00', 'z')");
    expect(await asked({ what: WORK, times: 1, how: 'gone', first })).toMatch(/^source-changed/);
    const refused = await asked({ what: /./, times: 99, how: 'expired' });
    expect(refused).toMatch(/^no-connection .*lets "tests" not in/);
    expect(refused).not.toContain('geheim');
    expect(await asked(undefined)).toEqual(await asked(undefined, clusterUrl as string));
    server.close();
  });
});
