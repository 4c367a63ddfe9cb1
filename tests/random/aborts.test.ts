import { afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { type Book, type Cancellation, type DurchblickError, type Engine, type Model, open, type Question } from '../../src/index.ts';
import { connectPostgres, factModel, loadTables, type Tables } from '../setup/builders.ts';
import { countDraws, drawSeed } from '../setup/draws.ts';
import { duckdb, memory, postgres } from '../setup/library.ts';

const ROWS = Array.from({ length: 4000 }, (_, k) => ({
  day: new Date(Date.UTC(2025, 0, 1 + (k % 500))).toISOString().slice(0, 10),
  sent: new Date(Date.UTC(2025, 0, 3 + (k % 497))).toISOString().slice(0, 10),
  place: ['North', 'South', 'West'][k % 3],
  customer: `c${k % 211}`,
  amount: (k % 97) * 1.25,
}));
const tables: Tables = { sales: ROWS };
const model = factModel('sales', {
  dates: { sold: 'day', sent: 'sent' },
  links: { place: 'place' },
  measures: {
    revenue: { sum: 'amount', role: 'sold' },
    most: { max: 'amount', role: 'sold' },
    customers: { countDistinct: 'customer', role: 'sold' },
    open: { sum: 'amount', open: 'sold/sent' },
    middle: { median: 'amount', role: 'sold' },
    new: { firstTime: 'customer', role: 'sold' },
  },
}) as unknown as Model;
const QUESTIONS: readonly Question[] = ['month', 'week', 'quarter'].flatMap((by): Question[] => [
  { show: ['revenue', 'revenue vs previous'], by },
  { show: ['revenue over rolling-28-days', 'most'], by, per: ['place'] },
  { show: ['customers over rolling-3-months'], by, per: ['place'], totals: true },
  { show: ['middle over rolling-28-days', 'new'], by, per: ['place'] },
  { show: ['open', 'revenue on sent'], by, where: { place: ['North', 'West'] } },
]);

/** A signal that knows how many listen to it. */
class Signal implements Cancellation {
  aborted = false;
  readonly listeners = new Set<() => void>();
  addEventListener(_: 'abort', listener: () => void): void {
    this.listeners.add(listener);
  }
  removeEventListener(_: 'abort', listener: () => void): void {
    this.listeners.delete(listener);
  }
  abort(): void {
    this.aborted = true;
    for (const listener of [...this.listeners]) listener();
  }
}

/** Until everything that waits for nothing outside is done. */
const turn = () => new Promise<void>((done) => setImmediate(done));

const unhandled: unknown[] = [];
const note = (reason: unknown): void => void unhandled.push(reason);
beforeEach(() => {
  unhandled.length = 0;
  process.on('unhandledRejection', note);
});
afterEach(() => {
  process.off('unhandledRejection', note);
});

const server = await connectPostgres();
let loaded: Awaited<ReturnType<typeof loadTables>>;
beforeAll(async () => {
  loaded = await loadTables(server.client, 'aborts', tables);
});

const ENGINES: readonly (readonly [string, () => Engine])[] = [
  ['memory', () => memory(tables)],
  ['duckdb', () => duckdb({ tables, threads: 2 })],
  ['postgres', () => postgres({ connectionString: server.url + loaded.options })],
];

const answered = async (book: Book, question: Question, signal?: Cancellation): Promise<string> => {
  try {
    return JSON.stringify((await book.ask(question, { signal })).toJson());
  } catch (error) {
    return (error as DurchblickError).code ?? String(error);
  }
};

const ASKS = countDraws({ few: 200, many: 10_000 });
const AT_ONCE = 100;

describe.each(ENGINES)('questions that are given up take nothing from others: %s', (_, engine) => {
  test(`${ASKS} asks, every other one given up at some moment`, { timeout: 600_000 }, async () => {
    const wanted = await open(model, memory(tables));
    const right = await Promise.all(QUESTIONS.map((question) => answered(wanted, question)));
    await wanted.close();
    // Nothing is kept, so that every batch works.
    const book = await open(model, engine(), { cacheBytes: 0 });
    let seed = drawSeed();
    const below = (most: number): number => {
      seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
      return Math.floor((seed / 2 ** 32) * most);
    };
    const wrong: string[] = [];
    let [aborted, late, left] = [0, 0, 0];
    for (let batch = 0; batch < ASKS / AT_ONCE; batch++) {
      const signals: Signal[] = [];
      await Promise.all(
        Array.from({ length: AT_ONCE }, async (_unused, k) => {
          const at = below(QUESTIONS.length);
          const signal = new Signal();
          signals.push(signal);
          const givenUp = k % 2 === 1;
          const moment = below(6);
          if (givenUp && moment === 0) signal.abort();
          const asking = answered(book, QUESTIONS[at], signal);
          if (givenUp && moment === 1) signal.abort();
          if (givenUp && moment === 2) void Promise.resolve().then(() => signal.abort());
          if (givenUp && moment > 2) setTimeout(() => signal.abort(), below(moment * 4));
          const found = await asking;
          if (found === right[at]) late += givenUp ? 1 : 0;
          else if (givenUp && found === 'aborted') aborted++;
          else wrong.push(`${givenUp ? 'given up' : 'innocent'}: ${found.slice(0, 200)}`);
        }),
      );
      left += signals.reduce((sum, { listeners }) => sum + listeners.size, 0);
    }
    expect(wrong.slice(0, 5)).toEqual([]);
    expect(aborted + late).toBe(ASKS / 2);
    expect(aborted).toBeGreaterThan(ASKS / 10);
    await book.close();
    await turn();
    expect(unhandled).toEqual([]);
    expect(left).toBe(0);
  });

  test('a signal that was used before is an error, and nothing runs', async () => {
    const book = await open(model, engine());
    const signal = new Signal();
    signal.abort();
    const { scans } = book.cost();
    for (const run of [
      () => book.ask(QUESTIONS[0], { signal }),
      () => book.verify(QUESTIONS[0], { signal }),
      () => book.explain({ reading: 'revenue', at: '2025-01' }, { signal }),
    ])
      await expect(run()).rejects.toMatchObject({ code: 'aborted' });
    await turn();
    expect([book.cost().scans, unhandled, signal.listeners.size]).toEqual([scans, [], 0]);
    await book.close();
  });

  test('closed, it says so; closing twice is closing once', async () => {
    const book = await open(model, engine());
    const asking = answered(book, QUESTIONS[0]);
    await Promise.all([book.close(), book.close()]);
    expect((await asking).startsWith('{')).toBe(true);
    await book.close();
    await expect(book.ask(QUESTIONS[0])).rejects.toMatchObject({ code: 'closed' });
    await expect(book.members('place')).rejects.toMatchObject({ code: 'closed' });
    expect(unhandled).toEqual([]);
  });
});

describe('work that two wait for', () => {
  /** The memory engine whose scans wait until they are let go, and stop when they are given up. */
  const gated = (): { readonly engine: Engine; readonly letGo: () => void } => {
    let letGo = (): void => undefined;
    const open = new Promise<void>((done) => {
      letGo = done;
    });
    const later = <T>(signal: Cancellation | undefined, run: () => Promise<T>): Promise<T> =>
      new Promise((resolve, reject) => {
        signal?.addEventListener('abort', () => reject(Object.assign(new Error('stopped'), { code: 'aborted' })));
        open.then(() => run().then(resolve, reject));
      });
    const engine: Engine = {
      name: 'gated',
      open: async (...args) => {
        const store = await memory(tables).open(...args);
        return {
          ...store,
          cubes: (requests, signal) => later(signal, () => store.cubes(requests, signal)),
          tallies: (request, signal) => later(signal, () => store.tallies(request, signal)),
        };
      },
    };
    return { engine, letGo };
  };

  test.each(['revenue', 'customers', 'middle', 'new'])(
    '%s goes on for one of them when the other gives up, and is kept',
    async (reading) => {
      const { engine, letGo } = gated();
      const book = await open(model, engine);
      const question: Question = { show: [reading], by: 'month', per: ['place'] };
      const signal = new Signal();
      const first = answered(book, question, signal);
      await turn();
      const second = answered(book, question);
      await turn();
      signal.abort();
      expect(await first).toBe('aborted');
      letGo();
      expect((await second).startsWith('{')).toBe(true);
      const { scans } = book.cost();
      expect(await answered(book, question)).toBe(await second);
      expect([book.cost().scans, signal.listeners.size]).toEqual([scans, 0]);
      await book.close();
    },
  );

  test('what all give up is asked for again by the next', async () => {
    const { engine, letGo } = gated();
    const book = await open(model, engine);
    const signal = new Signal();
    const first = answered(book, { show: ['middle'], by: 'month' }, signal);
    await turn();
    signal.abort();
    const next = answered(book, { show: ['middle'], by: 'month' });
    expect(await first).toBe('aborted');
    letGo();
    expect((await next).startsWith('{')).toBe(true);
    expect(unhandled).toEqual([]);
    await book.close();
  });
});

describe('connections to PostgreSQL', () => {
  test('one is enough', async () => {
    const book = await open(model, postgres({ connectionString: server.url + loaded.options, connections: 1 }));
    const answers = await Promise.all(QUESTIONS.map((question) => answered(book, question)));
    expect(answers.every((answer) => answer.startsWith('{'))).toBe(true);
    await book.close();
  });

  test('none that comes free in time is an error that says how many there are', async () => {
    const { Client } = await import('pg').then((module) => module.default ?? module);
    const slow = factModel(
      'sales',
      { dates: { sold: 'day' }, measures: { revenue: { sum: 'amount' } } },
      { sources: { sales: { query: 'select day, amount, pg_sleep(0.001)::text as s from sales limit 400' } } },
    );
    const book = await open(slow, postgres({ connectionString: server.url + loaded.options, connections: 1, connectionTimeout: 300 }));
    const other = new Client({ connectionString: server.url });
    await other.connect();
    await other.query('create table if not exists noise (n integer)');
    // Each question begins after another one has its moment, and wants a connection of its own.
    const first = book.ask({ show: ['revenue'], by: 'month' });
    const busy =
      "select count(*)::int as n from pg_stat_activity where state = 'active' and query like '%pg_sleep%' and pid <> pg_backend_pid()";
    await expect.poll(async () => (await other.query(busy)).rows[0].n, { interval: 5 }).toBeGreaterThan(0);
    await other.query('insert into noise values (1)');
    const second = book.ask({ show: ['revenue'], by: 'week' });
    await expect(second).rejects.toMatchObject({ code: 'connections-busy', message: expect.stringContaining('1 at most') });
    await first;
    await other.end();
    await book.close();
  });
});
