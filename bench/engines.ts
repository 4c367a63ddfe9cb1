import { existsSync, mkdirSync, rmSync } from 'node:fs';
import { cpus } from 'node:os';
import { type DuckDBConnection, DuckDBInstance } from '@duckdb/node-api';
import { duckdb } from '../src/engines/duckdb/index.ts';
import { defineModel, open, type Question } from '../src/index.ts';
import { orderModel, orderStatements } from './orders.ts';
import { median, ms, print, READINGS, ratio, timed } from './rig.ts';

/**
 * The duckdb engine against SQL written by hand, on the same database file in one run: twelve additive readings,
 * distinct customers over rolling windows, attainment of a monthly budget for every day. A first answer includes
 * everything from the opened book on; rows fetched are printed and are days times members.
 */
const LINES = Number(process.env.BENCH_ROWS ?? 6_000_000);
const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 7);
const folder = 'tmp/bench-data';
const path = `${folder}/orders-${LINES}.duckdb`;

const connect = async (settings: Record<string, string>): Promise<{ connection: DuckDBConnection; close: () => void }> => {
  const instance = await DuckDBInstance.create(path, { threads: String(cpus().length), ...settings });
  const connection = await instance.connect();
  return {
    connection,
    close: () => {
      connection.closeSync();
      instance.closeSync();
    },
  };
};

if (!existsSync(path)) {
  mkdirSync(folder, { recursive: true });
  const { connection, close } = await connect({});
  try {
    for (const statement of orderStatements(LINES)) await connection.run(statement);
    close();
  } catch (error) {
    close();
    rmSync(path, { force: true });
    throw error;
  }
}

const model = defineModel(
  orderModel({ lines: { table: 'lines' }, orders: { table: 'orders' }, nurseries: { table: 'nurseries' }, budget: { table: 'budget' } }),
);
const DAYS = `select unnest(generate_series(date '2025-01-01', date '2025-12-31', interval 1 day))::date as d`;

interface Case {
  readonly name: string;
  readonly question: Question;
  readonly sql: Readonly<Record<string, string>>;
  /** Columns of both answers that must agree, of the SQL's rows as they come. */
  readonly compare: readonly (readonly [own: number, theirs: number])[];
}

const CASES: readonly Case[] = [
  {
    name: 'twelve additive readings by month and region, two roles',
    question: { show: READINGS, by: 'month', per: ['region'], range: '2021-01/2025-12', asOf: '2025-12-31' },
    // One scan a role, by month and region; windows over the few hundred rows that are left.
    sql: {
      'one scan a role, windows over months': `with n as (select nursery_id, region from nurseries),
  o as (select m, region as r, sum(s) as s, sum(c) as c from
    (select year(ordered_on) * 12 + month(ordered_on) as m, nursery_id, sum(price) as s, count(*) as c from lines
      where ordered_on between date '2020-01-01' and date '2025-12-31' group by all) join n using (nursery_id) group by all),
  sh as (select m, region as r, sum(s) as s from
    (select year(shipped_on) * 12 + month(shipped_on) as m, nursery_id, sum(price) as s from lines
      where shipped_on between date '2020-01-01' and date '2025-12-31' group by all) join n using (nursery_id) group by all),
  axis as (select 2020 * 12 + 1 + i as m, r from range(72) t(i), (select distinct region as r from n)),
  j as (select axis.m, axis.r, o.s, o.c, sh.s as ss, (axis.m - 1) // 3 as q, (axis.m - 1) // 12 as y from axis left join o using (m, r) left join sh using (m, r))
select m, r, s, c, s / c as a,
  sum(s) over (partition by r, q order by m) as qtd, sum(s) over (partition by r, y order by m) as ytd,
  sum(s) over (partition by r order by m rows 2 preceding) as r3, sum(s) over (partition by r order by m rows 11 preceding) as r12,
  lag(s) over (partition by r order by m) as prev, lag(s, 12) over (partition by r order by m) as ly,
  (s - lag(s, 12) over (partition by r order by m)) / abs(lag(s, 12) over (partition by r order by m)) as ch,
  ss, sum(ss) over (partition by r, y order by m) as ssytd
from j qualify m > 2020 * 12 + 12 order by m, r`,
    },
    compare: READINGS.map((_, k) => [2 + k, 2 + k]),
  },
  {
    name: 'distinct customers over rolling 28 days, every day of a year, by region',
    question: { show: ['customers over rolling-28-days'], by: 'day', per: ['region'], range: '2025', asOf: '2025-12-31' },
    sql: {
      'date-range join': `with days as (${DAYS})
select d, region, count(distinct customer_id) from days join lines on ordered_on between d - 27 and d join nurseries using (nursery_id) group by all order by d, region`,
      'events with LEAD()': `with seen as (select distinct region, customer_id, ordered_on from lines join nurseries using (nursery_id)
    where ordered_on between date '2025-01-01' - 27 and date '2025-12-31'),
  next as (select region, ordered_on, least(coalesce(lead(ordered_on) over (partition by region, customer_id order by ordered_on), ordered_on + 28), ordered_on + 28) as stop from seen),
  events as (select region, greatest(ordered_on, date '2025-01-01') as d, 1 as step from next where stop > date '2025-01-01'
    union all select region, stop, -1 from next where stop > date '2025-01-01'),
  steps as (select region, d, sum(step) as s from events group by all),
  days as (${DAYS})
select d, region, sum(coalesce(s, 0)) over (partition by region order by d) as c
  from (select d, region from days, (select distinct region from nurseries)) left join steps using (d, region) order by d, region`,
    },
    compare: [[2, 2]],
  },
  {
    name: 'attainment of the monthly budget, month to date, every day of a year, by region',
    question: {
      show: ['revenue over mtd', 'budget over mtd', 'attainment'],
      by: 'day',
      per: ['region'],
      range: '2025',
      asOf: '2025-12-31',
    },
    sql: {
      'spread over working days': `with days as (select d, date_trunc('month', d)::date as m, (isodow(d) < 6)::int as w from (${DAYS})),
  weights as (select d, m, sum(w) over (partition by m order by d) as covered, sum(w) over (partition by m) as whole from days),
  sold as (select d, region, sum(s) as s from (select ordered_on as d, nursery_id, sum(price) as s from lines
    where ordered_on between date '2025-01-01' and date '2025-12-31' group by all) join nurseries using (nursery_id) group by all),
  joined as (select d, region, covered, whole, m, coalesce(s, 0) as s from weights cross join (select distinct region from nurseries) left join sold using (d, region))
select d, region, r, b, r / nullif(b, 0) from (select d, joined.region, sum(s) over (partition by joined.region, m order by d)::double as r, amount * covered / whole as b
  from joined join budget on m = month and joined.region = budget.region) order by d, region`,
    },
    compare: [
      [2, 2],
      [3, 3],
      [4, 4],
    ],
  },
];

