import { Failed, overHttp, SERVER } from './http.ts';
import type { Calls, Fault } from './protocol.ts';

export { Failed } from './http.ts';

/** Whether a server answers; own files are answered in the page. */
let served = SERVER !== '';

let worker: Worker | undefined;
const waiting = new Map<number, { readonly resolve: (value: unknown) => void; readonly reject: (error: Failed) => void }>();
let next = 0;

const theWorker = (): Worker => {
  if (worker) return worker;
  worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' });
  worker.addEventListener('message', ({ data }: MessageEvent<{ id: number; value?: unknown; fault?: Fault }>) => {
    const entry = waiting.get(data.id);
    waiting.delete(data.id);
    if (data.fault) entry?.reject(new Failed(data.fault));
    else entry?.resolve(data.value);
  });
  return worker;
};
// It starts while the page is drawn; a page that is served may do without.
if (!served) theWorker();

const inWorker = <K extends keyof Calls>(name: K, args: Parameters<Calls[K]>): Promise<ReturnType<Calls[K]>> =>
  new Promise((resolve, reject) => {
    const id = next++;
    waiting.set(id, { resolve: resolve as (value: unknown) => void, reject });
    theWorker().postMessage({ id, call: name, args });
  });

/** Asks the server or the worker; rejects with `Failed`. */
export const call = async <K extends keyof Calls>(name: K, ...args: Parameters<Calls[K]>): Promise<ReturnType<Calls[K]>> => {
  const over = served ? overHttp[name] : undefined;
  if (over) return (over as (...given: Parameters<Calls[K]>) => Promise<ReturnType<Calls[K]>>)(...args);
  const found = await inWorker(name, args);
  if (name === 'openFiles') served = false;
  return found;
};
