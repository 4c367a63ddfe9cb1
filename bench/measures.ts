import { memory } from '../src/engines/memory/index.ts';
import { open, type Question } from '../src/index.ts';
import { compared, makeRows, median, model, ms, print, ROWS, ratio, timed } from './rig.ts';

/**
 * What sums alone do not answer, over ten million rows, against SQL written by hand for DuckDB in the same run:
 * distinct customers over rolling windows, a backlog for every day, attainment of a monthly budget for every day.
 */
const { connection, tables } = await makeRows();
const sql = async (text: string): Promise<readonly [number, (string | number)[][]]> => {
  const [time, rows] = await timed(async () => (await connection.runAndReadAll(text)).getRows());
  return [time, rows.map((row) => row.map((value) => (typeof value === 'string' ? value : Number(value))))];
};

interface Case {
  readonly name: string;
  readonly question: Question;
  readonly sql: Readonly<Record<string, string>>;
  /** How many times faster than each statement an answer is to be. */
  readonly wanted: readonly number[];
}

const DAYS = `select unnest(generate_series(date '2025-01-01', date '2025-12-31', interval 1 day))::date as d`;
const ALL: readonly Case[] = [
  {
    name: 'distinct customers over rolling 28 days, every day of a year, by region',
    question: { show: ['customers over rolling-28-days'], by: 'day', per: ['region'], range: '2025', asOf: '2025-12-31' },
    wanted: [20, 1.5],
    sql: {
      'date-range join': `with days as (${DAYS})
        select d, name, count(distinct customer_id) from days join lines on ordered between d - 27 and d join regions using (region_id) group by all order by d, name`,
      'events with LEAD()': `with seen as (select distinct region_id, customer_id, ordered from lines where ordered between date '2025-01-01' - 27 and date '2025-12-31'),
        next as (select region_id, ordered, lead(ordered) over (partition by region_id, customer_id order by ordered) as n from seen),
        events as (select region_id, greatest(ordered, date '2025-01-01') as d, 1 as step from next where least(coalesce(n, ordered + 28), ordered + 28) > date '2025-01-01'
          union all select region_id, least(coalesce(n, ordered + 28), ordered + 28), -1 from next where least(coalesce(n, ordered + 28), ordered + 28) > date '2025-01-01'),
        steps as (select region_id, d, sum(step) as s from events group by all),
        days as (${DAYS})
        select d, name, c from (select d, region_id, sum(coalesce(s, 0)) over (partition by region_id order by d) as c
          from (select d, region_id from days, regions) left join steps using (d, region_id)) join regions using (region_id) order by d, name`,
    },
  },
  {
    name: 'backlog per day over five years, by region',
    question: { show: ['backlog'], by: 'day', per: ['region'], range: '2021/2025', asOf: '2025-12-31' },
    wanted: [3],
    sql: {
      'running sums': `with came as (select ordered as d, region_id, sum(amount) as s from lines group by all),
        went as (select shipped as d, region_id, -sum(amount) as s from lines where shipped >= ordered and shipped <= date '2025-12-31' group by all),
        steps as (select d, region_id, sum(s) as s from (from came union all from went) group by all),
        days as (select unnest(generate_series(date '2021-01-01', date '2025-12-31', interval 1 day))::date as d)
        select d, name, b from (select d, region_id, sum(coalesce(s, 0)) over (partition by region_id order by d) as b
          from (select d, region_id from days, regions) left join steps using (d, region_id)) join regions using (region_id) order by d, name`,
    },
  },
  {
    name: 'budget attainment month to date, every day of five years, by region',
    question: {
      show: ['revenue over mtd', 'budget over mtd', 'attainment'],
      by: 'day',
      per: ['region'],
      range: '2021/2025',
      asOf: '2025-12-31',
    },
    wanted: [2],
    sql: {
      'spread over working days': `with days as (select d, date_trunc('month', d)::date as m, (isodow(d) < 6)::int as w from (select unnest(generate_series(date '2021-01-01', date '2025-12-31', interval 1 day))::date as d)),
        weights as (select d, m, sum(w) over (partition by m order by d) as covered, sum(w) over (partition by m) as whole from days),
        sold as (select ordered as d, region_id, sum(amount) as s from lines where ordered between date '2021-01-01' and date '2025-12-31' group by all),
        joined as (select d, region_id, name, covered, whole, m, coalesce(s, 0) as s from weights cross join regions left join sold using (d, region_id))
        select d, name, r, b, r / nullif(b, 0) from (select d, name, sum(s) over (partition by region_id, m order by d)::double as r, amount * covered / whole as b
          from joined join budget using (m, region_id)) order by d, name`,
    },
  },
  {
    name: 'median lead time by month and region',
    question: { show: ['median-wait'], by: 'month', per: ['region'], range: '2021/2025', asOf: '2025-12-31' },
    wanted: [1],
    sql: {
      percentile_cont: `select date_trunc('month', shipped)::date as m, name, percentile_cont(0.5) within group (order by shipped - ordered)
        from lines join regions using (region_id) where shipped between date '2021-01-01' and date '2025-12-31' and shipped >= ordered group by all order by m, name`,
    },
  },
  {
    name: 'median lead time over rolling 28 days, every day of a year, by region',
    question: { show: ['median-wait over rolling-28-days'], by: 'day', per: ['region'], range: '2025', asOf: '2025-12-31' },
    wanted: [5],
    sql: {
      'percentile_cont over a range join': `with days as (${DAYS})
        select d, name, percentile_cont(0.5) within group (order by shipped - ordered) from days
          join lines on shipped between d - 27 and d and shipped >= ordered join regions using (region_id) group by all order by d, name`,
    },
  },
  {
    name: 'first-time customers by month and region',
    question: { show: ['new-customers'], by: 'month', per: ['region'], range: '2021/2025', asOf: '2025-12-31' },
    wanted: [1],
    sql: {
      'first days joined': `with firsts as (select customer_id, min(ordered) as d from lines group by all),
        months as (select unnest(generate_series(date '2021-01-01', date '2025-12-01', interval 1 month))::date as m),
        found as (select date_trunc('month', d)::date as m, region_id, count(distinct customer_id) as c
          from lines join firsts using (customer_id) where ordered = d group by all)
        select m, name, coalesce(c, 0) from months cross join regions left join found using (m, region_id) order by m, name`,
    },
  },
];

