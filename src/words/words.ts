// The fixed words of answers, by language (R5). A further language is one file beside `en.ts` and `de.ts`, and its line below.
import type { Form } from '../language/syntax.ts';
import { de } from './de.ts';
import { en } from './en.ts';
import type { LimitKind, NoteOf, NoteTexts } from './notes.ts';
import type { Phrases } from './phrases.ts';

export type { LimitKind, NoteCode, NoteOf } from './notes.ts';

export interface Words {
  /** Heads the column of periods, and its tooltips. */
  readonly period: string;
  readonly total: string;
  readonly others: string;
  /** `against` holds days of two stretches beside each other. */
  readonly against: (own: string, other: string) => string;
  /** How things stood on a day, and what was known on it, behind days in words. */
  readonly stoodOn: (day: string) => string;
  readonly knownOn: (day: string) => string;
  readonly asOf: (day: string) => string;
  readonly until: (day: string) => string;
  /** Heads of tooltips: of a reading's name, its value, the days it covers and those it is held against. */
  readonly reading: string;
  readonly value: string;
  readonly days: string;
  readonly compared: string;
  readonly limit: (kind: LimitKind, value: string) => string;
  /** A built-in window, by its name; undefined where it is none. */
  readonly window: (name: string) => string | undefined;
  /** A built-in comparison. */
  readonly comparison: (name: string) => string | undefined;
  /** A reading held against another time, in a form. */
  readonly form: (comparison: string, form: Form) => string;
  readonly acrossAll: string;
  readonly acrossTime: string;
  readonly across: (attributes: readonly string[]) => string;
  /** An attribute that every model has; undefined where it goes by its name. */
  readonly attribute: (name: string) => string | undefined;
  readonly phrases: Phrases;
  readonly notes: NoteTexts;
}

const LANGUAGES: Readonly<Record<string, Words>> = { en, de };

/** Languages that answers can be given in. */
export const languages = (): readonly string[] => Object.keys(LANGUAGES);

/** The words of a locale (BCP 47): those of its language, else English ones. */
export const wordsOf = (locale: string): Words => {
  const [language] = locale.toLowerCase().split(/[-_]/);
  return Object.hasOwn(LANGUAGES, language) ? LANGUAGES[language] : en;
};

/** A note in words. */
export const noteText = (note: NoteOf, { notes }: Words): string => (notes[note.code] as (details: NoteOf) => string)(note);

/** A text, or one by language. */
export type Texts = string | Readonly<Record<string, string>>;

/** A locale and those it falls back to, from the narrowest: `de-AT`, `de`. */
const chain = (locale: string): string[] => {
  const steps = locale.toLowerCase().split('-');
  return steps.map((_, k) => steps.slice(0, steps.length - k).join('-'));
};

/**
 * The text of a locale: its own, that of its language, else that of the model's locale; undefined where there is none of
 * these (R5).
 */
export const textIn = (texts: Texts | undefined, locale: string, own: string): string | undefined => {
  if (typeof texts === 'string' || texts === undefined) return texts;
  const known = new Map(Object.entries(texts).map(([tag, text]) => [tag.toLowerCase(), text]));
  return [...chain(locale), ...chain(own)].map((tag) => known.get(tag)).find((text) => text !== undefined);
};

/** Whether a map of texts has one for a locale, its own or its language's. */
export const speaks = (texts: Texts, locale: string): boolean => {
  if (typeof texts === 'string') return true;
  const known = new Set(Object.keys(texts).map((tag) => tag.toLowerCase()));
  return chain(locale).some((tag) => known.has(tag));
};
