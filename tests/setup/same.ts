import { expect } from 'vitest';

/** Fails with what stands where two texts part. */
export const same = (found: string, wanted: string, asked: unknown): void => {
  if (found === wanted) return;
  let at = 0;
  while (found[at] === wanted[at]) at++;
  const around = (text: string) => text.slice(Math.max(0, at - 150), at + 150);
  expect.fail(`wanted …${around(wanted)}…\nfound …${around(found)}…\n${JSON.stringify(asked)}`);
};
