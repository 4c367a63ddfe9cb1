// Gathers what a dictionary needs of a model and, where it can be opened, of its data.
import type { Book } from '../book/types.ts';
import { localeOf } from '../plan/question.ts';
import { loadWords } from '../words/words.ts';
import { type Dictionary, dictionaryOf } from './dictionary.ts';

/**
 * The dictionary of an open model: every name in words, windows and comparisons with their days at the as-of date, in a
 * language (BCP 47; the model's own when left out, R5). `asOf` is a date or point; the model's own when left out (A1). Figures cover
 * all rows, so they are omitted under fixed filters (V3).
 */
export const dictionaryFor = async (
  book: Pick<Book, 'model' | 'isFiltered' | 'windows' | 'calendar' | 'asOf'>,
  options: { readonly locale?: string; readonly asOf?: string } = {},
): Promise<Dictionary> => {
  const { model } = book;
  const locale = localeOf(model, options.locale);
  await loadWords(locale);
  const at = options.asOf === undefined ? {} : { at: [options.asOf] };
  const spans = await book.windows({ ...at, locale });
  const found = dictionaryOf(model, { spans, calendar: await book.calendar(), asOf: await book.asOf(options.asOf), locale });
  return book.isFiltered ? { ...found, figures: [] } : found;
};
