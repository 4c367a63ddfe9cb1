// The command line as few files: a process that answers one question should not spend its time finding two hundred modules.
import { renameSync, rmSync } from 'node:fs';
import { build } from 'esbuild';

await build({
  entryPoints: { main: 'dist/cli/main.js', thread: 'dist/engines/memory/thread.js' },
  outdir: 'dist/cli-bundled',
  bundle: true,
  splitting: true,
  platform: 'node',
  format: 'esm',
  target: 'node20',
  // What is installed stays where it is.
  packages: 'external',
  logLevel: 'error',
});
rmSync('dist/cli', { recursive: true });
renameSync('dist/cli-bundled', 'dist/cli');
