// Giving up: of one's own question at once, of work that several share when the last of them has.
import { DurchblickError } from '../errors.ts';
import type { Cancellation } from './request.ts';

export const aborted = (): DurchblickError => new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });

/** Work that several wait for: it is given up when all of them have. Somebody without a signal never gives up. */
export interface Shared {
  /** One more waits for it; not for what is given up already (`signal.aborted`). */
  readonly join: (signal: Cancellation | undefined) => void;
  readonly signal: Cancellation;
  /** It is done: nobody's signal is listened to any longer. */
  readonly end: () => void;
}

export const sharedWork = (): Shared => {
  let waiting = 0;
  let over = false;
  const listeners = new Set<() => void>();
  const joined = new Map<Cancellation, () => void>();
  const end = (): void => {
    for (const [signal, leave] of joined) signal.removeEventListener('abort', leave);
    joined.clear();
  };
  const leave = (): void => {
    if (--waiting > 0) return;
    over = true;
    end();
    for (const listener of [...listeners]) listener();
  };
  return {
    join: (signal) => {
      // One signal stands for one who waits, however often the work is wanted for it.
      if (signal && joined.has(signal)) return;
      waiting++;
      if (!signal) return;
      if (signal.aborted) {
        leave();
        return;
      }
      const gone = (): void => {
        joined.delete(signal);
        signal.removeEventListener('abort', gone);
        leave();
      };
      joined.set(signal, gone);
      signal.addEventListener('abort', gone);
    },
    signal: {
      get aborted() {
        return over;
      },
      addEventListener: (_, listener) => void listeners.add(listener),
      removeEventListener: (_, listener) => void listeners.delete(listener),
    },
    end,
  };
};

/** The value of some work, or an error as soon as the signal is aborted; the work itself may go on for others. */
export const orAborted = <T>(work: () => Promise<T>, signal: Cancellation | undefined): Promise<T> => {
  if (!signal) return work();
  if (signal.aborted) return Promise.reject(aborted());
  return new Promise((resolve, reject) => {
    const leave = (): void => signal.removeEventListener('abort', stop);
    const stop = (): void => {
      // The work may take a while to end for nobody; the signal is of no more use to it.
      leave();
      reject(aborted());
    };
    signal.addEventListener('abort', stop);
    work().then(resolve, reject).finally(leave);
  });
};
