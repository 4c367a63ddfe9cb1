import { spawnSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { type DurchblickError, defineModel, type Engine, type Model, type ModelInput } from '../../src/index.ts';
import { durchblick, factModel, makeFolder, openBook, ROOT } from '../setup/builders.ts';
import { chartSpec, duckdb, memory, renderSvg } from '../setup/library.ts';

const folder = makeFolder();
const put = (name: string, text: string): string => {
  writeFileSync(join(folder, name), text);
  return join(folder, name);
};
const EVIL = [
  '\u001b[2J\u001b[1;31mred',
  'a\u009b31mb',
  '\u202egnihtemos',
  'line\nbreak',
  'bell\u0007',
  'del\u007f',
  'nel\u0085',
  'par\u2029a',
];
const ROWS = EVIL.map((k, i) => ({ d: `2026-0${(i % 6) + 1}-05`, k, p: `x${k}`, v: i + 1 }));
put('rows.json', JSON.stringify([...ROWS, { d: '2026-01-09', k: 'plain', p: 'none such', v: 1 }]));
put('places.json', JSON.stringify(ROWS.map(({ p, k }) => ({ id: p, name: k }))));
const model = put(
  'model.yaml',
  `durchblick: 1
sources: { rows: { file: rows.json }, places: { file: places.json } }
dimensions: { k: {}, place: { source: places, key: id, attributes: { place: name } } }
facts: { rows: { source: rows, dates: { d: d }, links: { k: k, place: p }, measures: { v: { sum: v } } } }
`,
);

/** What may stand in words: no control character but the line feed, nothing that turns the direction of a text. */
const clean = (text: string): void =>
  expect(text).not.toMatch(/[\u0000-\u0009\u000b-\u001f\u007f-\u009f\u202a-\u202e\u2066-\u2069\u2028\u2029]/);

describe('escape sequences in members and names never reach a terminal', () => {
  test.each([
    ['the table', ['ask', model, 'v', '--by', 'month', '--per', 'k']],
    ['markdown', ['ask', model, 'v', '--per', 'k,place', '--format', 'markdown']],
    ['a hint', ['ask', model, 'v', '--where', 'k=\u001b[2Jred']],
    ['a reading', ['ask', model, 'v\u001b[2J']],
    // The same SGR codes as our own.
    ['red in a hint', ['ask', model, 'v', '--where', 'k=\u001b[31mred\u001b[8mhidden\u001b[0m']],
    ['red in a reading', ['ask', model, 'v\u001b[1m\u001b[2m']],
    ['red in diff', ['diff', model, model, 'v\u001b[32m']],
    ['check', ['check', model]],
    ['explain', ['explain', model, 'v', '--at', '2026-01', '--rows', '9']],
    ['explain, of a member', ['explain', model, 'v', '--at', '2026-01', '--member', `k=${EVIL[0]}`]],
    ['verify', ['ask', model, 'v', '--per', 'k', '--verify']],
    ['sql', ['sql', model, 'v', '--per', 'place']],
  ])('%s', (_, args) => {
    const { stdout, stderr } = durchblick(...args);
    clean(args[0] === 'sql' ? stderr : `${stdout}${stderr}`);
    expect(`${stdout}${stderr}`.length).toBeGreaterThan(10);
  });

  test('data are what they are, where they are not for people', () => {
    const csv = durchblick('ask', model, 'v', '--per', 'k', '--format', 'csv').stdout;
    for (const member of EVIL) expect(csv).toContain(member);
  });
});

test.each(['postgres//me:secret@host', 'me:secret@host/db', 'pg://me:se:cr@et@host/d', 'mysql://host/db?password=secret'])(
  'no password of a mistyped address is told: %s',
  (address) => {
    const { code, output } = durchblick('ask', model, 'v', '--connect', address);
    expect([code, output]).toEqual([2, expect.stringContaining('***')]);
    expect(output).not.toMatch(/secret|se:cr|et@/);
  },
);

test('a file whose name has a line break is drafted as any other', () => {
  const file = put('a\nb.csv', 'day,amount\n2026-01-01,5\n');
  const drafted = join(folder, 'drafted.yaml');
  expect(durchblick('init', file, '-o', drafted).code).toBe(0);
  expect(durchblick('ask', drafted, 'amount', '--format', 'csv').stdout).toContain(',5');
});

test('a model of queries alone is answered by DuckDB', () => {
  const path = put(
    'query.yaml',
    'durchblick: 1\nsources: { t: { query: "select date \'2026-01-01\' as day, 5 as amount" } }\nfacts: { t: { source: t, dates: { on: day }, measures: { amount: { sum: amount } } } }\n',
  );
  expect(durchblick('ask', path, 'amount', '--format', 'csv')).toMatchObject({ code: 0, stdout: expect.stringContaining(',5') });
});

describe('files are written whole, or not at all', () => {
  const ask = (...more: string[]) => durchblick('ask', model, 'v', '--by', 'month', ...more);

  test('never over the model or one of its sources, by whatever name', () => {
    symlinkSync(join(folder, 'rows.json'), join(folder, 'alias.json'));
    const before = ['model.yaml', 'rows.json', 'places.json'].map((name) => readFileSync(join(folder, name), 'utf8'));
    for (const target of ['model.yaml', 'rows.json', 'places.json', './x/../rows.json', 'alias.json']) {
      mkdirSync(join(folder, 'x'), { recursive: true });
      for (const args of [
        ['--output', join(folder, target), '--format', 'json'],
        ['--chart', join(folder, 'places.json.svg'), '--output', join(folder, target)],
      ]) {
        expect(ask(...args)).toMatchObject({ code: 2, stdout: '', stderr: expect.stringContaining('is the model or one of its sources') });
      }
      expect(durchblick('sql', model, 'v', '--output', join(folder, target)).code).toBe(2);
      expect(durchblick('explain', model, 'v', '--at', '2026-01', '--output', join(folder, target)).code).toBe(2);
      expect(durchblick('calendar', model, '--format', 'csv', '--output', join(folder, target)).code).toBe(2);
      expect(durchblick('windows', model, 'mtd', '--output', join(folder, target)).code).toBe(2);
    }
    expect(['model.yaml', 'rows.json', 'places.json'].map((name) => readFileSync(join(folder, name), 'utf8'))).toEqual(before);
  });

  test('two outputs in one place', () => {
    const same = join(folder, 'both.svg');
    expect(ask('--output', same, '--chart', same)).toMatchObject({ code: 2, stderr: expect.stringContaining('written twice') });
  });

  test('what cannot be written is said, what was there stays, and nothing half written is left', () => {
    const names = readdirSync(folder);
    expect(ask('--output', join(folder, 'no', 'such', 'folder.csv'))).toMatchObject({
      code: 1,
      stderr: expect.stringContaining('there is no such folder'),
    });
    expect(ask('--output', folder)).toMatchObject({ code: 1, stderr: expect.stringContaining('it is a folder') });
    expect(ask('--output', '/dev/full')).toMatchObject({
      code: 1,
      stderr: expect.stringContaining('cannot write /dev/full (no space is left)'),
    });
    expect(readdirSync(folder)).toEqual(names);
  });

  test('a file that was there is replaced, its place kept', () => {
    const target = put('answer.csv', 'old');
    symlinkSync(target, join(folder, 'link.csv'));
    expect(ask('--format', 'csv', '--output', join(folder, 'link.csv')).code).toBe(0);
    expect(readFileSync(target, 'utf8')).toMatch(/^period,v\r\n/);
    expect(readdirSync(folder).filter((name) => name.startsWith('.'))).toEqual([]);
  });

  const shell = (command: string) => {
    const { status, stdout, stderr } = spawnSync('bash', ['-c', `set -o pipefail; ${command}`], { cwd: ROOT, encoding: 'utf8' });
    return { status, stdout, stderr };
  };
  const D = `${process.execPath} dist/cli/main.js`;

  test('a full disk behind stdout is a message and an exit code', () => {
    for (const command of [
      `ask ${model} v`,
      `ask ${model} v --format json`,
      `check ${model}`,
      `explain ${model} v --at 2026-01`,
      `calendar ${model} --format csv`,
    ]) {
      const { status, stderr } = shell(`${D} ${command} > /dev/full`);
      expect([command, status, stderr.split('\n').filter((line) => line.startsWith('error'))]).toEqual([
        command,
        1,
        ['error: cannot write the answer (no space is left)'],
      ]);
    }
  });

  test('a reader that has seen enough is no fault', () => {
    for (const command of [`calendar ${model} --range 1900/2099 --format csv`, `ask ${model} v --by day --format ndjson`, 'demo']) {
      const { status, stderr } = shell(`${D} ${command} | head -1 > /dev/null`);
      expect([command, status]).toEqual([command, 0]);
      expect(stderr).not.toMatch(/Error|at .*\.js|fault in Durchblick/);
    }
  });
});

describe('names that mean something to JavaScript', () => {
  const NAMES = ['constructor', '__proto__', 'toString', 'hasOwnProperty', 'valueOf', 'a\u2028b', 'plain'];
  const rows = NAMES.flatMap((k, i) => ['2026-01-05', '2026-02-05', '2026-03-05'].map((d, m) => ({ d, k, v: i + m + 1 })));
  const named = defineModel({
    sources: { t: {} },
    dimensions: { k: {} },
    facts: {
      t: {
        source: 't',
        dates: { d: 'd' },
        links: { k: 'k' },
        measures: { v: { sum: 'v' }, constructor: { max: 'v' }, toString: { min: 'v' } },
      },
    },
  } as ModelInput) as unknown as Model;

  test('are members and readings like any other, in answers and charts', async () => {
    const book = await openBook(named, memory({ t: rows }));
    for (const question of [
      { show: ['v', 'constructor', '"toString"'], by: 'month', per: ['k'] },
      { show: ['v', 'constructor vs previous'], by: 'month', per: ['k'], where: { k: ['constructor', '__proto__'] } },
      { show: ['constructor'], per: ['k'] },
      { show: ['constructor', '"toString" vs previous as change'], by: 'month' },
    ]) {
      const result = await book.ask(question);
      const svg = await renderSvg(chartSpec(result));
      expect(svg).toMatch(/^<svg/);
      expect([...result].length).toBe(result.rows.length);
      if (question.per)
        for (const row of result.rows) expect(svg.replaceAll('\u200b', '')).toContain(`${String(row[1]).replace('\u2028', '·')}`);
    }
  });
});

describe('limits come before the work', () => {
  const many = Array.from({ length: 120_000 }, (_, i) => ({ d: i === 0 ? '2016-01-01' : '2026-01-05', k: `m${i}`, v: i }));
  const wide = factModel('t', {
    dates: { d: 'd' },
    links: { k: 'k' },
    measures: { v: { sum: 'v' }, most: { max: 'v' } },
  }) as unknown as Model;
  const ENGINES: readonly (readonly [string, (trace: (sql: string) => void) => Engine])[] = [
    ['memory', () => memory({ t: many })],
    ['duckdb', (trace) => duckdb({ tables: { t: many }, trace: ({ sql }) => trace(sql) })],
  ];

  test.each(ENGINES)('%s: every day of ten years by 120,000 members is refused, and nothing is fetched for it', async (_, engine) => {
    const book = await openBook(
      wide,
      engine(() => undefined),
    );
    const before = book.cost().fetched ?? 0;
    await expect(book.ask({ show: ['v', 'most'], by: 'day', per: ['k'], range: '2016/2026' })).rejects.toMatchObject({
      code: 'too-many-cells',
    });
    // Members are looked up by name, and counted.
    expect((book.cost().fetched ?? 0) - before).toBeLessThan(2 * many.length);
  });

  test('a chart of too many members says so, and the table of them is written', async () => {
    put('many.json', JSON.stringify(many));
    const path = put(
      'many.yaml',
      'durchblick: 1\nsources: { t: { file: many.json } }\ndimensions: { k: {} }\nfacts: { t: { source: t, dates: { d: d }, links: { k: k }, measures: { v: { sum: v } } } }\n',
    );
    expect(durchblick('ask', path, 'v', '--per', 'k', '--chart', join(folder, 'many.svg'))).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('a chart of 120,000 members in 120,000 rows cannot be read'),
    });
    const { code, stdout } = durchblick('ask', path, 'v', '--per', 'k', '--totals');
    expect([code, stdout.split('\n').length]).toEqual([0, 120_000 + 3]);
  });

  test('at most a hundred of many faults are listed', () => {
    const formulas = Object.fromEntries(Array.from({ length: 5000 }, (_, k) => [`f${k}`, k === 0 ? 'v + 1' : `f${k - 1} + 1`]));
    const facts = { t: { source: 't', dates: { d: 'd' }, measures: { v: { sum: 'v' } } } } as const;
    let told: readonly unknown[] = [];
    try {
      defineModel({ facts, formulas } as never);
    } catch (error) {
      told = (error as DurchblickError).all;
    }
    expect(told.length).toBe(100);
  });

  // biome-ignore format: one case a line
  test.each([
    ['a sum of 4,999 terms', Array(4999).fill('v').join(' + '), 'bad-reading'],
    ['a sum of 1,500 terms', Array(1500).fill('v').join('+'), 'bad-reading'],
    ['comparisons of comparisons of other comparisons', Array.from({ length: 20 }, (_, k) => k).reduce((text, k) => `(${text} vs [-P${k + 1}D] as difference)`, 'v'), 'too-long-reading'],
    ['parentheses within parentheses', `${'('.repeat(5000)}v${')'.repeat(5000)}`, 'bad-reading'],
  ])('%s', async (_, reading, code) => {
    const book = await openBook(wide, memory({ t: many.slice(0, 10) }));
    await expect(book.ask({ show: [reading], by: 'month', range: '2026-01' })).rejects.toMatchObject({ code });
  });

  test('C8: the same comparison twenty times over, and formulas that double, are one part each', async () => {
    const formulas = Object.fromEntries(Array.from({ length: 40 }, (_, k) => [`f${k}`, k === 0 ? 'v + v' : `f${k - 1} + f${k - 1}`]));
    const doubling = defineModel({ ...wide.input, formulas } as ModelInput) as unknown as Model;
    const rows = Array.from({ length: 30 }, (_, k) => ({ d: `2026-01-${String(k + 1).padStart(2, '0')}`, k: 'a', v: k * k }));
    const book = await openBook(doubling, memory({ t: rows }));
    const nested = Array(3)
      .fill(0)
      .reduce((text) => `(${text} vs previous as difference)`, 'v');
    const { rows: days } = await book.ask({ show: [nested, 'f39'], by: 'day', range: '2026-01-10' });
    // Third differences of squares are 0.
    expect(days).toEqual([['2026-01-10', 0, 81 * 2 ** 40]]);
    const twenty = Array(20)
      .fill(0)
      .reduce((text) => `(${text} vs previous as difference)`, 'v');
    expect((await book.ask({ show: [twenty], by: 'day', range: '2026-01-25' })).rows[0][1]).toBe(0);
    await expect(book.explain({ reading: 'f39', at: '2026-01' })).rejects.toMatchObject({ code: 'too-long-reading' });
  });
});

