import { DurchblickError } from '../errors.ts';
import type { Locate } from '../model/keys.ts';
import { linkModel } from '../model/link.ts';
import type { Model } from '../model/model.ts';
import type { NamesOf } from '../model/names.ts';
import type { ModelInput } from '../model/schema.ts';
import { bindText, checkFormulas, leavesOf } from './bind.ts';
import { filtersOf } from './question.ts';

/** The keys that some member of a union of maps has, and what they hold. */
type KeysOf<S> = S extends object ? keyof S : never;
type At<S, K> = S extends object ? (K extends keyof S ? S[K] : never) : never;
/** Keys that the model has no use for are errors to the compiler too. */
type Known<T, S> = T extends readonly unknown[]
  ? unknown
  : T extends object
    ? { readonly [K in keyof T]: K extends KeysOf<S> ? Known<T[K], At<S, K>> : never }
    : unknown;

/**
 * Checks a model written as an object: the shape of the file, camelCase keys (kebab-case is accepted). Throws a
 * `DurchblickError` whose `all` lists every fault with its place.
 */
export const defineModel = <const M extends ModelInput>(input: M & Known<M, ModelInput>, locate?: Locate): Model<NamesOf<M>> => {
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
  if (faults.length === 0) return model as Model<NamesOf<M>>;
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
