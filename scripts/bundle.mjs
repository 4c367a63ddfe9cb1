// The command line as few files: a process that answers one question should not spend its time finding hundreds of modules.
import { readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { build } from 'esbuild';

const { metafile } = await build({
  entryPoints: { main: 'dist/cli/main.js', thread: 'dist/engines/memory/thread.js' },
  outdir: 'dist/cli-bundled',
  bundle: true,
  splitting: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  minifyWhitespace: true,
  minifySyntax: true,
  // What is optional is taken where it is installed, and what is seldom used from where it lies.
  external: [
    '@duckdb/node-api',
    'pg',
    'apache-arrow',
    'read-excel-file*',
    'vega',
    'vega-lite',
    '@resvg/resvg-js',
    'hyparquet-compressors',
    'hyparquet-writer',
    'sql-formatter',
    'ical.js',
  ],
  // Packages that are no modules themselves ask for others by `require`.
  banner: { js: "import { createRequire as requireOf } from 'node:module'; const require = requireOf(import.meta.url);" },
  metafile: true,
  logLevel: 'error',
});

/** Folders of packages that are in the bundle, with the terms that they come under. */
const folders = new Set(Object.keys(metafile.inputs).flatMap((path) => /^.*node_modules\/(?:@[^/]+\/)?[^/]+(?=\/)/.exec(path)?.[0] ?? []));
const termsOf = (folder) => {
  const file = readdirSync(folder).find((own) => /^licen[cs]e/i.test(own));
  const { name, license, version } = JSON.parse(readFileSync(`${folder}/package.json`, 'utf8'));
  return `${name} ${version} (${license})\n\n${file ? readFileSync(`${folder}/${file}`, 'utf8').trim() : ''}\n`;
};
writeFileSync(
  'dist/cli-bundled/third-party.txt',
  [...folders]
    .sort()
    .map(termsOf)
    .join(`\n${'-'.repeat(80)}\n\n`),
);

rmSync('dist/cli', { recursive: true });
renameSync('dist/cli-bundled', 'dist/cli');

/** Parts of the drawing library that no chart of ours takes: maps, networks, words and the like. */
const UNDRAWN = /^vega-(geo|force|hierarchy|label|regression|voronoi|wordcloud|crossfilter|projection)$/;
const undrawn = {
  name: 'undrawn',
  setup: ({ onResolve, onLoad }) => {
    onResolve({ filter: UNDRAWN }, ({ path }) => ({ path, namespace: 'undrawn' }));
    onLoad({ filter: /./, namespace: 'undrawn' }, () => ({
      contents: "module.exports = new Proxy({}, { get: (_, name) => (name === '__esModule' ? false : () => undefined) });",
    }));
  },
};

// The program of a report stands in the report itself, and in no folder beside it.
await build({
  entryPoints: ['dist/report/page/page.js'],
  outfile: 'dist/report/program.js',
  bundle: true,
  minify: true,
  format: 'iife',
  platform: 'browser',
  target: 'es2022',
  define: { 'import.meta.url': '""' },
  external: ['node:*', '@resvg/resvg-js', 'hyparquet*', 'apache-arrow'],
  plugins: [undrawn],
  logLevel: 'error',
});
