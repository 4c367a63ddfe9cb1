// Starts the second thread, where a runtime has threads.
import { type Room, sharedRoom } from './kernel-memory.ts';
import type { Helper } from './scan-all.ts';
import type { Message } from './thread.ts';

/** Keeps bundlers for browsers from following imports that only Node.js takes. */
const nodeModule = (name: string): string => name;

let started: Promise<Helper | undefined> | undefined;

/**
 * The second thread where there is one to be had: in Node.js, with shared memory and a second core. Elsewhere
 * undefined: one thread does all. It is started once, serves all books, and never keeps
 * a process alive by itself.
 */
export const secondThread = async (): Promise<{ readonly helper: Helper; readonly room: Room } | undefined> => {
  const node = typeof process !== 'undefined' && process.versions?.node !== undefined;
  // Sources that were not compiled (`.ts`, as tests run them) have no thread file beside them.
  if (!node || typeof SharedArrayBuffer === 'undefined' || !import.meta.url.endsWith('.js')) return undefined;
  started ??= start();
  const helper = await started;
  return helper && { helper, room: sharedRoom() };
};

const start = async (): Promise<Helper | undefined> => {
  const { availableParallelism } = (await import(/* @vite-ignore */ nodeModule('node:os'))) as typeof import('node:os');
  if (availableParallelism() < 2) return undefined;
  const { Worker } = (await import(/* @vite-ignore */ nodeModule('node:worker_threads'))) as typeof import('node:worker_threads');
  const worker = new Worker(new URL(/* @vite-ignore */ nodeModule('./thread.js'), import.meta.url));
  worker.unref();
  const waiting = new Map<number, { readonly resolve: () => void; readonly reject: (error: Error) => void }>();
  let turn = 0;
  const fail = (error: Error): void => {
    started = undefined;
    for (const { reject } of waiting.values()) reject(error);
    waiting.clear();
  };
  worker.on('error', fail);
  worker.on('exit', () => fail(new Error('the second thread has ended')));
  worker.on('message', ({ id }: { readonly id: number }) => {
    waiting.get(id)?.resolve();
    waiting.delete(id);
    if (waiting.size === 0) worker.unref();
  });
  const numbers = new WeakMap<Room, number>();
  let rooms = 0;
  const send = (message: Message): void => worker.postMessage(message);
  return {
    run: (program, room, rows, counter) =>
      new Promise((resolve, reject) => {
        const id = turn++;
        waiting.set(id, { resolve, reject });
        if (!numbers.has(room)) numbers.set(room, rooms++);
        // While someone waits, the thread must keep the process alive.
        worker.ref();
        send({ kind: 'run', id, room: numbers.get(room) as number, program, memory: room.memory as WebAssembly.Memory, rows, counter });
      }),
    forget: (room) => {
      const number = numbers.get(room);
      if (number !== undefined) send({ kind: 'forget', room: number });
    },
  };
};
