import { readFile } from 'node:fs/promises';
import { type Command, Option } from 'commander';
import { DurchblickError } from '../errors.ts';
import { missingFile } from '../files/missing.ts';
import { camel } from '../model/keys.ts';
import type { Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { isCondition, questionNamed } from '../plan/question.ts';

/** Options that make up a question, as commander hands them over. */
export interface QuestionOptions {
  readonly by?: readonly string[];
  readonly per?: readonly string[];
  readonly range?: string;
  readonly from?: string;
  readonly to?: string;
  readonly asOf?: string;
  readonly knownBy?: string;
  readonly where?: readonly string[];
  readonly gaps?: 'show' | 'hide';
  readonly totals?: true | readonly string[];
  readonly order?: readonly string[];
  /** Conditions that members are kept by; and a folder for typed copies, which is none of the question. */
  readonly keep?: readonly string[];
  readonly limit?: string;
  readonly within?: string;
  readonly rest?: boolean;
  readonly question?: string;
  readonly locale?: string;
}

const fail = (message: string, hint: string): never => {
  throw new DurchblickError('bad-option', message, { hint });
};

/** Splits at commas outside double quotes. */
const splitList = (text: string): string[] => {
  const parts = text.match(/(?:"(?:[^"]|"")*"|[^,"]+)+/g) ?? [];
  return parts.map((part) => part.trim().replace(/^"(.*)"$/s, (_, inner: string) => inner.replaceAll('""', '"')));
};

/** Splits readings at commas that stand outside of quotes, parentheses and brackets. */
const splitReadings = (text: string): string[] => {
  const parts = [''];
  let depth = 0;
  for (const [token] of text.matchAll(/"[^"]*"|[\s\S]/g)) {
    depth += '(['.includes(token) ? 1 : ')]'.includes(token) ? -1 : 0;
    if (token === ',' && depth === 0) parts.push('');
    else parts[parts.length - 1] += token;
  }
  return parts.map((part) => part.trim()).filter((part) => part !== '');
};

/** The entries of a list option: repeated or with commas, both add up. */
export const listOf = (texts: readonly string[], split = splitList): string[] => texts.flatMap(split);

type Test = string[] | { not: string[] } | { from?: string; to?: string };

/** Reads `a=v,w`, `a!=v` and `a=from..to`. */
export const whereOf = (texts: readonly string[]): NonNullable<Question['where']> => {
  const where = new Map<string, Test>();
  for (const text of texts) {
    const match = /^([^=!]+)(!?=)(.*)$/s.exec(text);
    if (!match || match[3].trim() === '')
      return fail(`--where "${text}" is no filter`, "Write 'region=North,South', 'family!=Bulbs' or 'size=10..20'.");
    const [, written, sign, value] = match;
    const name = written.trim();
    const range = /^([^"]*?)\.\.([^"]*)$/.exec(value);
    const test: Test =
      sign === '!='
        ? { not: splitList(value) }
        : range
          ? { ...(range[1] ? { from: range[1].trim() } : {}), ...(range[2] ? { to: range[2].trim() } : {}) }
          : splitList(value);
    const before = where.get(name);
    where.set(name, before === undefined ? test : bothOf(before, test, name));
  }
  return Object.fromEntries(where);
};

/** One filter of two that name the same attribute: values add up, and so do excluded ones; ranges and mixtures do not. */
const bothOf = (a: Test, b: Test, name: string): Test => {
  if (Array.isArray(a) && Array.isArray(b)) return [...a, ...b];
  const [one, other] = [a as { not?: string[] }, b as { not?: string[] }];
  if (one.not && other.not) return { not: [...one.not, ...other.not] };
  return fail(`--where names "${name}" twice`, 'Values add up, and so do excluded ones; for anything else put it in one filter.');
};

const byOf = (texts: readonly string[]): string | string[] => {
  const parts = listOf(texts);
  return parts.length === 1 ? parts[0] : parts;
};

const limitOf = (text: string): number =>
  /^[1-9]\d*$/.test(text) ? Number(text) : fail(`--limit is "${text}"`, 'It takes a whole number from 1.');

const LONE = new Set(['over', 'vs', 'on', 'across', 'as']);

/** A reading with blanks that the shell has taken apart, put together again for the message. */
const checkSplit = (readings: readonly string[], command: string): void => {
  if (!readings.some((text) => LONE.has(text))) return;
  const together = readings.join(' ');
  fail('the shell has split a reading at its blanks', `Put it in quotes: npx durchblick ${command} '${together}'`);
};

/** Of what is to be kept, the conditions; undefined where there are none. */
const conditionsIn = (texts: readonly string[] | undefined): string[] | undefined => {
  const found = texts?.filter(isCondition);
  return found && found.length > 0 ? found : undefined;
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

/** What options ask for; nothing where there are none. */
const fromOptions = (readings: readonly string[], options: QuestionOptions): Partial<Question> => {
  if (options.range !== undefined && (options.from ?? options.to) !== undefined)
    fail('--range stands beside --from or --to', 'Use one of them.');
  if ((options.from === undefined) !== (options.to === undefined))
    fail(`--${options.from === undefined ? 'to' : 'from'} stands alone`, 'Give both, or a --range.');
  const totals =
    options.totals === undefined || options.totals === true ? options.totals : (listOf(options.totals) as ('members' | 'axis')[]);
  const question: Partial<Question> = {
    show: readings.length === 0 ? undefined : [...readings],
    by: options.by === undefined ? undefined : byOf(options.by),
    per: options.per && listOf(options.per),
    range: options.range ?? (options.from === undefined ? undefined : `${options.from}/${options.to}`),
    asOf: options.asOf,
    knownBy: options.knownBy,
    where: options.where && options.where.length > 0 ? whereOf(options.where) : undefined,
    gaps: options.gaps,
    totals,
    order: options.order && listOf(options.order, splitReadings),
    keep: conditionsIn(options.keep),
    limit: options.limit === undefined ? undefined : limitOf(options.limit),
    within: options.within,
    rest: options.rest,
    locale: options.locale,
  };
  return Object.fromEntries(Object.entries(question).filter(([, value]) => value !== undefined));
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
  const own = fromOptions(readings, options);
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
    .option('--range <range>', 'periods or dates, 2026-01/2026-08, or the name of a window')
    .option('--from <date>', 'first period or date of the range')
    .option('--to <date>', 'last period or date of the range, inclusive')
    .option('--as-of <date>', `the last day that may be seen: YYYY-MM-DD, latest, today, yesterday or a point${apart}`, list)
    .option('--known-by <date>', `versions recorded later are not seen${apart}`, list)
    .option('--where <filter>', "'region=North,South', 'family!=Bulbs', 'size=10..20' (repeatable)", collect)
    .addOption(new Option('--gaps <how>', 'periods without data').choices(['show', 'hide']))
    .option('--totals [which]', 'add totals: members, axis or both (repeatable)', collectOr)
    .option('--order <readings>', "sort members, as in 'revenue desc,orders' (repeatable)", collect)
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
