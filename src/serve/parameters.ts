// Parameters of addresses: what each is, and how it is checked. One list for checking and for the OpenAPI document.
import * as z from 'zod/mini';
import { DurchblickError, suggest } from '../errors.ts';

/** A parameter: repeated ones come as a list, one alone as a text. */
export interface Parameter {
  readonly schema: z.ZodMiniType;
  readonly about: string;
  readonly example?: string;
  readonly isRequired?: true;
}

export type Query = Readonly<Record<string, string | readonly string[] | undefined>>;

const text = z.string().check(z.maxLength(2000));
const texts = z.union([text, z.array(text).check(z.maxLength(200))]);
const one = (about: string, example?: string): Parameter => ({ schema: text, about, example });
const many = (about: string, example?: string): Parameter => ({ schema: texts, about: `${about} (repeatable)`, example });
const choice = (about: string, ...values: readonly [string, ...string[]]): Parameter => ({
  schema: z.enum(values),
  about,
  example: values[0],
});
const must = (parameter: Parameter): Parameter => ({ ...parameter, isRequired: true });

export const LOCALE = one('language of labels and words, BCP 47', 'de');
export const AS_OF = one('the last day that may be seen: YYYY-MM-DD, latest, today, yesterday or a point', '2026-05-20');

/** A question in short; what is beside `question` holds instead of its own. */
export const QUESTION: Readonly<Record<string, Parameter>> = {
  show: many('a reading', 'revenue vs year-earlier as change'),
  question: one('a question of the model, by its name', 'monthly-sales'),
  by: many('a unit, or windows: mtd,qtd,ytd', 'month'),
  per: many('attributes to split by', 'region,family'),
  range: one('periods or dates, inclusive, or the name of a window', '2026-01/2026-05'),
  from: one('first period or date of the range'),
  to: one('last period or date of the range, inclusive'),
  'as-of': AS_OF,
  'known-by': one('versions recorded later are not seen', '2026-02-28'),
  where: many('a filter: region=North,South, family!=Bulbs, size=10..20', 'region=North'),
  gaps: choice('periods without data', 'show', 'hide'),
  totals: many('rows of totals: members, axis', 'members'),
  order: many('sorts members by readings', 'revenue desc'),
  keep: many('a condition on members', 'revenue > 10000'),
  limit: one('the first so many members', '10'),
  within: one('counts the limit anew in each member of an attribute', 'region'),
  rest: choice('a row (others) for the members left out', 'true', 'false'),
  locale: LOCALE,
};

export const EXPLAIN: Readonly<Record<string, Parameter>> = {
  reading: must(one('the reading', 'budget-attainment')),
  at: must(one('the period of the cell, a range, or a window', '2026-05')),
  by: one('the axis the cell stands on, where it is not the unit of the period', 'month'),
  member: many('a member of the cell: attribute=member', 'region=West'),
  where: QUESTION.where,
  'as-of': AS_OF,
  'known-by': QUESTION['known-by'],
  rows: one('rows to show behind each measure', '5'),
  locale: LOCALE,
};

export const WINDOWS: Readonly<Record<string, Parameter>> = {
  only: many('windows and comparisons, by name or as [P10D/anchor]', 'mtd'),
  at: many('days to lay them at', '2026-05-20'),
  by: one('the unit comparisons are held against', 'month'),
  over: one('the window they are held against instead', 'mtd'),
  locale: LOCALE,
};

export const CALENDAR: Readonly<Record<string, Parameter>> = {
  range: one('periods or dates; the years of the data when left out', '2026'),
  'as-of': AS_OF,
};

export const NAMES: Readonly<Record<string, Parameter>> = { locale: LOCALE };
export const MEMBERS: Readonly<Record<string, Parameter>> = { attribute: must(one('the attribute', 'region')) };

const wrong = (message: string, hint: string): never => {
  throw new DurchblickError('bad-parameter', message, { hint });
};

/** Holds the parameters of an address to those that a route takes. */
export const checkQuery = (query: Query, takes: Readonly<Record<string, Parameter>>): void => {
  for (const [name, value] of Object.entries(query)) {
    const parameter = Object.hasOwn(takes, name)
      ? takes[name]
      : wrong(`there is no parameter "${name}"`, suggest(name, Object.keys(takes), 'parameters'));
    if (z.safeParse(parameter.schema, value).success) continue;
    const { enum: choices } = z.toJSONSchema(parameter.schema) as { enum?: readonly string[] };
    wrong(
      `the parameter "${name}" is ${Array.isArray(value) ? 'there several times' : 'not what it takes'}`,
      choices ? `It takes ${choices.join(' or ')}.` : `It is ${parameter.about}, at most 2,000 characters.`,
    );
  }
  for (const [name, { isRequired, about, example }] of Object.entries(takes))
    if (isRequired && query[name] === undefined) wrong(`the parameter "${name}" is missing`, `It is ${about}: ${name}=${example}.`);
};

/** A parameter's texts, none where it is left out. */
export const textsOf = (value: Query[string]): readonly string[] =>
  value === undefined ? [] : typeof value === 'string' ? [value] : value;
export const textOf = (value: Query[string]): string | undefined => (typeof value === 'string' ? value : undefined);

/** The form of an answer, where `Accept` does not say. */
export const QUERY_FORMAT = (formats: readonly string[]): Parameter =>
  choice('the form of the answer; else what `Accept` says', ...(formats as [string, ...string[]]));
