// A result as a Vega-Lite specification.
import { DurchblickError } from '../errors.ts';
import { formatter } from '../result/format.ts';
import type { Cell, Mark, ResultColumn } from '../result/types.ts';
import { wordsOf } from '../words/all.ts';
import { chartConfig, chartText, chartTitle, type Theme, type ThemeName, themeOf } from './look.ts';
import { type ColourBy, type Colours, layersOf, type Placing, readingColours } from './marks.ts';
import { type Charted, type Panel, panelsOf } from './panels.ts';
import { ticksOf } from './ticks.ts';
import { agedColours, overOneAxis } from './years.ts';

type Result = Charted;

/** A Vega-Lite specification; plain data. */
export type ChartSpec = Readonly<Record<string, unknown>>;

export interface ChartOptions {
  /** Columns to draw, by name; all readings when left out. */
  readonly readings?: readonly string[];
  /** Width of the drawing area in pixels; default 760. */
  readonly width?: number;
  /** Height of the first panel in pixels; default 380, less for small multiples. */
  readonly height?: number;
  /** `none` where the page around the chart says what it shows. */
  readonly title?: 'show' | 'none';
  /** Colours for light pages (the default) or dark ones. */
  readonly theme?: ThemeName;
}

/** Up to so many periods are columns, more are lines. */
const FEW_PERIODS = 14;
/** Up to so many members share a panel, each in its colour; more are small multiples. */
const FEW_MEMBERS = 5;
/** Up to so many bars stand side by side in one panel. */
const MOST_BARS = 45;
/** More small multiples, or marks of all of them, nobody reads. */
const MOST_MEMBERS = 200;
const MOST_MARKS = 60_000;

const dated = (locale: string): ((iso: string) => string) => {
  const format = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' });
  return (iso) => format.format(Date.parse(iso));
};
const short = (locale: string): ((iso: string) => string) => {
  const format = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', timeZone: 'UTC' });
  return (iso) => format.format(Date.parse(iso));
};

const alertOf = (mark: Mark | null | undefined, theme: Theme): Record<string, unknown> =>
  mark ? { alert: mark.label, arrow: mark.direction === 'low' ? '▼' : '▲', verdict: theme.verdicts[mark.verdict] } : {};

/** Values on the axis in few characters, with their unit: `€12k`, `35%`. */
const axisValue = ({ format }: ResultColumn, locale: string): string => {
  if (format?.style === 'percent') return `format(datum.value, '.3~%')`;
  const currency =
    format?.style === 'currency' && format.currency
      ? new Intl.NumberFormat(locale, { style: 'currency', currency: format.currency, currencyDisplay: 'narrowSymbol' })
          .formatToParts(1)
          .find(({ type }) => type === 'currency')?.value
      : '';
  const size = `(abs(datum.value) >= 1 ? format(abs(datum.value), '.3~s') : format(abs(datum.value), '.3~g'))`;
  return `(datum.value < 0 ? '−' : '') + ${JSON.stringify(currency ?? '')} + ${size}`;
};

/**
 * Names for numbers, as an expression for labels. The data of a chart tell members and readings apart by number, because a
 * name may be one that the drawing library has for itself, and two may be alike.
 */
const namesFor = (texts: readonly string[]): string => `${JSON.stringify(texts.map(chartText))}[datum.value]`;

