// `windows`: windows and comparisons with their days, and a picture of them.
import { isoOf } from '../calendar/day.ts';
import { localeOf } from '../plan/question.ts';
import { listOf } from '../plan/question-texts.ts';
import type { LaidSpan } from '../plan/windows.ts';
import { spansCsv, spansJson, spansMarkdown } from '../result/listings.ts';
import { type EngineOptions, oneOf, withBook } from './book.ts';
import { chartKinds, writeCharts } from './chart.ts';
import { bold, dim, screenWidth, terminalTable } from './output.ts';
import { deliver, toStderr } from './write.ts';

export interface WindowsCommandOptions extends EngineOptions {
  readonly asOf?: string;
  readonly at?: readonly string[];
  readonly by?: string;
  readonly over?: string;
  readonly format: string;
  readonly output?: string;
  readonly locale?: string;
  readonly chart?: readonly string[];
}

/** The picture reaches this many days back from the first date; what begins earlier is marked with an arrow. */
const LOOK_BACK = 420;
const LOOK_AHEAD = 120;

interface Scale {
  readonly first: number;
  readonly last: number;
  readonly width: number;
}

const scaleOf = (spans: readonly LaidSpan[], width: number): Scale => {
  const dates = spans.map(({ at }) => at);
  const [earliest, latest] = [Math.min(...dates), Math.max(...dates)];
  const last = Math.max(latest, ...spans.map(({ to }) => Math.min(to ?? latest, latest + LOOK_AHEAD)));
  const first = Math.min(earliest, ...spans.map(({ from }) => Math.max(from ?? earliest, earliest - LOOK_BACK)));
  return { first, last, width };
};

/** A span as a strip of characters on one time scale: windows solid, comparisons shaded, the as-of date a bar. */
const strip = ({ kind, from, to, at }: LaidSpan, { first, last, width }: Scale): string => {
  const cell = (day: number) => Math.floor(((day - first) * width) / (last - first + 1));
  const cells = new Array<string>(width).fill('·');
  cells[cell(at)] = '│';
  if (from !== undefined && to !== undefined) {
    const fill = kind === 'window' ? '█' : '▒';
    for (let k = Math.max(cell(from), 0); k <= Math.min(cell(to), width - 1); k++) cells[k] = fill;
    if (from < first) cells[0] = '◂';
    if (to > last) cells[width - 1] = '▸';
  }
  return cells.join('');
};

const iso = (day: number | undefined): string => (day === undefined ? '' : isoOf(day));

/** Spans as terminal tables, windows first, on one time scale; a date in front where there are several. */
const tables = (spans: readonly LaidSpan[], { by: asked = 'month', over }: Pick<WindowsCommandOptions, 'by' | 'over'>): string => {
  const several = new Set(spans.map(({ at }) => at)).size > 1;
  const titleOf = ({ name, by, seen }: LaidSpan): string => {
    const said = [
      ...(by === undefined || by === asked ? [] : [`by ${by}`]),
      ...(seen?.asOf === undefined ? [] : [`as of ${iso(seen.asOf)}`]),
      ...(seen?.knownBy === undefined ? [] : [`known by ${iso(seen.knownBy)}`]),
    ];
    return said.length === 0 ? name : `${name} (${said.join(', ')})`;
  };
  const comparisonTitle = `${over ?? `the ${asked} so far`} vs`;
  const names = Math.max(
    spans.some(({ kind }) => kind === 'comparison') ? comparisonTitle.length : 0,
    ...spans.map((span) => titleOf(span).length),
  );
  const taken = names + 2 + (several ? 12 : 0) + 12 + 12 + 8;
  const scale = scaleOf(spans, Math.max(24, Math.min(72, screenWidth() - taken)));
  const table = (kind: LaidSpan['kind'], title: string): string => {
    const own = spans.filter((span) => span.kind === kind);
    if (own.length === 0) return '';
    const rows = own.map((span, k) => ({
      cells: [
        // Said once; but what it is seen at moves with the date (C11).
        k > 0 && titleOf(own[k - 1]) === titleOf(span) ? '' : titleOf(span),
        ...(several ? [iso(span.at)] : []),
        iso(span.from),
        iso(span.to),
        span.days === 0 ? '–' : String(span.days),
        span.problem ?? strip(span, scale),
      ],
      strong: !span.builtIn,
    }));
    const header = [title, ...(several ? ['at'] : []), 'from', 'to', 'days', `${iso(scale.first)} to ${iso(scale.last)}`];
    return terminalTable({ header, right: header.map((text) => text === 'days'), rows });
  };
  const parts = [table('window', 'window'), table('comparison', comparisonTitle)];
  return parts.filter((part) => part !== '').join('\n');
};

/** Lists windows and comparisons with their days at one or several as-of dates, as a picture on one time scale. */
export const windows = async (path: string, only: readonly string[], options: WindowsCommandOptions): Promise<number> => {
  const format = oneOf(options.format, ['table', 'csv', 'json', 'markdown'], '--format');
  const charts = chartKinds(options.chart);
  const at = options.at === undefined ? (options.asOf === undefined ? undefined : [options.asOf]) : listOf(options.at);
  const { by, over } = options;
  const [laid, locale] = await withBook(
    path,
    async (book) => [await book.windows({ at, only, by, over, locale: options.locale }), localeOf(book.model, options.locale)] as const,
    {
      ...options,
      writes: [options.output, ...charts.map(({ file }) => file)],
    },
  );
  // One window below the other, its dates together.
  const order = new Map<string, number>();
  for (const { kind, name } of laid) if (!order.has(`${kind} ${name}`)) order.set(`${kind} ${name}`, order.size);
  const place = ({ kind, name }: LaidSpan) => order.get(`${kind} ${name}`) as number;
  const spans = [...laid].sort((a, b) => place(a) - place(b));
  if (format === 'json') await deliver(`${JSON.stringify(spansJson(spans), null, 2)}\n`, options.output);
  else if (format === 'csv') await deliver(spansCsv(spans), options.output);
  else if (format === 'markdown') await deliver(spansMarkdown(spans), options.output);
  else {
    if (new Set(spans.map((span) => span.at)).size === 1)
      toStderr(`${dim(`as of ${iso(spans[0].at)}; ${bold('bold', process.stderr)} are the model's own`, process.stderr)}\n`);
    await deliver(tables(spans, options), options.output, 'words');
  }
  if (charts.length > 0) {
    const { spansSpec } = await import('../chart/spans.ts');
    await writeCharts(spansSpec(spans, { by, over, locale }), `Windows as of ${iso(spans[0].at)}`, locale, charts);
  }
  return 0;
};
