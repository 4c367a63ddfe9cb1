import type { Cell, Mark, Result, ResultColumn } from '../result/result.ts';
import { chartConfig, chartTitle, INK, PALE, QUIET, SERIES, VERDICTS } from './look.ts';

/** A Vega-Lite specification; plain data. */
export type ChartSpec = Readonly<Record<string, unknown>>;

const MOST_COLOURS = 6;
const FEW_PERIODS = 14;

interface Panel {
  readonly columns: readonly ResultColumn[];
  readonly title: string;
}

/** A reading shown beside its comparison stays loud; the comparison itself is pale. */
const isPale = (result: Result, column: ResultColumn): boolean => {
  const expression = column.expression ?? '';
  return result.compared[column.name] !== undefined && !/ as (difference|change|ratio|index)\s*\)?$/.test(expression);
};

/** Readings in the same unit share a panel; each unit has one scale. */
const panelsOf = (result: Result, readings: readonly string[] | undefined): Panel[] => {
  const panels = new Map<string, ResultColumn[]>();
  for (const column of result.columns) {
    if (column.kind !== 'reading' || readings?.includes(column.name) === false) continue;
    const key = column.unit ?? '';
    panels.set(key, [...(panels.get(key) ?? []), column]);
  }
  return [...panels.entries()].map(([unit, columns]) => ({ columns, title: unit }));
};

const monthDay = (iso: string, locale: string): string =>
  new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', timeZone: 'UTC' }).format(Date.parse(iso));

/** Days are labelled `15 Aug`, other periods by their own label. */
const axisLabel = (result: Result, index: number): string => {
  const period = result.periods[index];
  return result.unit === 'day' ? monthDay(period.start, result.locale) : period.label;
};

const dayText = (start: string, end: string): string => (start === end ? start : `${start} to ${end}`);

/** What a marked cell carries into the chart. */
const alertOf = (mark: Mark | undefined): Record<string, unknown> =>
  mark ? { alert: mark.label, arrow: mark.direction === 'low' ? '▼' : '▲', verdict: VERDICTS[mark.verdict] } : {};

/** An arrow at every cell that sets an alert off: its shape says which way, its colour whether that is good. */
const alertLayer = (x: unknown, y: unknown, tooltip: readonly unknown[]): Record<string, unknown> => ({
  transform: [{ filter: 'isValid(datum.alert)' }],
  mark: { type: 'text', fontSize: 14, dy: -9 },
  encoding: {
    x,
    y,
    text: { field: 'arrow' },
    color: { field: 'verdict', type: 'nominal', scale: null },
    tooltip: [{ field: 'alert' }, ...tooltip],
  },
});

export interface ChartOptions {
  /** Columns to draw, by name; all readings when left out. */
  readonly readings?: readonly string[];
  /** Width of the drawing area in pixels; default 760. */
  readonly width?: number;
  /** Height of the first panel in pixels; default 380, less for small multiples. */
  readonly height?: number;
  /** `none` where the page around the chart says what it shows. */
  readonly title?: 'show' | 'none';
}

