import { readdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { describe, expect, test } from 'vitest';
import { ROOT } from '../setup/builders.ts';

/** A room of the house: the rooms below that it may use, and the packages. */
interface Room {
  readonly uses: readonly string[];
  readonly packages?: readonly RegExp[];
}

const CORE = ['errors', 'basics', 'calendar', 'windows', 'language', 'words', 'model', 'plan', 'engine', 'evaluate', 'result'] as const;
const below = (room: (typeof CORE)[number]): readonly string[] => CORE.slice(0, CORE.indexOf(room));
const NODE = /^node:/;

/**
 * The one list of who may use whom: from the top of the house only down (docs/architecture.md). A folder that is not in it
 * fails, and so does an import that it does not name. Rooms of the core use no Node.js module, no engine and no file format.
 */
const ROOMS: Readonly<Record<string, Room>> = {
  errors: { uses: [] },
  basics: { uses: below('basics') },
  calendar: { uses: ['errors', 'basics'], packages: [/^temporal-polyfill\//] },
  windows: { uses: ['errors', 'calendar'] },
  language: { uses: ['errors'] },
  words: { uses: ['language'] },
  model: { uses: below('model'), packages: [/^zod\/mini$/] },
  plan: { uses: below('plan') },
  engine: { uses: below('engine') },
  evaluate: { uses: below('evaluate') },
  result: { uses: below('result') },
  files: {
    uses: ['errors', 'basics', 'calendar', 'model', 'plan'],
    packages: [
      NODE,
      /^(papaparse|yaml|ical\.js|apache-arrow|hyparquet(-compressors|-writer|\/src\/column\.js)?|read-excel-file\/universal)$/,
    ],
  },
  'engines/shared': { uses: [...below('evaluate'), 'files'] },
  'engines/memory': { uses: [...below('evaluate'), 'files', 'engines/shared'], packages: [/^node:(os|worker_threads)$/] },
  'engines/sql': { uses: [...below('evaluate'), 'engines/shared', 'files'] },
  'engines/duckdb': { uses: [...below('evaluate'), 'files', 'engines/shared', 'engines/sql'], packages: [NODE, /^@duckdb\/node-api$/] },
  'engines/duckdb-wasm': {
    uses: [...below('evaluate'), 'files', 'engines/shared', 'engines/sql', 'engines/duckdb'],
    packages: [/^@duckdb\/duckdb-wasm$/],
  },
  'engines/postgres': { uses: [...below('evaluate'), 'files', 'engines/shared', 'engines/sql'], packages: [/^pg$/] },
  'engines/trino': { uses: [...below('evaluate'), 'files', 'engines/shared', 'engines/sql'] },
  book: { uses: [...CORE, 'engines/shared', 'files'] },
  chart: { uses: CORE, packages: [/^(vega(-lite)?|@resvg\/resvg-js|node:module)$/] },
  draft: { uses: ['errors', 'basics', 'calendar', 'model', 'files'], packages: [/^yaml$/] },
  dictionary: { uses: [...CORE, 'book'] },
  diff: { uses: [...CORE, 'book', 'dictionary'] },
  index: { uses: [...CORE, 'book'] },
  node: { uses: ['files', 'engines/duckdb'] },
  element: { uses: [...CORE, 'chart'] },
  react: { uses: ['result', 'element'], packages: [/^react$/] },
  report: { uses: [...CORE, 'book', 'element'], packages: [NODE] },
  publish: {
    uses: [...CORE, 'files', 'book', 'dictionary', 'engines/sql', 'engines/postgres', 'engines/duckdb', 'engines/trino'],
    packages: [NODE, /^(pg|@duckdb\/node-api)$/],
  },
  serve: {
    uses: [...CORE, 'files', 'book', 'chart', 'dictionary'],
    packages: [/^node:(crypto|http|stream)$/, /^zod\/mini$/, /^(fastify|@fastify\/(accepts|compress))$/],
  },
  cli: {
    uses: [
      ...CORE,
      ...'files book chart dictionary diff draft publish report serve engines/sql engines/memory'.split(' '),
      ...'engines/duckdb engines/postgres engines/trino'.split(' '),
    ],
    packages: [NODE, /^(commander|string-width|sql-formatter|pino)$/],
  },
};

const SOURCE = join(ROOT, 'src');
const filesBelow = (folder: string): string[] =>
  readdirSync(folder).flatMap((name) => {
    const path = join(folder, name);
    return statSync(path).isDirectory() ? filesBelow(path) : path.endsWith('.ts') ? [path] : [];
  });
/** The room that a file stands in: its folder, or itself at the root; `engines/engine.ts` is the seam that the core knows. */
const roomOf = (path: string): string => {
  const [first, second] = relative(SOURCE, path).split('/');
  if (second === undefined) return first.replace(/\.ts$/, '');
  return first === 'engines' ? (second === 'engine.ts' ? 'engine' : `engines/${second}`) : first;
};

interface Import {
  readonly from: string;
  readonly to: string;
}
const imports: readonly Import[] = filesBelow(SOURCE).flatMap((path) =>
  [...readFileSync(path, 'utf8').matchAll(/(?:from |import\((?:\/\*[^*]*\*\/ )?)'([^']+)'/g)].map(([, to]) => ({ from: path, to })),
);
const isOwn = ({ to }: Import): boolean => to.startsWith('.');
const shown = ({ from, to }: Import): string => `${relative(SOURCE, from)} → ${to}`;

describe('the house', () => {
  test('every folder is a room, and every room is there', () => {
    expect([...new Set(filesBelow(SOURCE).map(roomOf))].sort()).toEqual(Object.keys(ROOMS).sort());
  });

  test.each(Object.keys(ROOMS))('%s uses only what is below it', (room) => {
    const own = imports.filter(({ from }) => roomOf(from) === room);
    const { uses, packages = [] } = ROOMS[room];
    const wrong = own.filter((one) => {
      if (!isOwn(one)) return !packages.some((pattern) => pattern.test(one.to));
      const target = roomOf(join(dirname(one.from), one.to));
      return target !== room && !uses.includes(target);
    });
    expect(wrong.map(shown)).toEqual([]);
  });

  test('no room can be reached from one below it', () => {
    const reach = (room: string, seen = new Set<string>()): Set<string> => {
      for (const next of ROOMS[room].uses)
        if (!seen.has(next)) {
          seen.add(next);
          reach(next, seen);
        }
      return seen;
    };
    expect(Object.keys(ROOMS).filter((room) => reach(room).has(room))).toEqual([]);
  });

  test('no file imports itself by way of others, what is loaded later included', () => {
    const next = new Map<string, string[]>();
    for (const one of imports.filter(isOwn)) next.set(one.from, [...(next.get(one.from) ?? []), join(dirname(one.from), one.to)]);
    const done = new Set<string>();
    const circles: string[] = [];
    const visit = (file: string, way: readonly string[]): void => {
      if (way.includes(file)) circles.push([...way.slice(way.indexOf(file)), file].map((path) => relative(SOURCE, path)).join(' → '));
      if (done.has(file) || way.includes(file)) return;
      for (const other of next.get(file) ?? []) visit(other, [...way, file]);
      done.add(file);
    };
    for (const file of next.keys()) visit(file, []);
    expect(circles).toEqual([]);
  });
});

test('no two exported types have one name', () => {
  const places = new Map<string, string[]>();
  for (const path of filesBelow(SOURCE))
    for (const [, name] of readFileSync(path, 'utf8').matchAll(/^export (?:interface|type|class) (\w+)/gm))
      places.set(name, [...(places.get(name) ?? []), relative(SOURCE, path)]);
  expect([...places].filter(([, found]) => found.length > 1)).toEqual([]);
});
