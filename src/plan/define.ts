import { DurchblickError, suggest } from '../errors.ts';
import { attributeOf } from '../model/attributes.ts';
import type { CheckedModel } from '../model/checked.ts';
import { collectFaults, type Faults } from '../model/faults.ts';
import type { Locate } from '../model/keys.ts';
import { linkModel } from '../model/link.ts';
import type { Measure, Model } from '../model/model.ts';
import type { NamesOf } from '../model/names.ts';
import type { AlertInput, ModelInput } from '../model/schema.ts';
import { alertOf } from './alerts.ts';
import { bindText, checkFormulas, leavesOf } from './bind.ts';
import { askedOf, filtersOf, unitNamed } from './question.ts';
import type { CheckedQuestion } from './typed.ts';

/** The keys that some member of a union of maps has, and what they hold. */
type KeysOf<S> = S extends object ? keyof S : never;
type At<S, K> = S extends object ? (K extends keyof S ? S[K] : never) : never;
/** Keys that the model has no use for are errors to the compiler too. */
type Known<T, S> = T extends readonly unknown[]
  ? unknown
  : T extends object
    ? { readonly [K in keyof T]: K extends KeysOf<S> ? Known<T[K], At<S, K>> : never }
    : unknown;

/** Named questions of a model literal, their names checked like those of `ask`. */
type CheckedQuestions<M> = ModelInput extends M
  ? unknown
  : M extends { readonly questions: infer Q }
    ? { readonly questions: { readonly [K in keyof Q]: CheckedQuestion<Q[K], NamesOf<M>> } }
    : unknown;

/**
 * Checks a model written as an object: the shape of the file, camelCase keys (kebab-case is accepted). Throws a
 * `DurchblickError` whose `all` lists every fault with its place.
 */
export const defineModel = <const M extends ModelInput>(
  input: M & Known<M, ModelInput> & CheckedModel<M> & CheckedQuestions<M>,
  locate?: Locate,
): Model<NamesOf<M>> => {
  const model = linkModel(input, locate);
  const faults = collectFaults((path) => model.locate(path));
  checkFormulas(model, faults);
  for (const measure of model.measures.values()) {
    const path = ['facts', measure.fact.name, 'measures', measure.name];
    faults.attempt([...path, 'where'], () => filtersOf(model, measure.where));
    const { spread } = measure;
    if (typeof spread === 'object') faults.attempt([...path, 'spread'], () => checkShape(model, spread.like));
    for (const [part, shape] of measure.spreadAcross)
      faults.attempt([...path, 'spreadAcross'], () => checkPart(model, measure, part, shape));
  }
  for (const [name, alert] of model.alerts) checkAlert(model, name, alert, faults);
  for (const [name, { question }] of model.questions) faults.attempt(['questions', name], () => askedOf(model, question));
  faults.end();
  return model as Model<NamesOf<M>>;
};

/** Each part of an alert by itself, so that a fault is told where it stands; what is left is a fault of the whole. */
const checkAlert = (model: Model, name: string, alert: AlertInput, faults: Faults): void => {
  const path = ['alerts', name];
  const known = faults.list.length;
  faults.attempt([...path, 'reading'], () => bindText(model, alert.reading));
  if (alert.by !== undefined) faults.attempt([...path, 'by'], () => unitNamed(model, alert.by as string));
  for (const attribute of alert.per ?? []) faults.attempt([...path, 'per'], () => attributeOf(model, attribute));
  if (faults.list.length === known) faults.attempt(path, () => alertOf(model, name, alert));
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
