import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { draftModel } from '../../src/draft/index.ts';
import { readHolidays } from '../../src/files/ics.ts';
import { type Book, DurchblickError, defineModel, open, type Question } from '../../src/index.ts';
import { factModel, ROOT } from '../setup/builders.ts';
import { assertDraws, drawSeed } from '../setup/draws.ts';
import { loadModel, memory, parseModel } from '../setup/library.ts';

const read = (name: string): string => readFileSync(join(ROOT, 'demo', name), 'utf8');

/** Whatever comes in: an answer, or an error that says what is wrong. Nothing else, and not for ever. */
const holds = async (run: () => unknown): Promise<void> => {
  const start = Date.now();
  try {
    await run();
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    expect(error.message.length).toBeGreaterThan(3);
    expect(error.message.length + (error.hint?.length ?? 0)).toBeLessThan(3000);
  }
  // Far more than it takes: a machine under load must not fail what only must end.
  expect(Date.now() - start).toBeLessThan(60_000);
};

/** What every object inherits, before anything was asked. */
const PROTOTYPE = Object.getOwnPropertyNames(Object.prototype).sort();

const NASTY = [
  '\u0000',
  '\uFEFF',
  '\u202E',
  '__proto__',
  'constructor',
  '"',
  "'",
  '\\',
  '\n',
  '\r',
  '\t',
  ...'{ } [ ] : - &a *a !!js/function << # %'.split(' '),
  '9'.repeat(400),
  ...'( ) , =cmd() <script> 𝔘 -0 1e999 NaN null'.split(' '),
];
/** A text with pieces cut, doubled, and put in. */
const mutated = (texts: readonly string[]) =>
  fc
    .tuple(
      fc.constantFrom(...texts),
      fc.array(fc.tuple(fc.nat(), fc.nat(40), fc.oneof(fc.constantFrom(...NASTY), fc.string({ maxLength: 12 }))), {
        minLength: 1,
        maxLength: 5,
      }),
    )
    .map(([text, edits]) =>
      edits.reduce(
        (so, [at, length, put]) => `${so.slice(0, at % (so.length + 1))}${put}${so.slice((at % (so.length + 1)) + length)}`,
        text,
      ),
    );

let book: Book;
beforeAll(async () => {
  const { model, files } = await loadModel(join(ROOT, 'demo/model.yaml'));
  book = await open(model, memory({}, { files }));
});
afterAll(() => book.close());

describe('mutations of what is right', () => {
  test('readings', async () => {
    const texts = [
      'revenue over mtd vs year-earlier as change',
      '(revenue on shipped over [P10D/anchor]) / (budget over ytd)',
      'round(coalesce(revenue, 0) * 2, 1) - orders across (region, family)',
    ];
    await assertDraws(
      fc.asyncProperty(mutated(texts), (reading) => holds(() => book.ask({ show: [reading], by: 'month', range: '2026' } as Question))),
      { few: 60, many: 1500 },
    );
  });

  test('questions', async () => {
    const value = fc.oneof(
      fc.constantFrom<unknown>(
        null,
        -1,
        0,
        1e308,
        Number.NaN,
        true,
        '',
        [],
        {},
        ...'mtd month 2026 2026-13 0001-01-01/9999-12-31'.split(' '),
        ...NASTY,
      ),
      fc.string(),
      fc.jsonValue({ maxDepth: 2 }),
    );
    const question = fc.record(
      {
        show: fc.oneof(fc.constant(['revenue']), fc.array(value, { maxLength: 3 })),
        by: value,
        per: fc.oneof(fc.constant(['region']), value),
        range: value,
        asOf: value,
        where: fc.oneof(fc.dictionary(fc.constantFrom('region', 'family', 'line-size', '__proto__', 'x'), value), value),
        knownBy: value,
        gaps: value,
        totals: value,
        order: value,
        limit: value,
        rest: value,
        [`x${drawSeed()}`]: value,
      },
      { requiredKeys: ['show'] },
    );
    await assertDraws(
      fc.asyncProperty(question, (asked) => holds(() => book.ask(asked as never))),
      { few: 100, many: 3000 },
    );
    // Nothing that was asked has changed what others see.
    expect((await book.ask({ show: ['revenue'], range: '2026-07' } as Question)).rows).toHaveLength(1);
    expect(Object.getOwnPropertyNames(Object.prototype).sort()).toEqual(PROTOTYPE);
  });

  test('model files', async () => {
    await assertDraws(
      fc.asyncProperty(mutated([read('model.yaml')]), (text) => holds(() => parseModel(text, 'model.yaml'))),
      { few: 20, many: 1500 },
    );
  });

  test('models as objects', async () => {
    const input = JSON.parse(JSON.stringify(parseModel(read('model.yaml'), 'm').input));
    const paths: string[][] = [];
    const walk = (node: unknown, path: string[]): void => {
      if (path.length > 0) paths.push(path);
      if (typeof node === 'object' && node !== null) for (const [key, below] of Object.entries(node)) walk(below, [...path, key]);
    };
    walk(input, []);
    const value = fc.oneof(fc.constantFrom<unknown>(undefined, null, 0, '', [], {}, true, ...NASTY), fc.jsonValue({ maxDepth: 2 }));
    await assertDraws(
      fc.asyncProperty(fc.constantFrom(...paths), value, (path, put) => {
        const copy = structuredClone(input);
        const last = path[path.length - 1];
        const owner = path.slice(0, -1).reduce((node: Record<string, unknown>, key) => node[key] as Record<string, unknown>, copy);
        owner[last] = put;
        return holds(() => defineModel(copy));
      }),
      { few: 60, many: 1500 },
    );
  });

  test('CSV files, whole and drafted from', async () => {
    const lines = read('data/order_lines.csv').split('\n').slice(0, 30).join('\n');
    const model = factModel(
      'lines',
      { dates: { ordered: 'ordered_on' }, columns: { net: 'quantity * unit_price' }, measures: { revenue: { sum: 'net' } } },
      { sources: { lines: { file: 'lines.csv' } } },
    );
    await assertDraws(
      fc.asyncProperty(mutated([lines]), fc.boolean(), async (text, wrong) => {
        const bytes = new TextEncoder().encode(text);
        // Some are not UTF-8 at all.
        if (wrong) bytes[bytes.length >> 1] = 0xff;
        await holds(async () => {
          const own = await open(model, memory({}, { files: async () => bytes }));
          await own.ask({ show: ['revenue'], by: 'month' } as never);
          await own.close();
        });
        await holds(async () => {
          const { yaml } = await draftModel([{ file: 'lines.csv', bytes }]);
          const own = await open(parseModel(yaml, 'model.yaml'), memory({}, { files: async () => bytes }));
          await own.close();
        });
      }),
      { few: 15, many: 300 },
    );
  });

  test('holidays', async () => {
    await assertDraws(
      fc.asyncProperty(mutated([read('data/holidays.ics')]), (text) =>
        holds(() => readHolidays(text, 'h.ics', 'Europe/Berlin', 19_000, 21_000)),
      ),
      { few: 60, many: 1500 },
    );
  });
});

