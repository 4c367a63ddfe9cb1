import { statement } from '../src/engines/trino/client.ts';
import { type StatementRun, trino, workersOf } from '../src/engines/trino/index.ts';
import { open, type Question } from '../src/index.ts';
import { median, model, print, READINGS, ratio } from './rig.ts';

/**
 * On a cluster (scripts/cluster.mjs start), by the time of computing over all workers: what an answer takes against the statement that an
 * expert would write for the same engine, in turn. Wall time says little where workers share cores.
 */
const server = process.env.DURCHBLICK_CLUSTER_URL ?? 'http://127.0.0.1:18080';
const connection = { server, user: 'bench', catalog: 'lake', schema: 'bench' };
const MILLIONS = Number(process.env.BENCH_MILLIONS ?? 5);
const run = (sql: string) => statement(connection, sql, undefined);

/** How many millions of rows there are already. */
const there = async (): Promise<number> => {
  const { rows } = await run('select count(*) from lines').catch(() => ({ rows: [] }));
  return Math.round(Number(rows[0]?.[0] ?? 0) / 1e6);
};

/** Tables of so many rows; those that there are get more, or are made anew where they have too many. */
const make = async (): Promise<void> => {
  await run('create schema if not exists bench');
  const before = await there();
  const rows = `select date_add('day', cast(random() * 1825 as integer), date '2021-01-01') as ordered, date_add('day', cast(random() * 1825 as integer), date '2021-01-10') as shipped,
    1 + cast(random() * 24 as integer) as region_id, cast(random() * 100000 as integer) as customer_id, cast(random() * 20000 as integer) / decimal '100.00' as amount,
    1 + cast(random() * 8 as integer) as quantity
    from unnest(sequence(1, 1000)) as a (x), unnest(sequence(1, 1000)) as b (y)`;
  const add = async (from: number): Promise<void> => {
    for (let k = from; k < MILLIONS; k++) await run(`insert into lines ${rows}`);
  };
  if (before > 0 && before <= MILLIONS) return add(before);
  for (const table of ['lines', 'regions', 'budget']) await run(`drop table if exists ${table}`);
  await run(
    "create table regions as select cast(r as integer) as region_id, 'Region ' || cast(r as varchar) as name from unnest(sequence(1, 25)) as t (r)",
  );
  await run(`create table budget as select date_add('month', m, date '2021-01-01') as month, cast(r as integer) as region_id, cast(100000 + 1000 * (m % 7) + 500 * r as decimal(12, 2)) as amount
    from unnest(sequence(0, 59)) as a (m), unnest(sequence(1, 25)) as b (r)`);
  await run(`create table lines as ${rows}`);
  await add(1);
};

