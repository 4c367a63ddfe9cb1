import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { gzipSync } from 'node:zlib';
import { build as esbuild } from 'esbuild';
import { build } from 'vite';
import { beforeAll, describe, expect, test } from 'vitest';
import { openApplication } from '../setup/browser.ts';
import { durchblick, makeFolder, ROOT } from '../setup/builders.ts';
import { isDeep } from '../setup/draws.ts';
import { servedBy } from '../setup/served.ts';

const own = JSON.parse(readFileSync(join(ROOT, 'package.json'), 'utf8')) as {
  version: string;
  dependencies: Record<string, string>;
  peerDependencies: Record<string, string>;
  exports: Record<string, unknown>;
};
const run = (command: string, args: readonly string[], cwd: string) =>
  spawnSync(command, args, { cwd, encoding: 'utf8', maxBuffer: 64 * 2 ** 20 });

/** An empty project with the packed tarball in it, and of other packages only what it says it depends on. */
const project = makeFolder();
let contents: string[] = [];
beforeAll(() => {
  const packed = run('npm', ['pack', '--json', '--ignore-scripts', '--pack-destination', project], ROOT);
  const [{ filename, files }] = JSON.parse(packed.stdout.slice(packed.stdout.indexOf('['))) as [
    { filename: string; files: { path: string }[] },
  ];
  contents = files.map(({ path }) => path);
  const target = join(project, 'node_modules/durchblick');
  mkdirSync(target, { recursive: true });
  run('tar', ['-xzf', join(project, filename), '-C', target, '--strip-components=1'], project);
  for (const name of Object.keys(own.dependencies)) {
    const link = join(project, 'node_modules', name);
    mkdirSync(dirname(link), { recursive: true });
    symlinkSync(join(ROOT, 'node_modules', name), link);
  }
  writeFileSync(join(project, 'package.json'), '{ "name": "empty", "type": "module" }');
});

test('the tarball has what is needed and nothing else', () => {
  const allowed =
    /^(dist\/.*\.(js|d\.ts)|dist\/cli\/third-party\.txt|dist\/explorer\/(index\.html|assets\/[\w.-]+\.(js|css))|demo\/(model\.yaml|model\.schema\.json|data\/[\w.]+)|docs\/([\w-]+\.md|screenshots\/[\w-]+\.png)|package\.json|(README|CONTRIBUTING|CHANGELOG)\.md|LICENSE)$/;
  expect(contents.filter((path) => !allowed.test(path))).toEqual([]);
  for (const path of ['dist/index.js', 'dist/cli/main.js', 'dist/explorer/index.html', 'demo/model.yaml', 'LICENSE', 'README.md'])
    expect(contents).toContain(path);
});

test('`npx durchblick serve` needs nothing but the package: without a model it serves the demo, with the explorer', async () => {
  const served = await servedBy(join(project, 'node_modules/durchblick/dist/cli/main.js'), project, []);
  try {
    expect(await (await served.get('/')).text()).toContain('<meta name="server" content="models">');
    expect(await (await served.get('/models')).json()).toEqual([{ name: 'gruenhof', title: 'Grünhof nurseries' }]);
    expect((await served.get('/models/gruenhof/ask?show=revenue&by=year&format=csv')).status).toBe(200);
  } finally {
    expect(await served.stop()).toBe(0);
  }
});

