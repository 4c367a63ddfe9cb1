import { stat } from 'node:fs/promises';
import { type Book, open } from '../book.ts';
import { memory } from '../engines/memory/index.ts';
import { DurchblickError } from '../errors.ts';
import { loadModel } from '../files/node.ts';

/** Opens the model of a path with the memory engine. A folder stands for the `model.yaml` in it. */
export const openBook = async (path: string): Promise<Book> => {
  const isFolder = await stat(path).then(
    (entry) => entry.isDirectory(),
    () => false,
  );
  const { model, files } = await loadModel(isFolder ? `${path.replace(/\/+$/, '')}/model.yaml` : path);
  return open(model, memory({}, { files }));
};

/** Runs something with a book and closes it afterwards. */
export const withBook = async <T>(path: string, run: (book: Book) => Promise<T>): Promise<T> => {
  const book = await openBook(path);
  try {
    return await run(book);
  } finally {
    await book.close();
  }
};

export const oneOf = (value: string, allowed: readonly string[], option: string): string => {
  if (allowed.includes(value)) return value;
  throw new DurchblickError('bad-option', `${option} is "${value}"`, { hint: `It takes ${allowed.join(', ')}.` });
};
