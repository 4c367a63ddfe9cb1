// Models from text, anywhere: one text, or several files through whatever gives their bytes.
import { DurchblickError } from '../errors.ts';
import type { Model } from '../model/model.ts';
import { defineParts } from '../plan/define.ts';
import { readYaml } from './yaml-text.ts';

export { readModel } from './includes.ts';
export { questionYaml } from './yaml-text.ts';

/**
 * Reads a model from YAML or JSON text. `name` is the file's name in messages; every fault has line and column.
 * Throws a `DurchblickError` whose `all` lists every fault. A model that includes other files is read by `readModel`.
 */
export const parseModel = (text: string, name: string): Model => {
  const { value, locate } = readYaml(text, name);
  if (value.includes !== undefined)
    throw new DurchblickError('unread-includes', 'the model includes other files, and this is the text of one', {
      place: locate(['includes'], 'key'),
      hint: 'Read it with `readModel(path, files)`, or with `loadModel(path)` of durchblick/node.',
    });
  return defineParts([{ written: value, locate }]);
};