const CASES = ALL.filter(({ name }) => name.includes(process.env.BENCH_CASE ?? ''));
/** Bytes of the columns themselves; what a book takes beside them is measured against it. */
const columnBytes = Object.values(tables.lines).reduce((sum, list) => sum + list.byteLength, 0);
const rounds = Number(process.env.BENCH_ROUNDS ?? 7);
/** A few rows of the same kind: both sides are measured as in a server that has answered before. */
const few = { ...tables, lines: Object.fromEntries(Object.entries(tables.lines).map(([name, list]) => [name, list.slice(0, 100_000)])) };
for (const { name, question, wanted, sql: texts } of CASES) {
  const warm = await open(model, memory(few));
  for (const by of ['day', 'week', 'day']) await warm.ask({ ...question, by });
  await warm.close();
  const own: number[] = [];
  const again: number[] = [];
  const theirs: Record<string, number[]> = Object.fromEntries(Object.keys(texts).map((key) => [key, []]));
  let check = 'values agree';
  let most = 0;
  for (let round = 0; round < rounds; round++) {
    const before = process.memoryUsage().rss;
    const book = await open(model, memory(tables));
    const [first, result] = await timed(() => book.ask(question));
    if (round > 0) own.push(first);
    again.push((await timed(() => book.ask({ ...question, asOf: `2025-11-${10 + round}` })))[0]);
    most = Math.max(most, process.memoryUsage().rss - before);
    await book.close();
    for (const [key, text] of Object.entries(texts)) {
      // What takes long is measured less often.
      if (round > 2 && median(theirs[key]) > 3000) continue;
      const [time, rows] = await sql(text);
      if (round > 0) theirs[key].push(time);
      const mine = result.rows.map((row) => row.slice(2));
      const same = rows.every((row, k) =>
        row.slice(2).every((value, c) => Math.abs(Number(value) - Number(mine[k][c] ?? 0)) <= 1e-6 * Math.max(1, Math.abs(Number(value)))),
      );
      if (rows.length !== mine.length || !same) check = `VALUES DIFFER from ${key}`;
    }
  }
  for (const [k, [key, byHand]] of Object.entries(theirs).entries())
    compared({ workload: `${name} (${key})`, byHand, own, wanted: wanted[k] });
  print(`${ROWS} rows: ${name}`, check);
  print('  first answer', ms(median(own)));
  for (const [key, times] of Object.entries(theirs)) print(`  ${key}`, `${ms(median(times))}  ${ratio(median(times) / median(own))}`);
  print('  asking again at another as-of date', ms(median(again)));
  print('  memory, in bytes of the columns (given ones included)', ratio((most + columnBytes) / columnBytes));
  if (check !== 'values agree') process.exitCode = 1;
}
