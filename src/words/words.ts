// The fixed words of answers, by language (R5). A further language is one file beside `en.ts` and `de.ts`, and its line below.
import type { Words } from './language.ts';
import type { NoteOf } from './notes.ts';

export type { Words } from './language.ts';

export type { LimitKind, NoteCode, NoteOf } from './notes.ts';

/** Each language is loaded when something is first said in it. A further one is a file beside these, and a line here. */
const LANGUAGES: Readonly<Record<string, () => Promise<Words>>> = {
  en: async () => (await import('./en.ts')).en,
  de: async () => (await import('./de.ts')).de,
};
/** What is said where a language has no words of its own. */
const FALLBACK = 'en';

/** Languages that answers can be given in. */
export const languages = (): readonly string[] => Object.keys(LANGUAGES);

const languageOf = (locale: string): string => {
  const [language] = locale.toLowerCase().split(/[-_]/);
  return Object.hasOwn(LANGUAGES, language) ? language : FALLBACK;
};

const loaded = new Map<string, Words>();

const load = async (language: string): Promise<Words> => {
  const words = loaded.get(language) ?? (await LANGUAGES[language]());
  loaded.set(language, words);
  return words;
};

/** Loads the words of a locale (BCP 47), those of its language, and beside them the English ones, which some texts always are in. */
export const loadWords = async (locale: string): Promise<Words> => {
  const [words] = await Promise.all([load(languageOf(locale)), load(FALLBACK)]);
  return words;
};

/** The words of a locale that have been loaded before. */
export const wordsOf = (locale: string): Words => {
  const words = loaded.get(languageOf(locale)) ?? loaded.get(FALLBACK);
  if (!words) throw new Error(`the words of ${locale} have not been loaded`);
  return words;
};

/** Makes the words of languages known at once, for what cannot wait. */
export const knowWords = (words: Readonly<Record<string, Words>>): void => {
  for (const [language, own] of Object.entries(words)) loaded.set(language, own);
};

/** A note in words. */
export const noteText = (note: NoteOf, { notes }: Words): string => (notes[note.code] as (details: NoteOf) => string)(note);
