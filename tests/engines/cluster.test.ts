// A real cluster, where there can be one (CONTRIBUTING.md).
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Connection, statement } from '../../src/engines/trino/client.ts';
import { trino } from '../../src/engines/trino/index.ts';
import { type Book, type DurchblickError, defineModel, open } from '../../src/index.ts';
import { clusterUrl } from '../setup/cluster.ts';

const url = await clusterUrl();

const model = defineModel({
  sources: { sales: { table: 'sales' }, shops: { table: 'shops' } },
  dimensions: { shop: { source: 'shops', key: 'id', attributes: { shop: 'name' } } },
  facts: {
    sales: {
      source: 'sales',
      dates: { sold: 'sold' },
      links: { shop: 'shop' },
      measures: { revenue: { sum: 'amount' }, buyers: { countDistinct: 'buyer' } },
    },
  },
});
const QUESTION = { show: ['revenue', 'buyers'], per: ['shop'], range: '2026' } as const;

describe.skipIf(url === undefined)('states of a cluster (V5, V6)', () => {
  const place = (catalog: string): Connection => ({ server: url as string, user: 'tests', catalog, schema: `states_${process.pid}` });
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
    expect(await rowsOf(book)).toEqual([
      ['Harbour', 7.25, 1],
      ['Old Town', 12.5, 1],
    ]);
    const { scans } = book.cost();
    expect((await book.ask({ show: ['revenue'], per: ['shop'], by: 'month', range: '2026' } as never)).state?.data).toBe(first.state?.data);
    expect(book.cost().scans).toBe(scans);
    await run('lake', "insert into sales values (date '2026-03-01', 1, decimal '100.00', 'a')");
    expect(await rowsOf(book)).toEqual([
      ['Harbour', 7.25, 1],
      ['Old Town', 112.5, 1],
    ]);
    expect((await book.ask(QUESTION as never)).state?.data).not.toBe(first.state?.data);
    // A table that only names members is part of the state, too.
    await run('lake', "update shops set name = 'New Town' where id = 1");
    expect(await rowsOf(book)).toEqual([
      ['Harbour', 7.25, 1],
      ['New Town', 112.5, 1],
    ]);
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
    expect(await rowsOf(book)).toEqual([
      ['Harbour', 7.25, 1],
      ['Old Town', 112.5, 1],
    ]);
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
});
