// From a model as it is written to one whose names are resolved; each thing is linked in a file of its own below `link/`.
import { allOf, type DurchblickError, placeText } from '../errors.ts';
import { parseReading } from '../language/parse.ts';
import { collectFaults, type Faults } from './faults.ts';
import type { Locate, Path } from './keys.ts';
import { linkCalendar } from './link/calendar.ts';
import { type FactSurroundings, linkFact } from './link/facts.ts';
import { linkFigures } from './link/figures.ts';
import { linkMeasure } from './link/measures.ts';
import { linkPublications } from './link/publications.ts';
import { linkDimension, linkRate, linkSources } from './link/sources.ts';
import { linkComparisons, linkWindows } from './link/time.ts';
import type { Dimension, Fact, Formula, Measure, Model, NamedQuestion, Rate } from './model.ts';
import { assembled, type ModelPart } from './parts.ts';
import type { FormatInput, ModelInput, Question } from './schema.ts';

/** A format that `Intl.NumberFormat` does not take is told where it is written. */
const checkFormat = (format: FormatInput | undefined, path: Path, faults: Faults): void => {
  if (format === undefined) return;
  try {
    new Intl.NumberFormat('en', format as Intl.NumberFormatOptions).format(1);
  } catch (error) {
    faults.add(
      [...path, 'format'],
      'bad-format',
      `numbers cannot be written so: ${(error as Error).message}`,
      'It takes the options of Intl.NumberFormat, for example { style: currency, currency: EUR, maximumFractionDigits: 0 }.',
    );
  }
};

/** Measures and formulas share one set of names; says whether a name was free. */
type Take = (name: string, what: string, path: Path) => boolean;

const takingNames = (faults: Faults): Take => {
  const taken = new Map<string, { readonly what: string; readonly path?: Path }>([
    ['days', { what: 'built in' }],
    ['working-days', { what: 'built in' }],
  ]);
  return (name, what, path) => {
    const before = taken.get(name);
    const at = before?.path && placeText(faults.locate(before.path, 'key')).replace(/: $/, '');
    if (before === undefined) taken.set(name, { what, path });
    else
      faults.add(
        path,
        'doubled-name',
        `"${name}" is already the name of a measure or formula (${before.what}${at ? `, ${at}` : ''})`,
        'Measures and formulas share one set of names.',
      );
    return before === undefined;
  };
};

const linkFacts = (
  input: ModelInput,
  model: FactSurroundings,
  take: Take,
  faults: Faults,
): { readonly facts: Map<string, Fact>; readonly measures: Map<string, Measure> } => {
  const facts = new Map<string, Fact>();
  const measures = new Map<string, Measure>();
  for (const [name, fact] of Object.entries(input.facts)) {
    const linked = linkFact(name, fact, model, faults);
    facts.set(name, linked);
    for (const [measureName, measure] of Object.entries(fact.measures)) {
      const path = ['facts', name, 'measures', measureName];
      checkFormat(measure.format, path, faults);
      const made = linkMeasure(measureName, measure, linked, path, faults);
      if (take(measureName, `in fact "${name}"`, path) && made) measures.set(measureName, made);
    }
  }
  return { facts, measures };
};

const linkFormulas = (input: ModelInput, take: Take, faults: Faults): Map<string, Formula> => {
  const formulas = new Map<string, Formula>();
  for (const [name, formula] of Object.entries(input.formulas ?? {})) {
    const path = ['formulas', name];
    const { is: text, format, better, label }: Exclude<typeof formula, string> = typeof formula === 'string' ? { is: formula } : formula;
    checkFormat(format, path, faults);
    const expression = faults.attempt(path, () => parseReading(text));
    if (take(name, 'a formula', path) && expression) formulas.set(name, { name, text, expression, format, better, label });
  }
  return formulas;
};

const NAME = /^[a-z][a-z0-9-]*$/;

