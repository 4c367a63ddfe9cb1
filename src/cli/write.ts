// Where words and files leave the program: nothing half written, nothing that steers a terminal, no stack trace.
import { randomBytes } from 'node:crypto';
import { open, realpath, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';
import { shownText } from '../basics/text.ts';
import { DurchblickError } from '../errors.ts';

/** Our own colours; every other sequence came with the data. */
const COLOURS = /(\u001b\[(?:[0-9]|3[0-9]|9[0-7])m|\n)/;

/** Words for people: lines and our own colours stay, everything else that would steer a terminal is a dot. */
export const words = (text: string): string =>
  text
    .split(COLOURS)
    .map((part, k) => (k % 2 === 1 ? part : shownText(part)))
    .join('');

export const toStderr = (text: string): void => void process.stderr.write(words(text));

const REASONS: Readonly<Record<string, string>> = {
  ENOSPC: 'no space is left',
  EACCES: 'it may not be written',
  EPERM: 'it may not be written',
  EROFS: 'the disk is read-only',
  ENOENT: 'there is no such folder',
  ENOTDIR: 'there is no such folder',
  EISDIR: 'it is a folder',
  EDQUOT: 'the quota is used up',
  EIO: 'the disk does not answer',
};
const notWritten = (file: string, error: unknown): DurchblickError => {
  const { code = '', message } = error as NodeJS.ErrnoException;
  return new DurchblickError('not-written', `cannot write ${file} (${REASONS[code] ?? (code || message)})`, { kind: 'engine' });
};

/** The real place of a file that may not be there yet. */
const placeOf = async (file: string): Promise<string> => {
  const path = resolve(file);
  try {
    return await realpath(path);
  } catch {
    return join(await realpath(dirname(path)).catch(() => dirname(path)), basename(path));
  }
};

/** Refuses to write over what an answer is made of, or twice to one place. */
export const checkTargets = async (files: readonly string[], sources: readonly string[]): Promise<void> => {
  const kept = new Set(await Promise.all(sources.map(placeOf)));
  const taken = new Set<string>();
  for (const file of files) {
    const place = await placeOf(file);
    if (kept.has(place))
      throw new DurchblickError('file-taken', `${file} is the model or one of its sources`, {
        hint: 'Name another file; nothing is written over what is read.',
      });
    if (taken.has(place))
      throw new DurchblickError('file-taken', `${file} would be written twice`, { hint: 'Name another file for one of them.' });
    taken.add(place);
  }
};

/** Writes a file aside and puts it into its place when it is whole. Devices and pipes are written as they are. */
export const writeWhole = async (file: string, content: string | Uint8Array): Promise<void> => {
  try {
    const place = await placeOf(file);
    const there = await stat(place).catch(() => undefined);
    if (there && !there.isFile()) {
      if (there.isDirectory()) throw Object.assign(new Error(), { code: 'EISDIR' });
      const device = await open(place, 'w');
      await device.writeFile(content).finally(() => device.close());
      return;
    }
    const aside = join(dirname(place), `.${basename(place)}.${randomBytes(6).toString('hex')}`);
    try {
      const handle = await open(aside, 'wx', there?.mode ?? 0o666);
      try {
        await handle.writeFile(content);
        await handle.sync();
      } finally {
        await handle.close();
      }
      await rename(aside, place);
    } catch (error) {
      await rm(aside, { force: true });
      throw error;
    }
  } catch (error) {
    throw error instanceof DurchblickError ? error : notWritten(file, error);
  }
};

const isClosedPipe = (error: unknown): boolean => (error as NodeJS.ErrnoException | null)?.code === 'EPIPE';

/** Text or bytes to stdout; resolves when it is out, so that pipes are not cut short. A reader that has seen enough is no fault. */
export const toStdout = (content: string | Uint8Array): Promise<void> =>
  new Promise((done, fail) => {
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
