// Copies of sources that were read and typed once, kept in a folder so that no text is read a second time. A copy is named by a
// fingerprint of what it was made of; it is written aside and renamed, and believed only where it is whole.
import { createHash, randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, open, readdir, readFile, rename, rm, stat, utimes, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import type { FoundFile } from '../../files/folder.ts';

/** Another layout of copies has another number, so that two versions of the program can share a folder. */
const FORMAT = 2;
/** What is read in less than a blink is not worth a file. */
const LEAST_BYTES = 4 * 2 ** 20;
/** Copies together take no more than this; those not used for longest go. */
const MOST_BYTES = 8 * 2 ** 30;

/** What became of a source's copy. */
export interface KeptEvent {
  readonly source: string;
  readonly state: 'used' | 'made' | 'not-kept';
  /** In words, for whoever wants to know. */
  readonly message: string;
}

/** Results of statements about rows that cannot change. */
export interface Found {
  readonly recall: (sql: string) => readonly (number | null)[] | undefined;
  readonly remember: (sql: string, values: readonly (number | null)[]) => void;
}

/** A copy that can be read where it lies. */
export interface KeptCopy {
  readonly path: string;
  /** What was noted when it was made. */
  readonly about: unknown;
}

/** Where one source is kept: named by what it is, and by what the model wants of it. */
export interface KeptPlace {
  readonly source: string;
  readonly path: string;
  readonly found: Found;
  readonly copy: () => Promise<KeptCopy | undefined>;
  /** Writes a copy by `write`, told where to; answers it, or undefined where that cannot be done. */
  readonly make: (about: unknown, write: (path: string) => Promise<void>) => Promise<KeptCopy | undefined>;
}

export interface KeptCopies {
  readonly folder: string;
  /** The place of a source; undefined where it is too small to be kept. */
  readonly place: (source: string, files: readonly FoundFile[], wanted: unknown) => Promise<KeptPlace | undefined>;
  /** Writes down what was found out. */
  readonly save: () => Promise<void>;
}

const sha = (text: string | Uint8Array): string => createHash('sha256').update(text).digest('hex').slice(0, 32);

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

/** Checksum of a whole file. */
const sumOf = async (path: string): Promise<string> => {
  const sum = createHash('sha1');
  for await (const piece of createReadStream(path, { highWaterMark: 4 * 2 ** 20 })) sum.update(piece as Buffer);
  return sum.digest('hex');
};

/** Makes the folder, which nobody should commit. */
const makeFolder = async (folder: string): Promise<void> => {
  await mkdir(folder, { recursive: true });
  await writeFile(join(folder, '.gitignore'), '*\n', { flag: 'wx' }).catch((error: unknown) => {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
  });
};

/** A small file of JSON that says by a checksum that it is whole; undefined where it is not there, or not what was written. */
const readNote = async (path: string): Promise<unknown> => {
  try {
    const { check, note } = JSON.parse(await readFile(path, 'utf8')) as { check: string; note: unknown };
    return check === sha(JSON.stringify(note)) ? note : undefined;
  } catch {
    return undefined;
  }
};

const writeNote = async (path: string, note: unknown): Promise<void> => {
  const aside = `${path}.${randomUUID()}`;
  await writeFile(aside, JSON.stringify({ check: sha(JSON.stringify(note)), note }));
  await rename(aside, path);
};

interface CopyNote {
  readonly size: number;
  readonly sum: string;
  readonly about: unknown;
}

/** Removes what was not used for longest until all keeps the limit. */
const shrink = async (folder: string): Promise<void> => {
  const names = (await readdir(folder)).filter((name) => name.endsWith('.parquet'));
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

/** What was found out about a copy's rows, as it will be saved. */
interface Learned {
  readonly path: string;
  readonly values: Map<string, readonly (number | null)[]>;
  isNew: boolean;
}

/** A folder of copies, and who is told what comes of them. */
interface Shelf {
  readonly folder: string;
  readonly tell: (event: KeptEvent) => void;
  readonly learned: Learned[];
}

const failed = ({ folder, tell }: Shelf, source: string, error: unknown): undefined => {
  tell({ source, state: 'not-kept', message: `${source} cannot be kept in ${folder} (${reasonOf(error)}): it is read again next time` });
};

const foundAt = async ({ learned }: Shelf, path: string): Promise<Found> => {
  const known = (await readNote(path)) as Record<string, readonly (number | null)[]> | undefined;
  const own: Learned = { path, values: new Map(Object.entries(known ?? {})), isNew: false };
  learned.push(own);
  return {
    recall: (sql) => own.values.get(sha(sql)),
    remember: (sql, values) => {
      own.values.set(sha(sql), values);
      own.isNew = true;
    },
  };
};

const copyAt = async ({ tell }: Shelf, source: string, path: string): Promise<KeptCopy | undefined> => {
  const note = (await readNote(`${path}.json`)) as CopyNote | undefined;
  if (!note) return undefined;
  const size = await stat(path).then(
    (seen) => seen.size,
    () => -1,
  );
  if (size !== note.size || (await sumOf(path)) !== note.sum) return undefined;
  const now = new Date();
  await utimes(path, now, now).catch(() => undefined);
  tell({ source, state: 'used', message: `${source} was read from its kept copy ${path}` });
  return { path, about: note.about };
};

const makeAt = async (
  shelf: Shelf,
  source: string,
  path: string,
  about: unknown,
  write: (path: string) => Promise<void>,
): Promise<KeptCopy | undefined> => {
  const { folder, tell } = shelf;
  const aside = `${path}.${randomUUID()}`;
  try {
    await makeFolder(folder);
    await write(aside);
    const note: CopyNote = { size: (await stat(aside)).size, sum: await sumOf(aside), about };
    await rename(aside, path);
    await writeNote(`${path}.json`, note);
    await shrink(folder);
    tell({ source, state: 'made', message: `${source} was typed and kept as ${path}` });
    return { path, about };
  } catch (error) {
    await rm(aside, { force: true }).catch(() => undefined);
    return failed(shelf, source, error);
  }
};

const saveLearned = async (shelf: Shelf): Promise<void> => {
  for (const own of shelf.learned) {
    if (!own.isNew) continue;
    own.isNew = false;
    try {
      await makeFolder(shelf.folder);
      await writeNote(own.path, Object.fromEntries(own.values));
    } catch (error) {
      failed(shelf, basename(own.path), error);
    }
  }
};

export const keptCopies = (folder: string, tell: (event: KeptEvent) => void = () => undefined): KeptCopies => {
  const shelf: Shelf = { folder, tell, learned: [] };
  return {
    folder,
    place: async (source, files, wanted) => {
      const marks = await Promise.all(files.map(fileMark));
      if (marks.reduce((sum, [, size]) => sum + size, 0) < LEAST_BYTES) return undefined;
      const print = sha(JSON.stringify([FORMAT, marks.map(([mark]) => mark), wanted]));
      const name = basename(source).replace(/[^A-Za-z0-9_-]+/g, '-');
      const path = join(folder, `${name}-${print}.parquet`);
      return {
        source,
        path,
        found: await foundAt(shelf, `${path}.found.json`),
        copy: () => copyAt(shelf, source, path),
        make: (about, write) => makeAt(shelf, source, path, about, write),
      };
    },
    save: () => saveLearned(shelf),
  };
};
