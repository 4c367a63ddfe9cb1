import { existsSync, mkdirSync, statSync } from 'node:fs';
import { DuckDBInstance } from '@duckdb/node-api';
import { duckdb } from '../src/engines/duckdb/index.ts';
import { defineModel, open, type Question } from '../src/index.ts';
import { orderModel, orderStatements } from './orders.ts';
import { ms, print, timed } from './rig.ts';

/** A hundred million lines in Parquet, read where they lie; the most memory this process ever had is printed. */
const LINES = Number(process.env.BENCH_ROWS ?? 100_000_000);
const folder = `tmp/bench-data/parquet-${LINES}`;
const TABLES = ['orders', 'lines', 'nurseries', 'budget'];

if (process.argv[2] === 'make') {
  mkdirSync(folder, { recursive: true });
  const instance = await DuckDBInstance.create(`${folder}/make.duckdb`, { memory_limit: '6GB' });
  const connection = await instance.connect();
  for (const statement of orderStatements(LINES)) await connection.run(statement);
  for (const table of TABLES) {
    const order = table === 'lines' ? ' order by ordered_on' : '';
    await connection.run(`copy (from ${table}${order}) to '${folder}/${table}.parquet' (format parquet, row_group_size 200000)`);
  }
  connection.closeSync();
  instance.closeSync();
  process.exit(0);
}
if (!TABLES.every((table) => existsSync(`${folder}/${table}.parquet`))) {
  const { spawnSync } = await import('node:child_process');
  const { status } = spawnSync(process.execPath, [process.argv[1], 'make'], { stdio: 'inherit' });
  if (status !== 0) process.exit(1);
}

const model = defineModel(orderModel(Object.fromEntries(TABLES.map((table) => [table, { file: `${table}.parquet` }]))));
const QUESTIONS: readonly (readonly [string, Question])[] = [
  ['revenue by month and region, a year', { show: ['revenue', 'lines'], by: 'month', per: ['region'], range: '2025', asOf: '2025-12-31' }],
  [
    'and against the year before, month to date',
    { show: ['revenue over mtd vs year-earlier as change'], by: 'month', per: ['region'], range: '2025', asOf: '2025-12-20' },
  ],
  [
    'distinct customers over rolling 28 days, by week',
    { show: ['customers over rolling-28-days'], by: 'week', range: '2025', asOf: '2025-12-31' },
  ],
  ['revenue on shipped by quarter, all years', { show: ['revenue on shipped'], by: 'quarter', range: '2020/2025', asOf: '2025-12-31' }],
];
print(`${LINES} lines of Parquet`, `${(statSync(`${folder}/lines.parquet`).size / 2 ** 20).toFixed(0)} MiB`);
const [opening, book] = await timed(() => open(model, duckdb({ folder, memoryLimit: '5GB' })));
print('open (types, values, bounds)', ms(opening));
for (const [name, question] of QUESTIONS) {
  const before = book.cost().fetched ?? 0;
  const [time, { rows }] = await timed(() => book.ask(question));
  print(`  ${name}: ${rows.length} rows`, ms(time));
  print('    rows fetched', String((book.cost().fetched ?? 0) - before));
}
await book.close();
print('most memory', `${(process.resourceUsage().maxRSS / 2 ** 20).toFixed(2)} GiB`);
if (process.resourceUsage().maxRSS > 8 * 2 ** 20) process.exitCode = 1;
