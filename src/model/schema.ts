// The schema of model files and of questions; the JSON Schema for editors is made of it.
import * as z from 'zod/mini';

/**
 * The shape of a model file. Fixed keys are camelCase here; kebab-case is accepted everywhere (see keys.ts).
 * What one object may not hold together (two aggregates, a file and a table) is checked in link.ts, where a
 * message can say what to do.
 */
const name = z.string().check(z.minLength(1));
const horizon = z.enum(['actual', 'plan']);
const better = z.enum(['higher', 'lower']);
const scalar = z.union([z.string(), z.number(), z.boolean()]);

/** A text, or one by language (R5). */
const LANGUAGE = /^[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*$/;
const texts = z.union([z.string(), z.record(z.string().check(z.regex(LANGUAGE)), z.string())]);
const format = z.looseObject({ style: z.optional(z.enum(['decimal', 'percent', 'currency', 'unit'])), currency: z.optional(z.string()) });

export const whereSchema = z.record(
  name,
  z.union([
    scalar,
    z.array(scalar),
    z.strictObject({
      not: z.optional(z.union([scalar, z.array(scalar)])),
      from: z.optional(z.union([z.string(), z.number()])),
      to: z.optional(z.union([z.string(), z.number()])),
    }),
  ]),
);

const yearSystem = z.strictObject({
  starts: z.optional(z.string()),
  numberBy: z.optional(z.enum(['start', 'end'])),
  label: z.optional(z.string()),
  pattern: z.optional(z.enum(['4-4-5', '4-5-4', '5-4-4', '13x4'])),
  ends: z.optional(z.string()),
  table: z.optional(z.string()),
  start: z.optional(z.string()),
  end: z.optional(z.string()),
  years: z.optional(z.record(name, z.union([z.string(), z.strictObject({ starts: z.string(), ends: z.optional(z.string()) })]))),
});

const calendar = z.strictObject({
  week: z.optional(z.union([z.enum(['iso', 'locale']), z.strictObject({ starts: z.string(), minDays: z.int() })])),
  yearSystems: z.optional(z.record(name, yearSystem)),
  periods: z.optional(
    z.record(
      name,
      z.strictObject({
        table: z.optional(z.string()),
        start: z.optional(z.string()),
        end: z.optional(z.string()),
        label: z.optional(z.string()),
        rows: z.optional(z.record(name, z.union([z.string(), z.strictObject({ starts: z.string(), ends: z.optional(z.string()) })]))),
      }),
    ),
  ),
  workingDays: z.optional(
    z.strictObject({
      week: z.optional(z.string()),
      holidays: z.optional(
        z.union([z.string(), z.array(z.string()), z.strictObject({ table: z.string(), date: z.string(), name: z.optional(z.string()) })]),
      ),
    }),
  ),
  names: z.optional(z.partialRecord(z.enum(['weekday-long', 'weekday-short', 'month-long', 'month-short']), z.record(name, z.string()))),
  range: z.optional(z.string()),
});

const source = z.strictObject({
  label: z.optional(texts),
  file: z.optional(z.string()),
  table: z.optional(z.string()),
  query: z.optional(z.string()),
  decimal: z.optional(z.enum(['point', 'comma'])),
  encoding: z.optional(z.enum(['utf-8', 'windows-1252', 'iso-8859-15', 'utf-16'])),
  sheet: z.optional(z.string()),
  description: z.optional(texts),
});

const dimension = z.strictObject({
  source: z.optional(z.string()),
  key: z.optional(z.string()),
  valid: z.optional(z.strictObject({ from: z.string(), until: z.string() })),
  attributes: z.optional(
    z.record(
      name,
      z.union([
        z.string(),
        z.strictObject({ column: z.string(), order: z.optional(z.string()), label: z.optional(texts), description: z.optional(texts) }),
      ]),
    ),
  ),
  label: z.optional(texts),
  description: z.optional(texts),
});

const measure = z.strictObject({
  sum: z.optional(z.string()),
  count: z.optional(z.string()),
  countDistinct: z.optional(z.string()),
  average: z.optional(z.string()),
  min: z.optional(z.string()),
  max: z.optional(z.string()),
  median: z.optional(z.string()),
  percentile: z.optional(z.strictObject({ of: z.string(), at: z.number() })),
  firstTime: z.optional(z.string()),
  daysBetween: z.optional(z.string()),
  workingDays: z.optional(z.boolean()),
  open: z.optional(z.string()),
  role: z.optional(z.string()),
  where: z.optional(whereSchema),
  acrossTime: z.optional(z.enum(['last', 'last-known', 'first', 'average', 'min', 'max'])),
  empty: z.optional(z.enum(['zero', 'blank'])),
  spread: z.optional(z.union([z.enum(['even', 'working-days', 'none']), z.strictObject({ like: z.string() })])),
  spreadAcross: z.optional(z.record(name, z.string())),
  unrelated: z.optional(z.enum(['error', 'blank', 'repeat'])),
  format: z.optional(format),
  better: z.optional(better),
  label: z.optional(texts),
  description: z.optional(texts),
  owner: z.optional(z.string()),
});

const fact = z.strictObject({
  source: z.string(),
  grain: z.optional(z.string()),
  horizon: z.optional(horizon),
  enters: z.optional(z.string()),
  begins: z.optional(z.string()),
  openTo: z.optional(z.enum(['everyone'])),
  dates: z.record(
    name,
    z.union([
      z.string(),
      z.strictObject({
        column: z.string(),
        horizon: z.optional(horizon),
        format: z.optional(z.string()),
        onBadDate: z.optional(z.enum(['error', 'blank'])),
        blankDates: z.optional(z.array(z.union([z.string(), z.number()]))),
        label: z.optional(texts),
        description: z.optional(texts),
      }),
    ]),
  ),
  columns: z.optional(z.record(name, z.string())),
  links: z.optional(
    z.record(
      name,
      z.union([
        z.string(),
        z.strictObject({ dimension: z.string(), column: z.string(), at: z.optional(z.string()), label: z.optional(texts) }),
      ]),
    ),
  ),
  bands: z.optional(
    z.record(
      name,
      z.strictObject({ of: z.string(), starts: z.record(name, z.number()), label: z.optional(texts), description: z.optional(texts) }),
    ),
  ),
  recorded: z.optional(z.string()),
  versionKey: z.optional(z.array(z.string())),
  measures: z.record(name, measure),
  label: z.optional(texts),
  description: z.optional(texts),
  owner: z.optional(z.string()),
});

const rate = z.strictObject({
  source: z.string(),
  date: z.string(),
  grain: z.optional(z.string()),
  of: z.string(),
  by: z.optional(z.record(z.string(), z.string())),
  hold: z.optional(z.int().check(z.minimum(0))),
  label: z.optional(texts),
  description: z.optional(texts),
});

const formula = z.union([
  z.string(),
  z.strictObject({
    is: z.string(),
    format: z.optional(format),
    better: z.optional(better),
    label: z.optional(texts),
    description: z.optional(texts),
    owner: z.optional(z.string()),
  }),
]);

const window = z.union([
  z.string(),
  z.literal(false),
  z.strictObject({
    is: z.string(),
    label: z.optional(texts),
    previous: z.optional(z.string()),
    full: z.optional(z.boolean()),
    description: z.optional(texts),
  }),
]);

const comparison = z.union([
  z.string(),
  z.strictObject({
    shift: z.optional(z.string()),
    base: z.optional(z.union([z.string(), z.number()])),
    match: z.optional(z.enum(['elapsed', 'whole'])),
    asOf: z.optional(z.string()),
    knownBy: z.optional(z.string()),
    label: z.optional(texts),
    description: z.optional(texts),
  }),
]);

const alert = z.strictObject({
  reading: z.string(),
  below: z.optional(z.number()),
  atMost: z.optional(z.number()),
  above: z.optional(z.number()),
  atLeast: z.optional(z.number()),
  by: z.optional(z.string()),
  per: z.optional(z.array(z.string())),
  label: z.optional(texts),
  description: z.optional(texts),
});

/** A question as it is asked (interface contract); fixed keys camelCase or kebab-case. */
export const questionSchema = z.strictObject({
  show: z.array(z.union([z.string(), z.strictObject({ is: z.string(), label: z.optional(z.string()) })])).check(z.minLength(1)),
  by: z.optional(z.union([z.string(), z.array(z.string()).check(z.minLength(1))])),
  per: z.optional(z.array(z.string())),
  range: z.optional(z.string()),
  asOf: z.optional(z.string()),
  knownBy: z.optional(z.string()),
  where: z.optional(whereSchema),
  gaps: z.optional(z.enum(['show', 'hide'])),
  totals: z.optional(z.union([z.boolean(), z.enum(['members', 'axis']), z.array(z.enum(['members', 'axis']))])),
  order: z.optional(z.union([z.string(), z.array(z.string())])),
  keep: z.optional(z.union([z.string(), z.array(z.string())])),
  limit: z.optional(z.int().check(z.minimum(1))),
  within: z.optional(z.string()),
  rest: z.optional(z.boolean()),
  locale: z.optional(z.string()),
});

/** A question of the model: the same with what it is for. In YAML a year is a number. */
const namedQuestion = z.extend(questionSchema, {
  range: z.optional(z.union([z.string(), z.number()])),
  label: z.optional(texts),
  description: z.optional(texts),
});

/** What is written to a table or file, and where. */
const publication = z.strictObject({
  question: z.optional(z.string()),
  calendar: z.optional(z.union([z.string(), z.number()])),
  table: z.optional(z.string()),
  file: z.optional(z.string()),
  label: z.optional(texts),
  description: z.optional(texts),
});

/** A number that somebody vouches for (V4). */
const figure = z.strictObject({
  reading: z.string(),
  at: z.union([z.string(), z.number()]),
  by: z.optional(z.string()),
  members: z.optional(z.record(name, scalar)),
  where: z.optional(whereSchema),
  asOf: z.optional(z.string()),
  knownBy: z.optional(z.string()),
  is: z.union([z.number(), z.string()]),
  within: z.optional(z.number().check(z.minimum(0))),
  note: z.optional(z.string()),
});

export const modelSchema = z.strictObject({
  durchblick: z.optional(z.literal(1)),
  $schema: z.optional(z.string()),
  includes: z.optional(z.union([z.string(), z.array(z.string())])),
  name: z.optional(z.string()),
  timeZone: z.optional(z.string()),
  locale: z.optional(z.string()),
  asOf: z.optional(z.string()),
  calendar: z.optional(calendar),
  sources: z.optional(z.record(name, source)),
  dimensions: z.optional(z.record(name, dimension)),
  rates: z.optional(z.record(name, rate)),
  facts: z.record(name, fact),
  formulas: z.optional(z.record(name, formula)),
  windows: z.optional(z.record(name, window)),
  comparisons: z.optional(z.record(name, comparison)),
  alerts: z.optional(z.record(name, alert)),
  questions: z.optional(z.record(name, namedQuestion)),
  publications: z.optional(z.record(name, publication)),
  figures: z.optional(z.array(figure)),
});

/** A file of a model that has several: any part of it, `facts` or not. */
export const partSchema = z.extend(modelSchema, { facts: z.optional(z.record(name, fact)) });

/** `Array.isArray` for lists that may be frozen. */
export const isList = (value: unknown): value is readonly unknown[] => Array.isArray(value);

/** Lists and maps of any depth may be frozen: nothing here is written to. */
export type Unchanging<T> = T extends readonly (infer E)[]
  ? readonly Unchanging<E>[]
  : T extends object
    ? { readonly [K in keyof T]: Unchanging<T[K]> }
    : T;

/** A model as written in TypeScript: the shape of the file with camelCase keys. */
export type ModelInput = Unchanging<z.input<typeof modelSchema>>;
/** A part of a model that is written in several. */
export type ModelPartInput = Unchanging<z.input<typeof partSchema>>;
export type FactInput = Unchanging<z.input<typeof fact>>;
export type MeasureInput = Unchanging<z.input<typeof measure>>;
export type YearSystemInput = Unchanging<z.input<typeof yearSystem>>;
export type FormatInput = Unchanging<z.input<typeof format>>;

type Scalar = string | number | boolean;
/** A filter on an attribute: a member, a list of them, all but some, or a stretch of a band's values, both ends inclusive. */
export type FilterInput =
  | Scalar
  | readonly Scalar[]
  | { readonly not?: Scalar | readonly Scalar[]; readonly from?: string | number; readonly to?: string | number };
/** Filters by attribute (M3); a row must pass all of them. */
export interface WhereInput {
  readonly [attribute: string]: FilterInput;
}

export type FigureInput = Unchanging<z.input<typeof figure>>;
export type NamedQuestionInput = Unchanging<z.input<typeof namedQuestion>>;
export type PublicationInput = Unchanging<z.input<typeof publication>>;
export type AlertInput = Unchanging<z.input<typeof alert>>;

/** What a column of the answer shows: a reading, and what to call it. */
export interface ShownReading {
  readonly is: string;
  /** Heads the column and names it in rows; the reading as written when left out. */
  readonly label?: string;
}

/** A question as plain data, as a JSON file holds it. `ask` takes one whose names the compiler knows (`QuestionOf`). */
export interface Question {
  /** Readings, at least one: `revenue on shipped over mtd vs year-earlier as change`. */
  readonly show: readonly (string | ShownReading)[];
  /** A unit (`month`), a window or a list of windows (A6); left out: the whole range as one row. */
  readonly by?: string | readonly string[];
  /** Attributes to split by: `region`, `ship-region.country`. */
  readonly per?: readonly string[];
  /** Dates or periods with a slash between them, both inclusive, one period, or a window laid at the as-of date (A5); default A3. */
  readonly range?: string;
  /** The last day that may be seen, inclusive: `YYYY-MM-DD`, `latest`, `today`, `yesterday` or a point (A1); default: the model's. */
  readonly asOf?: string;
  /** Revisions recorded after this date, `YYYY-MM-DD`, are not seen (G7). */
  readonly knownBy?: string;
  /** Filters by attribute: a value, a list, `{ not }`, or `{ from, to }`, inclusive (M3). */
  readonly where?: WhereInput;
  /** Whether periods without data are shown (A3, R1); default `show`. */
  readonly gaps?: 'show' | 'hide';
  /** `members`: a row over all members; `axis`: a row over the range; `true`: both (M9). */
  readonly totals?: boolean | 'members' | 'axis' | readonly ('members' | 'axis')[];
  /** Readings that sort members, over the whole range: `revenue desc` (R1). */
  readonly order?: string | readonly string[];
  /** Keeps the members whose readings, over the whole range, meet all conditions: `revenue over ytd > 10000` (R4). */
  readonly keep?: string | readonly string[];
  /** Keeps the first members by `order`; a whole number from 1. */
  readonly limit?: number;
  /** An attribute of `per`, not the last: `limit` counts anew in each of its members. */
  readonly within?: string;
  /** Adds a row `(others)` for the members that `keep` and `limit` leave out, `within` one for each member. */
  readonly rest?: boolean;
  /** BCP 47: language of labels, captions, notes, names of days and months, and form of numbers; default: the model's (R5). */
  readonly locale?: string;
}
