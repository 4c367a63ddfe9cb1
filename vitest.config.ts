import { readdirSync, readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { defineConfig, type UserWorkspaceConfig } from 'vitest/config';

/** Suites whose rules hold on every engine, run once on each. */
const RULES = ['tests/measures/**/*.test.ts', 'tests/check/**/*.test.ts', 'tests/windows/windows.test.ts', 'tests/calendar/model.test.ts'];
const DEEP = ['tests/**/*.deep.test.ts'];
/** Files that try more in `test:deep` import setup/draws.ts. */
const DRAWING = readdirSync('tests', { recursive: true, encoding: 'utf8' }).flatMap((name) => {
  const file = `tests/${name}`;
  return name.endsWith('.test.ts') && readFileSync(file, 'utf8').includes('setup/draws.ts') ? [file] : [];
});
const CLUSTER = ['tests/**/*.cluster.test.ts'];
/** Kills the cluster, so it runs last. */
const RESTART = ['tests/engines/restart.cluster.test.ts'];

const ROOT = import.meta.dirname;

type Options = UserWorkspaceConfig['test'];

/** Options of every project; a project that extended the root config would run the global setup again. */
const COMMON: UserWorkspaceConfig = {
  // Tests run what is built, as users do; Node.js loads it twice as fast as code that is transformed for a test.
  resolve: { alias: [{ find: /^(?:\.\.\/)+src\/(?!cli\/)(.+)\.tsx?$/, replacement: `${ROOT}/dist/$1.js` }] },
};
const project = (mode: string, test: Options): UserWorkspaceConfig => ({
  ...COMMON,
  test: {
    server: { deps: { external: [/\/dist\/.*\.js$/] } },
    testTimeout: 120_000,
    hookTimeout: 300_000,
    // For slow machines.
    expect: { poll: { timeout: 15_000 } },
    pool: 'forks',
    isolate: false,
    ...test,
    env: { DURCHBLICK_TESTS: mode, ...test?.env },
  },
});

/** `vitest run` (mode test), `vitest run --mode deep`, `vitest run --mode cluster`. */
const MODES: Readonly<Record<string, { readonly globalSetup: string; readonly projects: readonly Options[] }>> = {
  test: {
    globalSetup: 'tests/setup/run.ts',
    projects: [
      { name: 'all', include: ['tests/**/*.test.ts'], exclude: [...RULES, ...DEEP, ...CLUSTER] },
      ...['memory', 'duckdb', 'postgres'].map((engine) => ({ name: engine, include: RULES, env: { DURCHBLICK_ENGINE: engine } })),
    ],
  },
  deep: {
    globalSetup: 'tests/setup/run.ts',
    projects: [{ name: 'deep', include: [...DRAWING, ...DEEP], exclude: CLUSTER, testTimeout: 1_200_000 }],
  },
  cluster: {
    globalSetup: 'tests/setup/cluster-run.ts',
    projects: [
      {
        name: 'trino',
        include: [...RULES, ...CLUSTER],
        exclude: RESTART,
        setupFiles: ['tests/setup/needs-cluster.ts'],
        env: { DURCHBLICK_ENGINE: 'trino' },
      },
      { name: 'restart', include: RESTART, sequence: { groupOrder: 1 } },
    ],
  },
};

export default defineConfig(({ mode }) => {
  const chosen = MODES[mode];
  if (chosen === undefined) throw new Error(`unknown mode "${mode}"; modes: ${Object.keys(MODES).join(', ')}`);
  process.env.DURCHBLICK_TESTS = mode;
  return {
    test: {
      globalSetup: [chosen.globalSetup],
      maxWorkers: Math.max(2, Math.min(6, availableParallelism())),
      projects: chosen.projects.map((options) => project(mode, options)),
    },
  };
});
