import { memory } from '../src/engines/memory/index.ts';
import { open, type Question } from '../src/index.ts';
import { compared, makeRows, median, model, ms, print, READINGS, REGIONS, ROWS, ratio, timed } from './rig.ts';

/**
 * Twelve additive readings by month and region over ten million rows: the memory engine against the best SQL we
 * could write by hand for DuckDB, side by side in one run. Prints medians and ratios; sums are compared.
 */
const QUESTION: Question = { show: READINGS, by: 'month', per: ['region'], range: '2021-01/2025-12', asOf: '2025-12-31' };

/** One scan a role, by month and region; windows over the few hundred rows that are left. */
const SQL = `
with o as (select year(ordered) * 12 + month(ordered) as m, region_id as r, sum(amount) as s, count(*) as c from lines where ordered <= date '2025-12-31' group by all),
  sh as (select year(shipped) * 12 + month(shipped) as m, region_id as r, sum(amount) as s from lines where shipped <= date '2025-12-31' group by all),
  axis as (select 2021 * 12 + 1 + i as m, region_id as r, name from range(60) t(i), regions),
  j as (select axis.m, axis.r, name, o.s, o.c, sh.s as ss, (axis.m - 1) // 3 as q, (axis.m - 1) // 12 as y from axis left join o using (m, r) left join sh using (m, r))
select m, name, s, c, s / c as a,
  sum(s) over (partition by r, q order by m) as qtd, sum(s) over (partition by r, y order by m) as ytd,
  sum(s) over (partition by r order by m rows 2 preceding) as r3, sum(s) over (partition by r order by m rows 11 preceding) as r12,
  lag(s) over (partition by r order by m) as prev, lag(s, 12) over (partition by r order by m) as ly,
  (s - lag(s, 12) over (partition by r order by m)) / abs(lag(s, 12) over (partition by r order by m)) as ch,
  ss, sum(ss) over (partition by r, y order by m) as ssytd
from j order by m, name`;

const { connection, tables } = await makeRows();
const { ordered, shipped, region_id: region, amount } = tables.lines as Record<string, Int32Array>;

/** The yardstick: the least that any engine in one thread must do for a role, written out by hand. */
const bareLoop = (days: Int32Array): Float64Array => {
  const base = 18628;
  const span = 1900;
  const sums = new Float64Array(span * REGIONS);
  const counts = new Float64Array(span * REGIONS);
  for (let i = 0; i < ROWS; i++) {
    const slot = (days[i] - base) * REGIONS + region[i] - 1;
    sums[slot] += amount[i];
    counts[slot]++;
  }
  return sums;
};

const rounds = Number(process.env.BENCH_ROUNDS ?? 7);
const times: Record<'bare' | 'open' | 'first' | 'again' | 'sql', number[]> = { bare: [], open: [], first: [], again: [], sql: [] };
let check = '';
for (let round = 0; round < rounds; round++) {
  times.bare.push((await timed(() => [bareLoop(ordered), bareLoop(shipped)]))[0]);
  const [opening, book] = await timed(() => open(model, memory(tables)));
  times.open.push(opening);
  const [first, result] = await timed(() => book.ask(QUESTION));
  times.first.push(first);
  for (const by of ['quarter', 'half', 'month', 'week']) {
    const show = by === 'week' ? READINGS.filter((text) => text !== 'revenue vs year-earlier') : READINGS;
    times.again.push((await timed(() => book.ask({ ...QUESTION, show, by, asOf: `2025-10-${10 + round}` })))[0]);
  }
  await book.close();
  const [sql, answer] = await timed(async () => (await connection.runAndReadAll(SQL)).getRows());
  times.sql.push(sql);
  const mine = result.rows.reduce((sum, row) => sum + Number(row[6]) + Number(row[13]), 0);
  const theirs = answer.reduce((sum, row) => sum + Number(row[6]) + Number(row[13]), 0);
  check = Math.abs(mine - theirs) < 1e-3 * Math.abs(theirs) ** 0.5 ? 'sums agree' : `SUMS DIFFER: ${mine} and ${theirs}`;
}
const bare = median(times.bare);
compared({ workload: `${READINGS.length} readings, two dates, month by region, cold`, byHand: times.sql, own: times.first, wanted: 2 });
compared({ workload: 'switched to another unit and as-of date', byHand: times.sql, own: times.again, wanted: 10 });
print(`${ROWS} rows, ${READINGS.length} readings by month and region, 2 roles`, check);
print('open (types, codes, bounds)', ms(median(times.open)));
print('bare summing loops, one a role', ms(bare));
print('first answer', ms(median(times.first)));
print('  in bare loops', ratio(median(times.first) / bare));
print('hand-written SQL (DuckDB, all cores, rows in memory)', ms(median(times.sql)));
print('  SQL / first answer', ratio(median(times.sql) / median(times.first)));
print('asking again, another unit and as-of date', ms(median(times.again)));
if (check !== 'sums agree') process.exitCode = 1;
