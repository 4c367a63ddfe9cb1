// A question with its names resolved, before any row is touched.
import { type Day, parseIsoDay } from '../calendar/day.ts';
import { DurchblickError, suggest } from '../errors.ts';
import { type AttributeRef, attributeOf } from '../model/attributes.ts';
import { collectFaults, type Faults } from '../model/faults.ts';
import { checked, inspect, type Locate, type Path } from '../model/keys.ts';
import type { Fact, Model, NamedWindow } from '../model/model.ts';
import { isList, type Question, questionSchema, type WhereInput } from '../model/schema.ts';
import { type Bound, bindText, windowNamed } from './bind.ts';
import { rowMapOf } from './members/kinds.ts';
import { isBefore } from './members/test.ts';
import type { Filter, MemberTest, Why } from './request.ts';

export interface AskedColumn {
  /** Header of the column: the label, else the reading as written. */
  readonly name: string;
  readonly reading: string;
  readonly bound: Bound;
}

export interface AskedFilter {
  readonly attribute: AttributeRef;
  readonly test: MemberTest;
}

export type AskedBy =
  | { readonly kind: 'unit'; readonly unit: string }
  | { readonly kind: 'windows'; readonly windows: readonly NamedWindow[] }
  | { readonly kind: 'range' };

/** A question with its names resolved. */
export interface Asked {
  readonly columns: readonly AskedColumn[];
  readonly by: AskedBy;
  readonly per: readonly { readonly name: string; readonly attribute: AttributeRef }[];
  readonly filters: readonly AskedFilter[];
  readonly range: string | undefined;
  readonly asOf: string;
  /** Whether the question sets `asOf` itself. */
  readonly isAsOfGiven: boolean;
  readonly knownBy: Day | undefined;
  readonly gaps: 'show' | 'hide';
  readonly totals: { readonly members: boolean; readonly axis: boolean };
  /** Sort keys of members, over the whole range; without `per`, of periods (R1). */
  readonly order: readonly { readonly bound: Bound; readonly text: string; readonly descending: boolean }[];
  /** Order of periods that compare equal. */
  readonly periods: 'ascending' | 'descending';
  /** Conditions on readings over the whole range that members must meet (R4). */
  readonly keep: readonly MemberCondition[];
  readonly limit: number | undefined;
  /** How many attributes of `per`, from the first, make the groups that a limit counts in. */
  readonly within: number;
  readonly rest: boolean;
  /** The language of words and the form of numbers (R5). */
  readonly locale: string;
}

const SIGNS = ['<=', '>=', '!=', '<', '>', '='] as const;

/** A bound that a reading is held against. */
export interface MemberCondition {
  readonly bound: Bound;
  readonly sign: (typeof SIGNS)[number];
  readonly value: number;
}

const CONDITION = /^\s*(\S.*?)\s*(<=|>=|!=|<|>|=)\s*([+-]?\d+(?:\.\d+)?)\s*$/s;

/** Whether a text is meant as a condition: whatever has the sign of one. */
export const isCondition = (text: string): boolean => /[<>=]/.test(text);

/** Reads `revenue over ytd > 10000` (R4). */
const conditionOf = (model: Model, text: string, columns: readonly AskedColumn[]): MemberCondition => {
  const match = CONDITION.exec(text);
  if (!match)
    throw new DurchblickError('bad-condition', `"${text}" is no condition`, {
      hint: `A reading, one of ${SIGNS.join(' ')}, and a number: "revenue over ytd > 10000" (R4).`,
    });
  const shown = columns.find(({ name }) => name === match[1]);
  return { bound: shown?.bound ?? bindText(model, match[1]), sign: match[2] as MemberCondition['sign'], value: Number(match[3]) };
};

/** Whether a value meets a condition; a blank meets none (R4). */
export const meets = (value: number | null, { sign, value: bound }: MemberCondition): boolean => {
  if (value === null) return false;
  switch (sign) {
    case '<':
      return value < bound;
    case '<=':
      return value <= bound;
    case '>':
      return value > bound;
    case '>=':
      return value >= bound;
    case '=':
      return value === bound;
    case '!=':
      return value !== bound;
  }
};

