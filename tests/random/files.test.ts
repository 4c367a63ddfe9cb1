import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { DuckDBInstance } from '@duckdb/node-api';
import * as arrow from 'apache-arrow';
import fc from 'fast-check';
import { beforeAll, expect, test } from 'vitest';
import { modelOf, readBy } from '../files/reading.ts';
import { makeFolder, ROOT } from '../setup/builders.ts';
import { assertDraws, countDraws, drawSeed, repeatable } from '../setup/draws.ts';
import { duckdb, folderFiles, memory } from '../setup/library.ts';

const folder = makeFolder();
const engines = [memory({}, { files: folderFiles(folder) }), duckdb({ folder, threads: 1 })] as const;

let next = 0;
const agree = async (ending: string, text: string): Promise<void> => {
  const file = `f${next++}.${ending}`;
  writeFileSync(join(folder, file), text);
  const [first, second] = await Promise.all(engines.map((engine) => readBy(engine, modelOf(file, { zone: 'Europe/Berlin' }))));
  expect(second, JSON.stringify(text)).toEqual(first);
};

const piece = fc.constantFrom(
  '',
  '',
  'a',
  'b',
  ' ',
  ...'" "" # ; |'.split(' '),
  '\t',
  '\r',
  '\n',
  '\r\n',
  'é',
  '木',
  '(none)',
  "'",
  '\\',
  '=',
);
const untidy = fc.array(piece, { maxLength: 4 }).map((pieces) => pieces.join(''));
const inQuotes = untidy.map((text) => `"${text.replaceAll('"', '""')}"`);
const plain = fc.constantFrom('a', 'b', 'Bäume', '', ' a', '"', 'x"y', '#z');
const member = fc.oneof({ weight: 4, arbitrary: plain }, { weight: 4, arbitrary: inQuotes }, { weight: 1, arbitrary: untidy });
const date = fc.oneof(
  { weight: 8, arbitrary: fc.constantFrom('2026-01-05', '20260106', '2026-01-07T23:30:00Z', '') },
  { weight: 1, arbitrary: fc.constantFrom('x', '2026-1-6', '2026-01-05 ', '#2026-01-05') },
);
const amount = fc.oneof(
  { weight: 8, arbitrary: fc.constantFrom('1', '2.5', '-3', '', ' 4') },
  { weight: 1, arbitrary: fc.constantFrom('1,5', 'x', '1e9', '"7"') },
);
const lineEnd = fc.constantFrom('\n', '\n', '\n', '\r\n');

