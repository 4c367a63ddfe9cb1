import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, openSync, readSync, rmSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = fileURLToPath(new URL('../../', import.meta.url));
export const DEMO = 'demo/model.yaml';
const MAIN = 'dist/cli/main.js';

export interface Outcome {
  readonly code: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

/** With both streams as a terminal shows them. */
export interface TerminalOutcome extends Outcome {
  readonly output: string;
}

const environment = (): NodeJS.ProcessEnv => ({ ...process.env, TZ: 'America/Lima' });

/** Runs the command line as a user does: a process of its own, no terminal, no colours. */
export const alone = (...args: readonly string[]): Outcome => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [MAIN, ...args], {
    cwd: ROOT,
    encoding: 'utf8',
    maxBuffer: 64 * 2 ** 20,
    env: environment(),
  });
  return { code: status, stdout, stderr };
};

/** A process that runs commands one after another, asked and answered through two named pipes, which can be waited for. */
const startHost = (): ((args: readonly string[]) => TerminalOutcome) => {
  const folder = mkdtempSync(join(tmpdir(), 'durchblick-host-'));
  const [requests, replies] = ['requests', 'replies'].map((name) => join(folder, name));
  spawnSync('mkfifo', [requests, replies]);
  const host = spawn(process.execPath, ['tests/setup/host.mjs', MAIN, requests, replies], {
    cwd: ROOT,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: environment(),
  });
  host.unref();
  process.once('exit', () => host.kill());
  // For reading as well, so that opening it waits for nobody.
  const ask = openSync(requests, 'r+');
  const answer = openSync(replies, 'r');
  rmSync(folder, { recursive: true });
  const buffer = Buffer.alloc(2 ** 16);
  return (args) => {
    writeSync(ask, `${JSON.stringify({ args, env: environment() })}\n`);
    const chunks: Buffer[] = [];
    for (;;) {
      const length = readSync(answer, buffer);
      if (length === 0) throw new Error(`the command line ended its process: ${args.join(' ')}`);
      chunks.push(Buffer.from(buffer.subarray(0, length)));
      if (buffer[length - 1] === 0x0a) return JSON.parse(Buffer.concat(chunks).toString('utf8')) as TerminalOutcome;
    }
  };
};

let host: ReturnType<typeof startHost> | undefined;

/** The same in a process that has run other commands before. */
export const durchblick = (...args: readonly string[]): TerminalOutcome => {
  host ??= startHost();
  return host(args);
};

/** Runs a command line, split into words like a shell does. */
export const run = (command: string): TerminalOutcome =>
  durchblick(...[...command.matchAll(/'([^']*)'|(\S+)/g)].map(([, quoted, plain]) => quoted ?? plain));

/** A process of its own with something piped into it. */
export const piped = (input: string, ...args: readonly string[]): Outcome => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [MAIN, ...args], { cwd: ROOT, encoding: 'utf8', input });
  return { code: status, stdout, stderr };
};

/** Rows of a CSV answer without quoted fields: header aside, split at commas. */
export const rowsOf = (csv: string): string[][] =>
  csv
    .trimEnd()
    .split('\r\n')
    .slice(1)
    .map((line) => line.split(','));
