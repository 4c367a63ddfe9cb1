import { execFileSync, spawn } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { asyncBufferFromFile, parquetReadObjects } from 'hyparquet';
import { compressors } from 'hyparquet-compressors';
import { beforeEach, describe, expect, test } from 'vitest';
import { assembleLook, LOOK_MODULE } from '../../scripts/kernel.ts';
import { csvScan } from '../../src/files/csv.ts';
import { FIELD_FORMS, type FieldForm, lookAtPlainCsv } from '../../src/files/csv-look.ts';
import { defineModel, type Engine } from '../../src/index.ts';
import { durchblick, factModel, makeFolder, openBook, ROOT, table } from '../setup/builders.ts';
import { assertDraws } from '../setup/draws.ts';
import { duckdb, folderFiles, memory, withTyped } from '../setup/library.ts';
import { modelOf, readBy } from './reading.ts';

test('the assembled look at CSV files is that of its text', async () => {
  expect(readFileSync(LOOK_MODULE, 'utf8')).toBe(await assembleLook());
});

/** A text in pieces of some size, as a stream gives it. */
async function* pieces(text: Uint8Array, size: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < text.length; at += size) yield text.subarray(at, at + size);
}
const look = (text: string, forms: readonly FieldForm[] = [], size = 1 << 20) =>
  lookAtPlainCsv(pieces(new TextEncoder().encode(text), size), (header) => header.map((_, k) => forms[k] ?? 'any'));

describe('one look at the bytes of a CSV file (V7)', () => {
  test('what it takes for plain, the scan that decides takes for the same; and what that refuses is not plain', async () => {
    const byte = fc.constantFrom('a', '1', '-', '.', ',', ',', '"', '\n', '\n', '\r\n', '\r', '""', ';', '\0', 'é', '﻿', ' ');
    await assertDraws(
      fc.asyncProperty(fc.array(byte, { maxLength: 24 }), async (bytes) => {
        const text = `a,b\n${bytes.join('')}`;
        const found = await look(text);
        const scan = csvScan('t.csv');
        const facts = (() => {
          try {
            scan.push(new TextEncoder().encode(text));
            return scan.end();
          } catch {
            return undefined;
          }
        })();
        if (!found) return;
        expect(facts).toMatchObject({
          separator: found.separator,
          records: found.records,
          emptyLines: 0,
          bareQuotes: false,
          quotedEnds: false,
        });
        expect(facts?.header()).toEqual(found.header);
        if (found.records > 0) expect(facts?.ends).toBe(found.ends);
      }),
      { few: 1000, many: 1000 },
    );
  });

  const DIGITS = ['day', 'whole', 'decimal'] as const;
  test.each<[(typeof DIGITS)[number], string, boolean]>([
    ['day', '2026-01-05', false],
    ['day', '', false],
    ['day', '2026-1-05', true],
    ['day', '2026-01-5', true],
    ['day', '2026/01/05', true],
    ['day', '0000-01-05', true],
    ['day', '2026-01-051', true],
    ['day', ' 2026-01-05', true],
    ['whole', '0', false],
    ['whole', '-12', false],
    ['whole', '123456789012345', false],
    ['whole', '1234567890123456', true],
    ['whole', '007', true],
    ['whole', '-0', true],
    ['whole', '+5', true],
    ['whole', '1.0', true],
    ['whole', '-', true],
    ['decimal', '12.50', false],
    ['decimal', '007.5', false],
    ['decimal', '-0.000001', false],
    ['decimal', '1.2345678', true],
    ['decimal', '.5', true],
    ['decimal', '5.', true],
    ['decimal', '1e3', true],
    ['decimal', '1.2.3', true],
    ['decimal', '1234567890.1234567', true],
    ['decimal', '--5', true],
  ])('a %s as "%s" has another form: %s', async (form, field, isOther) => {
    for (const text of [`a,b\n${field},x\n`, `b,a\nx,${field}\n`, `b,a\nx,${field}`, `a,b\r\n${field},x\r\n`, `a,b\n"${field}",x\n`])
      for (const size of [1 << 20, 23]) {
        const forms: FieldForm[] = text.startsWith('a') ? [form, 'any'] : ['any', form];
        const found = await look(text, forms, size);
        expect(
          found?.fields.some((own) => own.isOther),
          JSON.stringify([text, size]),
        ).toBe(isOther);
      }
  });

  test('decimals are counted as they are written, and as they are needed (M10)', async () => {
    const found = await look('a,b\n1.50,2.000\n1.25,3\n,1.100000\n', ['decimal', 'decimal']);
    expect(found?.fields.map(({ decimals, needed }) => [decimals, needed])).toEqual(table('2 2 | 6 1'));
    expect(FIELD_FORMS).toContain(found?.fields[0].form);
  });
});

