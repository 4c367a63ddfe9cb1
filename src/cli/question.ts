import { readFile } from 'node:fs/promises';
import { type Command, Option } from 'commander';
import { DurchblickError } from '../errors.ts';
import type { Question } from '../model/schema.ts';

/** Options that make up a question, as commander hands them over. */
export interface QuestionOptions {
  readonly by?: string;
  readonly per?: string;
  readonly range?: string;
  readonly from?: string;
  readonly to?: string;
  readonly asOf?: string;
  readonly knownBy?: string;
  readonly where?: readonly string[];
  readonly gaps?: 'show' | 'hide';
  readonly totals?: string | true;
  readonly order?: readonly string[];
  readonly limit?: string;
  readonly rest?: boolean;
  readonly question?: string;
}

const fail = (message: string, hint: string): never => {
  throw new DurchblickError('bad-option', message, { hint });
};

/** Splits at commas outside double quotes. */
export const splitList = (text: string): string[] => {
  const parts = text.match(/(?:"(?:[^"]|"")*"|[^,"]+)+/g) ?? [];
  return parts.map((part) => part.trim().replace(/^"(.*)"$/s, (_, inner: string) => inner.replaceAll('""', '"')));
};

/** Reads `a=v,w`, `a!=v` and `a=from..to`. */
export const whereOf = (texts: readonly string[]): NonNullable<Question['where']> => {
  const where: Record<string, NonNullable<Question['where']>[string]> = {};
  for (const text of texts) {
    const match = /^([^=!]+)(!?=)(.*)$/s.exec(text);
    if (!match || match[3].trim() === '')
      return fail(`--where "${text}" is no filter`, "Write 'region=North,South', 'family!=Bulbs' or 'size=10..20'.");
    const [, name, sign, value] = match;
    if (Object.hasOwn(where, name.trim())) return fail(`--where names "${name.trim()}" twice`, 'Put its values in one list.');
    const range = /^([^"]*?)\.\.([^"]*)$/.exec(value);
    if (sign === '!=') where[name.trim()] = { not: splitList(value) };
    else if (range) where[name.trim()] = { ...(range[1] ? { from: range[1].trim() } : {}), ...(range[2] ? { to: range[2].trim() } : {}) };
    else where[name.trim()] = splitList(value);
  }
  return where;
};

const byOf = (text: string): string | string[] => {
  const parts = splitList(text);
  return parts.length === 1 ? parts[0] : parts;
};

const limitOf = (text: string): number =>
  /^[1-9]\d*$/.test(text) ? Number(text) : fail(`--limit is "${text}"`, 'It takes a whole number from 1.');

const LONE = new Set(['over', 'vs', 'on', 'across', 'as']);

/** A reading with blanks that the shell has taken apart, put together again for the message. */
const checkSplit = (readings: readonly string[], command: string): void => {
  if (!readings.some((text) => LONE.has(text))) return;
  const together = readings.join(' ');
  fail('the shell has split a reading at its blanks', `Put it in quotes: durchblick ${command} '${together}'`);
};

/** Makes the question of readings and options, or reads it from a file. */
export const questionOf = async (readings: readonly string[], options: QuestionOptions, command: string): Promise<Question> => {
  if (options.question !== undefined) {
    if (readings.length > 0) fail('--question stands beside readings', 'The file holds the whole question.');
    let text: string;
    try {
      text = await readFile(options.question, 'utf8');
    } catch {
      throw new DurchblickError('no-file', `cannot read the question file ${options.question}`, {
        hint: 'It is a JSON file, for example {"show": ["revenue"], "by": "month"}.',
      });
    }
    try {
      return JSON.parse(text) as Question;
    } catch (error) {
      throw new DurchblickError('bad-json', `${options.question} is not JSON: ${(error as Error).message}`, {
        hint: 'For example {"show": ["revenue"], "by": "month"}.',
      });
    }
  }
  if (readings.length === 0) fail('there is no reading to answer', `For example: durchblick ${command} revenue --by month`);
  checkSplit(readings, command);
  if (options.range !== undefined && (options.from ?? options.to) !== undefined)
    fail('--range stands beside --from or --to', 'Use one of them.');
  if ((options.from === undefined) !== (options.to === undefined))
    fail(`--${options.from === undefined ? 'to' : 'from'} stands alone`, 'Give both, or a --range.');
  const totals =
    options.totals === true ? true : options.totals === undefined ? undefined : (splitList(options.totals) as ('members' | 'axis')[]);
  const question: Question = {
    show: [...readings],
    by: options.by === undefined ? undefined : byOf(options.by),
    per: options.per === undefined ? undefined : splitList(options.per),
    range: options.range ?? (options.from === undefined ? undefined : `${options.from}/${options.to}`),
    asOf: options.asOf,
    knownBy: options.knownBy,
    where: options.where && options.where.length > 0 ? whereOf(options.where) : undefined,
    gaps: options.gaps,
    totals,
    order: options.order && options.order.length > 0 ? [...options.order] : undefined,
    limit: options.limit === undefined ? undefined : limitOf(options.limit),
    rest: options.rest,
  };
  return Object.fromEntries(Object.entries(question).filter(([, value]) => value !== undefined)) as Question;
};

const collect = (value: string, previous: string[] = []): string[] => [...previous, value];

/** Adds the options of a question to a command. */
export const withQuestion = (command: Command): Command =>
  command
    .option('--by <unit|windows>', 'a unit (day, week, month, …) or a list of windows (mtd,qtd,ytd)')
    .option('--per <attributes>', 'split by attributes: region,family')
    .option('--range <range>', 'periods or dates, 2026-01/2026-08, or the name of a window')
    .option('--from <date>', 'first period or date of the range')
    .option('--to <date>', 'last period or date of the range, inclusive')
    .option('--as-of <date>', 'the last day that may be seen: YYYY-MM-DD, latest, today, yesterday or a point')
    .option('--known-by <date>', 'versions recorded later are not seen')
    .option('--where <filter>', "'region=North,South', 'family!=Bulbs', 'size=10..20' (repeatable)", collect)
    .addOption(new Option('--gaps <how>', 'periods without data').choices(['show', 'hide']))
    .option('--totals [which]', 'add totals: members, axis or both')
    .option('--order <reading>', "sort members, as in 'revenue desc' (repeatable)", collect)
    .option('--limit <n>', 'keep the first n members')
    .option('--rest', 'add a row (others) for the members left out')
    .option('--question <file>', 'take the whole question from a JSON file');
