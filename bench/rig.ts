import { cpus } from 'node:os';
import { type DuckDBConnection, DuckDBInstance } from '@duckdb/node-api';
import { defineModel, type Model, type ModelInput } from '../src/index.ts';

/** What all measurements share: ten million order lines in DuckDB and, the same rows, in typed arrays. */
export const ROWS = Number(process.env.BENCH_ROWS ?? 10_000_000);
export const REGIONS = 5;

export const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];

export const timed = async <T>(run: () => Promise<T> | T): Promise<readonly [number, T]> => {
  // Threads of the measurement before, of either side, come to rest first.
  await new Promise((resolve) => setTimeout(resolve, 300));
  const start = performance.now();
  const value = await run();
  return [performance.now() - start, value];
};

export const print = (label: string, value: string): void => void process.stdout.write(`${label.padEnd(58)} ${value.padStart(12)}\n`);
export const ms = (value: number): string => `${value.toFixed(1)} ms`;
export const ratio = (value: number): string => `${value.toFixed(2)} x`;

/** A workload on both sides, in milliseconds: what a statement by hand takes, and what an answer takes. */
export interface Compared {
  readonly workload: string;
  readonly byHand: readonly number[];
  readonly own: readonly number[];
  /** How many times faster the answer is to be; below 1 where it may take longer. */
  readonly wanted: number;
}

/** For whoever makes one table of all measurements (table.ts). */
export const compared = (one: Compared): void => {
  if (process.env.BENCH_TABLE !== undefined) process.stdout.write(`@${JSON.stringify(one)}\n`);
};

/** The same work each time: how long it takes says how noisy the machine is. */
export const fixedLoop = (): number => {
  const start = performance.now();
  let sum = 0;
  for (let k = 0; k < 3e8; k++) sum += k & 7;
  return performance.now() - start + sum * 0;
};

export interface Rows {
  readonly connection: DuckDBConnection;
  readonly tables: {
    readonly lines: Readonly<Record<string, Int32Array | Float64Array>>;
    readonly regions: Record<string, unknown>[];
    readonly budget: Record<string, unknown>[];
  };
}

/** Makes the rows in DuckDB and copies them out as plain columns, so that both sides hold the same data. */
export const makeRows = async (): Promise<Rows> => {
  const instance = await DuckDBInstance.create(':memory:', { threads: String(cpus().length) });
  const connection = await instance.connect();
  await connection.run('select setseed(0.42)');
  await connection.run(`create table lines as
    select (date '2021-01-01' + (random() * 1825)::int) as ordered, null::date as shipped,
      1 + (random() * ${REGIONS - 1})::int as region_id, (random() * 300000)::int as customer_id,
      (random() * 20000)::int::decimal(12, 2) / 100 as amount_raw, 1 + (random() * 9)::int as quantity
    from range(${ROWS})`);
  await connection.run(`create or replace table lines as
    select ordered, ordered + (random() * 20)::int as shipped, region_id, customer_id, amount_raw::decimal(12, 2) as amount, quantity from lines`);
  const columns = {
    ordered: new Int32Array(ROWS),
    shipped: new Int32Array(ROWS),
    region_id: new Int32Array(ROWS),
    customer_id: new Int32Array(ROWS),
    amount: new Float64Array(ROWS),
    quantity: new Float64Array(ROWS),
  };
  const names = Object.keys(columns) as (keyof typeof columns)[];
  const result = await connection.stream(
    `select ordered - date '1970-01-01', shipped - date '1970-01-01', region_id, customer_id, amount::double, quantity::double from lines`,
  );
  for (let at = 0; ; ) {
    const chunk = await result.fetchChunk();
    if (!chunk || chunk.rowCount === 0) break;
    names.forEach((name, k) => {
      const values = chunk.getColumnValues(k);
      for (let i = 0; i < values.length; i++) columns[name][at + i] = Number(values[i]);
    });
    at += chunk.rowCount;
  }
  const regions = Array.from({ length: REGIONS }, (_, i) => ({ region_id: i + 1, name: `Region ${i + 1}` }));
  await connection.run(`create table regions as select i + 1 as region_id, 'Region ' || (i + 1) as name from range(${REGIONS}) t(i)`);
  await connection.run(`create table budget as select (date '2021-01-01' + to_months(m))::date as m, region_id, (100000 + 1000 * (m % 7) + 500 * region_id)::decimal(12, 2) as amount
    from range(60) t(m), regions`);
  const budget = (await connection.runAndReadAll(`select strftime(m, '%Y-%m'), region_id, amount::double from budget`))
    .getRows()
    .map(([month, region_id, amount]) => ({ month, region_id: Number(region_id), amount: Number(amount) }));
  return { connection, tables: { lines: columns, regions, budget } };
};

/** What is asked of sums alone. */
export const READINGS = [
  'revenue',
  'lines',
  'average-line',
  'revenue over qtd',
  'revenue over ytd',
  'revenue over rolling-3-months',
  'revenue over rolling-12-months',
  'revenue vs previous',
  'revenue vs year-earlier',
  'revenue vs year-earlier as change',
  'revenue on shipped',
  'revenue on shipped over ytd',
];

const input: ModelInput = {
  sources: { lines: {}, regions: {}, budget: {} },
  dimensions: { region: { source: 'regions', key: 'region_id', attributes: { region: 'name' } } },
  facts: {
    lines: {
      source: 'lines',
      dates: { ordered: 'ordered', shipped: 'shipped' },
      links: { region: 'region_id' },
      measures: {
        revenue: { sum: 'amount', role: 'ordered' },
        lines: { count: 'rows', role: 'ordered' },
        'average-line': { average: 'amount', role: 'ordered' },
        quantity: { sum: 'quantity', role: 'ordered' },
        customers: { countDistinct: 'customer_id', role: 'ordered' },
        backlog: { sum: 'amount', open: 'ordered/shipped' },
        'median-wait': { median: 'ordered/shipped', role: 'shipped' },
        'median-line': { median: 'amount', role: 'ordered' },
        'new-customers': { firstTime: 'customer_id', role: 'ordered' },
      },
    },
    budget: {
      source: 'budget',
      grain: 'month',
      horizon: 'plan',
      dates: { planned: 'month' },
      links: { region: 'region_id' },
      measures: { budget: { sum: 'amount', spread: 'working-days' } },
    },
  },
};
export const model: Model = defineModel({ ...input, formulas: { attainment: '(revenue over mtd) / (budget over mtd)' } });
