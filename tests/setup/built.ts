import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, statSync } from 'node:fs';

const SOURCES = ['src', 'scripts/bundle.mjs', 'tsconfig.base.json', 'tsconfig.build.json'];
/** Written late in every build. */
const LAST_BUILT = 'dist/report/program.js';
/** Part of the package; built once and copied by every build. */
const EXPLORER = 'dist/explorer/index.html';

const changedAt = (path: string): number =>
  statSync(path).isDirectory() ? Math.max(...readdirSync(path).map((name) => changedAt(`${path}/${name}`))) : statSync(path).mtimeMs;

const isNewer = (built: string, sources: readonly string[]): boolean =>
  existsSync(built) && statSync(built).mtimeMs > Math.max(...sources.map(changedAt));

/** Builds dist/ where it is older than the sources: tests run what is built (vitest.config.ts). */
export const buildOutdated = (): void => {
  const hasExplorer = isNewer('examples/explorer/dist/index.html', ['examples/explorer/src', 'src/index.ts']);
  if (hasExplorer && existsSync(EXPLORER) && isNewer(LAST_BUILT, SOURCES)) return;
  const script = hasExplorer ? 'build' : 'prepare';
  const { status } = spawnSync('npm', ['run', '-s', script], { stdio: ['ignore', 'ignore', 'inherit'] });
  if (status !== 0) throw new Error(`npm run ${script} failed: nothing was tested`);
};
