import fc from 'fast-check';
import { expect, inject } from 'vitest';

export const isDeep = process.env.DURCHBLICK_TESTS === 'deep';

/** How often something random is tried: a few times in `npm test`, many times in `npm run test:deep`. */
export interface Draws {
  readonly few: number;
  readonly many: number;
}

export const countDraws = ({ few, many }: Draws): number => Number(process.env.DURCHBLICK_RUNS ?? (isDeep ? many : few));

export const drawSeed = (): number => inject('seed');

/** The command that repeats the running test with the same draws. */
const repeatCommand = (): string => {
  const { testPath = '', currentTestName = '' } = expect.getState();
  const file = testPath.slice(testPath.indexOf('/tests/') + 1);
  const runs = process.env.DURCHBLICK_RUNS === undefined ? '' : `DURCHBLICK_RUNS=${process.env.DURCHBLICK_RUNS} `;
  const name = currentTestName
    .split(' > ')
    .at(-1)
    ?.replace(/['"$\\`]/g, '.');
  return `DURCHBLICK_SEED=${drawSeed()} ${runs}npx vitest run --mode ${process.env.DURCHBLICK_TESTS} ${file} -t "${name}"`;
};

/** Runs something random; a failure says how to repeat it. */
export const repeatable = async (run: () => unknown): Promise<void> => {
  try {
    await run();
  } catch (error) {
    if (error instanceof Error) error.message += `\nrepeat with: ${repeatCommand()}`;
    throw error;
  }
};

/** Holds a property for a number of random values. */
export const assertDraws = <T>(property: fc.IAsyncProperty<T> | fc.IProperty<T>, draws: Draws): Promise<void> =>
  repeatable(() =>
    fc.assert(property as fc.IAsyncProperty<T>, {
      seed: drawSeed(),
      numRuns: countDraws(draws),
      endOnFailure: process.env.DURCHBLICK_SHRINK === 'no',
    }),
  );
