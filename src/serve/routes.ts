// What can be asked over HTTP, as a table: paths, parameters and forms. Requests are held to it, and the OpenAPI document is made of it.
import * as z from 'zod/mini';
import { figureJson } from '../book/figures.ts';
import { modelFacts } from '../book/model-facts.ts';
import type { Book, ExplainRequest, Result } from '../book/types.ts';
import { isoOf } from '../calendar/day.ts';
import { calendarSql, calendarTable } from '../calendar/table.ts';
import { dictionaryFor, dictionaryHtml, dictionaryMarkdown } from '../dictionary/index.ts';
import { DurchblickError } from '../errors.ts';
import { parquetOf } from '../files/parquet.ts';
import { type Question, whereSchema } from '../model/schema.ts';
import { questionNamed } from '../plan/question.ts';
import { listOf, questionFromTexts, whereOf } from '../plan/question-texts.ts';
import type { Cancellation } from '../plan/request.ts';
import { explanationText } from '../result/explained.ts';
import {
  calendarCsv,
  calendarJson,
  calendarMarkdown,
  calendarNdjson,
  findingsJson,
  spansCsv,
  spansJson,
  spansMarkdown,
} from '../result/listings.ts';
import { namesCsv } from '../result/names.ts';
import { type Content, type FormatName, jsonText, RESULT_FORMS } from './formats.ts';
import {
  AS_OF,
  CALENDAR,
  EXPLAIN,
  LOCALE,
  MEMBERS,
  NAMES,
  type Parameter,
  QUESTION,
  type Query,
  textOf,
  textsOf,
  WINDOWS,
} from './parameters.ts';

/** What a request is answered from. */
export interface RouteRequest {
  readonly book: Book;
  readonly query: Query;
  /** A question as JSON, where one was sent. */
  readonly body: unknown;
  readonly signal: Cancellation;
  /** Statements of a question, where the engine has some. */
  readonly statements: ((question: Question) => Promise<string>) | undefined;
}

/** A cell to be explained, as it is sent. */
export const cellSchema = z.strictObject({
  reading: z.string(),
  at: z.string(),
  by: z.optional(z.string()),
  members: z.optional(z.record(z.string(), z.string())),
  where: z.optional(whereSchema),
  asOf: z.optional(z.string()),
  knownBy: z.optional(z.string()),
  rows: z.optional(z.int().check(z.minimum(0), z.maximum(9999))),
  locale: z.optional(z.string()),
});

type Forms = Partial<Record<FormatName, () => Content | Promise<Content>>>;

export interface Route {
  readonly path: string;
  readonly about: string;
  readonly takes: Readonly<Record<string, Parameter>>;
  /** What may be sent as JSON instead of parameters. */
  readonly posts?: 'question' | 'cell';
  /** The first is sent where nothing is asked for. */
  readonly formats: readonly FormatName[];
  readonly answer: (asked: RouteRequest) => Promise<Forms>;
}

const named = (key: string): string => `the parameter "${key}"`;
const some = (texts: readonly string[]): readonly string[] | undefined => (texts.length === 0 ? undefined : texts);

/** The question of an address or of a body. */
export const questionOf = ({ book, query, body }: Pick<RouteRequest, 'book' | 'query' | 'body'>): Question => {
  if (body !== undefined && body !== null) return typeof body === 'string' ? questionNamed(book.model, body) : (body as Question);
  const totals = textsOf(query.totals);
  const own = questionFromTexts(
    textsOf(query.show),
    {
      by: some(textsOf(query.by)),
      per: some(textsOf(query.per)),
      range: textOf(query.range),
      from: textOf(query.from),
      to: textOf(query.to),
      asOf: textOf(query['as-of']),
      knownBy: textOf(query['known-by']),
      where: some(textsOf(query.where)),
      gaps: textOf(query.gaps) as 'show' | 'hide' | undefined,
      totals: totals.length === 0 ? undefined : totals.includes('true') ? true : totals,
      order: some(textsOf(query.order)),
      keep: some(textsOf(query.keep)),
      limit: textOf(query.limit),
      within: textOf(query.within),
      rest: query.rest === undefined ? undefined : query.rest === 'true',
      locale: textOf(query.locale),
    },
    named,
  );
  const name = textOf(query.question);
  if (name !== undefined) return { ...questionNamed(book.model, name), ...own } as Question;
  if (own.show === undefined)
    throw new DurchblickError('no-reading', 'there is no reading to answer', { hint: 'Say show=revenue, or question= with a name.' });
  return own as Question;
};

