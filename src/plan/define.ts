// `defineModel`: a model checked as a whole, by the compiler and at run time.
import { allOf, DurchblickError, suggest } from '../errors.ts';
import { attributeOf } from '../model/attributes.ts';
import type { CheckedModel } from '../model/checked.ts';
import { collectFaults, type Faults } from '../model/faults.ts';
import { type Locate, pathText } from '../model/keys.ts';
import { linkModel } from '../model/link.ts';
import type { Figure, Measure, Model } from '../model/model.ts';
import type { NamesOf } from '../model/names.ts';
import type { ModelPart } from '../model/parts.ts';
import type { AlertInput, ModelInput, ModelPartInput } from '../model/schema.ts';
import { alertOf } from './alerts.ts';
import { bindText, checkFormulas, leavesOf } from './bind.ts';
import { askedOf, checkQuestion, filtersOf, unitNamed } from './question.ts';
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
type CheckedQuestions<M, All> = ModelInput extends M
  ? unknown
  : M extends { readonly questions: infer Q }
    ? { readonly questions: { readonly [K in keyof Q]: CheckedQuestion<Q[K], NamesOf<All>> } }
    : unknown;

/** The parts of a model as one type: what stands in any of them stands in it. */
type Whole<P extends readonly unknown[]> = P extends readonly [infer First, ...infer Rest] ? First & Whole<Rest> : unknown;

/**
 * Checks a model written as an object: the shape of the file, camelCase keys (kebab-case is accepted). A list of parts is
 * one model, each name once in all of them. Throws a `DurchblickError` whose `all` lists every fault with its place.
 */
export function defineModel<const P extends readonly [ModelPartInput, ...ModelPartInput[]]>(
  parts: P & { readonly [I in keyof P]: Known<P[I], ModelPartInput> & CheckedModel<P[I], Whole<P>> & CheckedQuestions<P[I], Whole<P>> },
): Model<NamesOf<Whole<P>>>;
export function defineModel<const M extends ModelInput>(
  input: M & Known<M, ModelInput> & CheckedModel<M, M> & CheckedQuestions<M, M>,
): Model<NamesOf<M>>;
export function defineModel(input: unknown): Model {
  const nowhere: Locate = () => undefined;
  if (!Array.isArray(input)) return defineParts([{ written: input, locate: nowhere }]);
  return defineParts(input.map((written, k) => ({ written, locate: (path) => ({ path: `part ${k + 1}: ${pathText(path)}` }) })));
}

/** Checks a model of several parts as they are written. */
export const defineParts = (parts: readonly ModelPart[]): Model => {
  const { model, faults: shapes, blamed } = linkModel(parts);
  const faults = collectFaults((path) => model.locate(path), blamed);
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
  for (const [name, { question }] of model.questions) checkQuestion(model, question, ['questions', name], faults);
  for (const figure of model.figures) checkFigure(model, figure, faults);
  const all = [...shapes, ...faults.list];
  if (all.length > 0) throw allOf(all);
  return model;
};

/** The cell of a figure by its names; whether there is such a period, the data say. */
const checkFigure = (model: Model, { index, cell }: Figure, faults: Faults): void => {
  const path = ['figures', index];
  const { reading, by, members = {}, where, asOf, knownBy } = cell;
  const known = faults.list.length;
  faults.attempt([...path, 'reading'], () => bindText(model, reading));
  if (by !== undefined) faults.attempt([...path, 'by'], () => unitNamed(model, by));
  for (const name of Object.keys(members)) faults.attempt([...path, 'members'], () => attributeOf(model, name));
  if (faults.list.length === known)
    faults.attempt(path, () => askedOf(model, { show: [reading], per: Object.keys(members), where, asOf, knownBy }));
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
