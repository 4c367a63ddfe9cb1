import { DurchblickError } from '../errors.ts';
import type { Locate } from '../model/keys.ts';
import { linkModel } from '../model/link.ts';
import type { Model } from '../model/model.ts';
import type { ModelInput } from '../model/schema.ts';
import { checkFormulas } from './bind.ts';
import { filtersOf } from './question.ts';

/**
 * Checks a model written as an object: the shape of the file, camelCase keys (kebab-case is accepted). Throws a
 * `DurchblickError` whose `all` lists every fault with its place.
 */
export const defineModel = (input: ModelInput, locate?: Locate): Model => {
  const model = linkModel(input, locate);
  const faults = checkFormulas(model);
  for (const measure of model.measures.values()) {
    try {
      filtersOf(model, measure.where);
    } catch (error) {
      if (!(error instanceof DurchblickError)) throw error;
      const path = ['facts', measure.fact.name, 'measures', measure.name, 'where'];
      faults.push(error.located(model.locate(path) ?? { path: path.join('.') }));
    }
  }
  if (faults.length === 0) return model;
  const { code, message, kind, place, hint, text, at } = faults[0];
  throw new DurchblickError(code, message, { kind, place, hint, text, at, all: faults });
};
