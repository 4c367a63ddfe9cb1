// What a column of a file seems to hold, for a draft; answers never rest on it.
import { dateReader } from '../calendar/dates.ts';
import { type Day, dayOf, isoOf, NO_DAY } from '../calendar/day.ts';
import type { FileColumn } from '../files/column.ts';
import { NUMBER_TEXT, type NumberForm, numberText } from '../model/decimal.ts';

/** What a column of a file seems to hold. */
export interface Profile {
  readonly name: string;
  readonly kind: 'date' | 'number' | 'text' | 'blank';
  readonly rows: number;
  readonly blanks: number;
  /** Distinct values as text, blanks aside. */
  readonly distinct: ReadonlySet<string>;
  /** Only of dates. */
  readonly date?: DateProfile;
  /** Only of numbers: whether all are whole. */
  readonly whole?: boolean;
  readonly values: ArrayLike<unknown>;
}

/** Whether the day or the month is written first. */
export type DateOrder = 'd' | 'M';

export interface DateProfile {
  /** The model's `format`, where dates are not ISO 8601. */
  readonly format: string | undefined;
  readonly grain: 'day' | 'month' | 'quarter' | 'week' | 'year';
  /** Instants with an offset or Z: a time zone decides the day. */
  readonly zoned: boolean;
  readonly blankDates: readonly string[];
  /** Which of day and month comes first, where the form leaves it open: found out, or it could be either. */
  readonly order: DateOrder | 'either' | undefined;
  /** Texts that are no dates. */
  readonly bad: number;
  readonly first: Day;
  readonly last: Day;
  readonly days: readonly (Day | undefined)[];
}

const isBlank = (value: unknown): boolean => value === null || value === undefined || value === '' || value !== value;
const textOf = (value: unknown): string => (value instanceof Date ? value.toISOString() : String(value).trim());

const ISO = /^\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d([.,]\d+)?)?\s?(Z|[+-]\d\d(:?\d\d)?)?)?$/i;
const ZONED = /\d\d:\d\d.*(Z|[+-]\d\d(:?\d\d)?)$/i;
const COARSE: readonly (readonly [DateProfile['grain'], RegExp])[] = [
  ['month', /^\d{4}-(0[1-9]|1[0-2])$/],
  ['quarter', /^\d{4}-Q[1-4]$/],
  ['week', /^\d{4}-W\d\d$/],
];
/** Written forms that need a `format`, the likelier first where two fit. */
const FORMATS = [
  'dd.MM.yyyy',
  'd.M.yyyy',
  'dd/MM/yyyy',
  'MM/dd/yyyy',
  'd/M/yyyy',
  'M/d/yyyy',
  'yyyy/MM/dd',
  'dd-MM-yyyy',
  'MM-dd-yyyy',
  'yyyy.MM.dd',
];
/** Times of day behind a date, and how a `format` says them. */
const TIMES: readonly (readonly [RegExp, string])[] = [
  [/\d\d:\d\d$/, 'HH:mm'],
  [/\d\d:\d\d:\d\d$/, 'HH:mm:ss'],
  [/\d\d?:\d\d$/, 'H:mm'],
  [/\d\d?:\d\d:\d\d$/, 'H:mm:ss'],
  [/\d\d?:\d\d [AaPp][Mm]$/, 'h:mm a'],
  [/\d\d?:\d\d:\d\d [AaPp][Mm]$/, 'h:mm:ss a'],
];
const PAIRS = [
  ['dd/MM/yyyy', 'MM/dd/yyyy'],
  ['d/M/yyyy', 'M/d/yyyy'],
  ['dd-MM-yyyy', 'MM-dd-yyyy'],
] as const;
const TWINS: Readonly<Record<string, string>> = Object.fromEntries(
  PAIRS.flatMap(([a, b]) => [
    [a, b],
    [b, a],
  ]),
);
const DATE_NAME = /(^|_|-| )(date|day|month|on|at|dt|datum|tag|monat|week|period)$|^(date|day|month|week|datum)|_(on|at)$/i;
/** Dates outside these years are placeholders for none. */
const [EARLIEST, LATEST] = [dayOf(1900, 1, 2), dayOf(2200, 1, 1)];
/** So much of a column may be something else before it is no column of dates. */
const TOLERATED = 0.05;

interface Reading {
  readonly format: string | undefined;
  readonly grain: DateProfile['grain'];
  readonly days: readonly (Day | undefined)[];
  readonly bad: number;
}

const read = (texts: readonly string[], format: string | undefined, grain: DateProfile['grain']): Reading => {
  const reader = dateReader({ timeZone: 'UTC', format, grain: grain === 'day' ? 'day' : 'coarse' });
  let bad = 0;
  const days = texts.map((text) => {
    if (text === '') return undefined;
    const day = reader(text);
    if (day === undefined) bad++;
    return day === NO_DAY ? undefined : day;
  });
  return { format, grain, days, bad };
};

