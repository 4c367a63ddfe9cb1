// Files of a folder for engines that keep rows themselves: large ones are read by DuckDB where it is installed.
import { stat } from 'node:fs/promises';
import { resolve } from 'node:path';
import type { FolderFiles } from '../../files/folder.ts';
import { hasDuckDb } from './instance.ts';
import { type KeptEvent, shelfOf } from './kept-folder.ts';

export interface TypedOptions {
  /** A folder that keeps typed copies of large CSV files, so that their texts are read once; nothing is kept when left out. */
  readonly keep?: string;
  /** Is told what became of each source's copy. */
  readonly kept?: (event: KeptEvent) => void;
  /** Bytes from which on files are large: below, DuckDB takes longer to start than our readers to be done. */
  readonly least?: number;
}

const LARGE = 4 * 2 ** 20;

/** The same files, with a faster reader for the large ones among them. */
export const withTyped = (files: FolderFiles, { keep, kept, least = LARGE }: TypedOptions = {}): FolderFiles => {
  const isLarge = async (path: string): Promise<boolean> => {
    const found = await files.find(path).catch(() => []);
    const sizes = await Promise.all(found.map(({ real }) => stat(real).then(({ size }) => size)));
    return sizes.reduce((sum, size) => sum + size, 0) >= least;
  };
  const typed: FolderFiles['typed'] = async (source, model) => {
    if (!hasDuckDb() || !(await isLarge(source.file))) return undefined;
    const { readTyped } = await import('./typed-source.ts');
    return readTyped(source, model, files, keep === undefined ? undefined : shelfOf(resolve(keep), kept));
  };
  return Object.assign((path: string) => files(path), files, { typed });
};
