import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['tests/**/*.test.ts'],
    globalSetup: ['tests/setup/machine.ts'],
    testTimeout: 120_000,
    hookTimeout: 300_000,
    pool: 'forks',
    maxWorkers: 2,
  },
});
