import { spawnSync } from 'node:child_process';
import { expect, test } from 'vitest';
import { ROOT } from '../setup/cli.ts';

test('names in question literals are checked by the compiler, and only wrong ones are refused (names.ts)', () => {
  const { status, stdout } = spawnSync('npx', ['tsc', '-p', 'tests/types/tsconfig.json', '--noEmit'], { cwd: ROOT, encoding: 'utf8' });
  expect(stdout).toBe('');
  expect(status).toBe(0);
});
