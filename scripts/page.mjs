// The explorer as `durchblick serve` serves it, put beside the command line: without what it needs only to run without a server.
import { cpSync, existsSync, rmSync } from 'node:fs';

const built = 'examples/explorer/dist';
if (existsSync(`${built}/index.html`) && existsSync('dist/cli')) {
  rmSync('dist/explorer', { recursive: true, force: true });
  cpSync(`${built}/index.html`, 'dist/explorer/index.html');
  cpSync(`${built}/assets`, 'dist/explorer/assets', { recursive: true, filter: (path) => !/duckdb.*\.(wasm|js)$/.test(path) });
}
