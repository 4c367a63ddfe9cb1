import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { durchblick, makeFolder, type Postgres, startPostgres } from '../setup/builders.ts';
import { type ServedProcess, serving } from '../setup/served.ts';

const MODEL = `name: Orders
sources:
  lines: { table: lines }
facts:
  lines: { source: lines, dates: { on: day }, measures: { amount: { sum: amount }, kinds: { count-distinct: amount } } }
`;

let database: Postgres;
let [server, keyed]: ServedProcess[] = [];
let key = '';
beforeAll(async () => {
  database = await startPostgres();
  await database.client.query(
    "create table lines as select date '2026-01-01' + i % 200 as day, (i % 7)::int as amount from generate_series(1, 2000) i",
  );
  const folder = makeFolder({ 'orders.yaml': MODEL });
  const { stdout, stderr } = durchblick('serve', '--new-key', 'reader');
  key = /: (\S+)\n$/.exec(stderr)?.[1] as string;
  writeFileSync(join(folder, 'keys.yaml'), stdout);
  const model = join(folder, 'orders.yaml');
  server = await serving(model, '--connect', database.url);
  keyed = await serving(model, '--connect', database.url, '--keys', join(folder, 'keys.yaml'));
});
afterAll(async () => {
  await Promise.all([server?.stop(), keyed?.stop()]);
  await database?.stop();
});

const asked = (query: string, signal?: AbortSignal) =>
  fetch(`${server.url}/models/orders/ask?show=amount&${query}`, signal ? { signal } : {});
const total = async (): Promise<number> => (await (await asked('range=2026')).json()).rows[0][1];

test('V6: each question sees what others have written, and an unchanged database is 304', async () => {
  const first = await asked('by=month&format=csv');
  const tag = first.headers.get('etag') as string;
  expect((await fetch(first.url, { headers: { 'if-none-match': tag } })).status).toBe(304);
  const before = await total();
  await database.client.query("insert into lines values (date '2026-03-03', 1000)");
  expect(await total()).toBe(before + 1000);
  expect((await fetch(first.url, { headers: { 'if-none-match': tag } })).status).toBe(200);
});

test('a client that goes away stops the work on the database', async () => {
  // What the state is, is known; locked by somebody else, what is new of it waits for as long as we like.
  await total();
  await database.client.query('begin');
  await database.client.query('lock table lines in access exclusive mode');
  const waiting = async (): Promise<number> => {
    const { rows } = await database.client.query("select count(*)::int as n from pg_stat_activity where wait_event_type = 'Lock'");
    return rows[0].n;
  };
  const controller = new AbortController();
  const gone = fetch(`${server.url}/models/orders/ask?show=kinds&by=day`, { signal: controller.signal }).catch(
    (error: Error) => error.name,
  );
  try {
    await expect.poll(waiting).toBeGreaterThan(0);
    controller.abort();
    expect(await gone).toBe('AbortError');
    await expect.poll(waiting).toBe(0);
  } finally {
    await database.client.query('commit');
  }
  expect((await asked('by=day')).status).toBe(200);
});

test('the database is ended and started again under load: answers or clear problems, and none is wrong', async () => {
  const right = await total();
  const seen: (number | string)[] = [];
  let over = false;
  const client = async (k: number): Promise<void> => {
    for (let n = 0; !over; n++) {
      const response = await asked(`range=2026&as-of=2026-0${7 + (n % 2)}-3${k % 2}`);
      const body = await response.json();
      seen.push(response.ok ? body.rows[0][1] : `${response.status} ${body.code}`);
    }
  };
  const clients = Array.from({ length: 20 }, (_, k) => client(k));
  const sees = (is: (one: number | string) => boolean, from = seen.length) => expect.poll(() => seen.slice(from).filter(is).length);
  await sees((one) => one === right).toBeGreaterThan(20);
  database.kill();
  // Readers with a key get no connection details.
  const told = await (await keyed.get('/models/orders/ask?show=amount', { authorization: `Bearer ${key}` })).json();
  expect(told).toMatchObject({ status: 503, title: 'the data source is unavailable; see the server log' });
  expect(keyed.log()).toMatch(/127\.0\.0\.1|localhost|ECONN/);
  await sees((one) => typeof one === 'string').toBeGreaterThan(20);
  database.start();
  await sees((one) => one === right).toBeGreaterThan(20);
  over = true;
  await Promise.all(clients);
  await database.reconnect();
  const wrong = seen.filter((one) => one !== right && !(typeof one === 'string' && /^50[34] [a-z-]+$/.test(one)));
  expect(wrong).toEqual([]);
  await expect.poll(total).toBe(right);
});
