import { execFileSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, inject, test } from 'vitest';
import { urlFiles } from '../../src/files/files.ts';
import { type Engine, type Model, open } from '../../src/index.ts';
import { factModel, makeFolder } from '../setup/builders.ts';
import { duckdb, folderFiles, memory, postgres } from '../setup/library.ts';

const place = makeFolder();
const folder = join(place, 'model');
mkdirSync(folder);
writeFileSync(join(place, 'secret.csv'), 'd,k,v\n2026-01-05,secret,1\n');
writeFileSync(join(folder, 'own.csv'), 'd,k,v\n2026-01-05,a,1\n');
mkdirSync(join(folder, 'sub'));
mkdirSync(join(folder, 'empty'));
writeFileSync(join(folder, 'sub', 'deep.csv'), 'd,k,v\n2026-01-05,b,2\n');
writeFileSync(join(folder, 't[1].csv'), 'd,k,v\n2026-01-05,brackets,4\n');
writeFileSync(join(folder, 't1.csv'), 'd,k,v\n2026-01-05,pattern,8\n');
for (const hidden of ['.hidden', 'sub/.durchblick', 'kept']) {
  mkdirSync(join(folder, hidden));
  writeFileSync(join(folder, hidden, 'deep.csv'), 'd,k,v\n2026-01-05,cache,16\n');
}
writeFileSync(join(folder, 'kept', 'CACHEDIR.TAG'), 'Signature: 8a477f597d28d172789f06886806bc55\n');
mkdirSync(join(folder, 'v=7'));
writeFileSync(join(folder, 'v=7', 'own.csv'), 'd,k,v\n2026-01-05,c,3\n');
symlinkSync(join(place, 'secret.csv'), join(folder, 'link.csv'));
symlinkSync(place, join(folder, 'out'));
execFileSync('mkfifo', [join(folder, 'pipe.csv')]);
symlinkSync(join(folder, 'own.csv'), join(folder, 'inside.csv'));

const modelOf = (source: Readonly<Record<string, string>>): Model =>
  factModel(
    't',
    { dates: { d: 'd' }, links: { k: 'k' }, measures: { v: { sum: 'v' } } },
    { sources: { t: source } as never },
  ) as unknown as Model;
const membersOf = async (engine: Engine, source: Readonly<Record<string, string>>): Promise<readonly (readonly unknown[])[]> => {
  const book = await open(modelOf(source), engine);
  try {
    return (await book.ask({ show: ['v'], per: ['k'] })).rows.map((row) => row.slice(1));
  } finally {
    await book.close();
  }
};

const ENGINES: readonly (readonly [string, (allow?: readonly string[]) => Engine])[] = [
  ['memory', (allow) => memory({}, { files: folderFiles(folder, { allow }) })],
  ['duckdb', (allow) => duckdb({ folder, allow, threads: 1 })],
];

describe.each(ENGINES)('V8: files of a model lie below its folder: %s', (_, engine) => {
  test.each([
    ['own.csv', [['a', 1]]],
    ['./own.csv', [['a', 1]]],
    ['sub/../own.csv', [['a', 1]]],
    ['sub/deep.csv', [['b', 2]]],
    ['inside.csv', [['a', 1]]],
    // A name with brackets is a pattern only where no file has that very name; folders give no columns (V7).
    ['t[1].csv', [['brackets', 4]]],
    ['t[1-9].csv', [['pattern', 8]]],
    ['t?.csv', [['pattern', 8]]],
    ['v=7/own.csv', [['c', 3]]],
    ['sub/*.csv', [['b', 2]]],
    ['**/deep.csv', [['b', 2]]],
    // Hidden folders and caches are skipped, and matching is fast for every pattern.
    ['**/**/**/**/**/**/**/**/**/**/deep.csv', [['b', 2]]],
    ['**/*************d*p*************.csv', [['b', 2]]],
    ['[!a-n]w[m-o].csv', [['a', 1]]],
  ])('%s is read', async (file, wanted) => {
    expect(await membersOf(engine(), { file })).toEqual(wanted);
  });

  test.each([
    ['../secret.csv', 'outside-folder'],
    [join(place, 'secret.csv'), 'outside-folder'],
    ['link.csv', 'outside-folder'],
    ['out/secret.csv', 'outside-folder'],
    ['out', 'outside-folder'],
    ['o*/secret.csv', 'outside-folder'],
    ['sub/../../secret.csv', 'outside-folder'],
    ['../nothing.csv', 'outside-folder'],
    ['/etc/passwd', 'outside-folder'],
    ['https://example.invalid/t.csv', 'outside-folder'],
    ['s3://bucket/t.parquet', 'outside-folder'],
    ['file:///etc/passwd.csv', 'outside-folder'],
    ['nothing.csv', 'no-file'],
    ['empty', 'no-file'],
    // It would wait for ever.
    ['pipe.csv', 'no-file'],
    ['pip?.csv', 'no-file'],
    ['n*.csv', 'no-file'],
    ['kept/deep.csv', 'no-file'],
    ['[z-a].csv', 'bad-path'],
    [`${'a*'.repeat(40)}b.csv`, 'no-file'],
    ['**/a/**/a/**/a/**/a/**/a.csv', 'bad-path'],
  ])('%s is not', async (file, code) => {
    await expect(membersOf(engine(), { file })).rejects.toMatchObject({ code });
  });

  test('a folder that is allowed is read too', async () => {
    expect(await membersOf(engine([place]), { file: '../secret.csv' })).toEqual([['secret', 1]]);
    expect(await membersOf(engine([place]), { file: 'link.csv' })).toEqual([['secret', 1]]);
  });
});

