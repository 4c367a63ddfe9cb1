import type { Result } from '../result/result.ts';
import { oneOf, openBook } from './book.ts';
import { chartKinds } from './chart.ts';
import { deliver, dim, noteLines, resultTable, toStderr } from './output.ts';
import { type QuestionOptions, questionOf } from './question.ts';

export interface AskOptions extends QuestionOptions {
  readonly format?: string;
  readonly output?: string;
  readonly chart?: readonly string[];
  readonly quiet?: boolean;
  readonly time?: boolean;
}

export const FORMATS = ['table', 'csv', 'json', 'ndjson', 'markdown'] as const;

const written = (result: Result, format: string): string => {
  switch (format) {
    case 'csv':
      return result.toCsv();
    case 'json':
      return `${JSON.stringify(result.toJson(), null, 2)}\n`;
    case 'ndjson':
      return result.toNdjson();
    case 'markdown':
      return result.toMarkdown();
    default:
      return resultTable(result);
  }
};

/** The table, with caption and notes beside it on stderr. */
export const showResult = async (result: Result, format: string, output: string | undefined, quiet: boolean): Promise<void> => {
  if (!quiet && format === 'table' && output === undefined && result.caption)
    toStderr(`${dim(`${result.caption}, as of ${result.asOf}`, process.stderr)}\n`);
  await deliver(written(result, format), output);
  if (!quiet && result.notes.length > 0) toStderr(noteLines(result.notes));
};

/** Answers a question and writes table and charts. */
export const ask = async (path: string, readings: readonly string[], options: AskOptions): Promise<number> => {
  const format = oneOf(options.format ?? 'table', FORMATS, '--format');
  const files = chartKinds(options.chart);
  const question = await questionOf(readings, options, `ask ${path}`);
  const start = performance.now();
  const book = await openBook(path);
  try {
    const opened = performance.now();
    const result = await book.ask(question);
    const answered = performance.now();
    const charts: (() => Promise<void>)[] = [];
    if (files.length > 0) {
      const { renderChart } = await import('../chart/index.ts');
      for (const { file, kind } of files) {
        const content = await renderChart(result, kind);
        charts.push(() => deliver(content, file));
      }
    }
    await showResult(result, format, options.output, options.quiet ?? false);
    for (const write of charts) await write();
    if (options.time) {
      const { scans, cached, cells } = book.cost();
      toStderr(
        `open ${(opened - start).toFixed(0)} ms, answer ${(answered - opened).toFixed(0)} ms; ${scans} scans, ${cells} cells, ${cached} aggregates from cache\n`,
      );
    }
    return 0;
  } finally {
    await book.close();
  }
};