interface Case {
  readonly name: string;
  readonly question: Question;
  readonly sql: string;
}
const ALL = '2021-01/2025-12';
const CASES: readonly Case[] = [
  {
    name: 'twelve additive readings by month and region, two dates',
    question: {
      show: READINGS,
      by: 'month',
      per: ['region'],
      range: ALL,
      asOf: '2025-12-31',
    },
    sql: `with o as (select date_trunc('month', ordered) as m, region_id as r, sum(amount) as s, count(*) as c from lines where ordered <= date '2025-12-31' group by 1, 2),
  sh as (select date_trunc('month', shipped) as m, region_id as r, sum(amount) as s from lines where shipped <= date '2025-12-31' group by 1, 2),
  j as (select o.m, o.r, name, o.s, o.c, sh.s as ss from o join regions g on g.region_id = o.r left join sh on sh.m = o.m and sh.r = o.r)
select m, name, s, c, s / c, sum(s) over (partition by r, date_trunc('quarter', m) order by m), sum(s) over (partition by r, year(m) order by m),
  sum(s) over (partition by r order by m rows 2 preceding), sum(s) over (partition by r order by m rows 11 preceding), lag(s) over (partition by r order by m),
  lag(s, 12) over (partition by r order by m), ss, sum(ss) over (partition by r, year(m) order by m) from j order by m, name`,
  },
  {
    name: 'distinct customers over rolling 28 days, each day of a year, by region',
    question: { show: ['customers over rolling-28-days'], by: 'day', per: ['region'], range: '2025', asOf: '2025-12-31' },
    sql: `with days as (select d from unnest(sequence(date '2025-01-01', date '2025-12-31', interval '1' day)) as t (d)),
  near as (select distinct region_id, customer_id, ordered from lines where ordered between date '2024-12-05' and date '2025-12-31')
select d, name, count(distinct customer_id) from days join near on ordered between date_add('day', -27, d) and d join regions using (region_id) group by d, name order by d, name`,
  },
  {
    name: 'attainment of a monthly budget to date, each day of five years, by region',
    question: { show: ['revenue over mtd', 'budget over mtd', 'attainment'], by: 'day', per: ['region'], range: ALL, asOf: '2025-12-31' },
    sql: `with days as (select d, date_trunc('month', d) as m, if(day_of_week(d) < 6, 1, 0) as w from unnest(sequence(date '2021-01-01', date '2023-12-31', interval '1' day) || sequence(date '2024-01-01', date '2025-12-31', interval '1' day)) as t (d)),
  weights as (select d, m, sum(w) over (partition by m order by d) as covered, sum(w) over (partition by m) as whole from days),
  sold as (select ordered as d, region_id, sum(amount) as s from lines where ordered <= date '2025-12-31' group by 1, 2),
  joined as (select w.d, g.region_id, g.name, covered, whole, w.m, coalesce(s, 0) as s from weights w cross join regions g left join sold on sold.d = w.d and sold.region_id = g.region_id)
select d, name, r, b, r / nullif(b, 0) from (select d, name, cast(sum(s) over (partition by j.region_id, m order by d) as double) as r, cast(amount as double) * covered / whole as b
  from joined j join budget on month = m and budget.region_id = j.region_id) order by d, name`,
  },
];

if (process.env.BENCH_MAKE !== 'no') await make();
const rounds = Number(process.env.BENCH_ROUNDS ?? 3);
for (const { name, question, sql } of CASES.filter((one) => one.name.includes(process.env.BENCH_ONLY ?? ''))) {
  const [own, theirs]: [number[], number[]] = [[], []];
  let check = '';
  let shares = '';
  for (let round = 0; round <= rounds; round++) {
    const runs: StatementRun[] = [];
    const book = await open(model, trino({ ...connection, ran: (one) => void runs.push(one) }), { asked: 'once' });
    const opened = runs.length;
    const result = await book.ask(question as never).catch((error: Error) => error);
    if (result instanceof Error) {
      check = `an answer: ${result.message.split(' [')[0]}`;
      await book.close();
      continue;
    }
    const asked = runs.slice(opened);
    await book.close();
    const workers = await workersOf(
      connection,
      asked.map(({ id }) => id),
    );
    shares = `${asked.length} statements; by worker ${workers.map(({ cpu, splits }) => `${cpu} ms in ${splits} splits`).join(', ')}`;
    const byHand = await run(sql).catch((error: Error) => error);
    if (byHand instanceof Error) {
      check = `by hand: ${byHand.message.split(' [')[0]}`;
      if (round > 0) own.push(asked.reduce((sum, { cpu }) => sum + cpu, 0));
      continue;
    }
    check =
      byHand.rows.length === result.rows.length
        ? `${result.rows.length} rows`
        : `${result.rows.length} ROWS, BY HAND ${byHand.rows.length}`;
    // The first round warms the engine up.
    if (round === 0) continue;
    own.push(asked.reduce((sum, { cpu }) => sum + cpu, 0));
    theirs.push(byHand.cost.cpu);
  }
  print(`${MILLIONS} M rows: ${name}`, check);
  if (own.length > 0) print('  computing, an answer', `${median(own)} ms`);
  if (theirs.length > 0) {
    print('  computing, by hand', `${median(theirs)} ms`);
    print('  answer / by hand', ratio(median(own) / median(theirs)));
  }
  print('  ', shares);
}