const checkNames = (groups: Readonly<Record<string, ReadonlyMap<string, unknown>>>, faults: Faults): void => {
  for (const [group, names] of Object.entries(groups))
    for (const name of names.keys())
      if (!NAME.test(name) && name.includes('"'))
        faults.add([group, name], 'bad-name', `the name "${name}" has a double quote in it`, 'Use small letters, digits and hyphens.');
};

const linkQuestions = (input: ModelInput): Map<string, NamedQuestion> =>
  new Map(
    Object.entries(input.questions ?? {}).map(([name, { label, description, range, ...rest }]) => {
      const question = { ...rest, ...(range === undefined ? {} : { range: String(range) }) } as Question;
      return [name, { name, label, description, question }];
    }),
  );

const checkLocale = (input: ModelInput, faults: Faults): void => {
  try {
    if (input.locale !== undefined) Intl.getCanonicalLocales(input.locale);
  } catch {
    faults.add(['locale'], 'bad-locale', `"${input.locale}" is not a locale`, 'Locales are BCP 47 tags, for example en-GB or de-DE.');
  }
  try {
    new Intl.DateTimeFormat('en', { timeZone: input.timeZone ?? 'UTC' });
  } catch {
    faults.add(
      ['timeZone'],
      'bad-time-zone',
      `"${input.timeZone}" is not a time zone`,
      'Time zones are IANA names, for example Europe/Berlin.',
    );
  }
};

/** A model with all its names resolved, and what is wrong with it all the same: keys that are not known. */
export interface LinkedModel {
  readonly model: Model;
  readonly faults: readonly DurchblickError[];
  /** Things that have such keys. */
  readonly blamed: readonly Path[];
}

/**
 * Checks the parts of a model as written and resolves its names. Throws one error that carries all faults in `all`.
 * Each part's `locate` finds lines in the file it came from; without places they are paths.
 */
export const linkModel = (parts: readonly ModelPart[]): LinkedModel => {
  const { input, locate, faults: shapes, unknown } = assembled(parts);
  // With values that are none, names would be missing that are there; unknown keys are left out, and the rest is looked at.
  if (!input) throw allOf(shapes);
  const faults = collectFaults(locate, unknown);
  const model = linkParts(input, locate, faults);
  // What leans on a name that could not be linked would be told as well, and is not wrong.
  if (faults.list.length > 0) throw allOf([...shapes, ...faults.list]);
  return { model, faults: shapes, blamed: unknown };
};

const linkParts = (input: ModelInput, locate: Locate, faults: Faults): Model => {
  const calendar = linkCalendar(input.calendar ?? {}, faults);
  const { units } = calendar;
  const sources = linkSources(input, faults);
  const dimensions = new Map<string, Dimension>();
  for (const [name, dimension] of Object.entries(input.dimensions ?? {}))
    dimensions.set(name, linkDimension(name, dimension, sources, faults));
  const parts = new Map<string, Dimension>(dimensions);
  const take = takingNames(faults);
  const rates = new Map<string, Rate>();
  for (const [name, rate] of Object.entries(input.rates ?? {})) rates.set(name, linkRate(name, rate, { sources, units }, faults));
  const { facts, measures } = linkFacts(input, { sources, units, dimensions, rates, parts }, take, faults);
  const formulas = linkFormulas(input, take, faults);
  const windows = linkWindows(input, calendar, faults);
  const comparisons = linkComparisons(input, calendar, faults);
  const figures = linkFigures(input, faults);
  const publications = linkPublications(input, faults);
  checkNames({ windows, comparisons, facts }, faults);
  checkLocale(input, faults);
  return {
    input,
    name: input.name ?? 'model',
    timeZone: input.timeZone ?? 'UTC',
    locale: input.locale ?? 'en',
    asOf: input.asOf ?? 'latest',
    units,
    sources,
    dimensions,
    rates,
    facts,
    measures,
    formulas,
    windows,
    comparisons,
    alerts: new Map(Object.entries(input.alerts ?? {})),
    questions: linkQuestions(input),
    figures,
    publications,
    parts,
    locate,
  };
};
