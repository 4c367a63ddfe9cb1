// Reports: one file that holds sums by day and the program that answers from them.

import { escapeHtml } from '../basics/text.ts';
import { open } from '../book/open.ts';
import type { Engine } from '../engines/engine.ts';
import type { Model } from '../model/model.ts';
import { defineParts } from '../plan/define.ts';
import type { PlainResult } from '../result/types.ts';
import type { ReportData } from './data.ts';
import { reportHtml } from './html.ts';
import { type ReportOptions, reportData } from './make.ts';
import { reportEngine } from './store.ts';

export type { ReportOptions } from './make.ts';

const tableHtml = (result: PlainResult): string => {
  const { header, rows } = result.toTable();
  const line = (cells: readonly string[], tag: string): string =>
    `<tr>${cells.map((cell) => `<${tag}>${escapeHtml(cell)}</${tag}>`).join('')}</tr>`;
  return `<table>${line(header, 'th')}${rows.map(({ cells }) => line(cells, 'td')).join('')}</table>`;
};

/** The answers as asked, for readers whose program runs no scripts; from what the report holds. */
const stillOf = async (data: ReportData): Promise<string> => {
  const model = defineParts([{ written: data.model, locate: () => undefined }]);
  const book = await open(model, reportEngine(data), { clock: () => data.now });
  const parts: string[] = [`<h1>${escapeHtml(model.name)}</h1>`];
  for (const { name, question } of data.questions) {
    const result = await book.ask(question);
    parts.push(`<h2>${escapeHtml(name)}</h2><p>${escapeHtml(result.caption)}</p>${tableHtml(result)}`);
  }
  return parts.join('\n');
};

/**
 * A report over questions of a model, as one HTML file: it opens without a network, and is switched by unit, window, comparison,
 * as-of date, members and language. It holds sums by day, days on which keys were seen, and no rows. What fixed filters
 * (`where`, V3) hide is not in it. More than 5 MB are an error that says what to leave out.
 */
export const report = async (model: Model, engine: Engine, options: ReportOptions): Promise<string> => {
  const data = await reportData(model, engine, options);
  return reportHtml(data, model.name, await stillOf(data));
};
