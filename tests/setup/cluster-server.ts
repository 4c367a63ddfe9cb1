import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';

declare module 'vitest' {
  interface ProvidedContext {
    /** A file that says what became of this run's cluster, once that is known. */
    cluster: string;
  }
}

/** Where the cluster of a test run is, or why there is none; `own` is what scripts/cluster.mjs knows one by that this run has started. */
export type ClusterState = { readonly url: string; readonly own?: Readonly<Record<string, string>> } | { readonly why: string };

/** What has not come so long after the start of a run, in milliseconds, is not waited for: a registry may be slow, or out of reach. */
const LONGEST_WAIT = 15 * 60_000;

const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number };
      server.close(() => resolve(port));
    });
  });

/**
 * A cluster for the tests of the `trino` engine, fetched where it is missing and started while other tests run; a coordinator that runs
 * statements itself, because on two cores workers of their own only take turns. One that is there already is taken as it is:
 * DURCHBLICK_CLUSTER_URL. Where there can be none its tests are left out, and that is said.
 */
export const setup = async ({ provide }: TestProject): Promise<() => void> => {
  const folder = mkdtempSync(join(tmpdir(), 'durchblick-cluster-'));
  const file = join(folder, 'state.json');
  provide('cluster', file);
  const tell = (state: ClusterState): void => {
    writeFileSync(`${file}.part`, JSON.stringify(state));
    renameSync(`${file}.part`, file);
    if ('why' in state) process.stderr.write(`\nThe tests on a cluster are left out: ${state.why} (CONTRIBUTING.md says what they need)\n`);
  };
  const given = process.env.DURCHBLICK_CLUSTER_URL;
  if (given !== undefined) {
    tell(given === 'none' ? { why: 'DURCHBLICK_CLUSTER_URL says none' } : { url: given });
    return () => rmSync(folder, { recursive: true, force: true });
  }
  const own = {
    DURCHBLICK_CLUSTER_RUN: join(folder, 'run'),
    DURCHBLICK_CLUSTER_PORT: String(await freePort()),
    DURCHBLICK_CLUSTER_WORKERS: '0',
  };
  const env = { ...process.env, ...own };
  const child = spawn(process.execPath, ['scripts/cluster.mjs', 'start'], { env, stdio: ['ignore', 'pipe', 'pipe'] });
  const [said, told]: [string[], string[]] = [[], []];
  child.stdout.on('data', (piece) => void said.push(String(piece)));
  child.stderr.on('data', (piece) => void told.push(String(piece)));
  const last = (text: string): string => text.trim().split('\n').pop() ?? '';
  const late = setTimeout(() => {
    tell({ why: `it was not ready after ${LONGEST_WAIT / 60_000} minutes` });
    child.kill();
  }, LONGEST_WAIT);
  child.once('exit', (code) => {
    clearTimeout(late);
    if (!existsSync(file)) tell(code === 0 ? { url: last(said.join('')), own } : { why: last(told.join('')) || `it ended with ${code}` });
  });
  return () => {
    clearTimeout(late);
    child.kill();
    spawn(process.execPath, ['scripts/cluster.mjs', 'stop'], { env, stdio: 'ignore' }).once('exit', () =>
      rmSync(folder, { recursive: true, force: true }),
    );
  };
};
