import { expect } from 'vitest';
import type { Book, DurchblickError, Question } from '../../src/index.ts';

/** Fails with what stands where two texts part. */
export const same = (found: string, wanted: string, asked: unknown): void => {
  if (found === wanted) return;
  let at = 0;
  while (found[at] === wanted[at]) at++;
  const around = (text: string) => text.slice(Math.max(0, at - 150), at + 150);
  expect.fail(`wanted …${around(wanted)}…\nfound …${around(found)}…\n${JSON.stringify(asked)}`);
};

/** An answer, or the error, to the last byte. */
export const bytes = async (book: Book, asked: Question): Promise<string> => {
  try {
    return JSON.stringify((await book.ask(asked)).toJson());
  } catch (error) {
    const { code, message, hint } = error as DurchblickError;
    if (!code) throw error;
    return JSON.stringify({ code, message, hint });
  }
};
