import { randomInt } from 'node:crypto';
import type { TestProject } from 'vitest/node';

declare module 'vitest' {
  interface ProvidedContext {
    seed: number;
  }
}

const FIXED_SEED = 20260815;

/** Random tests draw with one seed a run: a fixed one in `npm test`, a fresh one in the others. */
export const provideSeed = (provide: TestProject['provide']): void => {
  const { DURCHBLICK_SEED: given, DURCHBLICK_TESTS: mode } = process.env;
  const seed = given !== undefined ? Number(given) : mode === 'test' ? FIXED_SEED : randomInt(2 ** 31);
  provide('seed', seed);
  process.stderr.write(`Random tests draw with seed ${seed} (DURCHBLICK_SEED)\n`);
};
