// Texts of a model by language, and which of them a locale takes (R5).

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