describe('what check lets pass, runs', () => {
  const base = (more: string, measure = '{ sum: v }'): string =>
    `durchblick: 1\nsources: { rows: { file: rows.json } }\ndimensions: { k: {} }\nfacts: { rows: { source: rows, dates: { d: d }, links: { k: k }, ${more} measures: { v: ${measure} } } }\n`;
  test.each([
    ['a computed column that needs itself', base('columns: { net: "net * 2" },', '{ sum: net }'), 'refers to itself'],
    ['two that need each other', base('columns: { a: "b + 1", b: "a + 1" },', '{ sum: a }'), 'a → b → a'],
    ['a currency without a name', base('', '{ sum: v, format: { style: currency } }'), 'numbers cannot be written so'],
    ['a currency that is none', base('', '{ sum: v, format: { style: currency, currency: EURO } }'), 'numbers cannot be written so'],
    ['more decimals than there are', base('', '{ sum: v, format: { maximumFractionDigits: 1000 } }'), 'numbers cannot be written so'],
    ['a unit that is none', base('', '{ sum: v, format: { style: unit, unit: flowerpot } }'), 'numbers cannot be written so'],
    ['a date format without a year', base('', '{ sum: v }').replace('d: d', 'd: { column: d, format: dd.MM }'), 'year, month and day'],
  ])('%s is told with its line', (_, yaml, says) => {
    const path = put('odd.yaml', yaml);
    for (const args of [
      ['check', path],
      ['ask', path, 'v'],
    ]) {
      const { code, stderr } = durchblick(...args);
      expect([code, stderr]).toEqual([2, expect.stringContaining(says)]);
      expect(stderr).toContain('odd.yaml:4');
    }
  });
});

