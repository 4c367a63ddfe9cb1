import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { compared, fixedLoop, median, ms, print, ratio } from './rig.ts';

/**
 * From file to answer, as whole processes: the command line against a script that runs the best plain statement in the same DuckDB.
 * The sides take turns, each in a process of its own; a fixed loop between them tells how noisy the machine is. Both write the same
 * number of rows. The statement lets DuckDB guess types, as somebody in a hurry would, and adds up by month at once.
 */
const LINES = Number(process.env.BENCH_ROWS ?? 5_000_000);
const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 3);
const folder = resolve(`tmp/bench-data/files-${LINES}`);
const CLI = resolve('dist/cli/main.js');
const QUESTION = ['revenue', 'revenue vs year-earlier', '--by', 'month', '--per', 'region', '--engine', 'duckdb', '--format', 'csv'];

const model = (file: string): string => `durchblick: 1
name: Order lines of Grünhof
sources: { lines: { file: ${file} }, regions: { file: regions.csv } }
dimensions: { region: { source: regions, key: region_id, attributes: { region: name } } }
facts:
  lines:
    source: lines
    dates: { ordered: ordered_on, shipped: shipped_on }
    links: { region: region_id }
    measures: { revenue: { sum: amount, role: ordered } }
`;

const sql = (file: string): string => `with months as (
    select date_trunc('month', ordered_on) as month, region_id, sum(amount) as revenue from '${folder}/${file}' group by all),
  axis as (select m.month, region_id, name from (select unnest(range((select min(month) from months), (select max(month) from months) + interval 1 month, interval 1 month)) as month) as m, '${folder}/regions.csv')
select a.month, a.name, o.revenue, e.revenue as earlier
from axis a left join months o using (month, region_id) left join months e on e.region_id = a.region_id and e.month = a.month - interval 1 year
order by a.month, a.name`;

const make = async (): Promise<void> => {
  mkdirSync(folder, { recursive: true });
  const instance = await DuckDBInstance.create(':memory:');
  const connection = await instance.connect();
  await connection.run(`copy (select i as line_id, date '2021-01-01' + (hash(i) % 1826)::int as ordered_on,
      date '2021-01-01' + (hash(i) % 1826)::int + (hash(i * 3) % 30)::int as shipped_on, (hash(i * 5) % 25)::int + 1 as region_id,
      (hash(i * 7) % 300000)::int as customer_id, ((hash(i * 11) % 2000000)::int / 100)::decimal(12, 2) as amount,
      (hash(i * 13) % 9)::int + 1 as quantity, 'SKU-' || (hash(i * 17) % 20000) as sku
    from range(${LINES}) t(i)) to '${folder}/lines.csv' (header)`);
  await connection.run(
    `copy (select * replace (amount::decimal(12, 2) as amount) from '${folder}/lines.csv') to '${folder}/lines.parquet' (format parquet)`,
  );
  await connection.run(
    `copy (select i + 1 as region_id, 'Region ' || (i + 1) as name from range(25) t(i)) to '${folder}/regions.csv' (header)`,
  );
  connection.closeSync();
  instance.closeSync();
  for (const kind of ['csv', 'parquet']) {
    writeFileSync(`${folder}/${kind}.yaml`, model(`lines.${kind}`));
    writeFileSync(
      `${folder}/${kind}.mjs`,
      `import { DuckDBInstance } from ${JSON.stringify(import.meta.resolve('@duckdb/node-api'))};
const connection = await (await DuckDBInstance.create(':memory:')).connect();
const rows = (await connection.runAndReadAll(${JSON.stringify(sql(`lines.${kind}`))})).getRows();
process.stdout.write(rows.map((row) => row.map(String).join(',')).join('\\n'));
`,
    );
  }
};

const run = (args: readonly string[]): readonly [time: number, rows: number] => {
  const start = performance.now();
  const { status, stdout, stderr } = spawnSync(process.execPath, args, { encoding: 'utf8', maxBuffer: 2 ** 28 });
  if (status !== 0) throw new Error(stderr);
  return [performance.now() - start, stdout.trimEnd().split('\n').length];
};

if (!existsSync(`${folder}/parquet.mjs`)) await make();
const kept = `${folder}/.durchblick`;
const ask = (kind: string, ...more: readonly string[]) => run([CLI, 'ask', `${folder}/${kind}.yaml`, ...QUESTION, ...more]);
print(`${LINES} lines: CSV`, `${(statSync(`${folder}/lines.csv`).size / 2 ** 20).toFixed(0)} MiB`);
print('  Parquet', `${(statSync(`${folder}/lines.parquet`).size / 2 ** 20).toFixed(0)} MiB`);
const loops: number[] = [];
for (const kind of ['csv', 'parquet']) {
  const times: Record<'sql' | 'first' | 'again' | 'off' | 'rows', number[]> = { sql: [], first: [], again: [], off: [], rows: [] };
  for (let round = 0; round < ROUNDS; round++) {
    loops.push(fixedLoop());
    const [theirs, expected] = run([`${folder}/${kind}.mjs`]);
    times.sql.push(theirs);
    rmSync(kept, { recursive: true, force: true });
    const [first, rows] = ask(kind);
    if (rows - 1 !== expected) throw new Error(`${rows - 1} rows, and ${expected} by hand`);
    times.first.push(first);
    times.again.push(ask(kind)[0]);
    times.off.push(ask(kind, '--keep', 'off')[0]);
    // What is said last holds.
    times.rows.push(ask(kind, '--keep', 'off', '--engine', 'memory')[0]);
  }
  const by = median(times.sql);
  const name = kind === 'csv' ? 'CSV' : 'Parquet';
  compared({
    workload: `${name}, first time, whole process`,
    byHand: times.sql,
    own: times.off,
    wanted: kind === 'csv' ? 1 / 1.5 : 1 / 1.3,
  });
  compared({
    workload: `${name}, the same and kept for the next time`,
    byHand: times.sql,
    own: times.first,
    wanted: kind === 'csv' ? 1 / 1.5 : 1 / 1.3,
  });
  // Nobody asked for a ratio: rows that are held answer the next question without any statement.
  compared({ workload: `${name}, first time, rows held in memory`, byHand: times.sql, own: times.rows, wanted: 0 });
  compared({ workload: `${name}, opened again, whole process`, byHand: times.sql, own: times.again, wanted: 1 });
  print(`${kind}: statement by hand, whole process`, ms(by));
  for (const [name, label] of [
    ['first', 'opened first, and kept'],
    ['off', 'opened first, nothing kept'],
    ['rows', 'opened first, rows held in memory'],
    ['again', 'opened again'],
  ] as const) {
    print(`  ${label}`, ms(median(times[name])));
    print('    of the time by hand', ratio(median(times[name]) / by));
  }
}
print('a fixed loop, from least to most', `${ms(Math.min(...loops))} to ${ms(Math.max(...loops))}`);
