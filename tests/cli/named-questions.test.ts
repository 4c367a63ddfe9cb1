import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { defineModel, open, type Question } from '../../src/index.ts';
import { durchblick, factModel, makeFolder, openBook, ROOT } from '../setup/builders.ts';
import { loadModel, memory } from '../setup/library.ts';

const DEMO = join(ROOT, 'demo');
const csv = (...args: string[]): string => {
  const { code, stdout, stderr } = durchblick('ask', DEMO, '--format', 'csv', '--quiet', ...args);
  expect([stderr, code]).toEqual(['', 0]);
  return stdout;
};
const MONTHLY: Question = {
  show: ['revenue', 'revenue vs year-earlier', 'revenue vs year-earlier as change'],
  by: 'month',
  range: 'ytd',
};
const { model, files } = await loadModel(join(DEMO, 'model.yaml'));
const book = await open(model, memory({}, { files }));
const answer = async (question: Question): Promise<string> => (await book.ask(question as never)).toCsv();

test.each<[string, readonly string[], Question]>([
  ['nothing', [], {} as Question],
  ['a unit', ['--by', 'quarter'], { by: 'quarter' } as Question],
  ['a range of two dates', ['--from', '2026-02', '--to', '2026-03'], { range: '2026-02/2026-03' } as Question],
  ['a split and its totals', ['--per', 'region', '--totals', 'members'], { per: ['region'], totals: ['members'] } as never],
  ['an as-of date', ['--as-of', '2026-03-10'], { asOf: '2026-03-10' } as Question],
])('a question of the model, asked by its name; %s beside it overrides its own', async (_, beside, override) => {
  expect(csv('--question', 'monthly-sales', ...beside)).toBe(await answer({ ...MONTHLY, ...override }));
});

test('readings beside the name, or beside a file, are shown instead of its own', async () => {
  const file = join(makeFolder(), 'q.json');
  writeFileSync(file, JSON.stringify({ show: ['orders'], by: 'month', range: '2026', 'as-of': '2026-03-10' }));
  expect(csv('quantity', '--question', 'monthly-sales')).toBe(await answer({ ...MONTHLY, show: ['quantity'] }));
  // A key in either spelling gives way to the option.
  expect(csv('quantity', '--question', file, '--as-of', '2026-02-10')).toBe(
    await answer({ show: ['quantity'], by: 'month', range: '2026', asOf: '2026-02-10' }),
  );
});

test('`sql` takes a name, too', () => {
  const { code, stdout } = durchblick('sql', DEMO, '--question', 'monthly-sales');
  expect(code).toBe(0);
  expect(stdout).toContain('count of net, a2 sum of net');
});

test('a name that is none is told with the nearest one', () => {
  const { code, stderr } = durchblick('ask', DEMO, '--question', 'montly-sales');
  expect([code, stderr]).toEqual([2, 'error: the model has no question "montly-sales"\nDid you mean "monthly-sales"?\n']);
});

test('every fault of the questions of a model is told where it stands when the model is read', async () => {
  const file = join(makeFolder(), 'model.yaml');
  writeFileSync(
    file,
    `sources: { sales: { file: sales.csv } }
facts:
  sales: { source: sales, grain: day, dates: { sold: day }, measures: { taken: { sum: amount } } }
questions:
  one: { show: [takn], range: 2026 }
  two:
    show: [taken]
    per: [regoin]
  three: { show: [taken], rest: true }
  four: { show: [taken], evry: day }
`,
  );
  const faults = await loadModel(file).then(
    () => [],
    (error: { all: { message: string; place?: { line?: number } }[] }) => error.all.map(({ message, place }) => [place?.line, message]),
  );
  expect(faults).toEqual([
    [10, expect.stringContaining('"evry"')],
    [5, expect.stringContaining('"takn"')],
    [8, expect.stringContaining('"regoin"')],
    [9, '"rest" needs members to choose from'],
  ]);
});

test('names in the questions of a model are checked with it', () => {
  const facts = { sales: { source: 'sales', grain: 'day', dates: { sold: 'day' }, measures: { taken: { sum: 'amount' } } } } as const;
  const faultsOf = (questions: object): string[] => {
    try {
      defineModel({ facts, questions } as never);
      return [];
    } catch (error) {
      return (error as { all: { message: string }[] }).all.map(({ message }) => message);
    }
  };
  expect(faultsOf({ fine: { show: ['taken'], by: 'month', range: 2026 } })).toEqual([]);
  expect(
    faultsOf({
      one: { show: ['takn'] },
      two: { show: ['taken'], per: ['regoin'] },
      three: { show: ['taken'], rest: true },
      four: { show: ['taken'], by: 'monthly' },
    }),
  ).toEqual([
    expect.stringContaining('"takn"'),
    expect.stringContaining('"regoin"'),
    '"rest" needs members to choose from',
    expect.stringContaining('"monthly"'),
  ]);
});

test('in the library, a year may be a number, as YAML reads it', async () => {
  const model = factModel(
    'sales',
    { grain: 'day', dates: { sold: 'day' }, measures: { taken: { sum: 'amount' } } },
    { questions: { yearly: { show: ['taken'], range: 2026 } } },
  );
  const book = await openBook(
    model,
    memory({
      sales: [
        { day: '2026-02-01', amount: 3 },
        { day: '2025-12-31', amount: 4 },
      ],
    }),
  );
  expect((await book.ask('yearly')).rows).toEqual([['2026-01-01/2026-12-31', 3]]);
  const { different, cells } = await book.verify('yearly');
  expect([cells, different]).toEqual([1, []]);
  await expect(book.ask('yearli' as never)).rejects.toThrow('no question "yearli"');
});

test('every fault of a question in a file is told at once, with line and column', () => {
  const folder = makeFolder();
  const file = join(folder, 'q.json');
  writeFileSync(
    file,
    `{
  "show": ["revenu", "orders", "revenue over mdt"],
  "by": "monthly",
  "per": ["region", "famly"],
  "where": { "region": "North", "chanel": "web" },
  "order": ["ordrs desc"],
  "limt": 3,
  "limit": "three"
}
`,
  );
  const { code, stderr } = durchblick('check', DEMO, '--question', file);
  const told = [...stderr.matchAll(/q\.json:(\d+):(\d+): (.*)/g)].map(([, line, column, message]) => `${line}:${column} ${message}`);
  expect([code, told]).toEqual([2, ['7:3 there is no key "limt" here', '8:12 "limit" is "three"']]);
  writeFileSync(file, readFileSync(file, 'utf8').replace(/,\n {2}"limt".*\n.*\n/, '\n'));
  const names = durchblick('check', DEMO, '--question', file).stderr;
  expect([...names.matchAll(/q\.json:(\d+):(\d+): .*"(\w+)"/g)].map(([, line, column, name]) => `${line}:${column} ${name}`)).toEqual([
    '2:12 revenu',
    '2:32 mdt',
    '3:9 monthly',
    '4:21 famly',
    '5:43 chanel',
    '6:13 ordrs',
  ]);
  writeFileSync(file, '{"show": ["revenue"], "by": "month"}');
  expect(durchblick('check', DEMO, '--question', file).code).toBe(0);
});
