import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, statSync } from 'node:fs';

/** What dist/ is built of. */
const FROM = ['src', 'scripts/bundle.mjs', 'tsconfig.base.json', 'tsconfig.build.json'];
/** Written late in every build. */
const BUILT = 'dist/report/program.js';
/** The explorer is in the package too; it is made once, and copied by every build. */
const EXPLORER = 'dist/explorer/index.html';

const changed = (path: string): number =>
  statSync(path).isDirectory() ? Math.max(...readdirSync(path).map((name) => changed(`${path}/${name}`))) : statSync(path).mtimeMs;

/** Tests run what is built (vitest.config.ts), so nothing may be built of an older state than the one that is tested. */
export const setup = (): void => {
  if (existsSync(EXPLORER) && existsSync(BUILT) && statSync(BUILT).mtimeMs > Math.max(...FROM.map(changed))) return;
  const script = existsSync('examples/explorer/dist') ? 'build' : 'prepare';
  const { status } = spawnSync('npm', ['run', '-s', script], { stdio: ['ignore', 'ignore', 'inherit'] });
  if (status !== 0) throw new Error(`npm run ${script} failed: nothing was tested`);
};
