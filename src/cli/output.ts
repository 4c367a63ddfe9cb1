import { writeFile } from 'node:fs/promises';
import Table from 'cli-table3';
import { DurchblickError, describe } from '../errors.ts';
import type { Note } from '../evaluate/notes.ts';
import type { Mark, Result } from '../result/result.ts';

/** Colours only on a terminal, and never against NO_COLOR. */
const coloured = (stream: NodeJS.WriteStream): boolean => stream.isTTY === true && !process.env.NO_COLOR;
const paint =
  (code: number) =>
  (text: string, stream: NodeJS.WriteStream = process.stdout): string =>
    coloured(stream) ? `\u001b[${code}m${text}\u001b[0m` : text;
export const bold = paint(1);
export const dim = paint(2);
export const red = paint(31);
export const green = paint(32);

/** Columns of the terminal; 100 where there is none. */
export const screenWidth = (): number => process.stdout.columns ?? 100;

const BARE = {
  top: '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  bottom: '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  left: '',
  'left-mid': '',
  mid: '',
  'mid-mid': '',
  right: '',
  'right-mid': '',
  middle: '  ',
};

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

/** Control characters in names must not reach the terminal. */
const clean = (text: string): string => text.replace(/[\u0000-\u001f\u007f-\u009f]/g, '·');

/** A table for terminals: a header, a rule, aligned columns, nothing else. */
export const terminalTable = ({ header, right, rows }: PlainTable): string => {
  const table = new Table({
    chars: BARE,
    style: { head: [], border: [], 'padding-left': 0, 'padding-right': 0, compact: true },
    colAligns: right.map((isRight) => (isRight ? 'right' : 'left')),
  });
  // A column with marks leaves room for one behind every cell, so that digits stay aligned.
  const marked = header.map((_, k) => rows.some(({ marks }) => marks?.[k] !== undefined));
  const room = (k: number): string => (marked[k] ? '  ' : '');
  table.push(header.map((text, k) => `${bold(clean(text))}${room(k)}`));
  for (const { cells, marks, strong } of rows) {
    const cell = (text: string): string => (strong ? bold(clean(text)) : clean(text));
    table.push(cells.map((text, k) => `${cell(text)}${marks?.[k] === undefined ? room(k) : ` ${marks[k]}`}`));
  }
  return `${table
    .toString()
    .split('\n')
    .map((line) => line.trimEnd())
    .join('\n')}\n`;
};

export const resultTable = (result: Result): string => {
  const { header, kinds, rows } = result.toTable();
  if (rows.length === 0) return `${header.join('  ')}\n(no rows)\n`;
  return terminalTable({
    header,
    right: kinds.map((kind) => kind === 'reading'),
    rows: rows.map(({ kind, cells, marks }) => ({
      cells,
      marks: marks.map((mark) => mark && colourOf(mark)(arrow(mark))),
      strong: kind === 'total',
    })),
  });
};

/** Which way a value breaks its bound; the shape says it without the colour. */
export const arrow = ({ direction }: Pick<Mark, 'direction'>): string => (direction === 'low' ? '▼' : '▲');
const colourOf = ({ verdict }: Mark) => (verdict === 'bad' ? red : verdict === 'good' ? green : bold);

/** Notes in plain words, one a line. */
export const noteLines = (notes: readonly Note[]): string => notes.map(({ message }) => `  · ${clean(message)}\n`).join('');

export const toStderr = (text: string): void => void process.stderr.write(text);

/** Writes text to a file, or to stdout; resolves when it is out, so that pipes are not cut short. */
export const deliver = async (content: string | Uint8Array, file: string | undefined): Promise<void> => {
  if (file !== undefined) {
    try {
      await writeFile(file, content);
    } catch (error) {
      throw new DurchblickError('no-file', `cannot write ${file} (${(error as NodeJS.ErrnoException).code})`, { kind: 'engine' });
    }
    toStderr(`wrote ${file}\n`);
    return;
  }
  await new Promise<void>((resolve, reject) => {
    process.stdout.write(content, (error) => (error ? reject(error) : resolve()));
  });
};

/** Bytes do not belong on a terminal. */
export const needsFile = (format: string, name: string): never => {
  throw new DurchblickError('bad-option', `--format ${format} needs a file to write to`, {
    hint: `For example --output ${name}.${format}.`,
  });
};

/** 0 done; 1 the run failed; 2 the request or the model is wrong. */
export const exitCodeOf = (error: unknown): number => (error instanceof DurchblickError && error.kind === 'request' ? 2 : 1);

/** Says what went wrong, without a stack trace. */
export const report = (error: unknown): void => {
  if (error instanceof DurchblickError) {
    toStderr(`${red('error:', process.stderr)} ${describe(error)}\n`);
    if (error.all.length > 1) toStderr(`(and ${error.all.length - 1} more: \`durchblick check\` lists them all)\n`);
    return;
  }
  toStderr(`${red('error:', process.stderr)} ${(error as Error).message}\nThis is a fault in Durchblick itself; please report it.\n`);
};
