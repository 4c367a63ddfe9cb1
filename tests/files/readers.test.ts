import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DuckDBInstance } from '@duckdb/node-api';
import { expect, test } from 'vitest';
import { makeFolder } from '../setup/builders.ts';
import { isDeep } from '../setup/draws.ts';
import { duckdb, folderFiles, memory, withTyped } from '../setup/library.ts';
import { FILE_CASES, type FileCase, type Row } from './cases.ts';
import { modelOf, readBy, sorted } from './reading.ts';

const folder = makeFolder();
const files = folderFiles(folder);
const reader = memory({}, { files });
/** DuckDB alone, and DuckDB reading for the engine in memory; each read takes tenths of a second. */
const byDuckDb = [duckdb({ folder, threads: 1 }), memory({}, { files: withTyped(files, { least: 0 }) })];
/** `npm test` reads each eighth file by DuckDB too, `test:deep` all of them. */
const STRIDE = 8;
const FILES = FILE_CASES.map((file, k) => ({ ...file, engines: isDeep || k % STRIDE === 0 ? [reader, ...byDuckDb] : [reader] }));

let next = 0;
const checkReaders = async ({ ending, bytes, want, model, engines }: (typeof FILES)[number]): Promise<void> => {
  const file = `f${next++}.${ending}`;
  writeFileSync(join(folder, file), bytes);
  const [first, ...others] = await Promise.all(engines.map((engine) => readBy(engine, modelOf(file, model))));
  if (Array.isArray(want)) expect(first).toEqual(sorted(want));
  else {
    const { code, says } = want as Exclude<FileCase['want'], readonly Row[]>;
    expect(first).toMatchObject({ code, message: expect.stringContaining(says) });
  }
  for (const other of others) expect(other).toEqual(first);
};

test('there are at least 300 files, each with a name of its own', () => {
  expect(FILE_CASES.length).toBeGreaterThanOrEqual(300);
  expect(new Set(FILE_CASES.map(({ name }) => name)).size).toBe(FILE_CASES.length);
});

test.each(FILES)('V7, $name', checkReaders);

