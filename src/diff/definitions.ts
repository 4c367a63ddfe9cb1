// What two models define differently, in the words of the dictionary.
import { stableText } from '../basics/fingerprint.ts';
import { definedValues } from '../dictionary/dictionary.ts';
import { kebab } from '../model/keys.ts';
import type { Model } from '../model/model.ts';
import type { ModelInput } from '../model/schema.ts';

/** One thing that is defined in one model alone, or in both and differently. */
export interface DefinitionChange {
  /** `measure`, `formula`, `column`, `window`, `calendar`, … */
  readonly kind: string;
  readonly name: string;
  /** The fact or dimension that it is in. */
  readonly of?: string;
  readonly change: 'added' | 'removed' | 'changed';
  /** It is written as before, and made of something that changed. */
  readonly derived?: true;
  /** In words where there are some, else as it is written. */
  readonly was?: string;
  readonly now?: string;
  /** Keys that differ beside what the words say. */
  readonly keys: readonly { readonly key: string; readonly was?: string; readonly now?: string }[];
}

interface Written {
  readonly kind: string;
  readonly name: string;
  readonly of?: string;
  readonly value: unknown;
  /** What is said of it. */
  readonly words?: string;
}

const GROUPS = {
  sources: 'source',
  rates: 'rate',
  formulas: 'formula',
  windows: 'window',
  comparisons: 'comparison',
  alerts: 'alert',
  questions: 'question',
} as const;
const IN_FACTS = { dates: 'date', columns: 'column', links: 'link', bands: 'band', measures: 'measure' } as const;
const SETTINGS = ['name', 'timeZone', 'locale', 'asOf'] as const;

type Entries = Readonly<Record<string, unknown>>;
const entriesOf = (value: unknown): [string, unknown][] => Object.entries((value ?? {}) as Entries);

/** Everything that a model defines, each by what tells it from everything else. */
const writtenIn = (model: Model): ReadonlyMap<string, Written> => {
  const { input } = model;
  const values = definedValues(model, model.locale);
  const found: Written[] = [];
  const words = (kind: string, name: string): string | undefined => {
    if (kind === 'measure' || kind === 'formula') {
      const value = values.get(name);
      return value && `${value.sentence}${value.adds === undefined ? '' : `; ${value.adds}`}`;
    }
    const written = kind === 'window' ? model.windows.get(name)?.text : undefined;
    return written;
  };
  for (const key of SETTINGS) found.push({ kind: 'setting', name: kebab(key), value: input[key] });
  for (const [key, value] of entriesOf(input.calendar)) {
    if (key === 'yearSystems' || key === 'periods')
      for (const [name, own] of entriesOf(value)) found.push({ kind: 'calendar', name, value: own });
    else found.push({ kind: 'calendar', name: kebab(key), value });
  }
  for (const [key, kind] of Object.entries(GROUPS))
    for (const [name, value] of entriesOf(input[key as keyof typeof GROUPS])) found.push({ kind, name, value, words: words(kind, name) });
  for (const [name, dimension] of entriesOf(input.dimensions)) {
    const { attributes, ...rest } = dimension as Entries;
    found.push({ kind: 'dimension', name, value: rest });
    for (const [own, value] of entriesOf(attributes)) found.push({ kind: 'attribute', name: own, of: name, value });
  }
  for (const [name, fact] of entriesOf(input.facts)) {
    const rest = Object.fromEntries(entriesOf(fact).filter(([key]) => !Object.hasOwn(IN_FACTS, key)));
    found.push({ kind: 'fact', name, value: rest });
    for (const [key, kind] of Object.entries(IN_FACTS))
      for (const [own, value] of entriesOf((fact as Entries)[key]))
        found.push({ kind, name: own, of: name, value, words: words(kind, own) });
  }
  (input.figures ?? []).forEach((value) => {
    const { reading, at, members = {} } = value;
    found.push({ kind: 'figure', name: [`${reading} at ${at}`, ...Object.values(members).map(String)].join(', '), value });
  });
  return new Map(
    found.filter(({ value }) => value !== undefined).map((written) => [JSON.stringify([written.kind, written.of, written.name]), written]),
  );
};

