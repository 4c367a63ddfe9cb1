// Model files and what lies beside them, for Node.js.
import { access, constants, readFile, realpath, stat } from 'node:fs/promises';
import { dirname, join, parse, relative, sep } from 'node:path';
import { DurchblickError } from '../errors.ts';
import type { Model } from '../model/model.ts';
import { defineParts } from '../plan/define.ts';
import { type FolderFiles, type FolderOptions, folderFiles, folderOf } from './folder.ts';
import { type PartFile, type PartFiles, type ReadParts, readParts } from './includes.ts';
import { missingFile } from './missing.ts';

export { type ChosenEngine, engineFor, filesOf, modelPlaces } from './choice.ts';
export { type FolderFiles, type FolderOptions, folderFiles } from './folder.ts';

export interface ModelFile {
  readonly model: Model;
  /** The model's file sources, relative to its folder. */
  readonly files: FolderFiles;
  readonly folder: string;
  /** The file itself and all that it includes, in the order of reading. */
  readonly parts: readonly PartPlace[];
}

/** A file of a model, and whether it lies below the model's folder. */
export interface PartPlace {
  /** How messages name it. */
  readonly name: string;
  /** Where it lies, symbolic links resolved. */
  readonly real: string;
  readonly isOutside: boolean;
  /** The entry of `includes` that names it: `model.yaml:2:13`; undefined of the model's own file. */
  readonly by: string | undefined;
}

const INCLUDES_HINT =
  "Outside of the model's folder, the model itself may include files, and those what lies below their own folder; all else is for `--allow DIR`.";

/** Files of a model in folders: what the model itself includes lies where it likes, what those include below it (V8). */
const partFiles = (path: string, home: string, allow: readonly string[]): PartFiles => {
  const trusted = new Set<string>([home, ...allow]);
  const isRoot = (file: PartFile): boolean => file.name === path;
  const at = (real: string): PartFile => {
    const way = relative(home, dirname(real));
    return { name: join(dirname(path), relative(home, real)), id: real, folder: way.split(sep).join('/') };
  };
  return {
    find: async (written, from) => {
      const folder = isRoot(from) ? home : dirname(from.id);
      const found = await folderFiles(folder, { allow: isRoot(from) ? [parse(folder).root] : [...trusted] })
        .find(written)
        .catch((error: unknown) => {
          if (!(error instanceof DurchblickError) || error.code !== 'outside-folder') throw error;
          throw new DurchblickError(error.code, `"${written}" lies where a file that is included may not include from`, {
            hint: INCLUDES_HINT,
          });
        });
      if (isRoot(from)) for (const { real } of found) trusted.add(dirname(real));
      return found.map(({ real }) => at(real));
    },
    read: ({ id }) => readFile(id, 'utf8'),
  };
};

const readFiles = async (path: string, { allow = [] }: FolderOptions): Promise<ReadParts & { readonly home: string }> => {
  let real: string;
  try {
    real = await realpath(path);
    await access(real, constants.R_OK);
    if ((await stat(real)).isDirectory()) throw Object.assign(new Error('a folder'), { code: 'EISDIR' });
  } catch (error) {
    throw await missingFile(error, { path, what: 'the model', inFolder: 'Name the model file in it.' });
  }
  const home = await realpath(folderOf(path));
  return { home, ...(await readParts({ name: path, id: real, folder: '' }, partFiles(path, home, allow))) };
};

const placesOf = ({ files, home }: Awaited<ReturnType<typeof readFiles>>): readonly PartPlace[] =>
  files.map(({ name, id, by }) => ({ name, real: id, by, isOutside: relative(home, id).startsWith('..') }));

/** The files that make up a model, its own first. */
export const partsOf = async (path: string, options: FolderOptions = {}): Promise<readonly PartPlace[]> =>
  placesOf(await readFiles(path, options));

/**
 * Reads a model file (YAML or JSON) with all that it includes, and gives access to the files beside it, and to those in
 * folders that are allowed.
 */
export const loadModel = async (path: string, options: FolderOptions = {}): Promise<ModelFile> => {
  const read = await readFiles(path, options);
  const folder = folderOf(path);
  return { model: defineParts(read.parts), files: folderFiles(folder, options), folder, parts: placesOf(read) };
};
