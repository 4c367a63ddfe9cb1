import { availableParallelism } from 'node:os';
import { defineConfig } from 'vitest/config';

/** Suites whose rules hold on every engine, run once on each. */
const RULES = ['tests/measures/**/*.test.ts', 'tests/check/**/*.test.ts', 'tests/windows/windows.test.ts', 'tests/calendar/model.test.ts'];
/** The cluster takes minutes to start, and is held to them where it runs: CONTRIBUTING.md says how. */
const ENGINES = ['memory', 'duckdb', 'postgres', ...(process.env.DURCHBLICK_CLUSTER_URL ? ['trino'] : [])];

const ROOT = import.meta.dirname;

export default defineConfig({
  // Tests run what was built, as users do: code that Node.js loads itself is faster than code that is rewritten for a test.
  resolve: { alias: [{ find: /^(?:\.\.\/)+src\/(.+)\.tsx?$/, replacement: `${ROOT}/dist/$1.js` }] },
  test: {
    server: { deps: { external: [/\/dist\/.*\.js$/] } },
    globalSetup: ['tests/setup/built.ts', 'tests/setup/machine.ts', 'tests/setup/server.ts'],
    testTimeout: 120_000,
    hookTimeout: 300_000,
    // A page has as long as a slow machine needs.
    expect: { poll: { timeout: 15_000 } },
    pool: 'forks',
    // Two where there are two cores; tests that time out by the clock are not run more at once than there are.
    maxWorkers: Math.max(2, Math.min(6, availableParallelism())),
    projects: [
      { extends: true, test: { name: 'all', include: ['tests/**/*.test.ts'], exclude: RULES } },
      ...ENGINES.map((engine) => ({
        extends: true as const,
        test: { name: engine, include: RULES, env: { DURCHBLICK_ENGINE: engine } },
      })),
    ],
  },
});
