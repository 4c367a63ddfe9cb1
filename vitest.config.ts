import { availableParallelism } from 'node:os';
import { defineConfig, type UserWorkspaceConfig } from 'vitest/config';

/** Suites whose rules hold on every engine, run once on each. */
const RULES = ['tests/measures/**/*.test.ts', 'tests/check/**/*.test.ts', 'tests/windows/windows.test.ts', 'tests/calendar/model.test.ts'];
const ENGINES = ['memory', 'duckdb', 'postgres'];
/** What needs a cluster comes last: one starts while everything else is tested. */
const ON_CLUSTER = ['tests/**/cluster.test.ts'];
const ENDS_CLUSTER = ['tests/engines/cluster-ends.test.ts'];

const ROOT = import.meta.dirname;

/** What holds for every test. A project that extended the whole would start all servers once more. */
const COMMON: UserWorkspaceConfig = {
  // Tests run what was built, as users do (of the command line, that is one file): code that Node.js loads itself is faster than code that is rewritten for a test.
  resolve: { alias: [{ find: /^(?:\.\.\/)+src\/(?!cli\/)(.+)\.tsx?$/, replacement: `${ROOT}/dist/$1.js` }] },
  test: {
    server: { deps: { external: [/\/dist\/.*\.js$/] } },
    testTimeout: 120_000,
    hookTimeout: 300_000,
    // A page has as long as a slow machine needs.
    expect: { poll: { timeout: 15_000 } },
    pool: 'forks',
  },
};
const project = (test: UserWorkspaceConfig['test']): UserWorkspaceConfig => ({ ...COMMON, test: { ...COMMON.test, ...test } });

export default defineConfig({
  test: {
    globalSetup: ['tests/setup/built.ts', 'tests/setup/machine.ts', 'tests/setup/server.ts', 'tests/setup/cluster-server.ts'],
    // Two where there are two cores; tests that time out by the clock are not run more at once than there are.
    maxWorkers: Math.max(2, Math.min(6, availableParallelism())),
    projects: [
      project({ name: 'all', include: ['tests/**/*.test.ts'], exclude: [...RULES, ...ON_CLUSTER, ...ENDS_CLUSTER] }),
      ...ENGINES.map((engine) => project({ name: engine, include: RULES, env: { DURCHBLICK_ENGINE: engine } })),
      project({
        name: 'trino',
        include: [...RULES, ...ON_CLUSTER],
        setupFiles: ['tests/setup/needs-cluster.ts'],
        env: { DURCHBLICK_ENGINE: 'trino' },
        sequence: { groupOrder: 1 },
      }),
      // Last of all, since it ends the cluster.
      project({ name: 'restart', include: ENDS_CLUSTER, sequence: { groupOrder: 2 } }),
    ],
  },
});
