import { readdir, readFile, realpath, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { DurchblickError } from '../errors.ts';
import { missingFile } from '../files/missing.ts';
import { partsOf } from '../files/node.ts';
import { readYaml } from '../files/yaml-text.ts';

const MODEL_FILE = /\.(ya?ml|json)$/i;

/** Files of a folder and the folders below it that may hold models, in the order of their names. */
const candidates = async (folder: string): Promise<string[]> => {
  const entries = (await readdir(folder, { withFileTypes: true })).sort((a, b) => (a.name < b.name ? -1 : 1));
  const found: string[] = [];
  for (const entry of entries) {
    const path = join(folder, entry.name);
    if (entry.name.startsWith('.') || entry.name === 'node_modules') continue;
    if (entry.isDirectory()) found.push(...(await candidates(path)));
    else if (MODEL_FILE.test(entry.name)) found.push(path);
  }
  return found;
};

/** Whether a file seems to be a model: a map with facts or includes. One that cannot be read as YAML is for its reader to say. */
const seemsModel = async (path: string): Promise<boolean> => {
  const text = await readFile(path, 'utf8');
  try {
    const { value } = readYaml(text, path);
    return value.facts !== undefined || value.includes !== undefined || value.durchblick !== undefined;
  } catch {
    return /^\s*"?(facts|includes|durchblick)"?\s*:/m.test(text);
  }
};

/**
 * The models that a path stands for: a file, the `model.yaml` of a folder, or else every model in the folder and below it.
 * A file that another one includes is a part of that.
 */
export const modelsIn = async (path: string): Promise<readonly string[]> => {
  const isFolder = (one: string): Promise<boolean> =>
    stat(one).then(
      (entry) => entry.isDirectory(),
      () => false,
    );
  const isThere = (one: string): Promise<boolean> =>
    stat(one).then(
      () => true,
      () => false,
    );
  if (!(await isFolder(path)) || (await isThere(join(path, 'model.yaml')))) return [path];
  const seen = await Promise.all((await candidates(path)).map(async (file) => ({ file, isModel: await seemsModel(file) })));
  const models = seen.filter(({ isModel }) => isModel).map(({ file }) => file);
  if (models.length === 0)
    throw await missingFile(Object.assign(new Error('no model'), { code: 'ENOENT' }), {
      path: join(path, 'model.yaml'),
      what: 'the model',
      inFolder: 'Name the model file in it.',
    });
  const included = new Set<string>();
  for (const file of models) {
    const parts = await partsOf(file).catch((error: unknown) => {
      if (error instanceof DurchblickError) return [];
      throw error;
    });
    for (const { real } of parts.slice(1)) included.add(real);
  }
  const real = await Promise.all(models.map((file) => realpath(file)));
  return models.filter((_, k) => !included.has(real[k]));
};
