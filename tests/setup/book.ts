import { onTestFinished } from 'vitest';
import { open } from '../../src/index.ts';

/** Opens a book that is closed when the running test has ended. */
export const openBook = (async (...args: Parameters<typeof open>) => {
  const book = await open(...args);
  onTestFinished(() => book.close());
  return book;
}) as typeof open;
