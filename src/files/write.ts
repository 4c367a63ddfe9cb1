// Files that are written: whole or not at all, and never over what is read.
import { randomBytes } from 'node:crypto';
import { open, readdir, realpath, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join, resolve } from 'node:path';
import { DurchblickError } from '../errors.ts';

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
export const notWritten = (file: string, error: unknown): DurchblickError => {
  const { code = '', message } = error as NodeJS.ErrnoException;
  return new DurchblickError('not-written', `cannot write ${file} (${REASONS[code] ?? (code || message)})`, { kind: 'engine' });
};

/** The real place of a file that may not be there yet. */
export const placeOf = async (file: string): Promise<string> => {
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

/** Milliseconds after which a temporary file is one of a process that was killed. */
const ABANDONED = 24 * 3600 * 1000;
const ASIDE = /^\.(.+)\.[0-9a-f]{12}\.durchblick$/;

/** Removes temporary files that killed processes left beside a file. */
const removeAbandoned = async (place: string): Promise<void> => {
  const folder = dirname(place);
  for (const name of await readdir(folder).catch(() => [])) {
    if (ASIDE.exec(name)?.[1] !== basename(place)) continue;
    const left = join(folder, name);
    const written = await stat(left).catch(() => undefined);
    if (written?.isFile() && Date.now() - written.mtimeMs > ABANDONED) await rm(left, { force: true });
  }
};

/** Writes a temporary file and renames it when it is complete. Devices and pipes are written as they are. */
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
    await removeAbandoned(place);
    const aside = join(dirname(place), `.${basename(place)}.${randomBytes(6).toString('hex')}.durchblick`);
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
