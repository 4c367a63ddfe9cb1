import { spawn } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { tableFromIPC } from 'apache-arrow';
import { parquetReadObjects } from 'hyparquet';
import { afterAll, beforeAll, describe, expect, inject, test } from 'vitest';
import { connectPostgres, DEMO, durchblick, makeFolder, openBook, ROOT, run, table } from '../setup/builders.ts';
import { loadModel, postgres } from '../setup/library.ts';

const folder = makeFolder();
const QUESTION = [
  'revenue',
  'orders',
  'revenue over mtd vs year-earlier as change',
  ...'--by month --per region --range 2026-02/2026-05'.split(' '),
];
const ask = (...more: readonly string[]): string => durchblick('ask', DEMO, ...QUESTION, '--format', 'csv', ...more).stdout;
const CSV = ask();

test('R3: --engine duckdb writes the bytes that memory writes', () => {
  expect(CSV.split('\r\n').length).toBeGreaterThan(16);
  expect(ask('--engine', 'duckdb')).toBe(CSV);
});

test('--time says what was scanned, cached and fetched; rows fetched stay below the cells of the cubes', () => {
  const { stderr } = durchblick('ask', DEMO, 'revenue', '--by', 'month', '--range', '2026', '--engine', 'duckdb', '--time');
  const [, scans, cells, fetched] =
    /(\d+) scans? made ([\d,]+) cells, \d+ aggregates? came from the cache; ([\d,]+) rows fetched/.exec(stderr) ?? [];
  expect(Number(scans)).toBeGreaterThan(0);
  expect(Number(fetched.replaceAll(',', ''))).toBeLessThanOrEqual(Number(cells.replaceAll(',', '')));
});