const forms = (result: Result): Forms => Object.fromEntries(Object.entries(RESULT_FORMS).map(([name, of]) => [name, () => of(result)]));

const ask: Route['answer'] = async (asked) => forms(await asked.book.ask(questionOf(asked) as never, { signal: asked.signal }));

const verify: Route['answer'] = async (asked) => {
  const { cells, different } = await asked.book.verify(questionOf(asked) as never, { signal: asked.signal });
  return { json: () => jsonText({ cells, different }) };
};

const memberOf = (text: string): readonly [string, string] => {
  const [, name, member] = /^([^=]+)=(.*)$/s.exec(text) ?? [];
  if (name === undefined)
    throw new DurchblickError('bad-parameter', `the parameter "member" is "${text}"`, { hint: 'Write member=region=West.' });
  return [name.trim(), member];
};

/** The cell of a body. */
const cellOf = (body: unknown): ExplainRequest => {
  const { success, data, error } = z.safeParse(cellSchema, body);
  if (success) return data as ExplainRequest;
  const [{ message, path }] = error.issues;
  throw new DurchblickError('bad-cell', `${path.length === 0 ? 'the body' : path.join('.')}: ${message}`, {
    hint: 'For example {"reading": "revenue over mtd", "at": "2026-05", "members": {"region": "West"}}.',
  });
};

const explain: Route['answer'] = async ({ book, query, body, signal }) => {
  const rows = textOf(query.rows) ?? '5';
  if (!/^\d{1,4}$/.test(rows))
    throw new DurchblickError('bad-parameter', `the parameter "rows" is "${rows}"`, { hint: 'It takes a whole number from 0 to 9999.' });
  const where = textsOf(query.where);
  // What is sent is a cell, whatever it is; an address alone names one by its parameters, which were looked at.
  const request: ExplainRequest =
    query.at === undefined
      ? cellOf(body)
      : {
          reading: textOf(query.reading) as string,
          at: textOf(query.at) as string,
          members: Object.fromEntries(textsOf(query.member).map(memberOf)),
          rows: Number(rows),
          ...(query.by === undefined ? {} : { by: textOf(query.by) }),
          ...(where.length === 0 ? {} : { where: whereOf(where, named) }),
          ...(query['as-of'] === undefined ? {} : { asOf: textOf(query['as-of']) }),
          ...(query['known-by'] === undefined ? {} : { knownBy: textOf(query['known-by']) }),
          ...(query.locale === undefined ? {} : { locale: textOf(query.locale) }),
        };
  const found = await book.explain(request, { signal });
  return { json: () => jsonText(found), text: () => explanationText(found) };
};

const windows: Route['answer'] = async ({ book, query }) => {
  const [only, at] = [listOf(textsOf(query.only)), listOf(textsOf(query.at))];
  const spans = await book.windows({
    ...(only.length === 0 ? {} : { only }),
    ...(at.length === 0 ? {} : { at }),
    by: textOf(query.by),
    over: textOf(query.over),
    locale: textOf(query.locale),
  });
  return { json: () => jsonText(spansJson(spans)), csv: () => spansCsv(spans), markdown: () => spansMarkdown(spans) };
};

const calendar: Route['answer'] = async ({ book, query }) => {
  const asOf = textOf(query['as-of']);
  const wanted = textOf(query.range);
  const range = wanted === undefined ? undefined : await book.range(wanted, asOf);
  const day = asOf === undefined ? undefined : await book.asOf(asOf);
  const found = await book.calendar(range);
  const table = calendarTable(found, {
    from: range?.first ?? found.first,
    to: range?.last ?? found.last,
    ...(day === undefined ? {} : { asOf: day }),
  });
  return {
    json: () => `${JSON.stringify(calendarJson(table, day === undefined ? undefined : isoOf(day)))}\n`,
    csv: () => calendarCsv(table),
    ndjson: () => calendarNdjson(table),
    markdown: () => calendarMarkdown(table),
    parquet: () => parquetOf(table.columns),
    text: () => calendarSql(table, 'calendar'),
  };
};

