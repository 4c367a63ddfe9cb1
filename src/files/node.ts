// Model files and what lies beside them, for Node.js.
import { readFile } from 'node:fs/promises';
import type { Model } from '../model/model.ts';
import { type FolderFiles, type FolderOptions, folderFiles, folderOf } from './folder.ts';
import { missingFile } from './missing.ts';
import { parseModel } from './yaml.ts';

export { type ChosenEngine, engineFor, modelPlaces } from './choice.ts';
export { type FolderFiles, type FolderOptions, folderFiles } from './folder.ts';

export interface ModelFile {
  readonly model: Model;
  /** The model's file sources, relative to its folder. */
  readonly files: FolderFiles;
  readonly folder: string;
}

/** Reads a model file (YAML or JSON) and gives access to the files beside it, and to those in folders that are allowed. */
export const loadModel = async (path: string, options: FolderOptions = {}): Promise<ModelFile> => {
  let text: string;
  try {
    text = await readFile(path, 'utf8');
  } catch (error) {
    throw await missingFile(error, { path, what: 'the model', inFolder: 'Name the model file in it.' });
  }
  const folder = folderOf(path);
  return { model: parseModel(text, path), files: folderFiles(folder, options), folder };
};