/** The reader of texts, DuckDB, and DuckDB reading for the engine in memory. */
const readers = (folder: string): readonly Engine[] => {
  const files = folderFiles(folder);
  return [memory({}, { files }), duckdb({ folder }), memory({}, { files: withTyped(files, { least: 0 }) })];
};

/** More rows than are looked at for a guess, all alike; what is odd stands behind them. */
const MANY = 600;
const alike = (line = '2026-01-05,a,1.25'): string => `d,k,v\n${`${line}\n`.repeat(MANY)}`;

describe('typed reading means what the reader of texts means, also where the guess was wrong (D2, D3, M10, V7)', () => {
  test.each<[string, string]>([
    ['a date of another form', '2026-1-06,a,1\n'],
    ['a day that there is not', '2026-02-30,a,1\n'],
    ['a timestamp', '2026-01-06T10:00:00Z,a,1\n'],
    ['year 0', '0000-01-06,a,1\n'],
    ['no date', 'x,a,1\n'],
    ['blanks around a date', ' 2026-01-06 ,a,1\n'],
    ['more decimals', '2026-01-06,a,0.123456\n'],
    ['more decimals than are exact', '2026-01-06,a,0.1234567\n'],
    ['a number with a sign and an exponent', '2026-01-06,a,+1e3\n'],
    ['a number of many digits', '2026-01-06,a,12345678901234567.5\n'],
    ['no number', '2026-01-06,a,1_000\n'],
    ['a number in quotes', '2026-01-06,a,"7.5"\n'],
    ['all blank', ',,\n'],
    ['a key with zeros in front', '2026-01-06,007,1\n'],
    ['a field too many', '2026-01-06,a,1,2\n'],
    ['a line with nothing on it', '\n2026-01-06,a,1\n'],
    ['a quote within a field', '2026-01-06,a"b,1\n'],
    ['a line end within quotes', '2026-01-06,"a\nb",1\n'],
    ['a carriage return', '2026-01-06,a\r,1\n'],
    ['no line end', '2026-01-06,a,1'],
  ])('%s', async (_, last) => {
    const folder = makeFolder();
    for (const [name, text] of [
      ['a.csv', alike() + last],
      ['b.csv', `${alike('2026-01-05,7,1.25')}${last}`],
      ['c.csv', `${alike('2026-01-05,7,12')}${last}`],
    ]) {
      writeFileSync(join(folder, name), text);
      const model = modelOf(name);
      const [first, ...others] = await Promise.all(readers(folder).map((engine) => readBy(engine, model)));
      for (const other of others) expect(other, name).toEqual(first);
    }
  });

  test('packed files and several of them are typed as one is', async () => {
    const folder = makeFolder();
    mkdirSync(join(folder, 'parts'));
    writeFileSync(join(folder, 'parts/1.csv.gz'), gzipSync(alike()));
    writeFileSync(join(folder, 'parts/2.csv.gz'), gzipSync('d,k,v\n2026-01-07,b,3\n'));
    const model = modelOf('parts/*.csv.gz');
    const [read, ...others] = await Promise.all(readers(folder).map((engine) => readBy(engine, model)));
    for (const other of others) expect(other).toEqual(read);
    expect(read).toContainEqual(['2026-01-07', 'b', 3]);
  });

  test('V1: an explanation shows the rows as they are written, columns that the model does not use among them', async () => {
    const folder = makeFolder({
      't.csv': `d,k,v,remark\n${'2026-01-05,a,1.25,\n'.repeat(MANY)}2026-01-06,b,2.50,"tall, green"\n2026-01-06,b,007.5,x\n`,
    });
    const model = factModel(
      't',
      { dates: { d: 'd' }, links: { k: 'k' }, measures: { v: { sum: 'v' } } },
      { sources: { t: { file: 't.csv' } } },
    );
    const shown = await Promise.all(
      readers(folder).map(async (engine) => {
        const book = await openBook(model, engine);
        const { parts } = await book.explain({ reading: 'v', at: '2026-01-06' });
        return parts[0].rows;
      }),
    );
    for (const own of shown) expect(own).toEqual(shown[0]);
    expect(shown[0]?.first).toEqual(table("2026-01-06 b '2.50' 'tall, green' | 2026-01-06 b '007.5' x"));
  });
});

