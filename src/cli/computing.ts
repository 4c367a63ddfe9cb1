// The process that computes for `serve`: its start by the parent, and its own side.
import { fork } from 'node:child_process';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Computing } from '../serve/front.ts';

/** Where the process that computes is to answer; undefined in its parent. */
const SOCKET = 'DURCHBLICK_SOCKET';
/** Set if a person reads the parent's stderr. */
const TERMINAL = 'DURCHBLICK_TERMINAL';
/** Milliseconds between heartbeats. */
const HEARTBEAT_INTERVAL = 200;

/** What the process that computes says to its parent. */
type Said = { readonly kind: 'heartbeat' } | { readonly kind: 'ready'; readonly models: readonly Served[] };
export interface Served {
  readonly name: string;
  readonly title: string;
}

export interface Started extends Computing {
  readonly models: readonly Served[];
}

/** The process could not start; it has said why. */
export class NotStarted extends Error {
  constructor(readonly exitCode: number) {
    super('the process that computes has ended');
  }
}

/** Starts this program once more, with the same arguments, to compute. */
export const startComputing = async (): Promise<Started> => {
  const folder = await mkdtemp(join(tmpdir(), 'durchblick-'));
  const socketPath = join(folder, 'socket');
  const terminal = process.stderr.isTTY ? { [TERMINAL]: '1' } : {};
  const child = fork(process.argv[1], process.argv.slice(2), {
    env: { ...process.env, [SOCKET]: socketPath, ...terminal },
    stdio: ['ignore', 'inherit', 'pipe', 'ipc'],
  });
  child.stderr?.on('data', (text: Buffer) => void process.stderr.write(text));
  let last = Date.now();
  const written = new Promise<void>((done) => void child.stderr?.once('close', done));
  const exited = new Promise<number>((done) => child.once('exit', (code) => void written.then(() => done(code ?? 1))));
  const kill = (): void => void child.kill('SIGKILL');
  process.once('exit', kill);
  const models = new Promise<readonly Served[]>((done) =>
    child.on('message', (said: Said) => {
      last = Date.now();
      if (said.kind === 'ready') done(said.models);
    }),
  );
  const gone = exited.then(async (code) => {
    process.off('exit', kill);
    await rm(folder, { recursive: true, force: true });
    return code;
  });
  const listed = await Promise.race([models, gone]);
  if (typeof listed === 'number') throw new NotStarted(listed);
  return {
    socketPath,
    models: listed,
    lastHeartbeat: () => last,
    exited: gone.then(() => undefined),
    kill,
    end: async () => {
      if (child.connected) child.disconnect();
      await gone;
    },
  };
};

/** What the process that computes knows of its parent. */
export interface ComputingHere {
  readonly socketPath: string;
  readonly isTerminal: boolean;
  /** Says that it answers; resolves when the parent is gone. */
  readonly begin: (models: readonly Served[]) => Promise<void>;
}

/** The parent of the process that computes; undefined in the parent itself. */
export const computingHere = (): ComputingHere | undefined => {
  const socketPath = process.env[SOCKET];
  if (socketPath === undefined || !process.send) return undefined;
  // Sending fails without harm when the parent is gone.
  const say = (said: Said): void => void process.send?.(said, undefined, undefined, () => undefined);
  return {
    socketPath,
    isTerminal: process.env[TERMINAL] !== undefined,
    begin: async (models) => {
      // The parent decides when it ends: Ctrl-C reaches both.
      for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => undefined);
      const heartbeats = setInterval(() => say({ kind: 'heartbeat' }), HEARTBEAT_INTERVAL);
      say({ kind: 'ready', models });
      await new Promise<void>((done) => process.once('disconnect', done));
      clearInterval(heartbeats);
    },
  };
};
