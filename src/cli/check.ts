import type { Book, FiredAlert } from '../book.ts';
import { DurchblickError, describe } from '../errors.ts';
import { limitText } from '../plan/alerts.ts';
import { formatter } from '../result/format.ts';
import { type EngineOptions, openBook } from './book.ts';
import { arrow, exitCodeOf, red, toStderr } from './output.ts';

export interface CheckOptions extends EngineOptions {
  readonly alerts?: boolean;
  readonly asOf?: string;
}

const ALERT_FIRED = 3;

/** One line an alert: what fired, for whom, at what value against what bound. */
const alertLine = ({ label, reading, period, members, value, limit, format }: FiredAlert, locale: string): string => {
  const who = Object.values(members).join(', ');
  const write = formatter(format ?? {}, locale);
  const mark = arrow({ direction: limit.kind === 'below' || limit.kind === 'at-most' ? 'low' : 'high' });
  return `${mark} ${label}${who ? ` in ${who}` : ''}: ${reading} is ${write(value)} in ${period}, ${limitText(limit).replace(String(limit.value), write(limit.value))}\n`;
};

const checkAlerts = async (book: Book, asOf: string | undefined): Promise<number> => {
  const fired = await book.alerts(asOf);
  for (const alert of fired) process.stdout.write(alertLine(alert, book.model.locale));
  if (fired.length === 0) process.stdout.write(`no alert fires (${book.model.alerts.size} watched)\n`);
  return fired.length === 0 ? 0 : ALERT_FIRED;
};

/** Checks a model and its data; lists every fault, not only the first. With `alerts` evaluates those too. */
export const check = async (path: string, options: CheckOptions = {}): Promise<number> => {
  let book: Book | undefined;
  try {
    book = await openBook(path, options);
    const { facts, measures, formulas, windows, comparisons } = book.model;
    for (const { message } of book.dataNotes) toStderr(`warning: ${message}\n`);
    const built = [...windows.values()].filter(({ builtIn }) => builtIn).length;
    process.stdout.write(
      `${path}: ${facts.size} facts, ${measures.size} measures, ${formulas.size} formulas, ${windows.size - built} windows (and ${built} built in), ${comparisons.size} comparisons: all names known, all dates are dates.\n`,
    );
    return options.alerts ? await checkAlerts(book, options.asOf) : 0;
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    for (const fault of error.all) toStderr(`${red('error:', process.stderr)} ${describe(fault)}\n`);
    return exitCodeOf(error);
  } finally {
    await book?.close();
  }
};
