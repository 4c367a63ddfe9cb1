// Windows and comparisons as bars on one time scale.
import { greatest } from '../basics/text.ts';
import { isoOf } from '../calendar/day.ts';
import type { LaidSpan } from '../plan/windows.ts';
import { chartConfig, chartText, chartTitle, type Theme, type ThemeName, themeOf } from './look.ts';
import type { ChartSpec } from './spec.ts';

export interface SpansOptions {
  /** The unit whose period so far comparisons are held against; default month. */
  readonly by?: string;
  /** The window they are held against instead. */
  readonly over?: string;
  readonly locale: string;
  /** Width of the drawing area in pixels; default 620. */
  readonly width?: number;
  readonly theme?: ThemeName;
}

const LOOK_BACK = 420;
const ROW = 15;

/** One bar's row in the data of the chart. */
interface SpanRow {
  readonly order: number;
  readonly kind: LaidSpan['kind'];
  readonly row: string;
}

const spanRows = (spans: readonly LaidSpan[], by: string, edge: number, inWords: (day: number) => string) => {
  const several = new Set(spans.map(({ at }) => at)).size > 1;
  return spans.map((span, order) => ({
    order,
    kind: span.kind,
    // The last day is covered whole: the bar ends where the next day begins.
    from: span.from === undefined ? null : isoOf(Math.max(span.from, edge)),
    until: span.to === undefined ? null : isoOf(span.to + 1),
    at: isoOf(span.at),
    row: chartText(
      `${span.name}${span.by === undefined || span.by === by ? '' : ` (by ${span.by})`}${several ? `  ${isoOf(span.at)}` : ''}`,
    ),
    is: chartText(span.is),
    days: span.days,
    text: span.from === undefined || span.to === undefined ? (span.problem ?? 'no days') : `${inWords(span.from)} to ${inWords(span.to)}`,
    earlier: span.from !== undefined && span.from < edge,
    own: !span.builtIn,
  }));
};

const BY_DAY = { timeUnit: 'utcyearmonthdate' };

/** Bars of one kind, with the as-of date and what covers no days. */
const panelOf = (
  kind: LaidSpan['kind'],
  title: string,
  data: readonly SpanRow[],
  width: number,
  theme: Theme,
): Record<string, unknown> | undefined => {
  const rows = data.filter((row) => row.kind === kind);
  if (rows.length === 0) return undefined;
  // Both panels leave the same room for their names, so that one time scale runs through them.
  const extent = Math.min(340, 8 + greatest(data.map(({ row }) => row.length)) * 6.9);
  const y = {
    field: 'order',
    type: 'ordinal',
    title: null,
    // By number: a window may be called what the drawing library has for itself.
    axis: {
      labelExpr: `${JSON.stringify(data.map(({ row }) => row))}[datum.value]`,
      labelLimit: 0,
      minExtent: extent,
      maxExtent: extent,
      ticks: false,
      domain: false,
      grid: false,
      labelFontSize: 11,
    },
  };
  const x = {
    field: 'from',
    ...BY_DAY,
    title: null,
    axis: { orient: 'top', grid: true, tickCount: 10, format: '%b %Y' },
    type: 'temporal',
  };
  const tooltip = [
    { field: 'row', title: kind },
    { field: 'is' },
    { field: 'text', title: 'days covered' },
    { field: 'days', title: 'length' },
  ];
  const asOf = { field: 'at', ...BY_DAY, type: 'temporal' };
  const opacity = { condition: { test: 'datum.own', value: 1 }, value: 0.62 };
  return {
    title: { text: title, anchor: 'start', frame: 'group', fontSize: 12, fontWeight: 'normal', color: theme.quiet },
    transform: [{ filter: { field: 'kind', equal: kind } }],
    width,
    height: rows.length * ROW,
    layer: [
      {
        mark: { type: 'bar', height: { band: 0.66 }, color: kind === 'window' ? theme.series[0] : theme.series[1] },
        encoding: { y, x, x2: { field: 'until', ...BY_DAY }, opacity, tooltip },
      },
      {
        transform: [{ filter: 'datum.earlier' }],
        mark: { type: 'text', text: '◂', align: 'left', dx: 2, color: theme.background, fontSize: 10 },
        encoding: { y, x },
      },
      { mark: { type: 'tick', color: theme.ink, thickness: 1.5, height: { band: 1 } }, encoding: { y, x: asOf } },
      {
        transform: [{ filter: 'datum.days === 0' }],
        mark: { type: 'text', align: 'left', dx: 6, color: theme.quiet, fontSize: 10 },
        encoding: { y, x: asOf, text: { field: 'text' } },
      },
    ],
  };
};

/** Windows and comparisons as bars on one time scale, each at its as-of dates. */
export const spansSpec = (
  spans: readonly LaidSpan[],
  { by = 'month', over, locale, width = 620, theme: name }: SpansOptions,
): ChartSpec => {
  const theme = themeOf(name);
  const earliest = Math.min(...spans.map(({ at }) => at));
  const several = spans.some(({ at }) => at !== earliest);
  const words = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' });
  const inWords = (day: number) => words.format(day * 86_400_000);
  const data = spanRows(spans, by, earliest - LOOK_BACK, inWords);
  const panels = [
    panelOf('window', 'windows; the model’s own are darker', data, width, theme),
    panelOf('comparison', `comparisons of ${over ?? `the ${by} so far`}`, data, width, theme),
  ];
  return {
    $schema: 'https://vega.github.io/schema/vega-lite/v6.json',
    description: 'Days that windows and comparisons cover',
    title: chartTitle(
      several ? 'Windows at several as-of dates' : `Windows as of ${inWords(earliest)}`,
      'Bars end after the last day covered; a dark line stands at the as-of date',
      theme,
    ),
    background: theme.background,
    padding: 18,
    data: { values: data },
    vconcat: panels.filter((found) => found !== undefined),
    resolve: { scale: { x: 'shared' } },
    config: chartConfig(theme),
  };
};
