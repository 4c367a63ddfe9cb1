// Tables, colours and messages on a terminal.
import stringWidth from 'string-width';
import { greatest, shownText } from '../basics/text.ts';
import { DurchblickError, describe, rulesCited } from '../errors.ts';
import type { Note } from '../plan/notes.ts';
import type { Mark, PlainResult } from '../result/types.ts';
import { styleOf } from './words.ts';
import { toStderr } from './write.ts';

/** Colours only on a terminal, and never against NO_COLOR. */
const coloured = (stream: NodeJS.WriteStream): boolean => stream.isTTY === true && !process.env.NO_COLOR;
const paint =
  (code: number) =>
  (text: string, stream: NodeJS.WriteStream = process.stdout): string =>
    coloured(stream) ? `${styleOf(code)}${text}${styleOf(0)}` : text;
export const bold = paint(1);
export const dim = paint(2);
export const red = paint(31);
export const green = paint(32);
export const yellow = paint(33);

/** Columns of the terminal; what COLUMNS says, or 100, where there is none. */
export const screenWidth = (): number => process.stdout.columns ?? (Number(process.env.COLUMNS) || 100);

export interface PlainTable {
  readonly header: readonly string[];
  readonly right: readonly boolean[];
  /** `marks` are single characters behind a cell, with their colour. */
  readonly rows: readonly {
    readonly cells: readonly string[];
    readonly marks?: readonly (string | undefined)[];
    readonly strong?: boolean;
  }[];
}