test('V8: files below an address lead out of it neither', async () => {
  const files = urlFiles('https://example.invalid/models/model.yaml');
  for (const path of ['../secret.csv', '/secret.csv', 'https://other.invalid/t.csv', '//other.invalid/t.csv'])
    await expect(files(path)).rejects.toMatchObject({ code: 'outside-folder' });
});

describe('V8: a query is one SELECT: DuckDB', () => {
  const engine = (): Engine => duckdb({ folder, threads: 1 });
  const HEAD = "select '2026-01-05'::date as d, 'a' as k, 1 as v";
  test.each([
    [HEAD, [['a', 1]]],
    [`${HEAD} -- a comment at the end`, [['a', 1]]],
    [`${HEAD};`, [['a', 1]]],
    ["select d, k, v::integer as v from 'own.csv'", [['a', 1]]],
    ["select d, k, v::integer as v from read_csv('sub/deep.csv')", [['b', 2]]],
    [`with x as (${HEAD}) select * from x`, [['a', 1]]],
  ])('%s', async (query, wanted) => {
    expect(await membersOf(engine(), { query })).toEqual(wanted);
  });

  const written = join(folder, 'written.csv');
  test.each([
    [`copy (${HEAD}) to '${written}'`],
    [`${HEAD}); copy (${HEAD}) to '${written}'; (${HEAD}`],
    [`${HEAD}) as x; create table y as (${HEAD}`],
    [`${HEAD}; attach '${join(folder, 'x.duckdb')}'`],
    [`${HEAD}; install httpfs`],
    ["select d, k, v from '../secret.csv'"],
    [`select d, k, v from '${join(place, 'secret.csv')}'`],
    [`select d, k, v from read_csv('${join(place, 'secret.csv')}')`],
    ["select d, k, v from 'link.csv'"],
    ["select '2026-01-05'::date as d, content as k, 1 as v from read_text('/etc/passwd')"],
    ["select '2026-01-05'::date as d, file as k, 1 as v from glob('/etc/*')"],
    ["select * from read_csv('https://example.invalid/t.csv')"],
    ["select * from 's3://bucket/t.parquet'"],
    ['set enable_external_access = true; select 1'],
    ['pragma version'],
    ['insert into t values (1)'],
    [''],
  ])('%s is refused, and nothing is written', async (query) => {
    const before = readdirSync(folder);
    await expect(membersOf(engine(), { query })).rejects.toMatchObject({
      code: expect.stringMatching(/bad-query|outside-folder|unknown-column/),
    });
    expect(readdirSync(folder)).toEqual(before);
    expect(existsSync(written)).toBe(false);
  });
});

describe('V8: a query is one SELECT: PostgreSQL', () => {
  let client: pg.Client;
  beforeAll(async () => {
    client = new pg.Client({ connectionString: inject('postgres') });
    await client.connect();
    await client.query(
      `drop schema if exists trust cascade; create schema trust; create table trust.kept (d date, k text, v integer); insert into trust.kept values ('2026-01-05', 'a', 1); create sequence trust.numbers`,
    );
  });
  afterAll(() => client?.end());
  const engine = (): Engine =>
    postgres({ connectionString: `${inject('postgres')}?options=${encodeURIComponent('-c search_path=trust')}` });
  const rows = async (): Promise<unknown> => (await client.query('select * from trust.kept')).rows;

  test.each([
    ['select * from kept'],
    ['select * from kept;'],
    ['select * from kept -- a comment'],
    ['with x as (select * from kept) select * from x'],
  ])('%s', async (query) => {
    expect(await membersOf(engine(), { query })).toEqual([['a', 1]]);
  });

  test.each([
    ['select * from kept; drop table kept'],
    ['select * from kept) as x; drop table kept; select * from (select * from kept'],
    ['select * from kept); drop table kept; --'],
    ['select * from kept) as a; commit; drop table kept; --'],
    ['drop table kept'],
    ['with x as (delete from kept returning *) select * from x'],
    ["select d, k, nextval('numbers') as v from kept"],
    ['select d, k, v from kept for update'],
    ["copy kept to program 'cat > /tmp/durchblick-trust'"],
    ["select set_config('transaction_read_only', 'off', true), d, k, v from kept"],
    [''],
  ])('%s is refused, and nothing changes', async (query) => {
    const before = await rows();
    await expect(membersOf(engine(), { query })).rejects.toMatchObject({
      code: expect.stringMatching(/bad-query|engine-failed|unknown-column/),
    });
    expect(await rows()).toEqual(before);
    expect(existsSync('/tmp/durchblick-trust')).toBe(false);
  });

  test('what a function writes in spite of all is not kept', async () => {
    const objects = async () => (await client.query('select count(*)::int as n from pg_largeobject_metadata')).rows[0].n;
    const before = await objects();
    await membersOf(engine(), { query: "select d, 'x' || lo_create(0) as k, v from kept" });
    expect(await objects()).toBe(before);
  });
});

test('what the tests made is what it was', () => {
  expect(readFileSync(join(folder, 'own.csv'), 'utf8')).toBe('d,k,v\n2026-01-05,a,1\n');
});
