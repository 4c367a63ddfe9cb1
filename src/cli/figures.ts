// `figures`: numbers to vouch for (V4).
import { counted } from '../basics/text.ts';
import type { Book, FigureOutcome } from '../book/types.ts';
import { placeText } from '../errors.ts';
import { inOneLine } from '../files/yaml-text.ts';
import { kebab } from '../model/keys.ts';
import type { Question } from '../model/schema.ts';
import { filterText } from '../result/names.ts';
import { type Vouched, vouchedFrom } from '../result/vouched.ts';
import { type EngineOptions, oneOf, withBook } from './book.ts';
import { dim, red } from './output.ts';
import { type QuestionOptions, questionOf } from './question.ts';
import { deliver, toStderr } from './write.ts';

export interface FiguresOptions extends QuestionOptions, EngineOptions {
  readonly format?: string;
  readonly output?: string;
}

const numberText = (value: number | null | undefined): string => (value === null || value === undefined ? 'blank' : String(value));

/** A figure in words: the cell, what is vouched for, and what is computed. */
const figureLine = ({ cell, is, found, holds, note, place }: FigureOutcome): string => {
  const { reading, at, by, members = {}, asOf, knownBy } = cell;
  const where = [
    ` at ${at}`,
    by === undefined ? '' : ` by ${by}`,
    ...Object.entries(members).map(([name, member]) => `, ${name} ${member}`),
    cell.where === undefined ? '' : `, where ${filterText(cell.where)}`,
    asOf === undefined ? '' : `, as of ${asOf}`,
    knownBy === undefined ? '' : `, known by ${knownBy}`,
  ].join('');
  const said = note === undefined ? '' : ` (${note})`;
  const at_ = placeText(place);
  return holds
    ? `${dim('holds:')} ${at_}${reading}${where} is ${numberText(found)}${said}\n`
    : `${red('differs:')} ${at_}${reading}${where} is ${numberText(found)}, and ${numberText(is)} is vouched for${said}\n`;
};

export const figuresText = (figures: readonly FigureOutcome[], all: boolean): string => {
  const computed = figures.filter(({ fault }) => fault === undefined);
  const different = computed.filter(({ holds }) => !holds);
  const shown = (all ? computed : different).map(figureLine).join('');
  if (figures.length === 0) return all ? 'no figures are vouched for in this model\n' : '';
  return `${shown}${counted(figures.length, 'figure')}: ${counted(computed.length - different.length, 'holds', 'hold')}, ${counted(different.length, 'differs', 'differ')}${figures.length > computed.length ? `, ${figures.length - computed.length} could not be computed` : ''}\n`;
};

/** A figure as a line of a model. */
const yamlLine = (figure: Vouched): string => {
  const keys = Object.entries(figure).map(([key, value]) => [kebab(key), value] as const);
  return `  - ${inOneLine(Object.fromEntries(keys))}\n`;
};

/** Writes numbers to vouch for from today's answer. */
export const figures = async (path: string, readings: readonly string[], options: FiguresOptions): Promise<number> => {
  const format = oneOf(options.format ?? 'yaml', ['yaml', 'json'], '--format');
  const asked = await questionOf(readings, options, `figures ${path}`);
  const list = await withBook(path, (book) => vouched(book, asked(book.model)), { ...options, writes: [options.output] });
  const text =
    format === 'json'
      ? `${JSON.stringify({ figures: list }, null, 2)}\n`
      : list.length === 0
        ? ''
        : `figures:\n${list.map(yamlLine).join('')}`;
  await deliver(text, options.output, 'data');
  if (list.length === 0) toStderr('no cell of this answer has a number\n');
  return 0;
};

const vouched = async (book: Book, question: Question): Promise<readonly Vouched[]> => {
  const [result, calendar] = [await book.ask(question as never), await book.calendar()];
  return vouchedFrom(result.toJson(), question, (label) => calendar.parse(label)?.unit);
};