const csvText = fc
  .record({
    mark: fc.constantFrom('', '', '\ufeff'),
    header: fc.constantFrom('d,k,v', '"d","k","v"', 'd;k;v', 'd\tk\tv', 'd|k|v', 'd,k,v,', 'd,v,k', 'k,d,v,D', 'title\nd,k,v'),
    rows: fc.array(fc.tuple(date, member, amount, lineEnd, fc.constantFrom('', '', '', '', '\n', '\r\n')), { maxLength: 5 }),
    end: fc.boolean(),
    mixed: fc.boolean(),
  })
  .map(({ mark, header, rows, end, mixed }) => {
    const separator = /[;\t|]/.exec(header)?.[0] ?? ',';
    const order = header.replace(/"/g, '').split('\n').at(-1)?.split(separator) ?? [];
    const one = rows[0]?.[3] ?? '\n';
    const lines = rows.map(([d, k, v, lineBreak, empty]) => {
      const fields = order.map((name) => ({ d, k, v, D: 'x' })[name as 'd'] ?? '');
      return `${fields.join(separator)}${mixed ? lineBreak : one}${empty}`;
    });
    const text = `${mark}${header}${one}${lines.join('')}`;
    return end ? text : text.replace(/[\r\n]+$/, '');
  });

test(
  'V7: both readers of CSV make the same of any text',
  () =>
    assertDraws(
      fc.asyncProperty(csvText, (text) => agree('csv', text)),
      { few: 20, many: 2000 },
    ),
  300_000,
);

const jsonValue = fc.oneof(
  { weight: 4, arbitrary: fc.constantFrom('"a"', '"b"', '""', 'null', '1', '1.0', 'true', '"1"', '"(none)"', '"#"', '"\\u2028"') },
  {
    weight: 1,
    arbitrary: fc.constantFrom(...'9007199254740993 -0 1e2 1e400 0.1 [1] {} "2026-01-06T00:00:00Z" 12345678901234567890'.split(' ')),
  },
);
const jsonDate = fc.constantFrom('"2026-01-05"', '20260106', '"2026-01-07T23:30:00Z"', 'null', '"x"', '"2026-1-6"', '20260107.0');
const jsonRow = fc
  .record({ d: jsonDate, k: jsonValue, v: jsonValue, more: fc.constantFrom('', '', ',"x":[1]', ',"k":"a"', ',"constructor":1') })
  .map(({ d, k, v, more }) => `{"d":${d},"k":${k},"v":${v}${more}}`);
const jsonText = fc.array(jsonRow, { maxLength: 4 }).map((rows) => `[${rows.join(',')}]`);

test(
  'V7: both engines make the same of any JSON',
  () =>
    assertDraws(
      fc.asyncProperty(jsonText, (text) => agree('json', text)),
      { few: 20, many: 2000 },
    ),
  300_000,
);

const ROWS = Array.from({ length: 60 }, (_, k) => ({ d: `2026-01-${String((k % 28) + 1).padStart(2, '0')}`, k: `m${k % 7}`, v: k * 1.25 }));
const csvOf = `d,k,v\n${ROWS.map(({ d, k, v }) => `${d},"${k}",${v}`).join('\n')}\n`;
const files = new Map<string, string>();
beforeAll(async () => {
  const put = (name: string, bytes: string | Uint8Array): void => {
    const path = join(folder, name);
    writeFileSync(path, bytes);
    files.set(name, path);
  };
  put('whole.csv', csvOf);
  put('packed.csv.gz', gzipSync(csvOf));
  put('whole.json', JSON.stringify(ROWS));
  put('whole.ndjson', ROWS.map((row) => JSON.stringify(row)).join('\n'));
  const column = (values: readonly unknown[], type: arrow.DataType) => arrow.vectorFromArray(values as never, type);
  const table = new arrow.Table({
    d: column(
      ROWS.map(({ d }) => new Date(d)),
      new arrow.DateDay(),
    ),
    k: column(
      ROWS.map(({ k }) => k),
      new arrow.Dictionary(new arrow.Utf8(), new arrow.Int32()),
    ),
    s: column(
      ROWS.map(({ k }) => k),
      new arrow.Utf8(),
    ),
    v: column(
      ROWS.map(({ v }) => v),
      new arrow.Float64(),
    ),
    t: column(
      ROWS.map(({ d }) => Date.parse(d)),
      new arrow.TimestampMillisecond(),
    ),
  } as never);
  put('whole.arrow', arrow.tableToIPC(table, 'file'));
  put('stream.arrow', arrow.tableToIPC(table, 'stream'));
  arrow.compressionRegistry.set(arrow.CompressionType.LZ4_FRAME, { encode: createRequire(import.meta.url)('lz4js').compress });
  put('packed.feather', arrow.tableToIPC(table, 'file', arrow.CompressionType.LZ4_FRAME));
  const connection = await (await DuckDBInstance.create()).connect();
  for (const packing of ['snappy', 'zstd', 'gzip', 'uncompressed']) {
    const path = join(folder, `${packing}.parquet`);
    await connection.run(
      `copy (select d::date as d, k, v::decimal(12, 2) as v, d::timestamp as t, [k] as l from read_csv('${files.get('whole.csv')}')) to '${path}' (format parquet, compression ${packing})`,
    );
    files.set(`${packing}.parquet`, path);
  }
  connection.closeSync();
});

test('an LZ4 Feather file means what the same file means unpacked', async () => {
  const [packed, plainOne] = await Promise.all(['packed.feather', 'whole.arrow'].map((file) => readBy(engines[0], modelOf(file))));
  expect(packed).toEqual(plainOne);
  expect((packed as readonly unknown[]).length).toBeGreaterThan(20);
  expect(readFileSync(files.get('packed.feather') as string).length).toBeLessThan(readFileSync(files.get('whole.arrow') as string).length);
});

const DAMAGED = countDraws({ few: 40, many: 3000 });
test.each([
  ...'whole.csv packed.csv.gz whole.json whole.ndjson whole.arrow stream.arrow packed.feather'.split(' '),
  ...'snappy.parquet zstd.parquet gzip.parquet uncompressed.parquet'.split(' '),
])(
  `V7: ${DAMAGED} damaged copies of %s are read, or refused with a message, in little time and memory`,
  (name) =>
    repeatable(() => {
      const { status, stdout, stderr } = spawnSync(
        process.execPath,
        [
          '--max-old-space-size=256',
          '--import',
          'tsx',
          'tests/random/corrupt.ts',
          files.get(name) as string,
          String(DAMAGED),
          String(drawSeed()),
        ],
        { cwd: ROOT, encoding: 'utf8', timeout: 240_000, maxBuffer: 2 ** 24 },
      );
      expect([status, stderr.slice(0, 500)]).toEqual([0, '']);
      const {
        outcome,
        slowest,
        faults,
        memory: rss,
      } = JSON.parse(stdout) as {
        outcome: Record<string, number>;
        slowest: number;
        faults: string[];
        memory: number;
      };
      expect(faults).toEqual([]);
      expect(Object.values(outcome).reduce((sum, count) => sum + count, 0)).toBe(DAMAGED);
      // Far more than any of these files needs; far less than what a damaged one may ask for.
      expect(slowest).toBeLessThan(5000);
      expect(rss).toBeLessThan(2 ** 30);
      expect(Object.keys(outcome).length).toBeGreaterThan(1);
    }),
  300_000,
);