/** On one line, without the quotes that JSON needs. */
const shown = (value: unknown): string =>
  typeof value === 'string'
    ? value
    : stableText(value)
        .replace(/"([a-z][\w-]*)":/gi, '$1: ')
        .replaceAll(',', ', ');

const isMap = (value: unknown): value is Entries => typeof value === 'object' && value !== null && !Array.isArray(value);

const keysOf = (was: unknown, now: unknown): DefinitionChange['keys'] => {
  if (!isMap(was) || !isMap(now)) return [];
  const keys = [...new Set([...Object.keys(was), ...Object.keys(now)])];
  return keys
    .filter((key) => stableText(was[key]) !== stableText(now[key]))
    .map((key) => ({
      key: kebab(key),
      ...(was[key] === undefined ? {} : { was: shown(was[key]) }),
      ...(now[key] === undefined ? {} : { now: shown(now[key]) }),
    }));
};

const said = ({ words, value }: Written): string => words ?? shown(value);

const changeOf = (was: Written | undefined, now: Written | undefined): DefinitionChange | undefined => {
  const { kind, name, of } = (was ?? now) as Written;
  const own = { kind, name, ...(of === undefined ? {} : { of }) };
  if (!was || !now) {
    if (now) return { ...own, change: 'added', now: said(now), keys: [] };
    return { ...own, change: 'removed', was: said(was as Written), keys: [] };
  }
  const sameWords = was.words === now.words;
  if (sameWords && stableText(was.value) === stableText(now.value)) return undefined;
  if (stableText(was.value) === stableText(now.value))
    return { ...own, change: 'changed', derived: true, was: said(was), now: said(now), keys: [] };
  const keys = keysOf(was.value, now.value);
  // What the words say is said once; other keys stand below them.
  const plain = keys.length === 0 || (was.words !== undefined && !sameWords);
  return {
    ...own,
    change: 'changed',
    ...(plain ? { was: said(was), now: said(now) } : {}),
    keys: was.words !== undefined && !sameWords ? keys.filter(({ key }) => TOLD.has(key)) : keys,
  };
};

/** Keys that no sentence tells. */
const TOLD = new Set(['label', 'description', 'owner', 'format', 'better', 'empty']);

/** What is defined differently in two models, in the order of the new one; what is gone stands last. */
export const definitionChanges = (old: Model, now: Model): readonly DefinitionChange[] => {
  const [before, after] = [writtenIn(old), writtenIn(now)];
  const keys = [...after.keys(), ...[...before.keys()].filter((key) => !after.has(key))];
  return keys.flatMap((key) => changeOf(before.get(key), after.get(key)) ?? []);
};

/** The parts of a model by what their change is called: its calendar, where its rows are, and all that it defines. */
export const factorsOf = ({ calendar, timeZone, locale, sources, ...rest }: ModelInput) => {
  const { name: _, figures: __, questions: ___, alerts: ____, asOf, $schema: _____, includes: ______, ...definition } = rest;
  return {
    calendar: stableText({ calendar, timeZone, locale }),
    data: stableText(sources ?? {}),
    definition: stableText(definition),
    asOf: asOf ?? 'latest',
  };
};

/** A model of the definitions, calendar and sources of two: what only one of them has is there as well. */
export const mixedInput = (definition: ModelInput, calendar: ModelInput, sources: ModelInput): ModelInput => {
  const { figures: _, questions: __, alerts: ___, ...rest } = definition;
  return {
    ...rest,
    calendar: calendar.calendar,
    timeZone: calendar.timeZone,
    locale: calendar.locale,
    ...(definition.sources || calendar.sources || sources.sources
      ? { sources: { ...definition.sources, ...calendar.sources, ...sources.sources } }
      : {}),
  };
};
