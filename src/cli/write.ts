// Where words leave the program: nothing that steers a terminal, no stack trace.
import { notWritten, writeWhole } from '../files/write.ts';
import { endProgress } from './progress.ts';
import { words } from './words.ts';

export const toStderr = (text: string): void => {
  endProgress();
  process.stderr.write(words(text));
};

const isClosedPipe = (error: unknown): boolean => (error as NodeJS.ErrnoException | null)?.code === 'EPIPE';

/** Text or bytes to stdout; resolves when it is out, so that pipes are not cut short. A reader that has seen enough is no fault. */
export const toStdout = (content: string | Uint8Array): Promise<void> =>
  new Promise((done, fail) => {
    endProgress();
    process.stdout.write(content, (error) => (error && !isClosedPipe(error) ? fail(notWritten('the answer', error)) : done()));
  });

/**
 * Writes an answer to a file, or to stdout. `words` are for people, wherever they go; data are what they are, but for a
 * terminal, which would obey them.
 */
export const deliver = async (content: string | Uint8Array, file: string | undefined, as: 'words' | 'data' = 'data'): Promise<void> => {
  const cleaned =
    typeof content === 'string' && (as === 'words' || (file === undefined && process.stdout.isTTY)) ? words(content) : content;
  if (file === undefined) return toStdout(cleaned);
  await writeWhole(file, cleaned);
  toStderr(`wrote ${file}\n`);
};

/** What goes wrong with a stream is told by whoever writes to it, and waits for it. */
export const listenToStreams = (): void => {
  for (const stream of [process.stdout, process.stderr]) stream.on('error', () => undefined);
};