const sniffDate = (name: string, values: readonly unknown[], likely: DateOrder): DateProfile | undefined => {
  const texts = values.map((value) => (isBlank(value) ? '' : textOf(value)));
  const there = texts.filter((text) => text !== '');
  if (there.length === 0) return undefined;
  const share = (pattern: RegExp): number => there.filter((text) => pattern.test(text)).length / there.length;
  const enough = 1 - TOLERATED;
  let found: Reading | undefined;
  let order: DateProfile['order'];
  if (share(ISO) >= enough) found = read(texts, undefined, 'day');
  const coarse = COARSE.find(([, pattern]) => share(pattern) >= enough);
  if (!found && coarse) found = read(texts, undefined, coarse[0]);
  // Eight digits are a date where the name says so, or all of them are days of this or the last century.
  if (!found && share(/^(19|20)\d\d(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])$/) >= enough && (DATE_NAME.test(name) || share(/^\d{8}$/) === 1))
    found = read(texts, undefined, 'day');
  if (!found && share(/^(19|20)\d\d$/) === 1 && /year|jahr/i.test(name)) found = read(texts, undefined, 'year');
  if (!found && share(/\d[./-]\d/) >= enough && share(new RegExp(NUMBER_TEXT.plain)) < 0.5) {
    const behind = (pattern: RegExp): RegExp => new RegExp(`\\d,? ${pattern.source}`);
    const time = TIMES.find(([pattern]) => share(behind(pattern)) >= enough)?.[1];
    const suffix = time === undefined ? '' : `${there[0].includes(', ') ? ', ' : ' '}${time}`;
    const formats = [...FORMATS].sort((a, b) => Number(b.startsWith(likely)) - Number(a.startsWith(likely)));
    const readings = formats.map((format) => read(texts, `${format}${suffix}`, 'day'));
    found = readings.find(({ bad }) => bad <= there.length * TOLERATED);
    const twin = readings.find(({ format }) => format === `${TWINS[(found?.format ?? '').slice(0, -suffix.length || undefined)]}${suffix}`);
    if (found && twin) order = twin.bad <= found.bad ? 'either' : (found.format?.[0] as DateOrder);
  }
  if (!found || found.bad > there.length * TOLERATED) return undefined;
  const placeholders = new Set<string>();
  const days = found.days.map((day, k) => {
    if (day === undefined || (day >= EARLIEST && day < LATEST)) return day;
    placeholders.add(texts[k]);
    return undefined;
  });
  const known = days.filter((day) => day !== undefined);
  if (known.length === 0) return undefined;
  const first = known.reduce((a, b) => Math.min(a, b));
  return {
    format: found.format,
    grain: found.grain,
    zoned: there.some((text) => ZONED.test(text)),
    blankDates: [...placeholders].sort(),
    order,
    bad: found.bad,
    first,
    last: known.reduce((a, b) => Math.max(a, b)),
    days,
  };
};

/** Looks at a column's values: all of them, because the last one may be the odd one. */
export const profileOf = (name: string, values: ArrayLike<unknown>, form: NumberForm, likely: DateOrder = 'd'): Profile => {
  const list = Array.from(values);
  const distinct = new Set<string>();
  let [blanks, numeric, whole] = [0, true, true];
  for (const value of list) {
    if (isBlank(value)) {
      blanks++;
      continue;
    }
    const text = textOf(value);
    distinct.add(text);
    if (!numeric) continue;
    const number = typeof value === 'number' || typeof value === 'bigint' ? text : typeof value === 'string' && numberText(text, form);
    if (!number) numeric = false;
    else if (whole && !Number.isInteger(Number(number))) whole = false;
  }
  const base = { name, rows: list.length, blanks, distinct, values };
  if (distinct.size === 0) return { ...base, kind: 'blank' };
  const date = sniffDate(name, list, likely);
  if (date) return { ...base, kind: 'date', date };
  return numeric ? { ...base, kind: 'number', whole } : { ...base, kind: 'text' };
};

/**
 * How numbers that are texts are written: as some column has nothing but numbers of a form that are not plain ones, and
 * no column has numbers of another form only. `1,234` could be more than a thousand, or a little more than one, and says
 * nothing.
 */
export const numberFormOf = (columns: readonly ArrayLike<unknown>[]): NumberForm => {
  const written = columns.map((values) => Array.from(values).filter((value) => !isBlank(value)));
  const all = (texts: readonly unknown[], form: NumberForm): boolean =>
    texts.length > 0 && texts.every((value) => typeof value === 'string' && numberText(value, form) !== undefined);
  const only = (form: NumberForm, other: NumberForm): boolean => written.some((texts) => all(texts, form) && !all(texts, other));
  const needed = written.some((texts) => !all(texts, 'plain') && (all(texts, 'point') || all(texts, 'comma')));
  if (!needed) return 'plain';
  const [point, comma] = [only('point', 'comma'), only('comma', 'point')];
  return point === comma ? 'plain' : point ? 'point' : 'comma';
};

/** Days become texts, that can be looked at like any other. */
export const plainValues = ({ kind, values }: FileColumn): ArrayLike<unknown> =>
  kind === 'date' ? Array.from(values, (day) => (day === NO_DAY ? null : isoOf(day as Day))) : values;