describe('Arrow and Parquet', () => {
  const rows = CSV.trimEnd()
    .split('\r\n')
    .slice(1)
    .map((line) => line.split(','));
  const wanted = rows.map(([period, region, ...numbers]) => [
    period,
    region,
    ...numbers.map((text) => (text === '' ? null : Number(text))),
  ]);

  test('an Arrow file has the rows of the CSV, typed', () => {
    const file = join(folder, 'answer.arrow');
    expect(durchblick('ask', DEMO, ...QUESTION, '--format', 'arrow', '--output', file).code).toBe(0);
    const arrow = tableFromIPC(readFileSync(file));
    expect(arrow.schema.fields.map(({ name, type }) => [name, String(type)])).toEqual(
      table("period Utf8 | region Utf8 | revenue Float64 | orders Float64 | 'revenue over mtd vs year-earlier as change' Float64"),
    );
    expect(arrow.toArray().map((row) => Object.values(row.toJSON()))).toEqual(wanted);
  });

  test('so has a Parquet file', async () => {
    const file = join(folder, 'answer.parquet');
    expect(durchblick('ask', DEMO, ...QUESTION, '--format', 'parquet', '--output', file).code).toBe(0);
    const bytes = readFileSync(file);
    const found = await parquetReadObjects({
      file: bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer,
    });
    expect(found.map((row) => Object.values(row))).toEqual(wanted);
  });

  test('without a file to write to they are an error', () => {
    const { code, stderr } = durchblick('ask', DEMO, 'revenue', '--format', 'parquet');
    expect([code, stderr]).toEqual([2, expect.stringContaining('--output answer.parquet')]);
  });

  /** The rest of the demo's files lies beside the folder of the model (V8). */
  const BESIDE = ['--allow', join(ROOT, 'demo/data')];
  /** The demo's lines and stock in another form of file, the rest as it is. */
  const inForm = async (
    ending: string,
    write: (connection: Awaited<ReturnType<DuckDBInstance['connect']>>, table: string, file: string) => Promise<unknown>,
  ) => {
    const connection = await (await DuckDBInstance.create()).connect();
    for (const table of ['order_lines', 'stock']) {
      const types =
        table === 'stock'
          ? "types = {'counted_on': 'varchar'}"
          : "types = {'ordered_on': 'date', 'unit_price': 'decimal(8, 2)', 'discount': 'decimal(8, 2)', 'promised_on': 'varchar'}";
      await connection.run(`create table ${table} as from read_csv('${ROOT}demo/data/${table}.csv', ${types})`);
      await write(connection, table, join(folder, `${table}.${ending}`));
    }
    connection.closeSync();
    const text = readFileSync(join(ROOT, DEMO), 'utf8')
      .replace(/data\/(order_lines|stock)\.csv/g, (_, table: string) => join(folder, `${table}.${ending}`))
      .replaceAll('data/', `${ROOT}demo/data/`);
    const path = join(folder, `${ending}.yaml`);
    writeFileSync(path, text);
    return path;
  };
  const copyTo = (options: string) => (connection: { run: (sql: string) => Promise<unknown> }, table: string, file: string) =>
    connection.run(`copy ${table} to '${file}' (${options})`);

  test.each([
    ['parquet', copyTo('format parquet, compression zstd')],
    ['ndjson', copyTo('format json')],
    ['csv', copyTo("format csv, header true, delimiter ';'")],
  ])('every engine reads .%s files', async (ending, write) => {
    const path = await inForm(ending, write);
    for (const engine of ['memory', 'duckdb']) {
      const { code, stdout, stderr } = durchblick('ask', path, ...QUESTION, '--format', 'csv', '--engine', engine, ...BESIDE);
      expect([code, stdout], `${engine}: ${stderr}`).toEqual([0, CSV]);
    }
    const { stderr } = durchblick('ask', path, 'revenue', '--time', ...BESIDE);
    // Parquet is DuckDB's by itself.
    expect(/fetched from the database/.test(stderr)).toBe(ending === 'parquet');
  });

  test('a file that does not fit in memory is refused with a way out, and DuckDB reads it', async () => {
    const connection = await (await DuckDBInstance.create()).connect();
    const columns = ["date '2026-01-05' as day", ...Array.from({ length: 9 }, (_, k) => `1 as c${k}`)].join(', ');
    await connection.run(`copy (select ${columns} from range(5100000)) to '${join(folder, 'wide.parquet')}' (format parquet)`);
    connection.closeSync();
    const path = join(folder, 'wide.yaml');
    writeFileSync(
      path,
      'durchblick: 1\nsources: { wide: { file: wide.parquet } }\nfacts: { wide: { source: wide, dates: { day: day }, measures: { n: { sum: c0 } } } }\n',
    );
    const refused = durchblick('ask', path, 'n', '--engine', 'memory');
    expect(refused).toMatchObject({ code: 1, stderr: expect.stringContaining('5100000 rows of 10 columns: too much to hold in memory') });
    expect(refused.stderr).toContain('--engine duckdb');
    expect(durchblick('ask', path, 'n', '--format', 'csv').stdout).toContain(',5100000');
    const verified = durchblick('ask', path, 'n', '--verify');
    expect(verified).toMatchObject({ code: 1, stderr: expect.stringContaining('5100000 rows are too many to look at one by one') });
  });

  test('every engine reads Arrow files', async () => {
    const { tableFromArrays, tableToIPC, vectorFromArray, DateDay, Table } = await import('apache-arrow');
    const path = await inForm('arrow', async (connection, table, file) => {
      const reader = await connection.runAndReadAll(`from ${table}`);
      const columns = reader.getColumnsObjectJS() as Record<string, unknown[]>;
      const plain = Object.entries(columns).map(([name, values]) => {
        const some = values.find((value) => value !== null);
        if (some instanceof Date) return [name, vectorFromArray(values as Date[], new DateDay())] as const;
        if (typeof some === 'bigint')
          return [name, vectorFromArray(values.map((value) => (value === null ? null : Number(value))))] as const;
        return [name, tableFromArrays({ x: values as never }).getChild('x')] as const;
      });
      writeFileSync(file, tableToIPC(new Table(Object.fromEntries(plain) as never), 'file'));
    });
    for (const engine of ['memory', 'duckdb'])
      expect(durchblick('ask', path, ...QUESTION, '--format', 'csv', '--engine', engine, ...BESIDE).stdout, engine).toBe(CSV);
  });
});

