// A question from options, or from a file.
import { readFile } from 'node:fs/promises';
import { type Command, Option } from 'commander';
import { DurchblickError } from '../errors.ts';
import { missingFile } from '../files/missing.ts';
import { camel } from '../model/keys.ts';
import type { Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { questionNamed } from '../plan/question.ts';
import { type QuestionTexts, questionFromTexts } from '../plan/question-texts.ts';

/** Options that make up a question, as commander hands them over. */
export interface QuestionOptions extends QuestionTexts {
  readonly question?: string;
}

const fail = (message: string, hint: string): never => {
  throw new DurchblickError('bad-option', message, { hint });
};

const LONE = new Set(['over', 'vs', 'on', 'across', 'as']);

/** A reading with blanks that the shell has taken apart, put together again for the message. */
const checkSplit = (readings: readonly string[], command: string): void => {
  if (!readings.some((text) => LONE.has(text))) return;
  const together = readings.join(' ');
  fail('the shell has split a reading at its blanks', `Put it in quotes: npx durchblick ${command} '${together}'`);
};

/** The question in a JSON file. */
const fromFile = async (path: string): Promise<Question> => {
  let text: string;
  try {
    text = await readFile(path, 'utf8');
  } catch (error) {
    throw await missingFile(error, {
      path,
      what: 'the question',
      inFolder: 'Name a JSON file in it, for example with {"show": ["revenue"], "by": "month"}.',
    });
  }
  try {
    return JSON.parse(text) as Question;
  } catch (error) {
    throw new DurchblickError('bad-json', `${path} is not JSON: ${(error as Error).message}`, {
      hint: 'For example {"show": ["revenue"], "by": "month"}.',
    });
  }
};

/** What names a question of a model, and no file: a file has an ending, or a folder before it. */
const NAME = /^[a-z][a-z0-9-]*$/;

/**
 * The question of readings and options, once the model is known: that of a file, or one that the model has a name for, with
 * what is said beside it in the place of its own.
 */
export const questionOf = async (
  readings: readonly string[],
  options: QuestionOptions,
  command: string,
): Promise<(model: Model) => Question> => {
  const { question: source } = options;
  if (source === undefined && readings.length === 0)
    fail('there is no reading to answer', `For example: npx durchblick ${command} revenue --by month`);
  checkSplit(readings, command);
  const own = questionFromTexts(readings, options);
  if (source === undefined) return () => own as Question;
  if (NAME.test(source)) return (model) => ({ ...questionNamed(model, source), ...own });
  const written = await fromFile(source);
  return () => (Object.keys(own).length === 0 ? written : overridden(written, own));
};

/** A question of a file under options. What is no question stays what it is, for its own error. */
const overridden = (written: Question, own: Partial<Question>): Question =>
  typeof written === 'object' && written !== null && !Array.isArray(written)
    ? {
        ...(Object.fromEntries(Object.entries(written).filter(([key]) => !Object.hasOwn(own, camel(key)))) as object),
        ...(own as Question),
      }
    : written;

const collect = (value: string, previous: string[] = []): string[] => [...previous, value];
/** Of an option that may stand without a value, which is then `true`. */
const collectOr = (value: string, previous?: string[] | true): string[] => [...(Array.isArray(previous) ? previous : []), value];

/** Adds the options of a question to a command. `two sides`: what is seen may differ between them, and there may be several questions. */
export const withQuestion = (command: Command, sides: 'one' | 'two sides' = 'one'): Command => {
  const apart = sides === 'two sides' ? '; two, with a comma between, for the old and the new side' : '';
  const list = (value: string, previous: unknown): string | string[] =>
    sides === 'two sides' ? collect(value, previous as string[] | undefined) : value;
  return command
    .option('--by <unit|windows>', 'a unit (day, week, month, …) or a list of windows (mtd,qtd,ytd; repeatable)', collect)
    .option('--per <attributes>', 'split by attributes: region,family, or by days: weekday, year,month-of-year (repeatable)', collect)
    .option('--range <range>', 'periods or dates, 2026-01/2026-05, or the name of a window')
    .option('--from <date>', 'first period or date of the range')
    .option('--to <date>', 'last period or date of the range, inclusive')
    .option('--as-of <date>', `the last day that may be seen: YYYY-MM-DD, latest, today, yesterday or a point${apart}`, list)
    .option('--known-by <date>', `versions recorded later are not seen${apart}`, list)
    .option('--where <filter>', "'region=North,South', 'family!=Bulbs', 'size=10..20' (repeatable)", collect)
    .addOption(new Option('--gaps <how>', 'periods without data').choices(['show', 'hide']))
    .option('--totals [which]', 'add totals: members, axis or both (repeatable)', collectOr)
    .option('--order <readings>', "sort members, or periods without --per, as in 'revenue desc,orders' (repeatable)", collect)
    .option('--limit <n>', 'keep the first n members')
    .option('--within <attribute>', 'count the limit anew in each member of an attribute that stands before others in --per')
    .option('--rest', 'add a row (others) for the members that --limit and --keep leave out')
    .option('--locale <tag>', 'language of labels and words, and form of numbers: en-GB, de')
    .option(
      '--question <name|file>',
      `a question of the model by its name, or of a JSON file; what is said beside it holds instead of its own${sides === 'two sides' ? ' (repeatable)' : ''}`,
      list,
    );
};