test('V3, G9: a fixed filter on versions leaves rows of typed files, with columns that nothing uses beside them', async () => {
  const folder = makeFolder({
    't.csv': `d,c,v,remark,C\n${'2026-01-05,1,1.25,,\n'.repeat(MANY)}2026-01-06,2,2.50,x,\n2026-01-06,1,007.5,y,\n`,
  });
  writeFileSync(join(folder, 'c.csv'), 'id,segment,since,until\n1,new,2020-01-01,2026-01-06\n1,old,2026-01-06,\n2,old,2020-01-01,\n');
  const model = factModel(
    't',
    { dates: { d: 'd' }, links: { customer: { dimension: 'customer', column: 'c', at: 'd' } }, measures: { v: { sum: 'v' } } },
    {
      sources: { t: { file: 't.csv' }, c: { file: 'c.csv' } },
      dimensions: { customer: { source: 'c', key: 'id', valid: { from: 'since', until: 'until' }, attributes: { segment: 'segment' } } },
    },
  );
  for (const engine of readers(folder)) {
    const book = await openBook(model, engine, { where: { 'customer.segment': 'old' } });
    expect((await book.ask({ show: ['v'], by: 'day' })).rows).toEqual([['2026-01-06', 10]]);
    expect((await book.explain({ reading: 'v', at: '2026-01-06' })).parts[0].rows?.first).toEqual(
      table("2026-01-06 '2' '2.50' x – | 2026-01-06 '1' '007.5' y –"),
    );
  }
});

test('G10: a source of facts that rates are taken from too is read for both', async () => {
  const folder = makeFolder({
    't.csv': 'd,c,v\n2026-01-05,USD,2\n2026-01-06,CHF,3\n',
    'fx.csv': 'day,code,rate\n2026-01-05,USD,0.9\n2026-01-05,CHF,1.1\n2026-01-06,CHF,1.2\n',
  });
  const model = defineModel({
    sources: { t: { file: 't.csv' }, fx: { file: 'fx.csv' } },
    rates: { euro: { source: 'fx', date: 'day', grain: 'day', of: 'rate', by: { c: 'code' } } },
    facts: {
      t: { source: 't', dates: { d: 'd' }, columns: { net: 'v * euro' }, measures: { v: { sum: 'net' } } },
      quotes: { source: 'fx', dates: { day: 'day' }, measures: { quotes: { count: 'rows' } } },
    },
  });
  for (const engine of readers(folder)) {
    const book = await openBook(model, engine);
    expect((await book.ask({ show: ['v', 'quotes'], by: 'day' })).rows).toEqual(table('2026-01-05 1.8 2 | 2026-01-06 3.6 1'));
  }
});

