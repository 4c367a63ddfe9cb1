// A question from texts, as options of a command and parameters of an address have it.
import { DurchblickError } from '../errors.ts';
import type { Question } from '../model/schema.ts';
import { isCondition } from './question.ts';

/** How messages name what was said: `--as-of`, or `as-of`. */
export type Naming = (key: string) => string;
const asOption: Naming = (key) => `--${key}`;

/** Texts that make up a question. */
export interface QuestionTexts {
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
export const whereOf = (texts: readonly string[], named: Naming = asOption): NonNullable<Question['where']> => {
  const where = new Map<string, Test>();
  for (const text of texts) {
    const match = /^([^=!]+)(!?=)(.*)$/s.exec(text);
    if (!match || match[3].trim() === '')
      return fail(`${named('where')} "${text}" is no filter`, "Write 'region=North,South', 'family!=Bulbs' or 'size=10..20'.");
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
    where.set(name, before === undefined ? test : bothOf(before, test, name, named));
  }
  return Object.fromEntries(where);
};

/** One filter of two that name the same attribute: values add up, and so do excluded ones; ranges and mixtures do not. */
const bothOf = (a: Test, b: Test, name: string, named: Naming): Test => {
  if (Array.isArray(a) && Array.isArray(b)) return [...a, ...b];
  const [one, other] = [a as { not?: string[] }, b as { not?: string[] }];
  if (one.not && other.not) return { not: [...one.not, ...other.not] };
  return fail(`${named('where')} names "${name}" twice`, 'Values add up, and so do excluded ones; for anything else put it in one filter.');
};

const byOf = (texts: readonly string[]): string | string[] => {
  const parts = listOf(texts);
  return parts.length === 1 ? parts[0] : parts;
};

const limitOf = (text: string, named: Naming): number =>
  /^[1-9]\d*$/.test(text) ? Number(text) : fail(`${named('limit')} is "${text}"`, 'It takes a whole number from 1.');

/** Of what is to be kept, the conditions; undefined where there are none. */
const conditionsIn = (texts: readonly string[] | undefined): string[] | undefined => {
  const found = texts?.filter(isCondition);
  return found && found.length > 0 ? found : undefined;
};

/** What texts ask for; nothing where there are none. */
export const questionFromTexts = (readings: readonly string[], options: QuestionTexts, named: Naming = asOption): Partial<Question> => {
  if (options.range !== undefined && (options.from ?? options.to) !== undefined)
    fail(`${named('range')} stands beside ${named('from')} or ${named('to')}`, 'Use one of them.');
  if ((options.from === undefined) !== (options.to === undefined))
    fail(`${named(options.from === undefined ? 'to' : 'from')} stands alone`, `Give both, or a ${named('range')}.`);
  const totals =
    options.totals === undefined || options.totals === true ? options.totals : (listOf(options.totals) as ('members' | 'axis')[]);
  const question: Partial<Question> = {
    show: readings.length === 0 ? undefined : [...readings],
    by: options.by === undefined ? undefined : byOf(options.by),
    per: options.per && listOf(options.per),
    range: options.range ?? (options.from === undefined ? undefined : `${options.from}/${options.to}`),
    asOf: options.asOf,
    knownBy: options.knownBy,
    where: options.where && options.where.length > 0 ? whereOf(options.where, named) : undefined,
    gaps: options.gaps,
    totals,
    order: options.order && listOf(options.order, splitReadings),
    keep: conditionsIn(options.keep),
    limit: options.limit === undefined ? undefined : limitOf(options.limit, named),
    within: options.within,
    rest: options.rest,
    locale: options.locale,
  };
  return Object.fromEntries(Object.entries(question).filter(([, value]) => value !== undefined));
};
