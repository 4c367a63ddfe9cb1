import { readFile } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import { DurchblickError } from '../errors.ts';
import type { Model } from '../model/model.ts';
import type { Files } from './files.ts';
import { parseModel } from './yaml.ts';

/** Files below a folder, for Node.js. */
export const folderFiles =
  (folder: string): Files =>
  (path) =>
    readFile(resolve(folder, path));

export interface ModelFile {
  readonly model: Model;
  /** The model's file sources, relative to its folder. */
  readonly files: Files;
}

/** Reads a model file (YAML or JSON) and gives access to the files beside it. */
export const loadModel = async (path: string): Promise<ModelFile> => {
  let text: string;
  try {
    text = await readFile(path, 'utf8');
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    const why =
      code === 'ENOENT' ? 'there is no file' : code === 'EISDIR' ? 'this is a folder, not a model file:' : `cannot read (${code})`;
    throw new DurchblickError('no-file', `${why} ${path}`, { hint: 'Give the path of a model file, for example demo/model.yaml.' });
  }
  return { model: parseModel(text, path), files: folderFiles(dirname(resolve(path))) };
};
