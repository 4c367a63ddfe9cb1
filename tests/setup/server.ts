import type { TestProject } from 'vitest/node';
import { startPostgres } from './postgres.ts';

declare module 'vitest' {
  interface ProvidedContext {
    /** Where the PostgreSQL server of this test run listens. */
    postgres: string;
  }
}

/** One PostgreSQL server for all suites of a run that share it. */
export const setup = async ({ provide }: TestProject): Promise<() => Promise<void>> => {
  const server = await startPostgres();
  provide('postgres', server.url);
  return server.stop;
};