describe('durchblick sql', () => {
  const numbers = (rows: readonly unknown[][]): number =>
    rows.flat().reduce((sum: number, value) => sum + (typeof value === 'number' || typeof value === 'bigint' ? Number(value) : 0), 0);

  test('prints statements that run as they are, each with what it is for', async () => {
    const { code, stdout } = run(`sql ${DEMO} revenue 'orders over rolling-28-days' --by week --per family --range 2026-04`);
    expect(code).toBe(0);
    const statements = stdout.split(/;\n/).filter((text) => text.trim() !== '');
    expect(stdout.match(/^-- .*/gm)).toEqual([
      '-- the file data/products.csv',
      '-- the file data/order_lines.csv',
      '-- members of product',
      '-- distinct order_id of order-lines by ordered day',
      '-- order-lines by ordered day, product.family: a0 rows, a1 count of net, a2 sum of net',
    ]);
    const connection = await (await DuckDBInstance.create()).connect();
    let lines = 0;
    for (const statement of statements) {
      expect(statement.trimStart()).toMatch(/^-- \S/);
      const rows = (await connection.runAndReadAll(statement)).getRowsJS();
      if (statement.includes('sum of net')) lines += numbers(rows);
    }
    expect(lines).toBeGreaterThan(0);
    connection.closeSync();
  });

  test('over a connection prints what that database is asked, in its own words', async () => {
    const { default: pg } = await import('pg');
    const client = new pg.Client({ connectionString: inject('postgres') });
    await client.connect();
    const { stdout, stderr, code } = durchblick('sql', DEMO, 'revenue', '--by', 'month', '--range', '2026', '--connect', connection);
    expect([code, stderr]).toEqual([0, '']);
    const statements = stdout.split(/;\n/).filter((text) => text.trim() !== '');
    await client.query('set search_path = gruenhof');
    // The last of them is the cube: a row for every day with orders, and the sums are those of the rows.
    const answers: Record<string, unknown>[][] = [];
    for (const statement of statements) answers.push((await client.query(statement)).rows);
    const days = await client.query(
      "select count(distinct ordered_on::date) as n from order_lines where ordered_on::date between '2026-01-01' and '2026-05-20'",
    );
    expect(answers.at(-1)?.length).toBe(Number(days.rows[0].n));
    expect(statements.some((statement) => statement.includes('"order_lines"'))).toBe(true);
    await client.end();
  });
});

let connection = '';
let drop: (() => Promise<void>) | undefined;
beforeAll(async () => {
  const [{ default: pg }, { default: Papa }, { loadTables }] = await Promise.all([
    import('pg'),
    import('papaparse'),
    import('../setup/tables.ts'),
  ]);
  const client = new pg.Client({ connectionString: inject('postgres') });
  await client.connect();
  const { model } = await loadModel(join(ROOT, DEMO));
  const tables = Object.fromEntries(
    [...model.sources.values()].flatMap((source) =>
      source.kind === 'file'
        ? [
            [
              source.name,
              Papa.parse<Record<string, unknown>>(readFileSync(`${ROOT}demo/${source.file}`, 'utf8'), {
                header: true,
                skipEmptyLines: true,
                dynamicTyping: true,
              }).data,
            ],
          ]
        : [],
    ),
  );
  const loaded = await loadTables(client, 'gruenhof', tables);
  connection = inject('postgres') + loaded.options;
  drop = async () => {
    await loaded.drop();
    await client.end();
  };
});
afterAll(() => drop?.());

test('--connect asks the tables of a PostgreSQL database, with the same bytes, and verifies them', () => {
  const { code, stdout, stderr } = durchblick('ask', DEMO, ...QUESTION, '--format', 'csv', '--connect', connection, '--verify');
  expect([code, stdout]).toEqual([0, CSV]);
  expect(stderr).toContain('all the same');
});

