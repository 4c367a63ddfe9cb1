// `explain`: why one number is what it is.
import type { ExplainRequest } from '../book/types.ts';
import { DurchblickError } from '../errors.ts';
import type { ExplainedPart } from '../evaluate/explain.ts';
import { whereOf } from '../plan/question-texts.ts';
import { type Explanation, partWords } from '../result/explained.ts';
import { formatter } from '../result/format.ts';
import { type EngineOptions, oneOf, withBook } from './book.ts';
import { bold, dim, noteLines, screenWidth, terminalTable } from './output.ts';
import { deliver } from './write.ts';

export interface ExplainOptions extends EngineOptions {
  readonly at?: string;
  readonly by?: string;
  readonly member?: readonly string[];
  readonly where?: readonly string[];
  readonly asOf?: string;
  readonly knownBy?: string;
  readonly locale?: string;
  readonly rows: string;
  readonly format: string;
  readonly output?: string;
}

const fail = (message: string, hint: string): never => {
  throw new DurchblickError('bad-option', message, { hint });
};

const membersOf = (texts: readonly string[] = []): Record<string, string> =>
  Object.fromEntries(
    texts.map((text) => {
      const at = text.indexOf('=');
      return at > 0
        ? [text.slice(0, at).trim(), text.slice(at + 1).trim()]
        : fail(`--member "${text}" is no member`, "Write 'region=North'.");
    }),
  );

const rowsTable = ({ rows }: ExplainedPart, indent: string): string => {
  if (!rows || rows.first.length === 0) return '';
  const cells = rows.first.map((row) => rows.columns.map((_, k) => String(row[k] ?? '')));
  const widths = rows.columns.map((name, k) => Math.max(name.length, ...cells.map((row) => row[k].length)) + 2);
  // As many columns as fit, with room to say how many more there are.
  let [shown, taken] = [0, indent.length + 4];
  while (shown < widths.length && taken + widths[shown] <= screenWidth() - (shown + 1 < widths.length ? 12 : 0)) taken += widths[shown++];
  const more = rows.columns.length - shown;
  const header = [...rows.columns.slice(0, shown), ...(more > 0 ? [`and ${more} more`] : [])];
  const table = terminalTable({
    header,
    right: header.map((_, k) => k < shown && rows.first.every((row) => typeof (row[k] ?? 0) === 'number')),
    rows: cells.map((row) => ({ cells: header.map((_, k) => (k < shown ? row[k] : '')) })),
  });
  const rest = rows.count - rows.first.length;
  return `${table.replace(/^(?=.)/gm, `${indent}    `)}${rest > 0 ? `${indent}    and ${rest.toLocaleString('en')} more\n` : ''}`;
};

/** Plain words first, then each part with its number, days and rows. */
const written = (found: Explanation): string => {
  const { locale } = found;
  const members = Object.entries(found.members).map(([name, text]) => `, ${name} ${text}`);
  const plain = formatter({ maximumFractionDigits: 6 }, locale);
  const head = `${found.reading} is ${found.text === '' ? 'blank' : found.text} in ${found.period}${members.join('')}, as of ${found.asOf}`;
  const lines = [
    bold(head),
    ...(found.caption ? [dim(found.caption)] : []),
    ...(found.formula ? [`${found.reading} = ${found.formula}`] : []),
    '',
  ];
  const parts = found.parts.map((part) => {
    const indent = '  '.repeat(part.depth);
    const value = part.value === null ? 'blank' : plain(part.value);
    const title = `${indent}${bold(part.expression)}${part.comparison ? ` at the time of ${part.comparison.name}` : ''} = ${value}`;
    const words = partWords(part, locale).map((line) => `${indent}  · ${line}`);
    return `${[title, ...words].join('\n')}\n${rowsTable(part, indent)}`;
  });
  return `${lines.join('\n')}\n${parts.join('')}${found.notes.length > 0 ? `\n${noteLines(found.notes)}` : ''}`;
};

/** Says why one number is what it is. */
export const explain = async (path: string, reading: string, options: ExplainOptions): Promise<number> => {
  const format = oneOf(options.format, ['text', 'json'], '--format');
  const at = options.at ?? fail('--at is missing', 'Name the period of the cell: --at 2026-05, or a window: --at mtd.');
  if (!/^\d+$/.test(options.rows)) fail(`--rows is "${options.rows}"`, 'It takes a whole number from 0.');
  const request: ExplainRequest = {
    reading,
    at,
    members: membersOf(options.member),
    rows: Number(options.rows),
    ...(options.by === undefined ? {} : { by: options.by }),
    ...(options.where ? { where: whereOf(options.where) } : {}),
    ...(options.asOf === undefined ? {} : { asOf: options.asOf }),
    ...(options.knownBy === undefined ? {} : { knownBy: options.knownBy }),
    ...(options.locale === undefined ? {} : { locale: options.locale }),
  };
  const found = await withBook(path, (book) => book.explain(request), { ...options, writes: [options.output] });
  await deliver(
    format === 'json' ? `${JSON.stringify(found, null, 2)}\n` : written(found),
    options.output,
    format === 'json' ? 'data' : 'words',
  );
  return 0;
};
