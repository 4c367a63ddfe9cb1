// How many questions run at once: some, then a line of those that wait, then a refusal that says when to come again.
import { HttpProblem } from './problem.ts';

export interface Turns {
  /** Runs work when its turn comes. What is given up while it waits does not run. */
  readonly run: <T>(work: () => Promise<T>, signal: AbortSignal) => Promise<T>;
  readonly running: () => number;
  readonly waiting: () => number;
}

export const turnsOf = (most: number, line: number): Turns => {
  let running = 0;
  const waiting: (() => void)[] = [];
  const turn = (signal: AbortSignal): Promise<void> => {
    if (running < most) {
      running++;
      return Promise.resolve();
    }
    if (waiting.length >= line) throw new HttpProblem(503, 'busy', 'too many questions at once', 'Ask again in a moment.', 1);
    return new Promise((resolve, reject) => {
      const begin = (): void => {
        signal.removeEventListener('abort', leave);
        resolve();
      };
      const leave = (): void => {
        const at = waiting.indexOf(begin);
        if (at >= 0) waiting.splice(at, 1);
        reject(signal.reason);
      };
      signal.addEventListener('abort', leave, { once: true });
      waiting.push(begin);
    });
  };
  return {
    run: async (work, signal) => {
      await turn(signal);
      try {
        return await work();
      } finally {
        const next = waiting.shift();
        if (next) next();
        else running--;
      }
    },
    running: () => running,
    waiting: () => waiting.length,
  };
};