/** Rows of the chart's data: one for each cell of a reading. */
const valuesOf = (result: Result, members: readonly string[], theme: Theme, open: number | undefined): Record<string, unknown>[] => {
  const attributes = result.columns.filter(({ kind }) => kind === 'attribute');
  const words = dated(result.locale);
  const span = (start: string, end: string): string => (start === end ? words(start) : `${words(start)} – ${words(end)}`);
  const index = new Map(result.periods.map(({ label }, k) => [label, k]));
  const memberAt = new Map(members.map((member, k) => [member, k]));
  const writers = result.columns.map(({ format }) => formatter(format ?? {}, result.locale));
  return result.rows.flatMap((row, r) => {
    const order = index.get(String(row[0])) as number;
    const period = result.periods[order];
    const member = memberOf(row, attributes.length);
    return result.columns.flatMap((column, c) => {
      if (column.kind !== 'reading') return [];
      const compared = Object.hasOwn(result.compared, column.name) ? result.compared[column.name][r] : null;
      // A range that ends inside a period cuts plans as well.
      const partial = period.cut === true || ((period.partial || r === open) && column.horizon !== 'plan');
      return {
        row: r,
        order,
        period: chartText(period.label),
        readingAt: c,
        reading: chartText(column.label),
        memberAt: memberAt.get(member),
        member: chartText(member),
        value: row[c],
        text: row[c] === null ? '–' : writers[c](row[c] as number),
        partial,
        days: span(period.start, period.partial && column.horizon !== 'plan' ? period.anchor : period.end),
        compared: compared ? span(compared.start, compared.end) : '',
        ...alertOf(result.marks?.[r]?.[c], theme),
      };
    });
  });
};

const memberOf = (row: readonly Cell[], attributes: number): string =>
  row
    .slice(1, 1 + attributes)
    .map(String)
    .join(' · ');

/** Room around a chart without a title, in pixels. */
const MARGIN = 6;

/** Where a chart has its periods and members. */
interface Layout {
  readonly placing: (panel: Panel, width: number) => Placing;
  readonly facets: boolean;
  readonly colourBy: ColourBy;
}

/** The last axis index at whose period the as-of date lies, where periods follow it. */
const asOfIndex = ({ periods, asOf, unit }: Result): number | undefined => {
  if (unit === null) return undefined;
  const at = periods.findIndex(({ start, end }) => start <= asOf && asOf <= end);
  return at >= 0 && at < periods.length - 1 ? at : undefined;
};

/** The last period, where it is not over or the range ends inside it; its text may stand out by the margin of a chart. */
const openPeriod = ({ periods, unit, locale }: Result, width: number): Placing['open'] => {
  const last = periods[periods.length - 1];
  const ends = last?.partial ? last.anchor : last?.end;
  return unit !== null && unit !== 'day' && (last?.partial || last?.cut)
    ? {
        index: periods.length - 1,
        text: wordsOf(locale).until(short(locale)(ends)),
        behind: Math.min(22, Math.floor(width / periods.length / 2) + MARGIN),
      }
    : undefined;
};

const valueAxis = (panel: Panel, locale: string, way: 'across' | 'down', small: boolean): Record<string, unknown> => ({
  field: 'value',
  type: 'quantitative',
  title: null,
  axis: {
    labelExpr: axisValue(panel.readings[0].column, locale),
    tickCount: small ? 3 : 5,
    ...(way === 'down' ? { grid: true } : {}),
  },
});

const namedAxis = (field: string, labelExpr: string): Record<string, unknown> => ({
  field,
  type: 'ordinal',
  title: null,
  axis: { labelLimit: 260, ticks: false, domain: false, grid: false, labelExpr },
});

/** Names down the side, bars to the right. */
const downPlacing = (result: Result, panel: Panel, small: boolean, category: Placing['category'], count: number): Placing => ({
  way: 'down',
  form: 'bars',
  category,
  value: valueAxis(panel, result.locale, 'down', small),
  count,
  asOf: undefined,
  asOfText: asOfWords(result),
  open: undefined,
});

const asOfWords = ({ locale, asOf }: Result): string => wordsOf(locale).asOf(short(locale)(asOf));

