// All languages at once, for what draws and writes without waiting.
import { de } from './de.ts';
import { en } from './en.ts';
import { wordsOf as known, knowWords, type Words } from './words.ts';

export * from './words.ts';

/** The words of a locale, whether or not they were asked for before. */
export const wordsOf = (locale: string): Words => {
  knowWords({ en, de });
  return known(locale);
};
