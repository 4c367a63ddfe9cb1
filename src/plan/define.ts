import { DurchblickError } from '../errors.ts';
import type { Locate } from '../model/keys.ts';
import { linkModel } from '../model/link.ts';
import type { Model } from '../model/model.ts';
import type { ModelInput } from '../model/schema.ts';
import { bindText, checkFormulas, leavesOf } from './bind.ts';
import { filtersOf } from './question.ts';

/**
 * Checks a model written as an object: the shape of the file, camelCase keys (kebab-case is accepted). Throws a
 * `DurchblickError` whose `all` lists every fault with its place.
 */
export const defineModel = (input: ModelInput, locate?: Locate): Model => {
  const model = linkModel(input, locate);
  const faults = checkFormulas(model);
  for (const measure of model.measures.values()) {
    const attempt = (key: string, run: () => void): void => {
      try {
        run();
      } catch (error) {
        if (!(error instanceof DurchblickError)) throw error;
        const path = ['facts', measure.fact.name, 'measures', measure.name, key];
        faults.push(error.located(model.locate(path) ?? { path: path.join('.') }));
      }
    };
    attempt('where', () => void filtersOf(model, measure.where));
    const { spread } = measure;
    if (typeof spread === 'object') attempt('spread', () => checkShape(model, spread.like));
  }
  if (faults.length === 0) return model;
  const { code, message, kind, place, hint, text, at } = faults[0];
  throw new DurchblickError(code, message, { kind, place, hint, text, at, all: faults });
};

/** A shape may not lean on another shape: they could lean on each other. */
const checkShape = (model: Model, like: string): void => {
  const shaped = leavesOf(bindText(model, like)).find(({ measure }) => typeof measure.spread === 'object');
  if (!shaped) return;
  throw new DurchblickError('circular-spread', `the shape "${like}" uses ${shaped.measure.name}, which is spread in a shape itself`, {
    hint: 'Take a daily measure, for example "revenue vs year-earlier".',
  });
};
