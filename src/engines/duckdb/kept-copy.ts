// Copies of sources that were read and typed once, kept in a folder so that no text is read a second time. A copy is named by a
// fingerprint of what it was made of; it is written aside and renamed, and believed only where it is whole.
import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { chmod, mkdtemp, rename, rm, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import type { FoundFile } from '../../files/folder.ts';
import { makeFolder, notKept, pathFor, readNote, type Shelf, sha, shrink, touch, writeNote } from './kept-folder.ts';

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

/** Checksum of a whole file. */
const sumOf = async (path: string): Promise<string> => {
  const sum = createHash('sha1');
  for await (const piece of createReadStream(path, { highWaterMark: 4 * 2 ** 20 })) sum.update(piece as Buffer);
  return sum.digest('hex');
};

interface CopyNote {
  readonly size: number;
  readonly sum: string;
  readonly about: unknown;
}

/** What was found out about a copy's rows, as it will be saved. */
interface Learned {
  readonly path: string;
  readonly values: Map<string, readonly (number | null)[]>;
  isNew: boolean;
}

/** A folder of copies with what was found out about them. */
interface CopyShelf extends Shelf {
  readonly learned: Learned[];
}

const foundAt = async ({ learned }: CopyShelf, path: string): Promise<Found> => {
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
    (seen) => (seen.isFile() ? seen.size : -1),
    () => -1,
  );
  if (size !== note.size || (await sumOf(path)) !== note.sum) return undefined;
  await touch(path);
  tell({ source, state: 'used', message: `${source} was read from its kept copy ${path}` });
  return { path, about: note.about };
};

const makeAt = async (
  shelf: Shelf,
  source: string,
  path: string,
  about: unknown,
  mode: number,
  write: (path: string) => Promise<void>,
): Promise<KeptCopy | undefined> => {
  const { folder, tell } = shelf;
  let own: string | undefined;
  try {
    await makeFolder(folder);
    // A private folder, because the writer decides the mode of the file.
    own = await mkdtemp(join(folder, '.new-'));
    const aside = join(own, 'copy.parquet');
    await write(aside);
    await chmod(aside, mode);
    const note: CopyNote = { size: (await stat(aside)).size, sum: await sumOf(aside), about };
    await rename(aside, path);
    await writeNote(`${path}.json`, note);
    await shrink(folder);
    tell({ source, state: 'made', message: `${source} was typed and kept as ${path}` });
    return { path, about };
  } catch (error) {
    return notKept(shelf, source, error);
  } finally {
    if (own !== undefined) await rm(own, { recursive: true, force: true }).catch(() => undefined);
  }
};

const saveLearned = async (shelf: CopyShelf): Promise<void> => {
  for (const own of shelf.learned) {
    if (!own.isNew) continue;
    own.isNew = false;
    try {
      await makeFolder(shelf.folder);
      await writeNote(own.path, Object.fromEntries(own.values));
    } catch (error) {
      notKept(shelf, basename(own.path), error);
    }
  }
};

/** The permissions that all files share, without execute. */
const sharedMode = async (files: readonly FoundFile[]): Promise<number> => {
  const modes = await Promise.all(files.map(async ({ real }) => (await stat(real)).mode));
  return modes.reduce((shared, mode) => shared & mode, 0o666) | 0o600;
};

export const keptCopies = ({ folder, tell }: Shelf): KeptCopies => {
  const shelf: CopyShelf = { folder, tell, learned: [] };
  return {
    folder,
    place: async (source, files, wanted) => {
      const base = await pathFor(folder, source, files, wanted);
      if (base === undefined) return undefined;
      const path = `${base}.parquet`;
      return {
        source,
        path,
        found: await foundAt(shelf, `${path}.found.json`),
        copy: () => copyAt(shelf, source, path),
        make: async (about, write) => makeAt(shelf, source, path, about, await sharedMode(files), write),
      };
    },
    save: () => saveLearned(shelf),
  };
};