/** Periods side by side, as bars or lines. */
const acrossPlacing = (result: Result, panel: Panel, width: number, small: boolean, ticks: Ticks, lines: 'lines' | undefined): Placing => {
  const count = result.periods.length;
  const labels = JSON.stringify(Object.fromEntries(ticks.map(({ index, label }) => [index, chartText(label)])));
  return {
    way: 'across',
    form: lines ?? (count <= FEW_PERIODS || result.unit === null ? 'bars' : 'lines'),
    category: {
      field: 'order',
      type: 'ordinal',
      scale: { domain: Array.from({ length: count }, (_, k) => k) },
      title: null,
      axis: { values: ticks.map(({ index }) => index), labelExpr: `${labels}[datum.value]`, labelAngle: 0, labelOverlap: false },
    },
    value: valueAxis(panel, result.locale, 'across', small),
    count,
    asOf: asOfIndex(result),
    asOfText: asOfWords(result),
    open: openPeriod(result, width),
  };
};

type Ticks = NonNullable<ReturnType<typeof ticksOf>>;

const layoutOf = (
  result: Result,
  panels: readonly Panel[],
  members: readonly string[],
  width: number,
  /** Lines over one axis, whichever periods it has. */
  lines: 'lines' | undefined,
): Layout => {
  const count = result.periods.length;
  const named = members.length > 1 || members[0] !== '';
  // One period and its members, or windows whose names are long.
  if (count === 1 && named && members.length <= 60)
    return {
      facets: false,
      colourBy: 'readingAt',
      placing: (panel) => downPlacing(result, panel, false, namedAxis('memberAt', namesFor(members)), members.length),
    };
  const single = panels.every(({ readings }) => readings.length === 1 && readings[0].part === 'chosen');
  const together =
    named && single && (lines ? true : members.length <= FEW_MEMBERS && (count > FEW_PERIODS || count * members.length <= MOST_BARS));
  const facets = named && !together;
  const ticks = ticksOf(result, width);
  return {
    facets,
    colourBy: together ? 'memberAt' : 'readingAt',
    placing: (panel, own) => {
      const fitting = own === width ? ticks : ticksOf(result, own);
      if (fitting) return acrossPlacing(result, panel, own, facets, fitting, lines);
      return downPlacing(result, panel, facets, namedAxis('order', namesFor(result.periods.map(({ label }) => label))), count);
    },
  };
};

/** What all panels of a chart share. */
interface Drawing {
  readonly result: Result;
  readonly options: ChartOptions;
  readonly theme: Theme;
  readonly panels: readonly Panel[];
  readonly members: readonly string[];
  /** Members are years, the older the paler. */
  readonly aged: boolean;
  readonly layout: Layout;
  readonly width: number;
  readonly tooltip: readonly Record<string, unknown>[];
}

const coloursOf = ({ result, layout, members, aged, theme }: Drawing, panel: Panel, position: number): Colours =>
  layout.colourBy === 'memberAt'
    ? {
        by: 'memberAt',
        domain: members.map((_, k) => k),
        range: aged ? agedColours(members.length, theme) : members.map((_, k) => theme.series[k % theme.series.length]),
        labels: namesFor(members),
      }
    : readingColours(panel, theme, panel.readings[0].part === 'signed' ? 2 : position, namesFor(result.columns.map(({ label }) => label)));

const panelSpec = (drawing: Drawing, panel: Panel, position: number): Record<string, unknown> => {
  const { layout, members, width, options, panels, theme, tooltip } = drawing;
  const per = Math.max(1, Math.min(members.length <= 6 ? 2 : 3, Math.floor(width / 220)));
  const own = layout.facets ? Math.round((width - (per - 1) * 44) / per) : width;
  const placing = layout.placing(panel, own);
  const layer = layersOf(panel, placing, coloursOf(drawing, panel, position), tooltip, theme);
  const small = panels.length > 1 && position > 0;
  const across = Math.max(90, Math.round((options.height ?? (layout.facets ? 150 : 380)) / (small ? 2 : 1)));
  const side = panel.readings.filter(({ part }) => part !== 'plan').length > 2 ? 34 : 24;
  const height = placing.way === 'down' ? placing.count * side : across;
  const unit = panel.unit === '' ? '' : ` (${panel.unit})`;
  const text =
    panel.readings.length === 1 && panels.length > 1 ? `${chartText(panel.readings[0].column.label)}${unit}` : chartText(panel.unit);
  const title = text === '' ? undefined : { text, anchor: 'start', fontSize: 12, fontWeight: 'normal', color: theme.quiet };
  const transform = [{ filter: { field: 'readingAt', oneOf: panel.readings.map(({ at }) => at) } }];
  if (!layout.facets) return { title, transform, width, height, layer };
  return {
    title,
    transform,
    facet: {
      field: 'memberAt',
      type: 'ordinal',
      title: null,
      header: { labelExpr: namesFor(members), labelAnchor: 'start', labelFontSize: 12, labelColor: theme.ink, labelFontWeight: 'bold' },
    },
    columns: per,
    spec: { width: own, height, layer },
    resolve: { axis: { x: 'independent' } },
  };
};