const numbers = (value: unknown): number => Number(value ?? 0);
const same = (a: number, b: number): boolean => Math.abs(a - b) <= 1e-9 * Math.max(1, Math.abs(a), Math.abs(b));
for (const { name, question, sql, compare } of CASES) {
  const own: number[] = [];
  const again: number[] = [];
  const theirs: Record<string, number[]> = Object.fromEntries(Object.keys(sql).map((key) => [key, []]));
  let check = 'values agree';
  let fetched = 0;
  for (let round = 0; round <= ROUNDS; round++) {
    const book = await open(model, duckdb({ path }));
    const before = book.cost().fetched ?? 0;
    const [first, result] = await timed(() => book.ask(question));
    fetched = (book.cost().fetched ?? 0) - before;
    const [second] = await timed(() => book.ask({ ...question, asOf: `2025-12-${10 + round}` }));
    await book.close();
    if (round > 0) {
      own.push(first);
      again.push(second);
    }
    for (const [key, text] of Object.entries(sql)) {
      // Each on a connection of its own, which has read what opening a book reads: columns read before are in memory.
      const { connection, close } = await connect({ access_mode: 'READ_ONLY' });
      await connection.runAndReadAll('select min(ordered_on), max(ordered_on), min(shipped_on), max(shipped_on) from lines');
      const [time, rows] = await timed(async () => (await connection.runAndReadAll(text)).getRows());
      if (round > 0) theirs[key].push(time);
      const agree = rows.every((row, k) => compare.every(([mine, their]) => same(numbers(result.rows[k]?.[mine]), numbers(row[their]))));
      if (rows.length !== result.rows.length || !agree) check = `VALUES DIFFER from ${key}`;
      close();
    }
  }
  print(`${LINES} lines: ${name}`, check);
  print('  first answer of the duckdb engine', ms(median(own)));
  for (const [key, times] of Object.entries(theirs)) {
    print(`  SQL by hand on the same file: ${key}`, ms(median(times)));
    print('    engine / SQL', ratio(median(own) / median(times)));
  }
  print('  asking again at another as-of date', ms(median(again)));
  print('  rows fetched for the first answer', String(fetched));
  if (check !== 'values agree') process.exitCode = 1;
}
