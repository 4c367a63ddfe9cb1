import { mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { expect, test } from 'vitest';
import { type DurchblickError, defineModel, open } from '../../src/index.ts';
import { durchblick, makeFolder } from '../setup/builders.ts';
import { loadModel, memory, readModel } from '../setup/library.ts';

type Tree = Readonly<Record<string, string>>;
/** Lays files out in a new folder. */
const laid = (tree: Tree): string => {
  const root = makeFolder();
  for (const [path, text] of Object.entries(tree)) {
    mkdirSync(dirname(join(root, path)), { recursive: true });
    writeFileSync(join(root, path), text);
  }
  return root;
};
const faultsOf = async (root: string, path = 'models/model.yaml'): Promise<readonly DurchblickError[]> =>
  loadModel(join(root, path)).then(
    () => [],
    (error: DurchblickError) => error.all,
  );
/** Faults as `file:line:column code`, the folder left out. */
const told = async (root: string): Promise<string[]> =>
  (await faultsOf(root)).map(({ place, code }) => `${place?.file?.slice(root.length + 1)}:${place?.line}:${place?.column} ${code}`);

const ORDERS = `sources: { orders: { file: ../data/orders.csv } }
facts:
  orders:
    source: orders
    dates: { ordered: on }
    measures:
      revenue: { sum: net }
      lines: { count: net }
`;
const COMPANY: Tree = {
  'shared/calendar.yaml': `calendar:
  year-systems: { fiscal: { starts: "--07-01", label: "FY{year}" } }
  names: { weekday-short: { thursday: Thurs } }
`,
  'shared/weeks.json': '{ "calendar": { "week": "iso", "names": { "weekday-short": { "friday": "Fri." } } } }',
  'models/model.yaml': 'name: Parts\nincludes: [../shared/calendar.yaml, ../shared/weeks.json, facts/*.yaml, formulas.yaml]\n',
  'models/facts/orders.yaml': ORDERS,
  'models/formulas.yaml':
    'includes: facts/orders.yaml\nformulas: { average: revenue / lines }\nquestions: { q: { show: [average], by: fiscal-quarter } }\n',
  'models/data/orders.csv': 'on,net\n2026-01-01,10\n2026-02-06,20\n',
};

test('files in YAML and JSON are one model; paths are relative to the file they stand in, and a file is read once', async () => {
  const root = laid(COMPANY);
  const { code, stdout, stderr } = durchblick('ask', join(root, 'models'), ...'--question q --per weekday --format csv --quiet'.split(' '));
  expect([code, stderr]).toEqual([0, '']);
  expect(stdout.split('\r\n').filter((line) => /\d$/.test(line))).toEqual(['FY2026-Q3,Thurs,10', 'FY2026-Q3,Fri.,20']);
});

test('the same model in a browser, through whatever gives its files', async () => {
  const bytes = new Map(Object.entries(COMPANY).map(([path, text]) => [path, new TextEncoder().encode(text)]));
  const files = Object.assign(async (path: string) => bytes.get(path) as Uint8Array, {
    list: async (path: string) => [...bytes.keys()].filter((name) => new RegExp(`^${path.replace('*', '[^/]*')}$`).test(name)),
  });
  const model = await readModel('models/model.yaml', files);
  expect([...model.formulas.keys(), ...model.questions.keys(), model.input.sources?.orders.file]).toEqual([
    'average',
    'q',
    'data/orders.csv',
  ]);
});

// biome-ignore format: one case a line
test.each<[string, Tree, string[]]>([
  ['a name twice, with both places', { 'models/facts/more.yaml': ORDERS.replace(/^sources.*\n/, '') }, ['models/facts/orders.yaml:3:3 doubled-name']],
  ['a setting twice', { 'models/formulas.yaml': 'calendar: { week: locale }' }, ['models/formulas.yaml:1:13 doubled-name']],
  ['a measure of one file with the name of a formula of another', { 'models/formulas.yaml': 'formulas: { revenue: lines * 2 }' }, ['models/formulas.yaml:1:22 doubled-name']],
  ['a circle', { 'models/formulas.yaml': 'includes: a.yaml', 'models/a.yaml': 'includes: [formulas.yaml]' }, ['models/a.yaml:1:12 circular-includes']],
  ['a pattern that matches nothing', { 'models/formulas.yaml': 'includes: [none/*.yaml]' }, ['models/formulas.yaml:1:12 no-file']],
  ['a file that is not there', { 'models/formulas.yaml': 'includes: other.yaml' }, ['models/formulas.yaml:1:11 no-file']],
  ['what is no path', { 'models/formulas.yaml': 'includes: [1]' }, ['models/formulas.yaml:1:12 bad-value']],
  [
    'a way out that the model itself does not go',
    { 'models/formulas.yaml': 'includes: ../other/x.yaml', 'other/x.yaml': 'formulas: {}' },
    ['models/formulas.yaml:1:11 outside-folder'],
  ],
  [
    'faults of YAML in several files',
    { 'models/formulas.yaml': 'formulas: {', 'models/facts/more.yaml': 'a: 1\na: 2' },
    ['models/facts/more.yaml:2:1 bad-yaml', 'models/formulas.yaml:1:12 bad-yaml'],
  ],
  [
    'unknown keys and wrong names of all files at once',
    { 'models/formulas.yaml': 'formulas: { a: { is: b, colour: red }, c: "d + " }\nnmae: x', 'models/facts/more.yaml': 'time-zone: Mars' },
    [
      'models/formulas.yaml:1:25 unknown-key',
      'models/formulas.yaml:2:1 unknown-key',
      'models/formulas.yaml:1:43 bad-reading',
      'models/facts/more.yaml:1:12 bad-time-zone',
    ],
  ],
  ['a name that no file has, in the file that uses it alone', { 'models/formulas.yaml': 'formulas: { a: revenu }' }, ['models/formulas.yaml:1:16 unknown-measure']],
])('%s is told with file, line and column', async (_, change, expected) => {
  const found = await told(laid({ ...COMPANY, ...change }));
  expect(found).toEqual(expected);
});

test('messages name both places of a doubled name, and the way of a circle', async () => {
  const doubled = laid({ ...COMPANY, 'models/facts/more.yaml': 'formulas: { average: revenue }' });
  expect((await faultsOf(doubled))[0].message).toBe(
    `"average" stands twice in formulas, the first time at ${doubled}/models/facts/more.yaml:1:13`,
  );
  const circle = laid({ ...COMPANY, 'models/formulas.yaml': 'includes: model.yaml' });
  expect((await faultsOf(circle))[0].message.replaceAll(`${circle}/`, '')).toBe(
    'the files include each other in a circle: models/model.yaml → models/formulas.yaml → models/model.yaml',
  );
});

test('an included file reaches what lies below it, or where the model itself goes; a symbolic link leads nowhere else', async () => {
  const inner = laid({
    ...COMPANY,
    'shared/calendar.yaml': `includes: [deep/x.yaml, ../models/y.yaml]\n${COMPANY['shared/calendar.yaml']}`,
    'shared/deep/x.yaml': 'rates: {}',
    'models/y.yaml': 'alerts: {}',
  });
  expect(await told(inner)).toEqual([]);
  const linked = laid({ ...COMPANY, 'models/formulas.yaml': 'includes: link.yaml', 'secret/x.yaml': 'formulas: {}' });
  symlinkSync(join(linked, 'secret/x.yaml'), join(linked, 'models/link.yaml'));
  expect(await told(linked)).toEqual(['models/formulas.yaml:1:11 outside-folder']);
  expect((await loadModel(join(linked, 'models/model.yaml'), { allow: [join(linked, 'secret')] })).parts).toHaveLength(6);
});

test('the data of an included file lie below the model, or are allowed (V8)', () => {
  const root = laid({
    ...COMPANY,
    'shared/calendar.yaml': `${COMPANY['shared/calendar.yaml']}  working-days: { holidays: days.ics }\n`,
    'shared/days.ics': 'BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nEND:VCALENDAR\r\n',
  });
  const asked = ['ask', join(root, 'models'), 'revenue', '--format', 'csv', '--quiet'];
  const refused = durchblick(...asked);
  expect([refused.code, refused.stderr]).toEqual([2, expect.stringContaining('"../shared/days.ics" lies outside of')]);
  expect(durchblick(...asked, '--allow', join(root, 'shared')).stdout).toBe('period,revenue\r\n2026-01-01/2026-02-06,30\r\n');
});

test('`check` says which files there are and which lie outside, and takes a folder of models, parts not among them', () => {
  const root = laid({ ...COMPANY, 'other/bad.yaml': 'facts: {}\nfooo: 1\n', 'other/question.json': '{"show": ["revenue"]}' });
  const { code, stdout, stderr } = durchblick('check', root);
  expect(code).toBe(2);
  expect(stdout).toContain(`read from 5 files: ${root}/models/model.yaml, ${root}/shared/calendar.yaml`);
  expect(stdout).toContain(`${root}/shared/calendar.yaml lies outside of the model's folder, included at ${root}/models/model.yaml:2:12`);
  expect(stderr.split('\n')[0]).toBe(`error: ${root}/other/bad.yaml:2:1: there is no key "fooo" here`);
  const { models } = JSON.parse(durchblick('check', root, '--format', 'json').stdout);
  expect(models.map(({ model, counts }: { model: string; counts: object }) => [model.slice(root.length), counts])).toEqual([
    ['/models/model.yaml', { error: 0, warning: 0, hint: expect.any(Number) }],
    ['/other/bad.yaml', { error: 1, warning: 0, hint: 0 }],
  ]);
});

test('`defineModel` takes parts, and tells in which of them a fault stands', async () => {
  const facts = { sales: { source: 'sales', dates: { day: 'day' }, measures: { revenue: { sum: 'amount' } } } } as const;
  const model = defineModel([{ facts }, { formulas: { double: 'revenue * 2' } }]);
  const book = await open(model, memory({ sales: [{ day: '2026-01-01', amount: 4 }] }));
  expect([...(await book.ask({ show: ['double'], by: 'day' }))]).toEqual([{ period: '2026-01-01', double: 8 }]);
  expect(() => defineModel([{ facts }, { facts }])).toThrow(
    expect.objectContaining({ code: 'doubled-name', message: '"sales" stands twice in facts, the first time at part 1: facts.sales' }),
  );
});
