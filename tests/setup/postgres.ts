import { spawnSync } from 'node:child_process';
import { chownSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { afterAll, inject } from 'vitest';
import { postgresPrograms } from './machine.ts';

export interface Postgres {
  /** The test's own connection; after the server was away, `reconnect` makes a new one. */
  readonly client: pg.Client;
  readonly reconnect: () => Promise<void>;
  /** Where a client connects. */
  readonly url: string;
  /** Ends the server at once, as a fault does, and starts it again. */
  readonly kill: () => void;
  readonly start: () => void;
  readonly stop: () => Promise<void>;
}

const freePort = (): Promise<number> =>
  new Promise((resolve, reject) => {
    const server = createServer();
    server.on('error', reject);
    server.listen(0, '127.0.0.1', () => {
      const address = server.address();
      server.close(() => resolve(typeof address === 'object' && address ? address.port : 0));
    });
  });

/** A real PostgreSQL server of the test's own, on a private port; PostgreSQL refuses to run as root, so another user runs it. */
export const startPostgres = async (): Promise<Postgres> => {
  const programs = postgresPrograms() as string;
  const folder = mkdtempSync(join(tmpdir(), 'durchblick-pg-'));
  const root = process.getuid?.() === 0;
  const ids = root ? ['-u', '-g'].map((flag) => Number(spawnSync('id', [flag, 'postgres'], { encoding: 'utf8' }).stdout)) : [];
  if (root) chownSync(folder, ids[0], ids[1]);
  const as = (program: string, ...args: readonly string[]): void => {
    const { status, stderr } = spawnSync(join(programs, program), args, {
      cwd: folder,
      encoding: 'utf8',
      ...(root ? { uid: ids[0], gid: ids[1] } : {}),
    });
    if (status !== 0) throw new Error(`${program}: ${stderr}`);
  };
  const port = await freePort();
  const data = join(folder, 'data');
  as('initdb', '-D', data, '-U', 'test', '-A', 'trust', '-E', 'UTF8', '--no-sync');
  const settings = `-p ${port} -k ${folder} -c listen_addresses=127.0.0.1 -c fsync=off`;
  const start = (): void => as('pg_ctl', '-D', data, '-w', '-l', join(folder, 'log'), '-o', settings, 'start');
  const kill = (): void => as('pg_ctl', '-D', data, '-m', 'immediate', 'stop');
  start();
  const url = `postgres://test@127.0.0.1:${port}/postgres`;
  const connect = async (): Promise<pg.Client> => {
    const made = new pg.Client({ connectionString: url });
    made.on('error', () => undefined);
    await made.connect();
    return made;
  };
  let client = await connect();
  return {
    get client() {
      return client;
    },
    reconnect: async () => {
      client = await connect();
    },
    url,
    kill,
    start,
    stop: async () => {
      await client.end().catch(() => undefined);
      kill();
      rmSync(folder, { recursive: true, force: true });
    },
  };
};

/** The server of the run, and a connection of the test file that is closed after its tests. */
export const connectPostgres = async (): Promise<{ readonly client: pg.Client; readonly url: string }> => {
  const url = inject('postgres');
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  afterAll(() => client.end());
  return { client, url };
};