test('V6: rows of a state that is gone are not shown from the file that took its place; the next question sees the new one', async () => {
  const folder = makeFolder();
  const write = (amount: string, later: number): void => {
    writeFileSync(join(folder, 't.csv'), `d,k,v\n${`2026-01-05,a,${amount}\n`.repeat(MANY)}`);
    const time = new Date(Date.UTC(2026, 7, 15, 12, 0, later));
    utimesSync(join(folder, 't.csv'), time, time);
  };
  write('1.25', 0);
  const model = modelOf('t.csv');
  const engine = memory({}, { files: withTyped(folderFiles(folder), { least: 0 }) });
  const fact = [...model.facts.values()][0];
  const store = await engine.open(model, { fixed: new Map(), hiding: [] });
  const book = await openBook(model as never, engine);
  const total = async () => (await book.ask({ show: ['v'] } as never)).toJson().rows[0][1];
  expect(await store.factRows(fact, ['v'])).toHaveLength(MANY);
  expect(await total()).toBe(1.25 * MANY);
  write('2.50', 9);
  await expect(store.factRows(fact, ['v'])).rejects.toMatchObject({ code: 'source-changed' });
  expect(await total()).toBe(2.5 * MANY);
  writeFileSync(join(folder, 't.csv'), 'd\n2026-01-05,one field too many\n');
  await expect(store.factRows(fact, ['v'])).rejects.toMatchObject({ code: 'source-changed' });
  await store.close();
});

const LINES = 220_000;
const CSV = `ordered_on,region,amount\n${Array.from({ length: LINES }, (_, k) => `2026-0${1 + (k % 6)}-1${k % 10},R${k % 7},${(k % 1000) / 4}`).join('\n')}\n`;
const MODEL = `durchblick: 1
name: Kept
sources: { lines: { file: lines.csv } }
dimensions: { region: {} }
facts:
  lines: { source: lines, dates: { ordered: ordered_on }, links: { region: region }, measures: { revenue: { sum: amount } } }
`;
const ARGUMENTS = ['dist/cli/main.js', 'ask'];
const QUESTION = ['revenue', '--by', 'month', '--per', 'region', '--engine', 'duckdb', '--format', 'csv', '--time'];

