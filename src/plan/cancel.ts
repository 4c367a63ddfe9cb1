import { DurchblickError } from '../errors.ts';
import type { Cancellation } from './request.ts';

const abortedError = (): DurchblickError => new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });

/** Work that several wait for: it is given up when all of them have. Somebody without a signal never gives up. */
export interface Shared {
  readonly join: (signal: Cancellation | undefined) => void;
  readonly signal: Cancellation;
}

export const sharedWork = (): Shared => {
  let left = 0;
  let over = false;
  const listeners = new Set<() => void>();
  const leave = (): void => {
    if (--left > 0) return;
    over = true;
    for (const listener of listeners) listener();
  };
  return {
    join: (signal) => {
      left++;
      if (signal?.aborted) leave();
      else signal?.addEventListener('abort', leave);
    },
    signal: {
      get aborted() {
        return over;
      },
      addEventListener: (_, listener) => void listeners.add(listener),
      removeEventListener: (_, listener) => void listeners.delete(listener),
    },
  };
};

/** The value of a promise, or an error as soon as the signal is aborted; the work itself may go on for others. */
export const orAborted = <T>(work: Promise<T>, signal: Cancellation | undefined): Promise<T> => {
  if (!signal) return work;
  if (signal.aborted) return Promise.reject(abortedError());
  return new Promise((resolve, reject) => {
    const stop = (): void => reject(abortedError());
    signal.addEventListener('abort', stop);
    work.then(resolve, reject).finally(() => signal.removeEventListener('abort', stop));
  });
};
