// What a page or a program must know of a model before it asks: names that can be asked for, and the days there are.
import { isoOf } from '../calendar/day.ts';
import type { Question } from '../model/schema.ts';
import type { Book } from './types.ts';

/** Names, questions, members and days of an open model, as plain data. */
export interface ModelFacts {
  readonly name: string;
  readonly locale: string;
  readonly units: readonly string[];
  readonly roles: readonly string[];
  readonly rolesOf: Readonly<Record<string, readonly string[]>>;
  readonly measures: readonly string[];
  readonly formulas: readonly string[];
  readonly windows: readonly string[];
  readonly ownWindows: readonly string[];
  readonly comparisons: readonly string[];
  /** Questions that the model has names for. */
  readonly questions: readonly {
    readonly name: string;
    readonly label: string;
    readonly description?: string;
    readonly question: Question;
  }[];
  readonly attributes: readonly { readonly name: string; readonly members: readonly string[] }[];
  /** First and last day with data, and the model's own as-of day, `YYYY-MM-DD`. */
  readonly first: string;
  readonly last: string;
  readonly asOf: string;
}

/** Days have attributes of their own, whatever the facts link to (U11): those that are wanted most. */
const OF_DAYS = ['weekday', 'working-day', 'month-of-year', 'year'];

const attributeNames = ({ model }: Book): readonly string[] => {
  const names = new Set<string>();
  for (const [part, dimension] of model.parts)
    for (const attribute of dimension.attributes.keys()) names.add(part === dimension.name ? attribute : `${part}.${attribute}`);
  for (const [part, dimension] of model.parts) if (dimension.attributes.size === 0) names.add(part);
  for (const fact of model.facts.values()) for (const band of fact.bands.keys()) names.add(band);
  return [...names, ...OF_DAYS.filter((name) => !names.has(name))];
};

/** First and last day of the actual facts, in their first roles. */
const dataDays = async (book: Book): Promise<readonly string[]> => {
  const days: string[] = [];
  for (const fact of book.model.facts.values()) {
    if (fact.horizon !== 'actual') continue;
    const bounds = await book.bounds(fact.name, [...fact.roles.keys()][0]);
    if (bounds) days.push(isoOf(bounds.first), isoOf(bounds.last));
  }
  return days.sort();
};

/** What there is to ask for in an open model, for pages with choices: names in the order of the model, members in theirs (R1), days inclusive. */
export const modelFacts = async (book: Book): Promise<ModelFacts> => {
  const { model } = book;
  const asOf = isoOf(await book.asOf());
  const days = await dataDays(book);
  return {
    name: model.name,
    locale: model.locale,
    units: model.units,
    roles: [...new Set([...model.facts.values()].flatMap(({ roles }) => [...roles.keys()]))],
    rolesOf: Object.fromEntries(Array.from(model.measures.values(), ({ name, fact, open }) => [name, open ? [] : [...fact.roles.keys()]])),
    measures: [...model.measures.keys()],
    formulas: [...model.formulas.keys()],
    windows: [...model.windows.keys()],
    ownWindows: [...model.windows.values()].filter(({ builtIn }) => !builtIn).map(({ name }) => name),
    comparisons: [...model.comparisons.keys()],
    questions: (await book.names())
      .filter(({ kind }) => kind === 'question')
      .map(({ name, label = name, description }) => ({
        name,
        label,
        ...(description === undefined ? {} : { description }),
        question: (model.questions.get(name) as { question: Question }).question,
      })),
    attributes: await Promise.all(attributeNames(book).map(async (name) => ({ name, members: await book.members(name) }))),
    first: days[0] ?? asOf,
    last: days[days.length - 1] ?? asOf,
    asOf,
  };
};
