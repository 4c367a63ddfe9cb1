// What the names of a model mean, as a page, as Markdown and as plain data.
export type { Defined, DefinedSpan, DefinedValue, DefinedYears, Dictionary } from './dictionary.ts';
export { dictionaryHtml } from './html.ts';
export { dictionaryMarkdown } from './markdown.ts';
export type { Origin } from './origins.ts';
export { dictionaryFor } from './read.ts';
