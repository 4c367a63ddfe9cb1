import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { build } from 'vite';
import { beforeAll, expect, test } from 'vitest';
import { openApplication } from '../setup/browser.ts';
import { durchblick, ROOT } from '../setup/cli.ts';

const own = JSON.parse(readFileSync(join(ROOT, 'package.json'), 'utf8')) as {
  version: string;
  dependencies: Record<string, string>;
  peerDependencies: Record<string, string>;
  exports: Record<string, unknown>;
};
const run = (command: string, args: readonly string[], cwd: string) =>
  spawnSync(command, args, { cwd, encoding: 'utf8', maxBuffer: 64 * 2 ** 20 });

/** An empty project with the packed tarball in it, and of other packages only what it says it depends on. */
const project = mkdtempSync(join(tmpdir(), 'durchblick-project-'));
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
    /^(dist\/.*\.(js|d\.ts)|demo\/(model\.yaml|model\.schema\.json|data\/[\w.]+)|package\.json|README\.md|LICENSE|CHANGELOG\.md)$/;
  expect(contents.filter((path) => !allowed.test(path))).toEqual([]);
  for (const path of ['dist/index.js', 'dist/cli/main.js', 'demo/model.yaml', 'LICENSE', 'README.md']) expect(contents).toContain(path);
});

test('types resolve in every module setting, and exports are in order', () => {
  const lint = run('npx', ['publint', '--strict', join(project, 'node_modules/durchblick')], ROOT);
  expect([lint.status, lint.stdout.match(/error|warning/gi) ?? []], lint.stdout).toEqual([0, []]);
  const tarball = run('bash', ['-c', 'ls *.tgz'], project).stdout.trim();
  const types = run(
    'npx',
    [
      'attw',
      join(project, tarball),
      '--profile',
      'esm-only',
      '--no-emoji',
      '--format',
      'ascii',
      '--exclude-entrypoints',
      'model.schema.json',
    ],
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
      'node_modules/durchblick/dist/cli/main.js',
      'ask',
      'node_modules/durchblick/demo/model.yaml',
      'revenue',
      '--range',
      '2026-07',
      '--format',
      'csv',
    ],
    project,
  );
  expect(command.stdout).toMatch(/^period,revenue\r\n2026-07-01\/2026-07-31,46303\.\d+\r\n$/);
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

test('the core is below 60 kB gzipped, and pulls in no optional package', async () => {
  const entry = join(project, 'core.js');
  writeFileSync(entry, "export * from 'durchblick';\n");
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
  const chunks = (Array.isArray(result) ? result : [result]).flatMap((one) => ('output' in one ? one.output : []));
  const main = chunks.find((chunk) => chunk.type === 'chunk' && chunk.isEntry);
  if (main?.type !== 'chunk') throw new Error('no entry');
  // What is imported when it is wanted is no part of the core.
  expect(main.imports.filter((name) => name in own.peerDependencies)).toEqual([]);
  const needed = new Set<string>();
  const follow = (name: string): void => {
    const chunk = chunks.find(({ fileName }) => fileName === name);
    if (chunk?.type !== 'chunk' || needed.has(name)) return;
    needed.add(name);
    for (const next of chunk.imports) follow(next);
  };
  follow(main.fileName);
  const code = [...needed]
    .map((name) => chunks.find(({ fileName }) => fileName === name))
    .map((chunk) => (chunk?.type === 'chunk' ? chunk.code : ''));
  const size = gzipSync(code.join('\n')).length;
  expect(size).toBeGreaterThan(10_000);
  expect(size).toBeLessThan(60_000);
});

test('--version says the versions of package, formats, Node.js and what it runs on', () => {
  const { stdout } = durchblick('--version');
  expect(stdout).toContain(own.version);
  expect(stdout).toContain('model format 1, question format 1');
  expect(stdout).toContain(`Node.js ${process.versions.node}`);
  expect(stdout).toMatch(/@duckdb\/node-api \d+\.\d+/);
  expect(existsSync(join(ROOT, 'CHANGELOG.md')) && readFileSync(join(ROOT, 'CHANGELOG.md'), 'utf8')).toContain(`## ${own.version}`);
});
