// What every name of a model means, as plain data: sentences made from definitions, where numbers come from, days as they lie.
import type { Calendar } from '../calendar/calendar.ts';
import { type Day, isoOf } from '../calendar/day.ts';
import { addingOf, measureWords, type Spoken } from '../evaluate/shapes/table.ts';
import { attributeOf } from '../model/attributes.ts';
import type { Fact, Measure, Model, Spread } from '../model/model.ts';
import type { FormatInput, WhereInput } from '../model/schema.ts';
import { bindText, leavesOf } from '../plan/bind.ts';
import type { LaidSpan } from '../plan/windows.ts';
import { type Format, formatter } from '../result/format.ts';
import { inWords } from '../result/heading.ts';
import { type Labels, labelsOf } from '../result/labels.ts';
import { type SpanJson, spansJson } from '../result/listings.ts';
import { type NamedEntry, namesOf } from '../result/names.ts';
import { filled, type Phrases } from '../words/phrases.ts';
import { type Origin, originsOf, readable, spelled } from './origins.ts';

/** A measure or formula. */
export interface DefinedValue {
  readonly name: string;
  readonly label?: string;
  readonly description?: string;
  /** What it is, in one sentence made from its definition. */
  readonly sentence: string;
  /** How it adds up, and how it lies on finer days and members. */
  readonly adds?: string;
  /** A number as answers show it. */
  readonly written: string;
  readonly better?: 'higher' | 'lower';
  readonly owner?: string;
  /** The fact of a measure. */
  readonly fact?: string;
  /** The text of a formula, and the measures in it. */
  readonly is?: string;
  readonly uses?: readonly string[];
  /** Formulas in which it is used, directly or by way of others. */
  readonly usedIn: readonly string[];
  /** Columns of files, tables and queries that it is made of. */
  readonly origins: readonly Origin[];
}

/** A window, or a comparison with the days that it compares, at the as-of date. */
export interface DefinedSpan extends SpanJson {
  readonly description?: string;
}

export interface DefinedYears {
  readonly unit: string;
  readonly years: readonly {
    readonly label: string;
    readonly start: string;
    readonly end: string;
    readonly days: number;
    readonly workingDays: number;
  }[];
}

/** Something else that has a name. */
export interface Defined {
  readonly name: string;
  readonly label?: string;
  readonly description?: string;
  readonly is: string;
  readonly owner?: string;
}

/** A model in words. */
export interface Dictionary {
  readonly name: string;
  readonly locale: string;
  readonly asOf: string;
  readonly timeZone: string;
  /** The weekday that weeks begin on. */
  readonly weekStarts: string;
  readonly measures: readonly DefinedValue[];
  readonly formulas: readonly DefinedValue[];
  readonly windows: readonly DefinedSpan[];
  readonly comparisons: readonly DefinedSpan[];
  readonly calendars: readonly DefinedYears[];
  readonly attributes: readonly Defined[];
  readonly facts: readonly Defined[];
  readonly sources: readonly Defined[];
  readonly alerts: readonly Defined[];
  readonly figures: readonly { readonly reading: string; readonly where: string; readonly is: string; readonly note?: string }[];
  readonly questions: readonly Defined[];
}

/** What it takes beside the model: days of windows and comparisons, and the calendar at the as-of date. */
export interface Surroundings {
  readonly spans: readonly LaidSpan[];
  readonly calendar: Calendar;
  readonly asOf: Day;
  readonly locale: string;
}

/** Leaves out what says nothing. */
const kept = <T extends object>(value: T): T =>
  Object.fromEntries(Object.entries(value).filter(([, entry]) => entry !== undefined && entry !== '')) as T;

const PARTICIPLE = /ed$|^(sold|sent|paid|made|due|bought|begun)$/;

interface Saying {
  readonly model: Model;
  readonly labels: Labels;
  readonly phrases: Phrases;
}

const called = (saying: Saying, written: unknown, name: string): string => {
  const label = (written as { readonly label?: Parameters<Labels['text']>[0] } | undefined)?.label;
  return saying.labels.text(label) ?? readable(name);
};

/** Filters in words. */
const testsOf = (where: WhereInput, { model, labels, phrases }: Saying): string =>
  Object.entries(where)
    .map(([name, test]) => {
      const attribute = readable(labels.attribute(name, attributeOf(model, name)).text);
      const list = (values: unknown): string => (Array.isArray(values) ? values : [values]).map(String).join(phrases.or);
      if (typeof test !== 'object' || test === null || Array.isArray(test))
        return filled(phrases.isOneOf, { attribute, members: list(test) });
      const { not, from = '', to = '' } = test as { not?: unknown; from?: string | number; to?: string | number };
      return not === undefined
        ? filled(phrases.isBetween, { attribute, from, to })
        : filled(phrases.isNot, { attribute, members: list(not) });
    })
    .join(phrases.and);

const spreadText = (spread: Spread, saying: Saying): string => {
  const { phrases, model, labels } = saying;
  if (typeof spread === 'object') return filled(phrases.spreadLike, { shape: inWords(spread.like, model, labels) });
  return spread === 'even' ? phrases.spreadEven : spread === 'working-days' ? phrases.spreadWorkingDays : phrases.spreadNone;
};