const dictionary: Route['answer'] = async ({ book, query }) => {
  const found = await dictionaryFor(book, { locale: textOf(query.locale), asOf: textOf(query['as-of']) });
  return { json: () => jsonText(found), markdown: () => dictionaryMarkdown(found), html: () => dictionaryHtml(found) };
};

const check: Route['answer'] = async ({ book }) => {
  const findings = await book.check();
  return { json: () => jsonText(findingsJson(findings)) };
};

const figures: Route['answer'] = async ({ book }) => {
  const found = await book.figures();
  return { json: () => jsonText(found.map(figureJson)) };
};

const sql: Route['answer'] = async (asked) => {
  const { statements } = asked;
  if (!statements)
    throw new DurchblickError('no-statements', 'the engine of this model runs no statements', {
      hint: 'They are for models over a database or files that DuckDB reads.',
    });
  const text = await statements(questionOf(asked));
  return { text: () => text };
};

/** Paths below `/models/{model}`. */
export const ROUTES: readonly Route[] = [
  {
    path: '',
    about: 'what there is to ask for: names, questions, members, days',
    takes: {},
    formats: ['json'],
    answer: async ({ book }) => {
      const facts = await modelFacts(book);
      return { json: () => jsonText(facts) };
    },
  },
  {
    path: '/ask',
    about: 'answers a question',
    takes: QUESTION,
    posts: 'question',
    formats: ['json', 'csv', 'ndjson', 'markdown', 'arrow', 'parquet', 'svg', 'png', 'vega-lite'],
    answer: ask,
  },
  {
    path: '/verify',
    about: 'answers a question twice, the second time row by row, and says which cells differ',
    takes: QUESTION,
    posts: 'question',
    formats: ['json'],
    answer: verify,
  },
  { path: '/sql', about: 'the statements that a question takes', takes: QUESTION, posts: 'question', formats: ['text'], answer: sql },
  {
    path: '/explain',
    about: 'says why one number is what it is',
    posts: 'cell',
    takes: EXPLAIN,
    formats: ['json', 'text'],
    answer: explain,
  },
  {
    path: '/windows',
    about: 'windows and comparisons with their days',
    takes: WINDOWS,
    formats: ['json', 'csv', 'markdown'],
    answer: windows,
  },
  {
    path: '/calendar',
    about: 'the calendar as a table, one row a day',
    takes: CALENDAR,
    formats: ['json', 'csv', 'ndjson', 'markdown', 'parquet', 'text'],
    answer: calendar,
  },
  {
    path: '/names',
    about: 'every name that a question can use',
    takes: NAMES,
    formats: ['json', 'csv'],
    answer: async ({ book, query }) => {
      const names = await book.names(textOf(query.locale));
      return { json: () => jsonText(names), csv: () => namesCsv(names) };
    },
  },
  {
    path: '/members',
    about: 'the members of an attribute, in their order',
    takes: MEMBERS,
    formats: ['json'],
    answer: async ({ book, query }) => {
      const members = await book.members(textOf(query.attribute) as string);
      return { json: () => jsonText(members) };
    },
  },
  {
    path: '/dictionary',
    about: 'what every name means',
    takes: { locale: LOCALE, 'as-of': AS_OF },
    formats: ['html', 'markdown', 'json'],
    answer: dictionary,
  },
  {
    path: '/alerts',
    about: 'alerts that fire at the as-of date',
    takes: { 'as-of': AS_OF },
    formats: ['json'],
    answer: async ({ book, query }) => {
      const fired = await book.alerts(textOf(query['as-of']));
      return { json: () => jsonText(fired) };
    },
  },
  { path: '/figures', about: 'numbers that somebody vouches for, computed today', takes: {}, formats: ['json'], answer: figures },
  { path: '/check', about: 'what in model and data somebody should look at', takes: {}, formats: ['json'], answer: check },
];
