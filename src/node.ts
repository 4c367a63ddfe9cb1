// Model files and what lies beside them, for Node.js. Large files are read by DuckDB where it is installed, whatever engine asks for them.
import { type TypedOptions, withTyped } from './engines/duckdb/typed-files.ts';
import { type FolderFiles, type FolderOptions, type ModelFile, folderFiles as plainFiles, loadModel as plainModel } from './files/node.ts';

export type { KeptEvent } from './engines/duckdb/kept-folder.ts';
export { type ChosenEngine, engineFor, type FolderFiles, type ModelFile, modelPlaces, type PartPlace, partsOf } from './files/node.ts';

/** Where the files of a model may lie, and how large ones among them are read. */
export interface FilesOptions extends FolderOptions, Pick<TypedOptions, 'keep' | 'kept'> {}

/** Files below a folder, and below those that are allowed beside it. */
export const folderFiles = (folder: string, options: FilesOptions = {}): FolderFiles => withTyped(plainFiles(folder, options), options);

/**
 * Reads a model file (YAML or JSON) with all that it includes, and gives access to the files beside it, and to those in
 * folders that are allowed.
 */
export const loadModel = async (path: string, options: FilesOptions = {}): Promise<ModelFile> => {
  const loaded = await plainModel(path, options);
  return { ...loaded, files: withTyped(loaded.files, options) };
};