/** Columns of Parquet by the types that DuckDB writes, and what they mean. */
// biome-ignore format: one case a line
const PARQUET: readonly (readonly [type: string, columns: string, want: FileCase['want'], zone?: string])[] = [
  ['dates', `date '2026-01-05' as d, 'a' as k, 1 as v`, [['2026-01-05', 'a', 1]]],
  ['timestamps', `timestamp '2026-01-05 23:59:59.999999' as d, 'a' as k, 1 as v`, [['2026-01-05', 'a', 1]]],
  ['timestamps of nanoseconds', `timestamp_ns '2026-01-05 23:59:59.999999999' as d, 'a' as k, 1 as v`, [['2026-01-05', 'a', 1]]],
  ['timestamps of milliseconds before 1970', `timestamp_ms '1969-12-31 23:59:59.999' as d, 'a' as k, 1 as v`, [['1969-12-31', 'a', 1]]],
  ['instants', `timestamptz '2026-03-28 23:30:00+00' as d, 'a' as k, 1 as v`, [['2026-03-29', 'a', 1]], 'Europe/Berlin'],
  ['instants before 1970', `timestamptz '1969-12-31 22:59:59.999999+00' as d, 'a' as k, 1 as v`, [['1969-12-31', 'a', 1]], 'Europe/Berlin'],
  ['days as keys of 64 bits', `20260105::bigint as d, 'a' as k, 1 as v`, [['2026-01-05', 'a', 1]]],
  ['days as keys that are none', `20261305::bigint as d, 'a' as k, 1 as v`, { code: 'bad-dates', says: '"20261305" is not a date' }],
  ['members of 64 bits', `date '2026-01-05' as d, 9007199254740993::bigint as k, 1 as v`, [['2026-01-05', '9007199254740993', 1]]],
  ['members of unsigned 64 bits', `date '2026-01-05' as d, 18446744073709551615::ubigint as k, 1 as v`, [['2026-01-05', '18446744073709551615', 1]]],
  ['decimals', `date '2026-01-05' as d, 'a' as k, 1234567.25::decimal(18, 2) as v`, [['2026-01-05', 'a', 1234567.25]]],
  ['decimals of 38 digits', `date '2026-01-05' as d, 'a' as k, 1.5::decimal(38, 10) as v`, [['2026-01-05', 'a', 1.5]]],
  [
    'decimals of 38 digits with many digits',
    `date '2026-01-05' as d, 1234567890123456789.1234567890::decimal(38, 10) as k, 1 as v`,
    [['2026-01-05', '1234567890123456789.123456789', 1]],
  ],
  ['decimals without decimals', `date '2026-01-05' as d, 100::decimal(12, 0) as k, 120::decimal(38, 0) as v`, [['2026-01-05', '100', 120]]],
  ['small decimals', `date '2026-01-05' as d, 'a' as k, -0.05::decimal(4, 2) as v`, [['2026-01-05', 'a', -0.05]]],
  ['floats of 32 bits', `date '2026-01-05' as d, 'a' as k, 0.5::float as v`, [['2026-01-05', 'a', 0.5]]],
  ['infinite doubles', `date '2026-01-05' as d, 'a' as k, 'infinity'::double as v`, { code: 'bad-number', says: 'is not a number' }],
  ['NaN is a blank', `date '2026-01-05' as d, 'a' as k, 'nan'::double as v`, [['2026-01-05', 'a', null]]],
  ['yes and no', `date '2026-01-05' as d, true as k, 1 as v`, [['2026-01-05', 'true', 1]]],
  ['whole numbers of 8 bits', `date '2026-01-05' as d, 'a' as k, (-7)::tinyint as v`, [['2026-01-05', 'a', -7]]],
  ['lists', `date '2026-01-05' as d, 'a' as k, [1] as v`, { code: 'unusable-column', says: 'column v holds lists' }],
  ['lists that nobody uses', `date '2026-01-05' as d, 'a' as k, 1 as v, [1] as x, {'a': 1} as y, 'z'::blob as z`, [['2026-01-05', 'a', 1]]],
  ['records', `date '2026-01-05' as d, {'a': 1} as k, 1 as v`, { code: 'unusable-column', says: 'column k holds records' }],
  ['bytes', `date '2026-01-05' as d, 'a'::blob as k, 1 as v`, { code: 'unusable-column', says: 'column k holds bytes' }],
  ['times of day', `date '2026-01-05' as d, time '10:00' as k, 1 as v`, { code: 'unusable-column', says: 'times of day' }],
  ['intervals', `date '2026-01-05' as d, interval 1 day as k, 1 as v`, { code: 'unusable-column', says: 'intervals' }],
  ['universal identifiers', `date '2026-01-05' as d, '123e4567-e89b-12d3-a456-426614174000'::uuid as k, 1 as v`, [['2026-01-05', '123e4567-e89b-12d3-a456-426614174000', 1]]],
  ['words of a fixed list', `date '2026-01-05' as d, 'a'::enum('a', 'b') as k, 1 as v`, [['2026-01-05', 'a', 1]]],
  ['blanks of every type', `null::date as d, null::varchar as k, null::decimal(10, 2) as v`, [[null, '(none)', null]]],
  ['names that differ in case', `date '2026-01-05' as d, 'a' as k, 1 as v, 9 as "X", 8 as "y"`, [['2026-01-05', 'a', 1]]],
  ['no rows', `date '2026-01-05' as d, 'a' as k, 1 as v limit 0`, []],
];

test.each(PARQUET.map(([name, columns, want, zone]) => ({ name, columns, want, zone })))(
  'V7, parquet: $name',
  async ({ columns, want, zone }) => {
    const connection = await (await DuckDBInstance.create()).connect();
    const path = join(folder, `p${next++}.parquet`);
    await connection.run(`copy (select ${columns}) to '${path}' (format parquet)`);
    connection.closeSync();
    await checkReaders({
      name: '',
      engines: [reader, ...byDuckDb],
      ending: 'parquet',
      bytes: readFileSync(path),
      want,
      ...(zone ? { model: { zone } } : {}),
    });
  },
);