describe('bombs', () => {
  // biome-ignore format: one case a line
  test.each<[string, () => unknown]>([
    [
      'aliases that grow',
      () =>
        parseModel(
          `a: &a [x,x,x,x,x,x,x,x,x]\n${Array.from({ length: 12 }, (_, k) => `${String.fromCharCode(98 + k)}: &${String.fromCharCode(98 + k)} [${Array.from({ length: 9 }, () => `*${String.fromCharCode(97 + k)}`).join(',')}]`).join('\n')}`,
          'm',
        ),
    ],
    ['a deep YAML', () => parseModel(`${'['.repeat(20_000)}${']'.repeat(20_000)}`, 'm')],
    ['deep braces', () => parseModel(`${'{a: '.repeat(5000)}1${'}'.repeat(5000)}`, 'm')],
    ['a line of ten megabytes', () => parseModel(`name: ${'x'.repeat(1e7)}\nfacts: 1`, 'm')],
    ['a reading of 10,000 brackets', () => book.ask({ show: [`${'('.repeat(10_000)}revenue${')'.repeat(10_000)}`] } as never)],
    ['a reading of 10,000 minus signs', () => book.ask({ show: [`${'-'.repeat(10_000)}revenue`] } as never)],
    ['a reading of 20,000 terms', () => book.ask({ show: [Array.from({ length: 20_000 }, () => 'revenue').join(' + ')] } as never)],
    ['comparisons of comparisons', () => book.ask({ show: [`${'('.repeat(200)}revenue${' vs year-earlier)'.repeat(200)}`], by: 'month', range: '2026' } as never)],
    ['every day there is', () => book.ask({ show: ['revenue'], by: 'day', per: ['product'], range: '0001-01-01/9999-12-31' } as never)],
    ['a window of a million years', () => book.ask({ show: ['revenue over [P999999Y/anchor]'], by: 'month', range: '2026' } as never)],
    ['a model that is its own prototype', () => defineModel(JSON.parse('{"__proto__": {"facts": {}}, "facts": {"__proto__": {"source": "x", "dates": {"a": "b"}, "measures": {}}}}'))],
    ['formulas in a circle', () => defineModel({ facts: { f: { source: 's', dates: { on: 'd' }, measures: { n: { count: 'rows' } } } }, formulas: { a: 'b + 1', b: 'a + 1' } } as never)],
    [
      'a CSV line of ten megabytes',
      async () => {
        const bytes = new TextEncoder().encode(`day,n\n2026-01-01,"${'x'.repeat(1e7)}"\n`);
        const model = factModel(
          'f',
          { source: 's', dates: { on: 'day' }, measures: { n: { sum: 'n' } } },
          { sources: { s: { file: 's.csv' } } },
        );
        await open(model, memory({}, { files: async () => bytes }));
      },
    ],
  ])('%s', async (_, run) => {
    const before = process.memoryUsage().heapUsed;
    await holds(run);
    expect(process.memoryUsage().heapUsed - before).toBeLessThan(1.5e9);
  });
});

test('cells that a spreadsheet would run are data, and are defused where that is asked for', async () => {
  const shops = ['=HYPERLINK("x")', '+1', '-1', '@a', '\tx', 'plain'];
  const model = factModel('f', { dates: { on: 'day' }, links: { shop: 'shop' }, measures: { n: { sum: 'n' } } });
  const own = await open(model, memory({ f: shops.map((shop) => ({ day: '2026-01-01', shop, n: -1 })) }));
  const result = await own.ask({ show: ['n'], per: ['shop'] });
  const cells = (csv: string) =>
    csv
      .trimEnd()
      .split('\r\n')
      .slice(1)
      .map((line) => line.replace(/^[^,]*,/, ''));
  expect(cells(result.toCsv())).toContain('+1,-1');
  expect(cells(result.toCsv('spreadsheet')).sort()).toEqual(
    ['"\'=HYPERLINK(""x"")",-1', "'\tx,-1", "'+1,-1", "'-1,-1", "'@a,-1", 'plain,-1'].sort(),
  );
  await own.close();
});