/** Puts words below each other, so that no line is longer than it must be. */
export const wrapped = (text: string, width: number): string[] => {
  const lines: string[] = [];
  for (const word of text.split(' ')) {
    const last = lines[lines.length - 1];
    if (last !== undefined && last.length + 1 + word.length <= width) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
};

const PLAIN = /^[\x20-\x7e]*$/;
/** Columns of the screen that a text takes: most take one a character. */
const widthOf = (text: string): number => (PLAIN.test(text) ? text.length : stringWidth(text));

/** A table for terminals: a header, aligned columns, nothing else. */
export const terminalTable = ({ header, right, rows }: PlainTable): string => {
  // A column with marks leaves room for one behind every cell, so that digits stay aligned.
  const marked = header.map((_, k) => rows.some(({ marks }) => marks?.[k] !== undefined));
  const heads = headerLines(header, rows, marked).map((cells) => ({ cells: cells.map(shownText), strong: true, marks: undefined }));
  const lines = [...heads, ...rows.map(({ cells, marks, strong }) => ({ cells: cells.map(shownText), strong, marks }))];
  const widths = header.map((_, k) => greatest(lines.map(({ cells }) => widthOf(cells[k] ?? ''))));
  const written = lines.map(({ cells, strong, marks }) =>
    header
      .map((_, k) => {
        const text = cells[k] ?? '';
        const painted = strong && text !== '' ? bold(text) : text;
        const mark = marks?.[k];
        const behind = marked[k] ? (mark === undefined ? '  ' : ` ${mark}`) : '';
        const blanks = ' '.repeat(widths[k] - widthOf(text));
        return right[k] ? `${blanks}${painted}${behind}` : `${painted}${behind}${blanks}`;
      })
      .join(' '.repeat(GAP))
      .trimEnd(),
  );
  return `${written.join('\n')}\n`;
};

const GAP = 2;

/** A header in as many lines as it takes for the table to fit the screen; its last lines stand on the numbers. */
const headerLines = (header: readonly string[], rows: PlainTable['rows'], marked: readonly boolean[]): string[][] => {
  const widths = header.map((_, k) => greatest(rows.map(({ cells }) => (cells[k] ?? '').length)) + (marked[k] ? 2 : 0));
  const total = (list: readonly number[]): number => list.reduce((sum, width) => sum + width + GAP, -GAP);
  if (total(header.map((text, k) => Math.max(text.length, widths[k]))) <= screenWidth()) return [[...header]];
  // As wide as the numbers below, and a little wider where there is room.
  const spare = Math.max(0, Math.floor((screenWidth() - total(widths)) / header.length));
  const lines = header.map((text, k) => wrapped(text, Math.max(widths[k], Math.min(text.length, Math.max(8, widths[k] + spare)))));
  const height = greatest(lines.map((list) => list.length));
  return Array.from({ length: height }, (_, line) => lines.map((list) => list[line - (height - list.length)] ?? ''));
};

const EIGHTHS = ['', '▏', '▎', '▍', '▌', '▋', '▊', '▉'];

/** A bar of so many characters for the greatest value; to the eighth of a character. */
const bar = (value: number, most: number, width: number): string => {
  const eighths = Math.round((value / most) * width * 8);
  return '█'.repeat(Math.floor(eighths / 8)) + EIGHTHS[eighths % 8];
};

const [LEAST_BAR, LONGEST_BAR] = [8, 20];

export const resultTable = (result: PlainResult): string => {
  const { header, kinds, rows } = result.toTable('header');
  if (rows.length === 0) return `${header.join('  ')}\n(no rows)\n`;
  const plain: PlainTable = {
    header,
    right: kinds.map((kind) => kind === 'reading'),
    rows: rows.map(({ kind, cells, marks }) => ({
      cells,
      marks: marks.map((mark) => (mark ? colourOf(mark)(arrow(mark)) : undefined)),
      strong: kind === 'total',
    })),
  };
  return withBars(plain, result, kinds.indexOf('reading'));
};

/** On a terminal with room the first reading gets bars beside its numbers. */
const withBars = (table: PlainTable, result: PlainResult, column: number): string => {
  const text = terminalTable(table);
  const lines = text.trimEnd().split('\n');
  const width = greatest(lines.map((line) => line.replace(/\u001b\[[\d;]+m/g, '').length));
  const values = result.rows.map((row) => row[column]);
  const numbers = values.filter((value): value is number => typeof value === 'number');
  const room = Math.min(LONGEST_BAR, screenWidth() - width - GAP);
  const fits = process.stdout.isTTY === true && room >= LEAST_BAR;
  if (!fits || column < 0 || numbers.length < 3 || numbers.some((value) => value < 0) || result.totals.length > 0) return text;
  const most = greatest(numbers);
  if (most <= 0) return text;
  const head = lines.length - result.rows.length;
  return `${lines
    .map((line, k) => {
      const value = values[k - head];
      const shown = line.replace(/\u001b\[[\d;]+m/g, '').length;
      return k < head || typeof value !== 'number' ? line : `${line}${' '.repeat(width - shown + GAP)}${dim(bar(value, most, room))}`;
    })
    .join('\n')}\n`;
};

/** Which way a value breaks its bound; the shape says it without the colour. */
export const arrow = ({ direction }: Pick<Mark, 'direction'>): string => (direction === 'low' ? '▼' : '▲');
const colourOf = ({ verdict }: Mark) => (verdict === 'bad' ? red : verdict === 'good' ? green : bold);

/** Notes in plain words, one a line. */
export const noteLines = (notes: readonly Note[]): string => {
  const rules = rulesCited(notes.map(({ message }) => message).join(' '));
  return [...notes.map(({ message }) => `  · ${shownText(message)}\n`), ...rules.map((line) => `    ${line}\n`)].join('');
};

/** Bytes do not belong on a terminal. */
export const needsFile = (format: string, name: string): never => {
  throw new DurchblickError('bad-option', `--format ${format} needs a file to write to`, {
    hint: `For example --output ${name}.${format}.`,
  });
};

/** So many faults of one model or question are told at once. */
const MOST_FAULTS = 5;

/** 0 done; 1 the run failed; 2 the request or the model is wrong. */
export const exitCodeOf = (error: unknown): number => (error instanceof DurchblickError && error.kind === 'request' ? 2 : 1);

/** Says what went wrong, without a stack trace. */
export const report = (error: unknown): void => {
  if (error instanceof DurchblickError) {
    // `all` has the error itself in it, or stands for it.
    const faults = error.all.length > 1 ? error.all : [error];
    for (const fault of faults.slice(0, MOST_FAULTS)) toStderr(`${red('error:', process.stderr)} ${describe(fault)}\n`);
    const more = faults.length - MOST_FAULTS;
    if (more > 0)
      toStderr(`and ${more} more${error.place?.file === undefined ? '' : `: npx durchblick check ${error.place.file} lists them all`}\n`);
    return;
  }
  toStderr(`${red('error:', process.stderr)} ${(error as Error).message}\nThis is a fault in Durchblick itself; please report it.\n`);
};