/** How many attributes make the groups in which a limit counts. */
const withinOf = ({ within, limit }: Question, per: Asked['per']): number => {
  if (within === undefined) return 0;
  const at = per.findIndex(({ name }) => name === within);
  if (at < 0 || at === per.length - 1)
    throw new DurchblickError('bad-within', `"within" is "${within}"`, {
      hint:
        per.length < 2
          ? 'It takes an attribute of `per` that has others behind it: per region,product within region.'
          : `It takes an attribute of \`per\` that has others behind it: ${per
              .slice(0, -1)
              .map(({ name }) => name)
              .join(', ')}.`,
    });
  if (limit === undefined)
    throw new DurchblickError('idle-limit', '"within" needs a limit to count with', { hint: 'For example `limit: 3`.' });
  return at + 1;
};

const texts = (value: unknown): string[] => (isList(value) ? value : [value]).map(String);

const badFilter = (name: string, what: string): never => {
  throw new DurchblickError('bad-filter', `the filter on "${name}" ${what}`, {
    hint: 'A value, a list, { not: … } or { from: …, to: … }.',
  });
};

/** What may stand alone or in a list. */
const listed = <T>(value: T | readonly T[] | undefined): readonly T[] =>
  value === undefined ? [] : isList(value) ? (value as readonly T[]) : [value as T];

/** Values that are listed; a list of none is a slip, and no way to ask for nothing. */
const valuesIn = (name: string, value: unknown): string[] => {
  const found = texts(value);
  return found.length === 0 ? badFilter(name, 'lists nothing') : found;
};

/** Turns filters as written, `{ region: ["North"], family: { not: "Bulbs" } }`, into tests. */
export const filtersOf = (model: Model, where: WhereInput | undefined): AskedFilter[] =>
  Object.entries(where ?? {}).map(([name, value]) => {
    const attribute = attributeOf(model, name);
    if (value === null || value === undefined) return badFilter(name, 'says nothing');
    if (typeof value !== 'object' || isList(value)) return { attribute, test: { values: valuesIn(name, value) } };
    const { not, from, to } = value;
    if (not === undefined && from === undefined && to === undefined) badFilter(name, 'says nothing');
    if (from !== undefined && to !== undefined && isBefore(String(to), String(from)))
      badFilter(name, `runs backwards: from ${from} to ${to}`);
    return {
      attribute,
      test: {
        ...(not === undefined ? {} : { not: valuesIn(name, not) }),
        ...(from === undefined ? {} : { from }),
        ...(to === undefined ? {} : { to }),
      },
    };
  });

/** The conditions that a fact's rows must meet, from filters on attributes (M3); those on days are met by days (U12). */
export const factFilters = (fact: Fact, filters: readonly AskedFilter[], why: Why): Filter[] =>
  filters
    .filter(({ attribute }) => rowMapOf(fact, attribute) !== undefined)
    .map(({ attribute, test }) => ({ kind: 'members' as const, attribute, test, why }));

/** A unit of the model by its name, plural accepted; undefined when there is none. */
const unitOf = (model: Model, name: string): string | undefined =>
  [name, name.endsWith('s') ? name.slice(0, -1) : name].find((candidate) => model.units.includes(candidate));

/** A unit that must be there. */
export const unitNamed = (model: Model, name: string): string => {
  const found = unitOf(model, name);
  if (found !== undefined) return found;
  throw new DurchblickError('unknown-unit', `there is no unit "${name}"`, { hint: suggest(name, model.units, 'units') });
};

const byOf = (model: Model, by: Question['by']): AskedBy => {
  if (by === undefined) return { kind: 'range' };
  const names = isList(by) ? by : [by];
  const unit = isList(by) ? undefined : unitOf(model, by);
  if (unit !== undefined) return { kind: 'unit', unit };
  const windows = names.map((name) => {
    if (name.startsWith('[') || model.windows.has(name)) return windowNamed(model, name);
    if (unitOf(model, name) !== undefined)
      throw new DurchblickError('bad-by', `"${name}" is a unit, in a list of windows`, {
        hint: 'The axis is one unit, or a list of windows (A6).',
      });
    throw new DurchblickError('unknown-unit', `there is no unit or window "${name}" to ask by`, {
      hint: suggest(name, [...model.units, ...model.windows.keys()], 'units'),
    });
  });
  return { kind: 'windows', windows };
};

