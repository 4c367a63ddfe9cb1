import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { expect, test } from 'vitest';
import { renderPages } from '../../scripts/docs.ts';
import { defineModel, type Engine, open } from '../../src/index.ts';
import { durchblick, openBook, ROOT, table } from '../setup/builders.ts';

const read = (name: string): string => readFileSync(join(ROOT, name), 'utf8');
const pages = [
  'README.md',
  'CONTRIBUTING.md',
  'CHANGELOG.md',
  ...readdirSync(join(ROOT, 'docs')).flatMap((name) => (name.endsWith('.md') ? [`docs/${name}`] : [])),
];

test('the guide shows what the commands print, and generated pages are current (npm run docs)', () => {
  const before = { COLUMNS: process.env.COLUMNS, NO_COLOR: process.env.NO_COLOR };
  Object.assign(process.env, { COLUMNS: '96', NO_COLOR: '1' });
  const pages = renderPages((words) => durchblick(...words).output);
  Object.assign(process.env, before);
  for (const [name, text] of pages) expect(text, name).toBe(read(name));
});

test('every link between pages leads somewhere', () => {
  for (const page of pages) {
    for (const [, target] of read(page).matchAll(/\]\(([^)\s]+)\)/g)) {
      if (/^(https?:|mailto:)/.test(target)) continue;
      const [path, anchor] = target.split('#');
      const file = path === '' ? page : join(page, '..', path);
      expect(() => readFileSync(join(ROOT, file)), `${page} → ${target}`).not.toThrow();
      if (anchor) expect(read(file).toLowerCase(), `${page} → ${target}`).toContain(`# ${anchor.replaceAll('-', ' ')}`);
    }
  }
});

test('every file that docs/architecture.md names is where it says', () => {
  const named = [...read('docs/architecture.md').matchAll(/`((?:[a-z-]+\/)+[a-z0-9-]+\.(?:ts|wat))`/g)].map(([, path]) => path);
  expect(named.length).toBeGreaterThan(40);
  const exists = (path: string): boolean => [`src/${path}`, path].some((at) => existsSync(join(ROOT, at)));
  expect(named.filter((path) => !exists(path))).toEqual([]);
});

test('every code of an error, note or finding has its line in docs/errors.md', () => {
  const source = spawnSync('grep', ['-rhE', '--include=*.ts', '', 'src'], { cwd: ROOT, encoding: 'utf8', maxBuffer: 64 * 2 ** 20 }).stdout;
  const found = new Set<string>();
  for (const pattern of [
    /new DurchblickError\(\s*'([a-z]+(?:-[a-z]+)+)'/g,
    /faults\.add\([^;]*?, '([a-z]+(?:-[a-z]+)+)',/g,
    /\bcode: '([a-z]+(?:-[a-z]+)*)'/g,
  ])
    for (const [, code] of source.matchAll(pattern)) found.add(code);
  expect(found.size).toBeGreaterThan(60);
  const page = read('docs/errors.md');
  const internal = new Set(['not-fetched', 'fault']);
  expect([...found].filter((code) => !internal.has(code) && !page.includes(`\`${code}\``))).toEqual([]);
});

/** The first block of code of a page, as a module beside the package. */
const block = async (page: string, name: string): Promise<Record<string, unknown>> => {
  const [, code] = /```js\n([\s\S]*?)```/.exec(read(page)) ?? [];
  // Beside the package, so that its name leads to it.
  mkdirSync(join(ROOT, 'tmp'), { recursive: true });
  const file = join(ROOT, 'tmp', `${name}.mjs`);
  writeFileSync(file, code);
  return import(pathToFileURL(file).href);
};

test('the server of embedding.md answers, says what is wrong, and keeps fixed filters', async () => {
  const { server } = (await block('docs/embedding.md', 'embedding')) as { server: Server };
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  const post = (body: string) => fetch(url, { method: 'POST', body });
  const good = await post(JSON.stringify({ show: ['revenue'], per: ['region'], range: '2026' }));
  const { rows } = (await good.json()) as { rows: [string, string, number][] };
  expect(rows.map(([, region]) => region)).toEqual(['North', 'South']);
  const bad = await post(JSON.stringify({ show: ['revenu'] }));
  expect([bad.status, await bad.text()]).toEqual([400, expect.stringContaining('Did you mean "revenue"?')]);
  expect((await post('{')).status).toBe(400);
  await new Promise((resolve) => server.close(resolve));
});

test('the engine of adding-an-engine.md answers over HTTP, and says what it cannot fetch', async () => {
  const { overHttp } = (await block('docs/adding-an-engine.md', 'engine')) as { overHttp: (base: URL) => Engine };
  const server = createServer((request, response) => {
    if (request.url === '/lines')
      response.end(
        JSON.stringify([
          { day: '2026-01-05', n: 2 },
          { day: '2026-02-01', n: 3 },
        ]),
      );
    else response.writeHead(404).end();
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const base = new URL(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`);
  const model = (source: string) =>
    defineModel({ sources: { [source]: {} }, facts: { f: { source, dates: { on: 'day' }, measures: { n: { sum: 'n' } } } } });
  const book = await openBook(model('lines'), overHttp(base));
  expect((await book.ask({ show: ['n over ytd'], by: 'month' })).rows).toEqual(table('2026-01 2 | 2026-02 5'));
  await expect(open(model('nothing'), overHttp(base))).rejects.toMatchObject({ code: 'no-file', kind: 'engine' });
  server.close();
});
