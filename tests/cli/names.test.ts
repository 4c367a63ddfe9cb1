import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { type Book, type NamedEntry, open, type Question } from '../../src/index.ts';
import { namesOf } from '../../src/result/names.ts';
import { loadWords } from '../../src/words/words.ts';
import { durchblick, factModel, makeFolder, ROOT } from '../setup/builders.ts';
import { loadModel, memory } from '../setup/library.ts';

await loadWords('en');

const DEMO = join(ROOT, 'demo');
let book: Book;
let entries: readonly NamedEntry[];
beforeAll(async () => {
  const { model, files } = await loadModel(join(DEMO, 'model.yaml'));
  book = await open(model, memory({}, { files }));
  entries = await book.names();
});
afterAll(() => book.close());

const listed = (kind: NamedEntry['kind']): readonly NamedEntry[] => entries.filter((entry) => entry.kind === kind);
/** A measure of a fact that is sorted by any of its dates. */
const measureOf: Readonly<Record<string, string>> = {
  'order-lines': 'revenue',
  budget: 'budget',
  stock: 'stock',
  'market-sales': 'market-revenue',
};
const asked = async (question: object): Promise<string> =>
  book.ask(question as Question as never).then(
    () => 'answered',
    (error: Error) => error.message,
  );

describe('what `names` lists can be asked for', () => {
  test('measures and formulas, each on its own', async () => {
    for (const { name } of [...listed('measure'), ...listed('formula')])
      expect([name, await asked({ show: [name], range: '2026-04' })]).toEqual([name, 'answered']);
  });

  test('roles on a measure of their fact', async () => {
    for (const { name, facts = [] } of listed('role'))
      expect([name, await asked({ show: [`${measureOf[facts[0]]} on ${name}`], range: '2026-04' })]).toEqual([name, 'answered']);
  });

  test('windows and units', async () => {
    for (const { name } of listed('window'))
      expect([name, await asked({ show: [`revenue over "${name}"`], by: 'month', range: '2026-04' })]).toEqual([name, 'answered']);
    for (const { name } of listed('unit')) expect([name, await asked({ show: ['revenue'], by: name })]).toEqual([name, 'answered']);
  });

  test('comparisons', async () => {
    for (const { name } of listed('comparison'))
      expect([name, await asked({ show: [`revenue vs "${name}"`], by: 'month', range: '2026-04' })]).toEqual([name, 'answered']);
  });

  test('attributes, on every fact that is named with them (G5, U11)', async () => {
    for (const { name, facts = [] } of listed('attribute')) {
      expect(facts).not.toEqual([]);
      for (const fact of facts)
        expect([name, fact, await asked({ show: [measureOf[fact]], per: [name], range: '2026-04-01/2026-04-03' })]).toEqual([
          name,
          fact,
          'answered',
        ]);
    }
  });
});

describe('names that could mean several', () => {
  const model = factModel(
    'sales',
    {
      grain: 'day',
      dates: { sold: 'sold' },
      links: { shop: 'shop_id', good: 'good_id' },
      measures: { taken: { sum: 'amount', where: { shop: { not: ['Old'] }, 'good.group': ['a', 'b'] } } },
    },
    {
      dimensions: {
        shop: { source: 'shops', key: 'id', attributes: { shop: 'name', group: 'group', weekday: 'opens' } },
        good: { source: 'goods', key: 'id', attributes: { good: 'name', group: 'group' } },
      },
    },
  );
  const attributes = namesOf(model as never).flatMap(({ kind, name }) => (kind === 'attribute' ? [name] : []));

  test('each is listed under the shortest name that finds it, once', () => {
    expect(attributes.filter((name) => !name.includes('-of-')).slice(0, 6)).toEqual([
      ...'shop shop.group weekday good good.group calendar.weekday'.split(' '),
    ]);
    expect(new Set(attributes).size).toBe(attributes.length);
  });

  test('what the model says of a name is listed with it; the owner of a measure is that of its fact where it has none', () => {
    const said = factModel(
      'sales',
      {
        owner: 'sales',
        dates: { sold: { column: 'sold', description: 'When it was paid.' } },
        links: { shop: 'shop_id' },
        measures: { taken: { sum: 'amount', description: 'With tax.' }, lost: { sum: 'loss', owner: 'audit' } },
      },
      {
        dimensions: { shop: { source: 'shops', key: 'id', attributes: { shop: { column: 'name', description: 'As on the sign.' } } } },
        formulas: { left: { is: 'taken - lost', owner: 'board', description: 'What stays.' } },
        windows: { fortnight: { is: 'P14D/anchor', description: 'Two weeks.' } },
        comparisons: { before: { shift: '-P1Y', description: 'A year ago.' } },
        questions: { weekly: { show: ['taken'], by: 'week', description: 'For Mondays.' } },
      },
    );
    const saidOf = namesOf(said).flatMap(({ name, description, owner }) => ((description ?? owner) ? [[name, description, owner]] : []));
    expect(saidOf).toEqual([
      ['taken', 'With tax.', 'sales'],
      ['lost', undefined, 'audit'],
      ['left', 'What stays.', 'board'],
      ['sold', 'When it was paid.', undefined],
      ['fortnight', 'Two weeks.', undefined],
      ['before', 'A year ago.', undefined],
      ['shop', 'As on the sign.', undefined],
      ['weekly', 'For Mondays.', undefined],
    ]);
  });

  test("a measure's own filter belongs to what it is", () => {
    expect(namesOf(model as never)[0]).toMatchObject({
      name: 'taken',
      role: 'sold',
      is: 'sum of amount, where shop!=Old and good.group=a,b',
    });
  });
});

