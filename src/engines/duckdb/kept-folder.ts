// The folder in which what was found out is kept for the next opening: files written aside and renamed, believed only where they
// are whole, named by a fingerprint of what they were made of, and limited in size together.
import { createHash, randomUUID } from 'node:crypto';
import { mkdir, open, readdir, readFile, rename, rm, stat, utimes, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { writeCacheTag } from '../../files/cache-tag.ts';
import type { FoundFile } from '../../files/folder.ts';

/** What became of what is kept of a source. */
export interface KeptEvent {
  readonly source: string;
  readonly state: 'used' | 'made' | 'not-kept';
  /** In words, for whoever wants to know. */
  readonly message: string;
}

/** The folder, and who is told what comes of it. */
export interface Shelf {
  readonly folder: string;
  readonly tell: (event: KeptEvent) => void;
}

/** That nothing can be kept in a folder is said once, whatever was to be kept. */
export const shelfOf = (folder: string, tell: (event: KeptEvent) => void = () => undefined): Shelf => {
  let isTold = false;
  return {
    folder,
    tell: (event) => {
      if (event.state !== 'not-kept') return tell(event);
      if (!isTold) tell(event);
      isTold = true;
    },
  };
};

/** Another layout has another number, so that two versions of the program can share a folder. */
const FORMAT = 3;
/** What is read in less than a blink is not worth a file. */
const LEAST_BYTES = 4 * 2 ** 20;
/** All that is kept takes no more than this; what was not used for longest goes. */
const MOST_BYTES = 8 * 2 ** 30;

export const sha = (text: string | Uint8Array): string => createHash('sha256').update(text).digest('hex').slice(0, 32);

const ENDS = 65536;

/** Size, modification time and a checksum of both ends of a file (V5). */
const fileMark = async ({ real }: FoundFile): Promise<readonly [mark: string, size: number]> => {
  const handle = await open(real);
  try {
    const { size, mtimeNs } = await handle.stat({ bigint: true });
    const [first, last] = [Buffer.alloc(ENDS), Buffer.alloc(ENDS)];
    const { bytesRead: begins } = await handle.read(first, 0, ENDS, 0);
    const { bytesRead: ends } = await handle.read(last, 0, ENDS, Math.max(0, Number(size) - ENDS));
    return [`${real}:${size}:${mtimeNs}:${sha(first.subarray(0, begins))}:${sha(last.subarray(0, ends))}`, Number(size)];
  } finally {
    await handle.close();
  }
};

/** Creates the cache folder, which is ignored by git and tagged as a cache. */
export const makeFolder = async (folder: string): Promise<void> => {
  await mkdir(folder, { recursive: true });
  await writeCacheTag(folder);
  await writeFile(join(folder, '.gitignore'), '*\n', { flag: 'wx' }).catch((error: unknown) => {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
  });
};

/** Readable by the owner only. */
const OWN_MODE = 0o600;

/** A small file of JSON that says by a checksum that it is whole; undefined where it is not there, or not what was written. */
export const readNote = async (path: string): Promise<unknown> => {
  try {
    // Opening a FIFO would block.
    if (!(await stat(path)).isFile()) return undefined;
    const { check, note } = JSON.parse(await readFile(path, 'utf8')) as { check: string; note: unknown };
    return check === sha(JSON.stringify(note)) ? note : undefined;
  } catch {
    return undefined;
  }
};

/** Writes a file aside and renames it, so that nobody reads half of it. */
export const writeAside = async (path: string, bytes: string | Uint8Array, mode = OWN_MODE): Promise<void> => {
  const aside = `${path}.${randomUUID()}`;
  try {
    await writeFile(aside, bytes, { mode });
    await rename(aside, path);
  } catch (error) {
    await rm(aside, { force: true }).catch(() => undefined);
    throw error;
  }
};

export const writeNote = (path: string, note: unknown): Promise<void> =>
  writeAside(path, JSON.stringify({ check: sha(JSON.stringify(note)), note }));

/** Removes what was not used for longest until all keeps the limit. */
export const shrink = async (folder: string): Promise<void> => {
  const names = (await readdir(folder)).filter((name) => /\.parquet$/.test(name));
  const files = await Promise.all(names.map(async (name) => ({ name, ...(await stat(join(folder, name))) })));
  let total = files.reduce((sum, { size }) => sum + size, 0);
  for (const { name, size } of files.sort((a, b) => a.mtimeMs - b.mtimeMs)) {
    if (total <= MOST_BYTES) return;
    total -= size;
    for (const own of [name, `${name}.json`, `${name}.found.json`]) await rm(join(folder, own), { force: true });
  }
};

const reasonOf = (error: unknown): string =>
  (error as NodeJS.ErrnoException).code === 'ENOSPC' || /no space left/i.test(String(error))
    ? 'the disk is full'
    : ((error as NodeJS.ErrnoException).code ?? (error as Error).message.split('\n')[0]);

export const notKept = ({ folder, tell }: Shelf, source: string, error: unknown): undefined => {
  tell({ source, state: 'not-kept', message: `${source} cannot be kept in ${folder} (${reasonOf(error)}): it is read again next time` });
};

/** That a file was used, so that it is not the next to go. */
export const touch = async (path: string): Promise<void> => {
  const now = new Date();
  await utimes(path, now, now).catch(() => undefined);
};

/** The path of what is made of some files for somebody who wants something of them; undefined where they are too small for that. */
export const pathFor = async (
  folder: string,
  source: string,
  files: readonly FoundFile[],
  wanted: unknown,
): Promise<string | undefined> => {
  const marks = await Promise.all(files.map(fileMark));
  if (marks.reduce((sum, [, size]) => sum + size, 0) < LEAST_BYTES) return undefined;
  const print = sha(JSON.stringify([FORMAT, marks.map(([mark]) => mark), wanted]));
  return join(folder, `${basename(source).replace(/[^A-Za-z0-9_-]+/g, '-')}-${print}`);
};
