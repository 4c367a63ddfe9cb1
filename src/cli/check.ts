import { type Finding, verb } from '../book/check/finding.ts';
import type { Book, FiredAlert } from '../book/types.ts';
import { DurchblickError, describe, rulesCited } from '../errors.ts';
import { limitText } from '../plan/alerts.ts';
import { formatter } from '../result/format.ts';
import { type FaultJson, faultsJson, findingsJson } from '../result/listings.ts';
import { type EngineOptions, oneOf, openBook } from './book.ts';
import { arrow, dim, exitCodeOf, red, yellow } from './output.ts';
import { deliver, toStderr } from './write.ts';

export interface CheckOptions extends EngineOptions {
  readonly alerts?: boolean;
  readonly asOf?: string;
  readonly format?: string;
}

const ALERT_FIRED = 3;

/** One line an alert: what fired, for whom, at what value against what bound. */
const alertLine = ({ label, reading, period, members, value, limit, format }: FiredAlert, locale: string): string => {
  const who = Object.values(members).join(', ');
  const write = formatter(format ?? {}, locale);
  const mark = arrow({ direction: limit.kind === 'below' || limit.kind === 'at-most' ? 'low' : 'high' });
  return `${mark} ${label}${who ? ` in ${who}` : ''}: ${reading} is ${write(value)} in ${period}, ${limitText(limit).replace(String(limit.value), write(limit.value))}\n`;
};

const alertLines = (fired: readonly FiredAlert[], { model }: Book): string =>
  fired.length === 0 ? `no alert fires (${model.alerts.size} watched)\n` : fired.map((alert) => alertLine(alert, model.locale)).join('');

/** A finding in words: what, how many, for example, and what would be right. */
const written = ({ severity, message, examples, wayOut, place }: Finding): string => {
  const at = place?.file === undefined ? '' : `${place.file}${place.line === undefined ? '' : `:${place.line}`}: `;
  const for_ = examples.length === 0 ? '' : `, for example ${examples.join('; ')}`;
  return `${severity === 'warning' ? yellow(`${severity}:`) : dim(`${severity}:`)} ${at}${message}${for_}\n  ${wayOut}\n${rulesCited(
    `${message} ${wayOut}`,
  )
    .map((line) => `  ${line}\n`)
    .join('')}`;
};

const json = (path: string, findings: readonly (Finding | FaultJson)[], alerts?: readonly FiredAlert[]): string =>
  `${JSON.stringify({ model: path, ...findingsJson(findings), ...(alerts ? { alerts } : {}) }, null, 2)}\n`;

/** Checks a model and its data; lists every fault, not only the first. With `alerts` evaluates those too. */
export const check = async (path: string, options: CheckOptions = {}): Promise<number> => {
  const format = oneOf(options.format ?? 'text', ['text', 'json'], '--format');
  let book: Book | undefined;
  try {
    const kept: string[] = [];
    book = await openBook(path, { ...options, kept: (message) => void kept.push(`${message}\n`) });
    const findings = await book.check();
    const alerts = options.alerts ? await book.alerts(options.asOf) : undefined;
    if (format === 'json') await deliver(json(path, findings, alerts), undefined);
    else {
      const { facts, measures, formulas, windows, comparisons } = book.model;
      const built = [...windows.values()].filter(({ builtIn }) => builtIn).length;
      const count = (severity: Finding['severity']): number => findings.filter((found) => found.severity === severity).length;
      const summary = `${path}: ${facts.size} facts, ${measures.size} measures, ${formulas.size} formulas, ${windows.size - built} windows (and ${built} built in), ${comparisons.size} comparisons: all names known, all dates are dates; ${count('warning')} ${verb(count('warning'), 'warning', 'warnings')}, ${count('hint')} ${verb(count('hint'), 'hint', 'hints')}.\n`;
      await deliver(
        `${findings.map(written).join('')}${summary}${kept.join('')}${alerts ? alertLines(alerts, book) : ''}`,
        undefined,
        'words',
      );
    }
    return alerts && alerts.length > 0 ? ALERT_FIRED : 0;
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    if (format === 'json') await deliver(json(path, faultsJson(error)), undefined);
    else for (const fault of error.all) toStderr(`${red('error:', process.stderr)} ${describe(fault)}\n`);
    return exitCodeOf(error);
  } finally {
    await book?.close();
  }
};