describe('the command', () => {
  test('shows own names as tables and built-in ones in short; of one kind all', () => {
    const { code, stdout } = durchblick('names', DEMO);
    expect(code).toBe(0);
    expect(stdout).toMatch(/^slow-orders +percentile at 0\.9 of days between ordered and shipped +shipped +order-lines +days$/m);
    expect(stdout).toMatch(/^built in: previous, year-earlier$/m);
    expect(durchblick('names', DEMO, 'windows').stdout).toMatch(/^rolling-28-days +P28D\/anchor$/m);
  });

  test('writes CSV and JSON with the same entries', () => {
    const json = JSON.parse(durchblick('names', DEMO, 'measure', '--format', 'json').stdout) as NamedEntry[];
    expect(json).toEqual(listed('measure'));
    const [header, ...lines] = durchblick('names', DEMO, 'measures', '--format', 'csv').stdout.trimEnd().split('\r\n');
    expect(header).toBe('kind,name,is,role,of,facts,unit,label,description,owner');
    expect(lines).toHaveLength(json.length);
    expect(lines).toContain('measure,web-sales,"sum of net, where channel=web",ordered,,order-lines,EUR,,,sales');
  });

  test('lists members with their attributes', () => {
    const members = durchblick('names', DEMO, 'members', '--format', 'csv').stdout.split('\r\n');
    expect(members).toContain('member,North,member of region,,region,,,,,');
    const all = JSON.parse(durchblick('names', DEMO, 'attributes', '--members', '--format', 'json').stdout) as NamedEntry[];
    expect(new Set(all.map(({ kind }) => kind))).toEqual(new Set(['attribute', 'member']));
  });

  test('R5: labels are of the language asked for, which the model need not be in', () => {
    const german = durchblick('names', DEMO, 'measures', '--locale', 'de');
    expect(german).toMatchObject({ code: 0, stderr: '' });
    expect(german.stdout).toMatch(/^revenue +sum of net .* Umsatz /m);
    expect(durchblick('names', DEMO, 'measures', '--locale', 'xx').stdout).toBe(durchblick('names', DEMO, 'measures').stdout);
  });

  test('needs no data but for members, and says a misspelled kind', () => {
    const folder = makeFolder();
    const file = join(folder, 'model.yaml');
    writeFileSync(
      file,
      'sources: { sales: { file: gone.csv } }\nfacts:\n  sales: { source: sales, grain: day, dates: { sold: day }, measures: { taken: { sum: amount } } }\n',
    );
    expect(durchblick('names', file, 'measures').stdout).toMatch(/^taken +sum of amount +sold +sales$/m);
    expect(durchblick('names', file, 'members')).toMatchObject({ code: 2, stderr: expect.stringContaining('gone.csv') });
    const wrong = durchblick('names', file, 'mesures');
    expect(wrong.code).toBe(2);
    expect(wrong.stderr).toContain('Did you mean "measures"?');
    expect(durchblick('names', file, 'formulas').stdout).toBe('no formulas\n');
  });
});