test('M10: numbers come out with every digit they have, and never as an exponent or Infinity', async () => {
  const model = factModel('t', {
    dates: { d: 'd' },
    links: { k: 'k' },
    measures: { v: { sum: 'v' }, most: { max: 'v' } },
  }) as unknown as Model;
  const rows = [1e-300, -1.5e-25, 1e21, 123456.789, 1e308, 5e-324].map((v, i) => ({ d: '2026-01-05', k: `k${i}`, v }));
  for (const engine of [memory({ t: rows }), duckdb({ tables: { t: rows } })]) {
    const book = await openBook(model, engine);
    const lines = (await book.ask({ show: ['most'], per: ['k'] })).toCsv().trimEnd().split('\r\n').slice(1);
    const texts = lines.map((line) => line.split(',')[2]);
    expect(texts.map(Number)).toEqual(rows.map(({ v }) => v));
    for (const text of texts) expect(text).toMatch(/^-?\d+(\.\d+)?$/);
  }
  const huge = [1e308, 1e308, 1e308].map((v) => ({ d: '2026-01-05', k: 'a', v }));
  for (const engine of [memory({ t: huge }), duckdb({ tables: { t: huge } })]) {
    const book = await openBook(model, engine);
    const { rows: found, notes } = await book.ask({ show: ['v', 'v - v'], by: 'month' });
    expect(found).toEqual([['2026-01', null, null]]);
    expect(notes.map(({ code }) => code)).toContain('overflow');
  }
  const long = [9007199254740993n, 1n].map((v) => ({ d: '2026-01-05', k: 'a', v }));
  for (const engine of [memory({ t: long }), duckdb({ tables: { t: long } })]) {
    const book = await openBook(model, engine);
    const { rows: found, notes } = await book.ask({ show: ['most'], by: 'month' });
    expect([found, notes.map(({ code }) => code)]).toEqual([[['2026-01', 9007199254740992]], ['inexact']]);
  }
});
