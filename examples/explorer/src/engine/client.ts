import type { Calls, Fault } from './protocol.ts';

/** An error that the worker sent. */
export class Failed extends Error {
  readonly fault: Fault;
  constructor(fault: Fault) {
    super(fault.message);
    this.fault = fault;
  }
}

const worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' });
const waiting = new Map<number, { readonly resolve: (value: unknown) => void; readonly reject: (error: Failed) => void }>();
let next = 0;

worker.addEventListener('message', ({ data }: MessageEvent<{ id: number; value?: unknown; fault?: Fault }>) => {
  const entry = waiting.get(data.id);
  waiting.delete(data.id);
  if (data.fault) entry?.reject(new Failed(data.fault));
  else entry?.resolve(data.value);
});

/** Asks the worker; rejects with `Failed`. */
export const call = <K extends keyof Calls>(name: K, ...args: Parameters<Calls[K]>): Promise<ReturnType<Calls[K]>> =>
  new Promise((resolve, reject) => {
    const id = next++;
    waiting.set(id, { resolve: resolve as (value: unknown) => void, reject });
    worker.postMessage({ id, call: name, args });
  });
