// Model files of a path: a file, a folder with one, or all below it.
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

const isThere = (path: string, what: 'folder' | 'anything'): Promise<boolean> =>
  stat(path).then(
    (entry) => what === 'anything' || entry.isDirectory(),
    () => false,
  );

/** The model file of a path: a folder stands for the `model.yaml` in it. */
export const modelFile = async (path: string): Promise<string> =>
  (await isThere(path, 'folder')) ? `${path.replace(/\/+$/, '')}/model.yaml` : path;

/**
 * The models that a path stands for: a file, the `model.yaml` of a folder, or else every model in the folder and below it.
 * A file that another one includes is a part of that.
 */
export const modelsIn = async (path: string): Promise<readonly string[]> => {
  if (!(await isThere(path, 'folder')) || (await isThere(join(path, 'model.yaml'), 'anything'))) return [path];
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