test('`init --connect` drafts a model from tables of a database, which it then answers from', () => {
  const folder = makeFolder();
  const model = join(folder, 'model.yaml');
  const tables = ['order_lines', 'products', 'regions'].map((name) => `gruenhof.${name}`);
  const drafted = durchblick('init', '--connect', connection, ...tables, '-o', model);
  expect([drafted.code, drafted.stderr]).toEqual([0, expect.stringContaining('order_id: a key or number of something, and not added up')]);
  const yaml = readFileSync(model, 'utf8');
  expect(yaml).toContain('order_lines: { table: gruenhof.order_lines }');
  expect(yaml).toContain('product: { source: products, key: product_id');
  const asked = ['revenue', '--by', 'month', '--per', 'region', '--range', '2026', '--as-of', '2026-05-20', '--format', 'csv', '--quiet'];
  const known = (text: string): string[] => text.split('\r\n').sort();
  expect(known(durchblick('ask', model, ...asked, '--connect', connection).stdout)).toEqual(
    known(durchblick('ask', DEMO, ...asked).stdout),
  );
  expect(durchblick('init', '--connect', connection, 'gruenhof.orderlines')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('gruenhof.order_lines'),
  });
});

test('a book over PostgreSQL answers again without asking the rows again', async () => {
  const { model, files } = await loadModel(join(ROOT, DEMO));
  const book = await openBook(model, postgres({ connectionString: connection, files }));
  await book.ask({ show: ['revenue'], by: 'month', per: ['region'], range: '2025/2026' });
  const { scans } = book.cost();
  const result = await book.ask({ show: ['revenue over mtd'], by: 'week', per: ['region'], range: '2026', asOf: '2026-04-20' });
  expect([result.rows.length > 100, book.cost().scans]).toEqual([true, scans]);
});

const slowModel = (query: string): string => {
  const fact = 's: { source: s, dates: { on: day }, measures: { n: { sum: n } } }';
  return join(makeFolder({ 'slow.yaml': `sources: { s: { query: "${query}" } }\nfacts: { ${fact} }\n` }), 'slow.yaml');
};
const SLOW = 'select current_date - i as day, 1 as n, pg_sleep(0.01)::text as slept from generate_series(1, 6000) i';

test.each(['SIGINT', 'SIGTERM', 'SIGKILL'] as const)('%s ends the statement on PostgreSQL too', async (signal) => {
  const { client } = await connectPostgres();
  const running = async (): Promise<number> => {
    const asked =
      "select count(*)::int as n from pg_stat_activity where state = 'active' and query like '%slept%' and pid <> pg_backend_pid()";
    return (await client.query(asked)).rows[0].n;
  };
  const child = spawn(process.execPath, ['dist/cli/main.js', 'ask', slowModel(SLOW), 'n', '--connect', connection], { cwd: ROOT });
  await expect.poll(running).toBe(1);
  child.kill(signal);
  await expect.poll(running).toBe(0);
});

test.each([
  [SLOW, () => ['--connect', connection], 'PostgreSQL took longer than 200 ms'],
  ["select date '2026-01-01' as day, count(*) as n from range(100000000000)", () => [], 'DuckDB took longer than 200 ms'],
])('a statement ends after --timeout: %s', (query, more, said) => {
  const { code, stderr } = durchblick('ask', slowModel(query), 'n', '--timeout', '0.2', ...more());
  expect([code, stderr]).toEqual([1, expect.stringContaining(said)]);
});

test.each([
  [['--timeout', 'soon'], 2, '--timeout is "soon"'],
  [['--engine', 'duckdb', '--connect', 'duckdb:x'], 2, 'leave --engine out'],
  [['--connect', 'mysql://x'], 2, 'postgres://user@host/database, duckdb:file.duckdb or trino:'],
  [['--connect', 'duckdb:nowhere.duckdb'], 1, 'cannot open'],
  [['--connect', 'postgres://x@127.0.0.1:1/x'], 1, 'could not connect'],
  [['--engine', 'stone'], 2, 'memory, duckdb'],
])('ask %o ends with %i: %s', (options, exit, text) => {
  const { code, stderr, stdout } = durchblick('ask', DEMO, 'revenue', ...options);
  expect([code, stdout]).toEqual([exit, '']);
  expect(stderr).toContain(text);
  expect(stderr).not.toMatch(/\n {4}at /);
});