describe('kept copies of large files', () => {
  let folder: string;
  const run = (...more: readonly string[]) => {
    const { code: status, stdout, stderr } = durchblick('ask', join(folder, 'model.yaml'), ...QUESTION, ...more);
    return { status, stdout, said: /typed and kept/.test(stderr) ? 'made' : /kept copy/.test(stderr) ? 'used' : 'neither', stderr };
  };
  const kept = (): string => join(folder, '.durchblick');
  const copy = (ending = '.parquet'): string => join(kept(), readdirSync(kept()).find((name) => name.endsWith(ending)) as string);
  beforeEach(() => {
    folder = makeFolder({ 'lines.csv': CSV, 'model.yaml': MODEL });
  });

  test('made once, used from then on, and plain Parquet for anybody', async () => {
    const first = run();
    expect([first.status, first.said]).toEqual([0, 'made']);
    const second = run();
    expect([second.said, second.stdout]).toEqual(['used', first.stdout]);
    const rows = await parquetReadObjects({ file: await asyncBufferFromFile(copy()), compressors });
    expect(rows).toHaveLength(LINES);
    expect(Object.keys(rows[0])).toEqual(['ordered_on', 'region', 'amount']);
    expect(readFileSync(join(kept(), '.gitignore'), 'utf8')).toBe('*\n');
    expect(readFileSync(join(kept(), 'CACHEDIR.TAG'), 'utf8')).toMatch(/^Signature: /);
  });

  test('a copy has the rights that its file has, and a pipe in its place is not waited for', () => {
    chmodSync(join(folder, 'lines.csv'), 0o600);
    const { stdout } = run();
    expect(readdirSync(kept()).flatMap((name) => (/parquet/.test(name) ? [statSync(join(kept(), name)).mode & 0o777] : []))).toEqual([
      0o600, 0o600, 0o600,
    ]);
    for (const path of [copy('.parquet.json'), copy('.found.json')]) {
      rmSync(path);
      execFileSync('mkfifo', [path]);
    }
    expect(run()).toMatchObject({ status: 0, stdout });
  });

  test('both engines use the same one', () => {
    const first = run('--engine', 'memory');
    expect([first.status, first.said]).toEqual([0, 'made']);
    const others = [run(), run('--engine', 'memory'), run('--engine', 'memory', '--keep', 'off')];
    expect(others.map(({ said, stdout }) => [said, stdout === first.stdout])).toEqual([
      ['used', true],
      ['used', true],
      ['neither', true],
    ]);
  });

  test('one that is damaged or of another file is made anew, never believed', () => {
    const { stdout } = run();
    const damage: readonly (readonly [string, () => void])[] = [
      [
        'a byte in the middle',
        () => {
          const bytes = readFileSync(copy());
          bytes[bytes.length >> 1] ^= 0xff;
          writeFileSync(copy(), bytes);
        },
      ],
      ['the end is missing', () => writeFileSync(copy(), readFileSync(copy()).subarray(0, 1000))],
      [
        'its note is not what was written',
        () => writeFileSync(copy('.parquet.json'), readFileSync(copy('.parquet.json'), 'utf8').replace('"day"', '"any"')),
      ],
      ['its note is no JSON', () => writeFileSync(copy('.parquet.json'), '{')],
      ['its note is gone', () => rmSync(copy('.parquet.json'))],
    ];
    for (const [what, hurt] of damage) {
      hurt();
      const again = run();
      expect([what, again.status, again.said, again.stdout]).toEqual([what, 0, 'made', stdout]);
    }
    // What was found out about the rows is looked up again where its note is damaged.
    writeFileSync(copy('.found.json'), '[]');
    expect([run().said, run().stdout]).toEqual(['used', stdout]);
  });

  test('a file that changed, in size or in time alone, has another copy', () => {
    run();
    const later = new Date(statSync(join(folder, 'lines.csv')).mtimeMs + 2000);
    writeFileSync(join(folder, 'lines.csv'), CSV.replace(/R1,/, 'R2,'));
    utimesSync(join(folder, 'lines.csv'), later, later);
    const plain = run('--keep', 'off');
    const again = run();
    expect([again.said, again.stdout]).toEqual(['made', plain.stdout]);
    expect(plain.said).toBe('neither');
  });

  test('another folder by option; none where it is off, and none of small files', () => {
    expect(run('--keep', 'off').said).toBe('neither');
    expect(existsSync(kept())).toBe(false);
    const elsewhere = join(folder, 'elsewhere');
    expect([run('--keep', elsewhere).said, run('--keep', elsewhere).said]).toEqual(['made', 'used']);
    writeFileSync(join(folder, 'lines.csv'), CSV.slice(0, 1000).replace(/\n[^\n]*$/, '\n'));
    rmSync(elsewhere, { recursive: true });
    expect(run('--keep', elsewhere).said).toBe('neither');
    expect(existsSync(elsewhere)).toBe(false);
  });

  test('a folder that cannot be written is told in one line, and the answer is the same', () => {
    writeFileSync(kept(), 'a file stands where the folder should be');
    const { status, said, stdout, stderr } = run();
    expect([status, said]).toEqual([0, 'neither']);
    expect(stderr).toMatch(/note: lines\.csv cannot be kept in .*\.durchblick \(E[A-Z]+\): it is read again next time/);
    rmSync(kept());
    expect(stdout).toBe(run('--keep', 'off').stdout);
    chmodSync(folder, 0o700);
  });

  test('two processes at once write one copy, and both answer', async () => {
    const start = () =>
      new Promise<string>((resolve) => {
        const child = spawn(process.execPath, [...ARGUMENTS, join(folder, 'model.yaml'), ...QUESTION], { cwd: ROOT });
        let out = '';
        child.stdout.on('data', (piece) => {
          out += piece;
        });
        child.on('close', (code) => resolve(`${code} ${out}`));
      });
    const [first, second] = await Promise.all([start(), start()]);
    expect(first).toBe(second);
    expect(first.startsWith('0 period')).toBe(true);
    expect(readdirSync(kept()).filter((name) => !/(\.parquet|\.json|\.gitignore|\.TAG)$/.test(name))).toEqual([]);
    expect(run().said).toBe('used');
  });
});