test('links of the packed pages lead to packed files', () => {
  for (const page of contents.filter((path) => path.endsWith('.md')))
    for (const [, target] of readFileSync(join(ROOT, page), 'utf8').matchAll(/\]\(([^)\s#]+)/g))
      if (!/^(https?|mailto):/.test(target)) expect(contents, `${page} → ${target}`).toContain(join(dirname(page), target));
});

test('exports are in order', () => {
  const lint = run('npx', ['publint', '--strict', join(project, 'node_modules/durchblick')], ROOT);
  expect([lint.status, lint.stdout.match(/error|warning/gi) ?? []], lint.stdout).toEqual([0, []]);
});

test.runIf(isDeep)('types resolve in every module setting', () => {
  const tarball = run('bash', ['-c', 'ls *.tgz'], project).stdout.trim();
  const types = run(
    'npx',
    ['attw', join(project, tarball), ...'--profile esm-only --no-emoji --format ascii --exclude-entrypoints model.schema.json'.split(' ')],
    ROOT,
  );
  // Everything resolves as ES modules, and nothing pretends to be anything else.
  expect([types.status, types.stdout.match(/node16 \(from ESM\): (?!OK)/g)], types.stdout + types.stderr).toEqual([0, null]);
  expect(types.stdout).toContain('"durchblick/postgres"');
});

/** The snippet of the README, as a program. */
const snippet = (): string => /```ts\n(import \{ defineModel[\s\S]*?)```/.exec(readFileSync(join(ROOT, 'README.md'), 'utf8'))?.[1] ?? '';
const SAID = '2026-08 24.9 24.9';

test("README's snippet and command run from the packed package in Node.js", () => {
  writeFileSync(join(project, 'snippet.js'), snippet());
  const { stdout, stderr } = run('node', ['snippet.js'], project);
  expect([stdout.trim(), stderr]).toEqual([SAID, '']);
  const command = run(
    'node',
    [
      ...'node_modules/durchblick/dist/cli/main.js ask node_modules/durchblick/demo/model.yaml revenue --range'.split(' '),
      ...'2026-04 --format csv'.split(' '),
    ],
    project,
  );
  expect(command.stdout).toMatch(/^period,revenue\r\n2026-04-01\/2026-04-30,84288\.33\r\n$/);
  // What is not installed is asked for by name.
  const missing = run(
    'node',
    ['node_modules/durchblick/dist/cli/main.js', 'ask', 'node_modules/durchblick/demo/model.yaml', 'revenue', '--engine', 'duckdb'],
    project,
  );
  expect([missing.status, missing.stderr]).toEqual([1, expect.stringContaining('npm install @duckdb/node-api')]);
});

test('and in a browser', async () => {
  const folder = join(project, 'page');
  mkdirSync(folder);
  writeFileSync(
    join(folder, 'index.html'),
    '<!doctype html><html lang="en"><head><title>x</title><link rel="icon" href="data:,"></head><body><script type="module" src="./main.js"></script></body></html>',
  );
  writeFileSync(
    join(folder, 'main.js'),
    `const said = [];\nconsole.log = (...parts) => { said.push(parts.join(' ')); document.body.dataset.said = said.join('\\n'); };\n${snippet().replace(/^(import .*\n)+/, '')}`.replace(
      /^/,
      snippet().match(/^(import .*\n)+/)?.[0] ?? '',
    ),
  );
  writeFileSync(join(folder, 'vite.config.ts'), `export default { root: import.meta.dirname, base: './', build: { target: 'es2022' } };\n`);
  const opened = await openApplication(folder);
  await opened.page.waitForSelector('body[data-said]', { state: 'attached' });
  expect(await opened.page.getAttribute('body', 'data-said')).toBe(SAID);
  expect(opened.errors).toEqual([]);
  await opened.close();
});

interface Chunk {
  readonly name: string;
  readonly code: string;
  /** Chunks and packages that are loaded with it. */
  readonly imports: readonly string[];
  readonly isEntry: boolean;
}

const viteChunks = async (entry: string): Promise<Chunk[]> => {
  const result = await build({
    root: project,
    logLevel: 'error',
    configFile: false,
    build: {
      write: false,
      minify: true,
      target: 'es2022',
      modulePreload: false,
      rollupOptions: { input: entry, preserveEntrySignatures: 'strict', external: Object.keys(own.peerDependencies) },
    },
  });
  const output = (Array.isArray(result) ? result : [result]).flatMap((one) => ('output' in one ? one.output : []));
  return output.flatMap((chunk) =>
    chunk.type === 'chunk' ? [{ name: chunk.fileName, code: chunk.code, imports: chunk.imports, isEntry: chunk.isEntry }] : [],
  );
};

const esbuildChunks = async (entry: string): Promise<Chunk[]> => {
  const { outputFiles, metafile } = await esbuild({
    entryPoints: [entry],
    absWorkingDir: project,
    bundle: true,
    splitting: true,
    minify: true,
    write: false,
    format: 'esm',
    target: 'es2022',
    outdir: join(project, 'out'),
    metafile: true,
    external: Object.keys(own.peerDependencies),
  });
  return Object.entries(metafile.outputs).map(([name, { imports, entryPoint }]) => ({
    name,
    code: outputFiles.find(({ path }) => path === join(project, name))?.text ?? '',
    imports: imports.filter(({ kind }) => kind === 'import-statement').map(({ path }) => path),
    isEntry: entryPoint === relative(project, entry),
  }));
};

/** Bytes, gzipped, of what a page loads before it asks anything; what is imported when it is wanted is no part of it. */
const loadedFirst = (chunks: readonly Chunk[]): number => {
  const needed = new Map<string, string>();
  const follow = (name: string): void => {
    const chunk = chunks.find((one) => one.name === name);
    if (!chunk || needed.has(name)) return;
    needed.set(name, chunk.code);
    expect(chunk.imports.filter((next) => next in own.peerDependencies)).toEqual([]);
    for (const next of chunk.imports) follow(next);
  };
  for (const { name, isEntry } of chunks) if (isEntry) follow(name);
  return gzipSync([...needed.values()].join('\n')).length;
};

describe('what a page loads first is small, and pulls in no optional package', () => {
  const EVERYTHING = "export * from 'durchblick';\n";
  const WITH_ROWS = "export { defineModel, open } from 'durchblick';\nexport { memory } from 'durchblick/memory';\n";
  test.each([
    ['the core, by Vite', EVERYTHING, 60_000, viteChunks],
    ['core and memory, by Vite', WITH_ROWS, 70_000, viteChunks],
    ['core and memory, by esbuild', WITH_ROWS, 72_000, esbuildChunks],
  ] as const)('%s', async (name, code, most, chunksOf) => {
    const entry = join(project, `${name.replace(/\W+/g, '-')}.js`);
    writeFileSync(entry, code);
    const size = loadedFirst(await chunksOf(entry));
    expect(size).toBeGreaterThan(10_000);
    expect(size).toBeLessThan(most);
  });
});

test('an engine for a database is written in a package of its own, as docs/adding-an-engine.md does, and answers as memory does', async () => {
  const page = readFileSync(join(ROOT, 'docs/adding-an-engine.md'), 'utf8');
  const [, code] = [...page.matchAll(/```js\n([\s\S]*?)```/g)][1];
  const own = makeFolder();
  mkdirSync(join(own, 'node_modules', '@duckdb'), { recursive: true });
  symlinkSync(join(project, 'node_modules/durchblick'), join(own, 'node_modules/durchblick'));
  symlinkSync(join(ROOT, 'node_modules/@duckdb/node-api'), join(own, 'node_modules/@duckdb/node-api'));
  writeFileSync(join(own, 'package.json'), '{ "name": "own-engine", "type": "module" }');
  writeFileSync(join(own, 'engine.js'), code);
  writeFileSync(
    join(own, 'run.js'),
    `import { DuckDBInstance } from '@duckdb/node-api';
import { defineModel, open } from 'durchblick';
import { memory } from 'durchblick/memory';
import { tablesOf } from './engine.js';
const lines = Array.from({ length: 400 }, (_, k) => ({ day: new Date(Date.UTC(2026, 0, 1 + (k * 7) % 180)).toISOString().slice(0, 10), amount: (k % 97) / 4, guest: k % 31, region: ['North', 'South', null][k % 3] }));
const instance = await DuckDBInstance.create('lines.duckdb');
const connection = await instance.connect();
await connection.run('create table lines (day date, amount decimal(10,2), guest integer, region varchar)');
for (const { day, amount, guest, region } of lines) await connection.run(\`insert into lines values ('\${day}', \${amount}, \${guest}, \${region === null ? 'null' : \`'\${region}'\`})\`);
connection.closeSync();
instance.closeSync();
const model = defineModel({
  dimensions: { region: {} },
  facts: { lines: { source: 'lines', dates: { seen: 'day' }, links: { region: 'region' }, measures: { revenue: { sum: 'amount' }, guests: { countDistinct: 'guest' }, largest: { max: 'amount' } } } },
});
const question = { show: ['revenue', 'guests over rolling-28-days', 'largest', 'revenue over ytd vs previous as change'], by: 'week', per: ['region'], totals: true };
const answers = [];
for (const engine of [tablesOf('lines.duckdb'), memory({ lines })]) {
  const book = await open(model, engine);
  const { result, different } = await book.verify(question);
  answers.push(JSON.stringify(result.toJson()));
  console.log(different.length, result.rows.length);
  await book.close();
}
console.log(answers[0] === answers[1] ? 'the same' : 'different');
`,
  );
  const { stdout, stderr } = run('node', ['run.js'], own);
  expect(stderr).toBe('');
  const [first, second, verdict] = stdout.trim().split('\n');
  expect(first).toMatch(/^0 \d\d/);
  expect([second, verdict]).toEqual([first, 'the same']);
});

test('--version says the versions of package, formats, Node.js and what it runs on', () => {
  const { stdout } = durchblick('--version');
  expect(stdout).toContain(own.version);
  expect(stdout).toContain('model format 1, question format 1');
  expect(stdout).toContain(`Node.js ${process.versions.node}`);
  expect(stdout).toMatch(/@duckdb\/node-api \d+\.\d+/);
  expect(existsSync(join(ROOT, 'CHANGELOG.md')) && readFileSync(join(ROOT, 'CHANGELOG.md'), 'utf8')).toContain(`## ${own.version}`);
});
