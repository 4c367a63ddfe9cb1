// `ask`: answers a question.
import { counted } from '../basics/text.ts';
import type { Book, Result, Verification } from '../book/types.ts';
import type { StatementRun } from '../engines/trino/index.ts';
import { wordsOf } from '../words/all.ts';
import { clusterOf, type EngineOptions, oneOf, openBook } from './book.ts';
import { chartKinds } from './chart.ts';
import { dim, needsFile, noteLines, red, resultTable } from './output.ts';
import { showProgress } from './progress.ts';
import { type QuestionOptions, questionOf } from './question.ts';
import { deliver, toStderr } from './write.ts';

export interface AskCommandOptions extends QuestionOptions, EngineOptions {
  readonly format?: string;
  readonly output?: string;
  readonly chart?: readonly string[];
  readonly quiet?: boolean;
  readonly time?: boolean;
  readonly verify?: boolean;
  readonly spreadsheet?: boolean;
}

export const FORMATS = ['table', 'csv', 'json', 'ndjson', 'markdown', 'arrow', 'parquet'] as const;

const written = async (result: Result, format: string, spreadsheet: boolean): Promise<string | Uint8Array> => {
  switch (format) {
    case 'csv':
      return result.toCsv(spreadsheet ? 'spreadsheet' : 'data');
    case 'json':
      return `${JSON.stringify(result.toJson(), null, 2)}\n`;
    case 'ndjson':
      return result.toNdjson();
    case 'markdown':
      return result.toMarkdown();
    case 'arrow':
      return (await import('../files/arrow.ts')).arrowFileOf(result.toColumns());
    case 'parquet':
      return result.toParquet();
    default:
      return resultTable(result);
  }
};

/** The table, with caption and notes beside it on stderr. */
export const showResult = async (
  result: Result,
  format: string,
  { output, quiet = false, spreadsheet = false, connect }: Pick<AskCommandOptions, 'output' | 'quiet' | 'spreadsheet' | 'connect'>,
): Promise<void> => {
  // What others write to is seen at a time of its own.
  const seen =
    connect === undefined || !result.state?.time ? '' : `, data seen at ${result.state.time.replace('T', ' ').replace(/\.\d+Z$/, ' UTC')}`;
  if (!quiet && format === 'table' && output === undefined && result.caption)
    toStderr(`${dim(`${result.caption}, ${wordsOf(result.locale).asOf(result.asOf)}${seen}`, process.stderr)}\n`);
  await deliver(await written(result, format, spreadsheet), output, format === 'table' || format === 'markdown' ? 'words' : 'data');
  if (!quiet && result.notes.length > 0) toStderr(noteLines(result.notes));
};

const timeLine = (book: Book, open: number, answer: number): string => {
  const { scans, cached, cells, fetched } = book.cost();
  const parts = [
    `opened in ${open.toFixed(0)} ms, answered in ${answer.toFixed(0)} ms`,
    `${counted(scans, 'scan')} made ${counted(cells, 'cell')}, ${counted(cached, 'aggregate')} came from the cache`,
    ...(fetched === undefined ? [] : [`${counted(fetched, 'row')} fetched from the database`]),
  ];
  return `${parts.join('; ')}\n`;
};

/** What the answer was computed from (V5). */
const stateLine = ({ state }: Result): string =>
  state ? `of model ${state.model}${state.data === undefined ? '' : `, data ${state.data}`}\n` : '';

const megabytes = (bytes: number): string => `${(bytes / 2 ** 20).toFixed(1)} MiB`;

/** What statements took on a cluster, in all and of each worker. */
const clusterLine = async (runs: readonly StatementRun[], connect: string | undefined, { state }: Result): Promise<string> => {
  if (runs.length === 0 || connect === undefined) return '';
  const { workersOf } = await import('../engines/trino/index.ts');
  const workers = await workersOf(
    clusterOf(connect),
    runs.map(({ id }) => id),
  ).catch(() => []);
  const all = runs.reduce((sum, run) => ({
    ...run,
    splits: sum.splits + run.splits,
    bytes: sum.bytes + run.bytes,
    rows: sum.rows + run.rows,
    cpu: sum.cpu + run.cpu,
  }));
  const parts = [
    `${counted(runs.length, 'statement')} on the cluster`,
    counted(all.splits, 'split'),
    `${megabytes(all.bytes)} and ${counted(all.rows, 'row')} read`,
    `${(all.cpu / 1000).toFixed(2)} s of computing`,
  ];
  const shares = workers.map(
    ({ worker, splits, bytes, cpu }) => `  ${worker}: ${counted(splits, 'split')}, ${megabytes(bytes)}, ${(cpu / 1000).toFixed(2)} s\n`,
  );
  return `${parts.join(', ')}\n${shares.join('')}${state?.snapshots === undefined ? '' : `state ${state.snapshots}\n`}`;
};

const VERIFY_DIFFERS = 4;

/** Says which cells a second computation answers differently. */
const sayVerified = ({ cells, different }: Verification, quiet: boolean): number => {
  if (different.length === 0) {
    if (!quiet) toStderr(`verified row by row: ${counted(cells, 'cell')}, all the same\n`);
    return 0;
  }
  toStderr(`${red('differs:', process.stderr)} ${different.length} of ${counted(cells, 'cell')}\n`);
  for (const { row, column, answered, verified } of different.slice(0, 10))
    toStderr(`  ${[...row, column].join(', ')}: answered ${answered ?? 'blank'}, row by row ${verified ?? 'blank'}\n`);
  return VERIFY_DIFFERS;
};

/** Answers a question and writes table and charts. */
export const ask = async (path: string, readings: readonly string[], options: AskCommandOptions): Promise<number> => {
  const format = oneOf(options.format ?? 'table', FORMATS, '--format');
  if ((format === 'arrow' || format === 'parquet') && options.output === undefined) needsFile(format, 'answer');
  const files = chartKinds(options.chart);
  const asked = await questionOf(readings, options, `ask ${path}`);
  const start = performance.now();
  let book: Book | undefined;
  const said: string[] = [];
  const runs: StatementRun[] = [];
  try {
    const writes = [options.output, ...files.map(({ file }) => file)];
    const chose = (engine: string, why: string): void => {
      said.push(`engine ${engine}: ${why}; --engine takes another\n`);
    };
    book = await openBook(path, {
      ...options,
      asked: 'once',
      writes,
      chose,
      kept: (message) => void said.push(`${message}\n`),
      ran: (run) => void runs.push(run),
      tags: ['ask', ...(options.question === undefined ? [] : [options.question])],
    });
    const opened = performance.now();
    const question = asked(book.model);
    showProgress(options.verify ? 'answering twice' : 'answering');
    const verification = options.verify ? await book.verify(question) : undefined;
    const result = verification?.result ?? (await book.ask(question));
    const answered = performance.now();
    const charts: (() => Promise<void>)[] = [];
    for (const { file, kind } of files) {
      const { renderChart } = await import('../chart/index.ts');
      showProgress(`drawing ${file}`);
      const content = await renderChart(result, kind);
      charts.push(() => deliver(content, file));
    }
    await showResult(result, format, options);
    for (const write of charts) await write();
    if (options.time) {
      const time = timeLine(book, opened - start, answered - opened);
      toStderr(said.join('') + time + (await clusterLine(runs, options.connect, result)) + stateLine(result));
    }
    return verification ? sayVerified(verification, options.quiet ?? false) : 0;
  } finally {
    await book?.close();
  }
};
