// The forms that answers have over HTTP, and on the command line where they are the same.
import type { Result } from '../book/types.ts';
import { renderChart } from '../chart/index.ts';
import { arrowStreamOf } from '../files/arrow.ts';
import { HttpProblem } from './problem.ts';

/** What an answer is sent as: by name, or by media type in `Accept`. */
export const MEDIA = {
  json: 'application/json',
  csv: 'text/csv',
  ndjson: 'application/x-ndjson',
  markdown: 'text/markdown',
  arrow: 'application/vnd.apache.arrow.stream',
  parquet: 'application/vnd.apache.parquet',
  svg: 'image/svg+xml',
  png: 'image/png',
  'vega-lite': 'application/vnd.vegalite.v6+json',
  text: 'text/plain',
  html: 'text/html',
} as const;
export type FormatName = keyof typeof MEDIA;

/** A long text in parts, made as they are sent, as often as they are. */
export interface Parts {
  readonly parts: () => Iterable<string>;
}

export type Content = string | Uint8Array | Parts;

/** Answers with more rows are sent in parts. */
const LONG = 5000;

const text = (result: Result, form: 'csv' | 'ndjson'): Content =>
  result.rows.length > LONG ? { parts: () => result.toParts(form) } : form === 'csv' ? result.toCsv('data') : result.toNdjson();

/** Data as JSON, as files of the command line have it. */
export const jsonText = (value: unknown): string => `${JSON.stringify(value, null, 2)}\n`;

/** Bytes of an answer at most, in forms that are made whole. */
const MOST_BYTES = 256 * 2 ** 20;
/** Mean bytes of a number, and of the delimiters and key around a cell. */
const [OF_NUMBER, AROUND] = [12, 10];

/** Refuses an answer that would be too large as one text, before it is made. */
const checkSize = ({ rows }: Pick<Result, 'rows'>): void => {
  const bytes = rows.reduce(
    (sum, row) => row.reduce<number>((own, cell) => own + AROUND + (typeof cell === 'string' ? cell.length : OF_NUMBER), sum),
    0,
  );
  if (bytes > MOST_BYTES)
    throw new HttpProblem(
      413,
      'too-large',
      `the answer would have about ${Math.round(bytes / 1e6)} MB`,
      'Ask for csv or ndjson, which are sent in parts, or for fewer rows.',
    );
};

const whole =
  (make: (result: Result) => Content | Promise<Content>) =>
  (result: Result): Content | Promise<Content> => {
    checkSize(result);
    return make(result);
  };

/** An answer in each form; the Arrow file of the command line is a stream over HTTP. */
export const RESULT_FORMS: Partial<Record<FormatName, (result: Result) => Content | Promise<Content>>> = {
  json: whole((result) => jsonText(result.toJson())),
  csv: (result) => text(result, 'csv'),
  ndjson: (result) => text(result, 'ndjson'),
  markdown: whole((result) => result.toMarkdown()),
  arrow: (result) => arrowStreamOf(result.toColumns()),
  parquet: (result) => result.toParquet(),
  svg: (result) => renderChart(result, 'svg'),
  png: (result) => renderChart(result, 'png'),
  'vega-lite': (result) => renderChart(result, 'vl.json'),
};
