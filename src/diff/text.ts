// A comparison of two models as text: what is defined differently, then which numbers differ and why.
import { counted } from '../basics/text.ts';
import { plainNumber } from '../result/format.ts';
import type { DefinitionChange } from './definitions.ts';
import type { CellDifference, DiffReport, QuestionDifference, ReadingDifference } from './report.ts';

/** How words are set off, where they can be. */
export interface Paint {
  readonly strong: (text: string) => string;
  readonly quiet: (text: string) => string;
  /** A long text in as many lines as it takes beside an indent. */
  readonly lines: (text: string, indent: number) => readonly string[];
}

const PLAIN: Paint = { strong: (text) => text, quiet: (text) => text, lines: (text) => [text] };

const definitionLines = ({ kind, name, of, change, was, now, keys }: DefinitionChange, { strong, lines }: Paint): string[] => {
  /** A text behind its first word, and what is left of it below. */
  const told = (head: string, text: string): string[] =>
    lines(text, head.length).map((line, k) => `${k === 0 ? head : ' '.repeat(head.length)}${line}`);
  const head = `${change} ${strong(`${kind} ${name}`)}${of === undefined ? '' : ` of ${of}`}`;
  if (change !== 'changed') return [head, ...told('    ', (change === 'added' ? now : was) ?? '')];
  return [
    head,
    ...(was === undefined && now === undefined ? [] : [...told('    was  ', was ?? 'nothing'), ...told('    now  ', now ?? 'nothing')]),
    ...keys.flatMap(({ key, was: before, now: after }) => told(`    ${key}: `, `${before ?? 'nothing'} → ${after ?? 'nothing'}`)),
  ];
};

/** Without the digits that doubles add. */
const rounded = (value: number): string => plainNumber(Number(value.toPrecision(12)));
const shown = (value: number | null): string => (value === null ? 'blank' : rounded(value));

const between = ({ was, now }: CellDifference): string => {
  if (was === null || now === null) return '';
  // Not one digit more than the numbers have.
  const decimals = Math.min(12, Math.max(...[was, now].map((value) => rounded(value).split('.')[1]?.length ?? 0)));
  const difference = Number((now - was).toFixed(decimals));
  return `${difference > 0 ? '+' : ''}${rounded(difference)}`;
};

/** Lines with their fields below each other; numbers stand on the right. */
const aligned = (rows: readonly (readonly string[])[], right: (column: number) => boolean): string[] => {
  const widths = (rows[0] ?? []).map((_, k) => Math.max(...rows.map((row) => row[k].length)));
  return rows.map((row) =>
    row
      .map((text, k) => (right(k) ? text.padStart(widths[k]) : text.padEnd(widths[k])))
      .join('  ')
      .trimEnd(),
  );
};

const readingLines = ({ reading, cells, differing, why }: ReadingDifference, most: number, { strong, quiet }: Paint): string[] => {
  if (differing.length === 0) return [`  ${strong(reading)}: ${counted(cells, 'cell')}, all the same`];
  const members = Object.keys(differing[0].members).length;
  const rows = differing
    .slice(0, most)
    .map((cell) => [cell.period, ...Object.values(cell.members), shown(cell.was), '→', shown(cell.now), between(cell)]);
  const more = differing.length - most;
  return [
    `  ${strong(reading)}: ${differing.length.toLocaleString('en')} of ${counted(cells, 'cell')} ${differing.length === 1 ? 'differs' : 'differ'}`,
    ...why.map(({ text, cells: own }) => `    because ${text}${quiet(` (${counted(own, 'cell')})`)}`),
    ...aligned(rows, (column) => column === members + 1 || column >= members + 3).map((line) => `    ${line}`),
    ...(more > 0 ? [quiet(`    and ${more.toLocaleString('en')} more`)] : []),
  ];
};

const questionLines = ({ question, readings, oneSided }: QuestionDifference, most: number, paint: Paint): string[] => [
  paint.strong(question),
  ...oneSided.map(({ reading, only, problem }) => `  ${paint.strong(reading)}: in the ${only} model alone: ${problem}`),
  ...readings.flatMap((reading) => readingLines(reading, most, paint)),
];

/** `most`: so many differing cells of a reading are listed, the largest first. */
export const diffText = (report: DiffReport, most: number, paint: Paint = PLAIN): string => {
  const { definitions, questions, same } = report;
  if (same) return `nothing differs: ${counted(questions.length, 'question')} asked on both sides\n`;
  const own = definitions.filter(({ derived }) => !derived);
  const derived = definitions.filter((change) => change.derived).map(({ name }) => name);
  const derivedLines = derived.length === 0 ? [] : [`changed with them: ${derived.join(', ')}`];
  const sections = [
    definitions.length === 0
      ? ['nothing is defined differently']
      : [...own.flatMap((change) => definitionLines(change, paint)), ...derivedLines],
    ...questions.map((question) => questionLines(question, most, paint)),
  ];
  return `${sections.map((lines) => lines.join('\n')).join('\n\n')}\n`;
};