const addsText = (measure: Measure, saying: Saying): string => {
  const { phrases, model, labels } = saying;
  const { fact, spread, spreadAcross, unrelated } = measure;
  const unit = labels.words.attribute(fact.grain) ?? fact.grain;
  return [
    phrases[addingOf(measure)],
    ...(fact.grain === 'day' ? [] : [filled(phrases.keptBy, { grain: unit }), spreadText(spread, saying)]),
    ...[...spreadAcross].map(([dimension, shape]) =>
      filled(phrases.spreadAcross, { dimension: readable(dimension), shape: inWords(shape, model, labels) }),
    ),
    ...(unrelated === 'blank' ? [phrases.unrelatedBlank] : unrelated === 'repeat' ? [phrases.unrelatedRepeat] : []),
  ].join('; ');
};

const sentenceOf = (measure: Measure, saying: Saying): string => {
  const { labels, phrases, model } = saying;
  const { fact, role, where } = measure;
  const roleText = (name: string): string => readable(labels.role(name, [fact]).text);
  const spoken: Spoken = {
    phrases,
    column: (column) => spelled(fact, column),
    role: roleText,
    over: filled(phrases.over, { fact: called(saying, model.input.facts[fact.name], fact.name) }),
  };
  const horizon = fact.roles.get(role)?.horizon;
  // `by the day they were ordered` is English, and so is what it hangs on.
  const they = labels.words.attribute('weekday') === undefined && PARTICIPLE.test(role) ? `they were ${roleText(role)}` : roleText(role);
  return [
    measureWords(measure, spoken),
    // A level says itself which dates it lies between.
    ...(measure.open ? [] : [filled(horizon === 'plan' ? phrases.byPlan : phrases.byDay, { role: they })]),
    ...(where && Object.keys(where).length > 0 ? [filled(phrases.where, { tests: testsOf(where, saying) })] : []),
  ].join(', ');
};

/** What a measure is, in one sentence made from its definition, in a language. */
export const measureSentence = (measure: Measure, model: Model, locale: string): string => {
  const labels = labelsOf(model, locale);
  return sentenceOf(measure, { model, labels, phrases: labels.words.phrases });
};

/** What counts is a whole number. */
const WHOLE: readonly string[] = ['count', 'count-distinct', 'first-time'];

/** A number as an answer shows it. */
const written = (format: FormatInput | undefined, locale: string, whole = false): string => {
  const style = format?.style;
  return formatter((format ?? {}) as Format, locale)(style === 'percent' ? 0.1234 : whole ? 1234 : 1234.5);
};

/** Formulas that use a measure or formula, directly or by way of others. */
const usersOf = (model: Model): ((name: string) => readonly string[]) => {
  const direct = new Map<string, readonly string[]>();
  for (const { name, text } of model.formulas.values()) direct.set(name, [...new Set(leavesOf(bindText(model, text)).map(leaf))]);
  return (name) => [...direct].filter(([, uses]) => uses.includes(name)).map(([formula]) => formula);
};
const leaf = ({ measure }: { readonly measure: Measure }): string => measure.name;

/** So many years of a system are listed. */
const MOST_YEARS = 40;

const calendarsOf = (calendar: Calendar): readonly DefinedYears[] =>
  [...calendar.units.keys()]
    .filter((unit) => unit === 'year' || unit.endsWith('-year'))
    .map((unit) => ({
      unit,
      years: calendar
        .range(unit, calendar.first, calendar.last)
        .slice(-MOST_YEARS)
        .map(({ label, start, end }) => ({
          label,
          start: isoOf(start),
          end: isoOf(end),
          days: end - start + 1,
          workingDays: calendar.workingDays(start, end),
        })),
    }));

const factText = (fact: Fact, { labels }: Saying): string =>
  [...fact.roles.values()].map(({ name }) => labels.role(name, [fact]).text).join(', ');

interface Values {
  readonly measures: readonly DefinedValue[];
  readonly formulas: readonly DefinedValue[];
}

const valuesOf = (saying: Saying, names: readonly NamedEntry[]): Values => {
  const { model, labels } = saying;
  const { locale } = labels;
  const users = usersOf(model);
  const entries = new Map(names.map((entry) => [`${entry.kind} ${entry.name}`, entry]));
  const entryOf = (kind: string, name: string): NamedEntry | undefined => entries.get(`${kind} ${name}`);
  const measures = [...model.measures.values()].map((measure): DefinedValue => {
    const entry = entryOf('measure', measure.name);
    return kept({
      name: measure.name,
      label: entry?.label,
      description: entry?.description,
      sentence: sentenceOf(measure, saying),
      adds: addsText(measure, saying),
      written: written(measure.format, locale, WHOLE.includes(measure.aggregate.kind)),
      better: measure.better,
      owner: entry?.owner,
      fact: measure.fact.name,
      usedIn: users(measure.name),
      origins: originsOf(measure, model),
    });
  });
  const byName = new Map(measures.map((measure) => [measure.name, measure]));
  const formulas = [...model.formulas.values()].map((formula): DefinedValue => {
    const entry = entryOf('formula', formula.name);
    const uses = [...new Set(leavesOf(bindText(model, formula.text)).map(leaf))];
    const origins = new Map(uses.flatMap((name) => byName.get(name)?.origins ?? []).map((origin) => [JSON.stringify(origin), origin]));
    return kept({
      name: formula.name,
      label: entry?.label,
      description: entry?.description,
      sentence: inWords(formula.text, model, labels),
      written: written(formula.format, locale),
      better: formula.better,
      owner: entry?.owner,
      is: formula.text,
      uses,
      usedIn: users(formula.name),
      origins: [...origins.values()],
    });
  });
  return { measures, formulas };
};