/** A question as it is, or one that the model has a name for. */
export const questionNamed = (model: Model, asked: string | Question): Question => {
  if (typeof asked !== 'string') return asked;
  const found = model.questions.get(asked);
  if (found) return found.question;
  throw new DurchblickError('unknown-question', `the model has no question "${asked}"`, {
    hint:
      model.questions.size === 0
        ? 'It has none at all: `questions:` in the model gives names to them.'
        : suggest(asked, model.questions.keys(), 'questions'),
  });
};

export const PERIOD_COLUMN = 'period';

/** The locale of an answer: the question's, else the model's (R5). */
export const localeOf = (model: Model, locale: string | undefined): string => {
  if (locale === undefined) return model.locale;
  try {
    return Intl.getCanonicalLocales(locale)[0] ?? model.locale;
  } catch {
    throw new DurchblickError('bad-locale', `"${locale}" is not a locale`, {
      hint: 'Locales are BCP 47 tags, for example en-GB or de-DE.',
    });
  }
};

/** `rest` of attributes of days and of rows together: no set of days has it. `alone` names those that can be asked alone. */
export const createRestError = (per: readonly { readonly name: string }[], alone: readonly string[]): DurchblickError =>
  new DurchblickError('bad-rest', `"rest" cannot combine ${per.map(({ name }) => name).join(' and ')}`, {
    hint: `Ask per ${alone.join(' and ')} alone, or without "rest".`,
  });

/** Checks a question against the model and resolves every name in it. */
export const askedOf = (model: Model, written: Question): Asked => {
  const question = checked(questionSchema, written, 'question', (path) => ({ path: `question.${path.join('.')}` })) as Question;
  const per = (question.per ?? []).map((name) => ({ name, attribute: attributeOf(model, name) }));
  per.forEach(({ name, attribute }, i) => {
    if (per.findIndex((other) => other.attribute.key === attribute.key) < i)
      throw new DurchblickError('doubled-attribute', `"${name}" stands twice in per`);
  });
  const columns = question.show.map((column) => {
    const { is, label } = typeof column === 'string' ? { is: column, label: undefined } : column;
    return { name: label ?? is, reading: is, bound: bindText(model, is) };
  });
  const taken = new Set([PERIOD_COLUMN, ...per.map(({ name }) => name)]);
  for (const { name } of columns) {
    if (taken.has(name))
      throw new DurchblickError('doubled-column', `two columns would be called "${name}"`, {
        hint: 'Give one of them a label: { "is": "…", "label": "…" }.',
      });
    taken.add(name);
  }
  const knownBy = question.knownBy === undefined ? undefined : parseIsoDay(question.knownBy);
  if (question.knownBy !== undefined && knownBy === undefined) {
    throw new DurchblickError('bad-date', `known-by is "${question.knownBy}"`, { hint: 'It takes a date, YYYY-MM-DD.' });
  }
  const sorts = listed(question.order).map((entry) => {
    const match = /^(.*?)\s+(asc|desc)$/s.exec(entry.trim());
    return { text: match ? match[1] : entry, descending: match?.[2] === 'desc' };
  });
  // Periods are unique, so later sort keys have no effect.
  const byPeriod = per.length > 0 ? -1 : sorts.findIndex(({ text }) => text === PERIOD_COLUMN);
  const order = (byPeriod < 0 ? sorts : sorts.slice(0, byPeriod)).map(({ text, descending }) => ({
    bound: columns.find((column) => column.name === text)?.bound ?? bindText(model, text),
    text,
    descending,
  }));
  // Default order of a limit: the first reading, descending (R1).
  if (order.length === 0 && question.limit !== undefined && per.length > 0)
    order.push({ bound: columns[0].bound, text: columns[0].name, descending: true });
  const { totals } = question;
  const by = byOf(model, question.by);
  const wanted = totals === true ? ['members', 'axis'] : totals === false ? [] : listed(totals);
  if (wanted.includes('axis') && by.kind === 'windows' && totals !== true) {
    throw new DurchblickError('no-axis-total', 'windows overlap, so there is no total over them', {
      hint: 'Ask for `totals: ["members"]` (M9).',
    });
  }
  const keep = listed(question.keep).map((text) => conditionOf(model, text, columns));
  const choosing = (['limit', 'rest', 'keep'] as const).find((key) => question[key] !== undefined && question[key] !== false);
  if (choosing && per.length === 0 && !(choosing === 'limit' && sorts.length > 0)) {
    throw new DurchblickError('idle-limit', `"${choosing}" needs members to choose from`, {
      hint: choosing === 'limit' ? 'Name an attribute in `per`, or an `order` of the periods.' : 'Name an attribute in `per`.',
    });
  }
  const ofDays = per.filter(({ attribute }) => attribute.kind === 'calendar').map(({ name }) => name);
  if (question.rest && ofDays.length > 0 && ofDays.length < per.length) throw createRestError(per, ofDays);
  if (question.rest && question.limit === undefined && keep.length === 0)
    throw new DurchblickError('idle-limit', '"rest" needs a limit', {
      hint: 'For example `limit: 5`, or a condition to `keep` members by.',
    });
  return {
    columns,
    by,
    per,
    filters: filtersOf(model, question.where),
    range: question.range,
    asOf: question.asOf ?? model.asOf,
    isAsOfGiven: question.asOf !== undefined,
    knownBy,
    gaps: question.gaps ?? 'show',
    totals: { members: wanted.includes('members') && per.length > 0, axis: wanted.includes('axis') && by.kind === 'unit' },
    order,
    periods: byPeriod >= 0 && sorts[byPeriod].descending ? 'descending' : 'ascending',
    keep,
    limit: question.limit,
    within: withinOf(question, per),
    rest: question.rest ?? false,
    locale: localeOf(model, question.locale),
  };
};

