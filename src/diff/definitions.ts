// What two models define differently, in the words of the dictionary.
import { stableText } from '../basics/fingerprint.ts';
import { definedValues } from '../dictionary/dictionary.ts';
import { kebab } from '../model/keys.ts';
import type { Model } from '../model/model.ts';
import type { ModelInput } from '../model/schema.ts';
import { entriesOf, type Thing, thingsOf } from '../model/things.ts';

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

interface Written extends Pick<Thing, 'kind' | 'name' | 'of' | 'written'> {
  /** What is said of it. */
  readonly words?: string;
}

const SETTINGS = ['name', 'timeZone', 'locale', 'asOf'] as const;

/** Everything that a model defines, each by what tells it from everything else. */
const writtenIn = (model: Model): ReadonlyMap<string, Written> => {
  const { input } = model;
  const values = definedValues(model, model.locale);
  const words = (kind: string, name: string): string | undefined => {
    if (kind === 'window') return model.windows.get(name)?.text;
    const value = kind === 'measure' || kind === 'formula' ? values.get(name) : undefined;
    return value && `${value.sentence}${value.adds === undefined ? '' : `; ${value.adds}`}`;
  };
  const found: Written[] = SETTINGS.map((key) => ({ kind: 'setting', name: kebab(key), written: input[key] }));
  for (const [key, value] of entriesOf(input.calendar)) {
    if (key === 'yearSystems' || key === 'periods')
      for (const [name, written] of entriesOf(value)) found.push({ kind: 'calendar', name, written });
    else found.push({ kind: 'calendar', name: kebab(key), written: value });
  }
  for (const thing of thingsOf(input)) found.push({ ...thing, words: words(thing.kind, thing.name) });
  (input.figures ?? []).forEach((value) => {
    const { reading, at, members = {} } = value;
    found.push({ kind: 'figure', name: [`${reading} at ${at}`, ...Object.values(members).map(String)].join(', '), written: value });
  });
  return new Map(found.filter(({ written }) => written !== undefined).map((own) => [JSON.stringify([own.kind, own.of, own.name]), own]));
};

/** On one line, without the quotes that JSON needs. */
const shown = (value: unknown): string =>
  typeof value === 'string'
    ? value
    : stableText(value)
        .replace(/"([a-z][\w-]*)":/gi, '$1: ')
        .replaceAll(',', ', ');

const isMap = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

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

const said = ({ words, written }: Written): string => words ?? shown(written);

const changeOf = (was: Written | undefined, now: Written | undefined): DefinitionChange | undefined => {
  const { kind, name, of } = (was ?? now) as Written;
  const own = { kind, name, ...(of === undefined ? {} : { of }) };
  if (!was || !now) {
    if (now) return { ...own, change: 'added', now: said(now), keys: [] };
    return { ...own, change: 'removed', was: said(was as Written), keys: [] };
  }
  const sameWords = was.words === now.words;
  if (sameWords && stableText(was.written) === stableText(now.written)) return undefined;
  if (stableText(was.written) === stableText(now.written))
    return { ...own, change: 'changed', derived: true, was: said(was), now: said(now), keys: [] };
  const keys = keysOf(was.written, now.written);
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
