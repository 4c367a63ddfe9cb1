// `check`: model and data looked at, alerts and figures with them.
import { readFile } from 'node:fs/promises';
import { counted } from '../basics/text.ts';
import type { Finding } from '../book/check/finding.ts';
import { figureJson } from '../book/figures.ts';
import type { Book, FiredAlert } from '../book/types.ts';
import { DurchblickError, describe, rulesCited } from '../errors.ts';
import { missingFile } from '../files/missing.ts';
import type { PartPlace } from '../files/node.ts';
import { readYaml } from '../files/yaml-text.ts';
import { questionFaults } from '../plan/question.ts';
import { formatter } from '../result/format.ts';
import { faultsJson, findingsJson } from '../result/listings.ts';
import { wordsOf } from '../words/all.ts';
import { type EngineOptions, oneOf, openBook } from './book.ts';
import { figuresText } from './figures.ts';
import { modelsIn } from './models.ts';
import { arrow, dim, exitCodeOf, red, yellow } from './output.ts';
import { deliver, toStderr } from './write.ts';

export interface CheckOptions extends EngineOptions {
  readonly alerts?: boolean;
  /** Lists every figure, not only those that differ. */
  readonly figures?: boolean;
  /** Files of questions to be checked with the model. */
  readonly question?: readonly string[];
  readonly asOf?: string;
  readonly format?: string;
}

const ALERT_FIRED = 3;
const FIGURE_DIFFERS = 4;

/** One line an alert: what fired, for whom, at what value against what bound. */
const alertLine = ({ label, reading, period, members, value, limit, format }: FiredAlert, locale: string): string => {
  const who = Object.values(members).join(', ');
  const write = formatter(format ?? {}, locale);
  const mark = arrow({ direction: limit.kind === 'below' || limit.kind === 'at-most' ? 'low' : 'high' });
  return `${mark} ${label}${who ? ` in ${who}` : ''}: ${reading} is ${write(value)} in ${period}, ${wordsOf('en').limit(limit.kind, write(limit.value))}\n`;
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

/** What came of checking one model: an exit code, and what is to be written. */
interface Checked {
  readonly code: number;
  readonly words: string;
  readonly faults: string;
  readonly json: Readonly<Record<string, unknown>>;
}

/** The files of a model that has several, and which of them lie elsewhere. */
const partsText = (parts: readonly PartPlace[]): string => {
  if (parts.length < 2) return '';
  const outside = parts
    .filter(({ isOutside }) => isOutside)
    .map(({ name, by }) => `  ${name} lies outside of the model's folder, included at ${by}\n`);
  return `read from ${parts.length} files: ${parts.map(({ name }) => name).join(', ')}\n${outside.join('')}`;
};

const summaryOf = (path: string, { model }: Book, findings: readonly Finding[]): string => {
  const { facts, measures, formulas, windows, comparisons } = model;
  const built = [...windows.values()].filter(({ builtIn }) => builtIn).length;
  const count = (severity: Finding['severity']): number => findings.filter((found) => found.severity === severity).length;
  return `${path}: ${counted(facts.size, 'fact')}, ${counted(measures.size, 'measure')}, ${counted(formulas.size, 'formula')}, ${counted(windows.size - built, 'window')} (and ${built} built in), ${counted(comparisons.size, 'comparison')}: all names known, all dates are dates; ${counted(count('warning'), 'warning')}, ${counted(count('hint'), 'hint')}.\n`;
};

const faultLine = (fault: DurchblickError): string => `${red('error:', process.stderr)} ${describe(fault)}\n`;

/** What is worst comes first: a model that is wrong, data that are, numbers that differ, an alert. */
const BY_GRAVITY = [2, 1, FIGURE_DIFFERS, ALERT_FIRED];
const gravest = (codes: readonly number[]): number => BY_GRAVITY.find((code) => codes.includes(code)) ?? 0;

/** Every fault of a question in a file of JSON or YAML, with line and column. */
const faultsOfQuestion = async ({ model }: Book, file: string): Promise<readonly DurchblickError[]> => {
  const text = await readFile(file, 'utf8').catch(async (error: unknown) => {
    throw await missingFile(error, { path: file, what: 'the question', inFolder: 'Name a JSON file in it.' });
  });
  const { value, locate } = readYaml(text, file, 'A question is a map such as {"show": ["revenue"], "by": "month"}.');
  return questionFaults(model, value, locate);
};

/** Checks one model and its data. */
const checkOne = async (path: string, options: CheckOptions): Promise<Checked> => {
  let book: Book | undefined;
  try {
    let [kept, parts] = ['', ''];
    book = await openBook(path, {
      ...options,
      kept: (message) => void (kept += `${message}\n`),
      loaded: (list) => void (parts = partsText(list)),
    });
    const findings = await book.check();
    const figures = await book.figures();
    const questions = await Promise.all((options.question ?? []).map((file) => faultsOfQuestion(book as Book, file)));
    const faults = [...questions.flat(), ...figures.flatMap(({ fault }) => fault ?? [])];
    const alerts = options.alerts ? await book.alerts(options.asOf) : undefined;
    const codes = [
      faults.length > 0 ? 2 : 0,
      figures.some(({ holds, fault }) => !holds && !fault) ? FIGURE_DIFFERS : 0,
      alerts && alerts.length > 0 ? ALERT_FIRED : 0,
    ];
    const end = `${figuresText(figures, options.figures ?? false)}${alerts ? alertLines(alerts, book) : ''}`;
    return {
      code: gravest(codes),
      words: `${findings.map(written).join('')}${summaryOf(path, book, findings)}${parts}${kept}${end}`,
      faults: faults.map(faultLine).join(''),
      json: {
        model: path,
        ...findingsJson([...findings, ...faults.flatMap(faultsJson)]),
        ...(figures.length > 0 ? { figures: figures.map(figureJson) } : {}),
        ...(alerts ? { alerts } : {}),
      },
    };
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    return {
      code: exitCodeOf(error),
      words: '',
      faults: error.all.map(faultLine).join(''),
      json: { model: path, ...findingsJson(faultsJson(error)) },
    };
  } finally {
    await book?.close();
  }
};

/** Checks a model, or each model of a folder, and the data; lists every fault, not only the first. */
export const check = async (path: string, options: CheckOptions = {}): Promise<number> => {
  const format = oneOf(options.format ?? 'text', ['text', 'json'], '--format');
  const paths = await modelsIn(path);
  const found: Checked[] = [];
  for (const one of paths) {
    const checked = await checkOne(one, options);
    found.push(checked);
    if (format === 'json') continue;
    toStderr(checked.faults);
    await deliver(checked.words, undefined, 'words');
  }
  // One model is an object, a folder of them a list.
  const json = found.map((one) => one.json);
  if (format === 'json')
    await deliver(`${JSON.stringify(paths.length === 1 && paths[0] === path ? json[0] : { models: json }, null, 2)}\n`, undefined);
  return gravest(found.map(({ code }) => code));
};