/**
 * Every fault of a question, each where it stands: of its parts by themselves, then of the whole. Its keys and values are
 * those of the schema.
 */
export const checkQuestion = (model: Model, question: Question, path: Path, faults: Faults): void => {
  const known = faults.list.length;
  const { show, by, per = [], where = {}, order, keep, locale } = question;
  const columns = show.flatMap((column, k) => {
    const { is, label } = typeof column === 'string' ? { is: column, label: undefined } : column;
    const bound = faults.attempt([...path, 'show', k], () => bindText(model, is));
    return bound ? [{ name: label ?? is, reading: is, bound }] : [];
  });
  if (by !== undefined) faults.attempt([...path, 'by'], () => byOf(model, by));
  per.forEach((name, k) => void faults.attempt([...path, 'per', k], () => attributeOf(model, name)));
  for (const [name, test] of Object.entries(where)) faults.attempt([...path, 'where', name], () => filtersOf(model, { [name]: test }));
  const ordered = listed(order).map((text) => text.trim().replace(/\s+(asc|desc)$/, ''));
  const isShown = (text: string): boolean => (text === PERIOD_COLUMN && per.length === 0) || columns.some(({ name }) => name === text);
  ordered.forEach(
    (text, k) => void faults.attempt([...path, 'order', ...(isList(order) ? [k] : [])], () => isShown(text) || bindText(model, text)),
  );
  listed(keep).forEach(
    (text, k) => void faults.attempt([...path, 'keep', ...(isList(keep) ? [k] : [])], () => conditionOf(model, text, columns)),
  );
  if (locale !== undefined) faults.attempt([...path, 'locale'], () => localeOf(model, locale));
  if (faults.list.length === known) faults.attempt(path, () => askedOf(model, question));
};

/** Every fault of a question as it is written, in a file or by a program. */
export const questionFaults = (model: Model, written: unknown, locate: Locate): readonly DurchblickError[] => {
  const { value, faults: shapes } = inspect(questionSchema, written, 'question', locate);
  const faults = collectFaults(locate);
  if (value) checkQuestion(model, value as Question, [], faults);
  return [...shapes, ...faults.list];
};
