import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';

export const ROOT = fileURLToPath(new URL('../../', import.meta.url));
export const DEMO = 'demo/model.yaml';

export interface Outcome {
  readonly code: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

/** Runs the command line as a user does: a process of its own, no terminal, no colours. */
export const durchblick = (...args: readonly string[]): Outcome => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['dist/cli/main.js', ...args], {
    cwd: ROOT,
    encoding: 'utf8',
    maxBuffer: 64 * 2 ** 20,
    env: { ...process.env, TZ: 'America/Lima' },
  });
  return { code: status, stdout, stderr };
};

/** The same with something piped into it. */
export const piped = (input: string, ...args: readonly string[]): Outcome => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['dist/cli/main.js', ...args], { cwd: ROOT, encoding: 'utf8', input });
  return { code: status, stdout, stderr };
};

/** Rows of a CSV answer without quoted fields: header aside, split at commas. */
export const rowsOf = (csv: string): string[][] =>
  csv
    .trimEnd()
    .split('\r\n')
    .slice(1)
    .map((line) => line.split(','));
