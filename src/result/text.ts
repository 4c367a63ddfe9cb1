// Fields and tables as CSV and Markdown have them.
import { shownText } from '../basics/text.ts';

/** A field of CSV (RFC 4180): quoted where it has to be. What a spreadsheet would run as a formula is kept as it is; see `defused`. */
export const csvField = (text: string): string =>
  /[",\r\n]/.test(text) || text !== text.trim() ? `"${text.replaceAll('"', '""')}"` : text;

/** Texts that a spreadsheet would run as formulas, or take for something else than texts. */
const RUNS = /^[=+\-@\t\r]/;

/** The same text with an apostrophe before it, which spreadsheets take as "this is text" and do not run. */
export const defused = (text: string): string => (RUNS.test(text) ? `'${text}` : text);

export const csvLine = (fields: readonly string[]): string => `${fields.map(csvField).join(',')}\r\n`;

/** A text as a field of a Markdown table: what would steer a terminal or end the row is a dot. */
export const markdownField = (text: string): string =>
  shownText(text).replaceAll('\\', '\\\\').replaceAll('|', '\\|').replaceAll('<', '&lt;');

/** A GitHub-flavoured Markdown table; columns listed in `right` are aligned to the right. */
export const markdownTable = (
  header: readonly string[],
  rows: readonly (readonly string[])[],
  right: (column: number) => boolean = () => false,
): string => {
  const lines = [
    header.map(markdownField),
    header.map((_, k) => (right(k) ? '---:' : '---')),
    ...rows.map((row) => row.map(markdownField)),
  ];
  return `${lines.map((line) => `| ${line.join(' | ')} |`).join('\n')}\n`;
};