const tooltipOf = ({ locale, columns }: Result): readonly Record<string, unknown>[] => {
  const words = wordsOf(locale);
  const attributes = columns.filter(({ kind }) => kind === 'attribute').map(({ label }) => label);
  return [
    { field: 'period', title: words.period },
    ...(attributes.length > 0 ? [{ field: 'member', title: attributes.join(' · ') }] : []),
    { field: 'reading', title: words.reading },
    { field: 'text', title: words.value },
    { field: 'days', title: words.days },
    { field: 'compared', title: words.compared },
  ];
};

const drawingOf = (result: Result, years: ReturnType<typeof overOneAxis>, options: ChartOptions): Drawing => {
  const attributes = result.columns.filter(({ kind }) => kind === 'attribute');
  const members = years?.members ?? [...new Set(result.rows.map((row) => memberOf(row, attributes.length)))];
  if (members.length > MOST_MEMBERS || result.rows.length * result.columns.length > MOST_MARKS)
    throw new DurchblickError(
      'too-many-marks',
      `a chart of ${members.length.toLocaleString('en')} members in ${result.rows.length.toLocaleString('en')} rows cannot be read`,
      { hint: 'Keep the first of them: `limit`, with `rest` for the others; or filter them.' },
    );
  const panels = panelsOf(result, options.readings);
  const width = options.width ?? 760;
  return {
    result,
    options,
    theme: themeOf(options.theme),
    panels,
    members,
    aged: years !== undefined,
    layout: layoutOf(result, panels, members, width, years ? 'lines' : undefined),
    width,
    tooltip: tooltipOf(result),
  };
};

/** Turns a result into a chart: lines over many periods, columns over few, comparisons pale, plans as steps, changes around zero. */
export const chartSpec = (given: Result, options: ChartOptions = {}): ChartSpec => {
  const years = overOneAxis(given);
  const drawing = drawingOf(years?.result ?? given, years, options);
  const { result, panels, members, theme } = drawing;
  const names = panels.flatMap(({ readings }) => readings.map(({ column }) => chartText(column.label)));
  const title = chartTitle(
    names.length <= 3 ? names.join(', ') : `${names.slice(0, 3).join(', ')} …`,
    [result.caption, wordsOf(result.locale).asOf(result.asOf)].filter((text) => text !== '').join(', '),
    theme,
  );
  return {
    $schema: 'https://vega.github.io/schema/vega-lite/v6.json',
    description: `${names.join(', ')}: ${result.caption}`,
    ...(options.title === 'none' ? {} : { title }),
    background: theme.background,
    padding: options.title === 'none' ? MARGIN : 18,
    data: { values: valuesOf(result, members, theme, years?.open) },
    vconcat: panels.map((panel, position) => panelSpec(drawing, panel, position)),
    resolve: {
      scale: { color: 'independent', stroke: 'independent', xOffset: 'independent', yOffset: 'independent', y: 'independent' },
      legend: { color: 'independent' },
    },
    config: { ...chartConfig(theme), axisX: { grid: false } },
  };
};
