// Work of which one piece runs at a time, in the order in which it came.
import { aborted } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';

export interface Queue {
  /** Waits for its turn, then runs; what is given up while it waits does not run at all. */
  readonly run: <T>(work: () => Promise<T>, signal?: Cancellation) => Promise<T>;
  /** Resolves when nothing runs and nothing waits. */
  readonly idle: () => Promise<void>;
}

export const oneAfterAnother = (): Queue => {
  let turn: Promise<unknown> = Promise.resolve();
  return {
    run: (work, signal) => {
      const mine = turn.then(() => {
        if (signal?.aborted) throw aborted();
        return work();
      });
      turn = mine.catch(() => undefined);
      return mine;
    },
    idle: async () => {
      for (let last: unknown; last !== turn; ) {
        last = turn;
        await turn;
      }
    },
  };
};