/** Measures and formulas in words, by their names; without days, so that no data are needed. */
export const definedValues = (model: Model, locale: string): ReadonlyMap<string, DefinedValue> => {
  const labels = labelsOf(model, locale);
  const { measures, formulas } = valuesOf({ model, labels, phrases: labels.words.phrases }, namesOf(model, locale));
  return new Map([...measures, ...formulas].map((value) => [value.name, value]));
};

/** Everything that a model names, in words. */
export const dictionaryOf = (model: Model, { spans, calendar, asOf, locale }: Surroundings): Dictionary => {
  const labels = labelsOf(model, locale);
  const saying: Saying = { model, labels, phrases: labels.words.phrases };
  const { input } = model;
  const names = namesOf(model, locale);
  const said = (written: unknown): string | undefined =>
    labels.text((written as { readonly description?: Parameters<Labels['text']>[0] } | undefined)?.description);

  const { measures, formulas } = valuesOf(saying, names);
  const laid = (kind: LaidSpan['kind'], written: Readonly<Record<string, unknown>> = {}): readonly DefinedSpan[] =>
    spansJson(spans.filter((span) => span.kind === kind)).map((span) => kept({ ...span, description: said(written[span.name]) }));
  const listed = (kind: string): readonly Defined[] =>
    names
      .filter((entry) => entry.kind === kind && !entry.builtIn)
      .map(({ name, label, description, is, owner }) => kept({ name, label, description, is, owner }));
  return {
    name: model.name,
    locale,
    asOf: isoOf(asOf),
    timeZone: model.timeZone,
    weekStarts: calendar.withNames(locale).name('weekday-long', weekdayOfStart(calendar)),
    measures,
    formulas,
    windows: laid('window', input.windows),
    comparisons: laid('comparison', input.comparisons),
    calendars: calendarsOf(calendar),
    attributes: listed('attribute'),
    facts: [...model.facts.values()].map((fact) =>
      kept({
        name: fact.name,
        label: labels.text(input.facts[fact.name].label),
        description: said(input.facts[fact.name]),
        is: factText(fact, saying),
        owner: input.facts[fact.name].owner,
      }),
    ),
    sources: [...model.sources.values()].map((source) =>
      kept({
        name: source.name,
        label: labels.text(input.sources?.[source.name]?.label),
        description: said(input.sources?.[source.name]),
        is: source.kind === 'file' ? source.file : source.kind === 'table' ? source.table : source.kind === 'query' ? source.query : '–',
      }),
    ),
    alerts: [...model.alerts].map(([name, alert]) =>
      kept({
        name,
        label: labels.text(alert.label),
        description: said(alert),
        is: alertText(alert, saying),
      }),
    ),
    figures: model.figures.map(({ cell, is, note }) =>
      kept({
        reading: inWords(cell.reading, model, labels),
        where: [cell.at, ...Object.entries(cell.members ?? {}).map(([name, member]) => `${name} ${member}`)].join(', '),
        is: is === null ? '–' : formatter({ maximumFractionDigits: 6 }, locale)(is),
        note,
      }),
    ),
    questions: listed('question'),
  };
};

/** The weekday on which weeks start, from 0 = Monday. */
const weekdayOfStart = (calendar: Calendar): number => {
  const { starts } = calendar.unit('week');
  // Day 0, 1970-01-01, was a Thursday.
  return (((starts[Math.min(1, starts.length - 1)] + 3) % 7) + 7) % 7;
};

const alertText = (alert: Model['alerts'] extends ReadonlyMap<string, infer A> ? A : never, { model, labels }: Saying): string => {
  const kinds = { below: alert.below, 'at-most': alert.atMost, above: alert.above, 'at-least': alert.atLeast } as const;
  const limits = Object.entries(kinds).flatMap(([kind, value]) =>
    value === undefined
      ? []
      : [labels.words.limit(kind as keyof typeof kinds, formatter({ maximumFractionDigits: 6 }, labels.locale)(value))],
  );
  const per = (alert.per ?? []).map((name) => readable(labels.attribute(name, attributeOf(model, name)).text));
  const unit = alert.by ?? 'day';
  return `${inWords(alert.reading, model, labels)} ${limits.join(labels.words.phrases.or)} (${[labels.words.attribute(unit) ?? unit, ...per].join(', ')})`;
};
