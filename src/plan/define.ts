import { DurchblickError, suggest } from '../errors.ts';
import type { CheckedModel } from '../model/checked.ts';
import type { Locate } from '../model/keys.ts';
import { linkModel } from '../model/link.ts';
import type { Measure, Model } from '../model/model.ts';
import type { NamesOf } from '../model/names.ts';
import type { ModelInput } from '../model/schema.ts';
import { alertOf } from './alerts.ts';
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
export const defineModel = <const M extends ModelInput>(
  input: M & Known<M, ModelInput> & CheckedModel<M>,
  locate?: Locate,
): Model<NamesOf<M>> => {
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
    for (const [part, shape] of measure.spreadAcross) attempt('spreadAcross', () => checkPart(model, measure, part, shape));
  }
  for (const [name, alert] of model.alerts) {
    try {
      alertOf(model, name, alert);
    } catch (error) {
      if (!(error instanceof DurchblickError)) throw error;
      const key =
        error.code === 'unknown-unit' ? ['by'] : error.code.endsWith('attribute') ? ['per'] : error.text === undefined ? [] : ['reading'];
      const path = ['alerts', name, ...key];
      faults.push(error.located(model.locate(path) ?? { path: path.join('.') }));
    }
  }
  if (faults.length === 0) return model as Model<NamesOf<M>>;
  const { code, message, kind, place, hint, text, at } = faults[0];
  throw new DurchblickError(code, message, { kind, place, hint, text, at, all: faults });
};

/** A shape may not lean on another shape: they could lean on each other. */
const checkShape = (model: Model, like: string): void => {
  const shaped = leavesOf(bindText(model, like)).find(({ measure }) => typeof measure.spread === 'object' || measure.spreadAcross.size > 0);
  if (!shaped) return;
  throw new DurchblickError('circular-spread', `the shape "${like}" uses ${shaped.measure.name}, which is spread in a shape itself`, {
    hint: 'Take a daily measure, for example "revenue vs year-earlier".',
  });
};

/** A shape across members must see the members it is to give shares to. */
const checkPart = (model: Model, measure: Measure, part: string, shape: string): void => {
  const dimension = model.parts.get(part);
  if (!dimension)
    throw new DurchblickError('unknown-dimension', `there is no dimension "${part}"`, {
      hint: suggest(part, model.parts.keys(), 'dimensions'),
    });
  const { links } = measure.fact;
  if (links.some((link) => link.part === part && link.attribute === undefined))
    throw new DurchblickError('idle-spread', `fact "${measure.fact.name}" links to the key of "${part}": there is nothing finer`, {
      hint: 'Spread across a dimension that the fact links to above its key, or not at all (G6).',
    });
  checkShape(model, shape);
  const blind = leavesOf(bindText(model, shape)).find(
    (leaf) => !leaf.measure.fact.links.some((link) => link.part === part && link.attribute === undefined),
  );
  if (blind)
    throw new DurchblickError(
      'unrelated',
      `the shape "${shape}" cannot be split by ${part}: ${blind.measure.name} does not link to its key`,
      {
        hint: 'Take a measure of a fact that does.',
      },
    );
};