/** Turns a result into a chart: lines over many periods, columns over few, comparisons pale behind what they are compared with. */
export const chartSpec = (result: Result, options: ChartOptions = {}): ChartSpec => {
  const attributes = result.columns.filter(({ kind }) => kind === 'attribute');
  const periodIndex = new Map(result.periods.map(({ label }, index) => [label, index]));
  const members = (row: readonly Cell[]): string => attributes.map((_, k) => String(row[k + 1])).join(' · ');
  const memberNames = [...new Set(result.rows.map(members))];
  const facets = attributes.length > 0;
  const data: Record<string, unknown>[] = [];
  result.rows.forEach((row, r) => {
    const index = periodIndex.get(String(row[0])) as number;
    const period = result.periods[index];
    result.columns.forEach((column, c) => {
      if (column.kind !== 'reading') return;
      const compared = result.compared[column.name]?.[r];
      data.push({
        order: index,
        x: axisLabel(result, index),
        reading: column.label,
        member: members(row),
        value: row[c],
        partial: period.partial && column.horizon !== 'plan',
        days: dayText(period.start, period.partial ? period.anchor : period.end),
        compared: compared ? dayText(compared.start, compared.end) : '',
        ...alertOf(result.marks[r]?.[c]),
      });
    });
  });
  const count = result.periods.length;
  const columns = count <= FEW_PERIODS;
  const step = Math.max(1, Math.ceil(count / 16));
  const shown = result.periods
    .map((_, index) => index)
    .filter((index) => index % step === 0)
    .map((index) => axisLabel(result, index));
  const panels = panelsOf(result, options.readings);
  const width = options.width ?? 760;
  const heightOf = (small: boolean): number => Math.max(90, Math.round((options.height ?? (facets ? 150 : 380)) / (small ? 2 : 1)));
  const xField = { field: 'x', type: 'ordinal', sort: { field: 'order', op: 'min' }, title: null };
  const x = {
    ...xField,
    axis: { values: shown, labelAngle: count > 8 && shown.some((text) => text.length > 7) ? -40 : 0, labelOverlap: 'greedy' },
  };

  const panelSpec = (panel: Panel, position: number): Record<string, unknown> => {
    const percent = panel.title === '%';
    const loud = panel.columns.filter((column) => !isPale(result, column));
    const pale = panel.columns.filter((column) => isPale(result, column));
    const domain = [...pale, ...loud].map(({ label }) => label);
    const range = [
      ...pale.map((_, k) => (k === 0 && loud.length > 0 ? PALE : SERIES[(k + 2) % SERIES.length])),
      ...loud.map((_, k) => SERIES[(k + position) % SERIES.length]),
    ];
    const tooltip = [
      { field: 'member', title: attributes.map(({ label }) => label).join(' · ') || 'all' },
      { field: 'reading' },
      { field: 'value', type: 'quantitative', format: percent ? '.1%' : ',.2~f' },
      { field: 'days', title: 'days' },
      { field: 'compared', title: 'compared days' },
    ];
    const colour = {
      field: 'reading',
      type: 'nominal',
      scale: { domain, range },
      legend: panel.columns.length > 1 ? { title: null, orient: 'top', symbolType: 'square', labelLimit: 420 } : null,
    };
    const y = { field: 'value', type: 'quantitative', title: null, axis: { format: percent ? '%' : '~s', tickCount: facets ? 3 : 5 } };
    const opacity = { condition: { test: 'datum.partial', value: 0.55 }, value: 1 };
    const some = (list: readonly ResultColumn[]) => ({ filter: { field: 'reading', oneOf: list.map(({ label }) => label) } });
    const layers: Record<string, unknown>[] = [];
    if (columns) {
      if (loud.length === 1 && pale.length === 1) {
        // The comparison is a wider, pale column behind the one it is compared with.
        layers.push({ transform: [some(pale)], mark: { type: 'bar', width: { band: 0.86 } }, encoding: { x, y, color: colour, tooltip } });
        layers.push({
          transform: [some(loud)],
          mark: { type: 'bar', width: { band: 0.5 } },
          encoding: { x, y, color: colour, opacity, tooltip },
        });
      } else {
        const offset = panel.columns.length > 1 ? { xOffset: { field: 'reading', sort: domain } } : {};
        layers.push({ mark: { type: 'bar' }, encoding: { x, y, color: colour, opacity, tooltip, ...offset } });
      }
    } else {
      const invalid = 'break-paths-show-domains';
      if (pale.length > 0)
        layers.push({
          transform: [some(pale)],
          mark: { type: 'line', strokeWidth: 2, invalid },
          encoding: { x, y, color: colour, tooltip },
        });
      if (loud.length > 0)
        layers.push({
          transform: [some(loud)],
          mark: { type: 'line', strokeWidth: 2.5, point: { size: count > 60 ? 8 : 26 }, invalid },
          encoding: { x, y, color: colour, tooltip },
        });
    }
    if (data.some(({ alert }) => alert !== undefined)) layers.push(alertLayer(x, y, tooltip));
    const own = { filter: { field: 'reading', oneOf: domain } };
    const height = heightOf(panels.length > 1 && position > 0);
    const title =
      panel.title === '' || (panels.length === 1 && facets)
        ? undefined
        : {
            text: panel.columns.length === 1 ? `${panel.columns[0].label} (${panel.title})` : panel.title,
            anchor: 'start',
            fontSize: 12,
            fontWeight: 'normal',
            color: QUIET,
          };
    if (!facets) return { title, transform: [own], width, height, layer: layers };
    const per = memberNames.length <= MOST_COLOURS ? 2 : 3;
    return {
      title,
      transform: [own],
      facet: {
        field: 'member',
        type: 'nominal',
        title: null,
        sort: memberNames,
        header: { labelAnchor: 'start', labelFontSize: 12, labelColor: INK, labelFontWeight: 'bold' },
      },
      columns: per,
      spec: { width: Math.round((width - (per - 1) * 40) / per), height, layer: layers.map((layer) => ({ ...layer })) },
      resolve: { axis: { x: 'independent' } },
    };
  };
  const names = result.columns.filter(({ kind }) => kind === 'reading').map(({ label }) => label);
  const title = chartTitle(
    names.length <= 3 ? names.join(', ') : `${names.slice(0, 3).join(', ')} …`,
    `${result.caption}, as of ${result.asOf}`,
  );
  return {
    $schema: 'https://vega.github.io/schema/vega-lite/v6.json',
    description: `${names.join(', ')}: ${result.caption}`,
    ...(options.title === 'none' ? {} : { title }),
    background: '#ffffff',
    padding: 18,
    data: { values: data },
    vconcat: panels.map(panelSpec),
    resolve: { scale: { color: 'independent', y: 'independent' }, legend: { color: 'independent' } },
    config: { ...chartConfig, axisX: { grid: false } },
  };
};
