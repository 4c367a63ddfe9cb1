// `dictionary`: what every name means.
import { extname } from 'node:path';
import { dictionaryFor, dictionaryHtml, dictionaryMarkdown } from '../dictionary/index.ts';
import { DurchblickError } from '../errors.ts';
import { type EngineOptions, oneOf, withBook } from './book.ts';
import { deliver } from './write.ts';

export interface DictionaryOptions extends EngineOptions {
  readonly asOf?: string;
  readonly locale?: string;
  readonly format?: string;
  readonly output?: string;
}

const FORMATS = ['html', 'markdown', 'json'] as const;
const ENDINGS: Readonly<Record<string, (typeof FORMATS)[number]>> = { '.html': 'html', '.htm': 'html', '.md': 'markdown', '.json': 'json' };

/** By option, else by the ending of the file, else Markdown, which reads well on a terminal. */
const formatOf = ({ format, output }: DictionaryOptions): (typeof FORMATS)[number] => {
  if (format !== undefined) return oneOf(format, FORMATS, '--format') as (typeof FORMATS)[number];
  if (output === undefined) return 'markdown';
  const found = ENDINGS[extname(output).toLowerCase()];
  if (found) return found;
  throw new DurchblickError('bad-option', `--output ${output} does not say which format it is`, {
    hint: 'Name it .html, .md or .json, or say --format html, markdown or json.',
  });
};

/** Writes what every name of a model means. */
export const dictionary = async (path: string, options: DictionaryOptions): Promise<number> => {
  const format = formatOf(options);
  const found = await withBook(path, (book) => dictionaryFor(book, options), { ...options, writes: [options.output] });
  const text =
    format === 'html' ? dictionaryHtml(found) : format === 'json' ? `${JSON.stringify(found, null, 2)}\n` : dictionaryMarkdown(found);
  await deliver(text, options.output, format === 'markdown' ? 'words' : 'data');
  return 0;
};
