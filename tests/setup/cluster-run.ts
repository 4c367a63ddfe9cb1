// Prepares a run on the distributed engine: starts a cluster on this machine, or uses the one that DURCHBLICK_CLUSTER_URL names.
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { buildOutdated } from './built.ts';
import { provideSeed } from './seed.ts';

/** A cluster; `env` is set where this run has started it, and lets scripts/cluster.mjs find it. */
export interface Cluster {
  readonly url: string;
  readonly env?: Readonly<Record<string, string>>;
}

declare module 'vitest' {
  interface ProvidedContext {
    /** The cluster of this run; null where there is none. */
    cluster: Cluster | null;
  }
}

const MAX_START_MS = 15 * 60_000;

const findFreePort = (): Promise<number> =>
  new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number };
      server.close(() => resolve(port));
    });
  });

const runScript = (command: 'start' | 'stop', env: Readonly<Record<string, string>>): Promise<string> =>
  new Promise((resolve, reject) => {
    const child = spawn(process.execPath, ['scripts/cluster.mjs', command], { env: { ...process.env, ...env }, timeout: MAX_START_MS });
    let [stdout, stderr] = ['', ''];
    child.stdout.on('data', (piece) => void (stdout += piece));
    child.stderr.on('data', (piece) => void (stderr += piece));
    const lastLine = (text: string): string => text.trim().split('\n').at(-1) ?? '';
    child.once('exit', (code) => (code === 0 ? resolve(lastLine(stdout)) : reject(new Error(lastLine(stderr) || `exit code ${code}`))));
  });

export const setup = async ({ provide }: TestProject): Promise<(() => Promise<void>) | undefined> => {
  buildOutdated();
  provideSeed(provide);
  const skip = (reason: string): undefined => {
    process.stderr.write(`\nTests on a cluster are skipped: ${reason} (see CONTRIBUTING.md)\n`);
    provide('cluster', null);
  };
  const given = process.env.DURCHBLICK_CLUSTER_URL;
  if (given === 'none') return skip('DURCHBLICK_CLUSTER_URL is "none"');
  if (given !== undefined) {
    provide('cluster', { url: given });
    return undefined;
  }
  const folder = mkdtempSync(join(tmpdir(), 'durchblick-cluster-'));
  const env = {
    DURCHBLICK_CLUSTER_RUN: join(folder, 'run'),
    DURCHBLICK_CLUSTER_PORT: String(await findFreePort()),
    // On two cores, workers beside the coordinator only take turns.
    DURCHBLICK_CLUSTER_WORKERS: '0',
  };
  process.stderr.write('Starting a cluster (the first time about 570 MB are downloaded) …\n');
  try {
    provide('cluster', { url: await runScript('start', env), env });
  } catch (error) {
    return skip((error as Error).message);
  }
  return async () => {
    await runScript('stop', env).catch(() => undefined);
    rmSync(folder, { recursive: true, force: true });
  };
};
