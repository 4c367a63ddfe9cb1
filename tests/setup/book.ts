import { onTestFinished } from 'vitest';
import { open } from '../../src/index.ts';

/** Opens a book and closes it after the test. */
export const openBook = (async (...args: Parameters<typeof open>) => {
  const book = await open(...args);
  onTestFinished(() => book.close());
  return book;
}) as typeof open;
