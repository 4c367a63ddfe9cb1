import type { Theme } from './look.ts';
import type { Drawn, Panel } from './panels.ts';

type Plain = Readonly<Record<string, unknown>>;

/** Along which way periods or members lie, and how their places are named. */
export interface Placing {
  /** `across`: from left to right; `down`: from top to bottom, names beside them. */
  readonly way: 'across' | 'down';
  readonly category: Plain;
  readonly value: Plain;
  /** Bars for few places, lines for many. */
  readonly form: 'bars' | 'lines';
  readonly count: number;
  /** Index of the place at which the as-of date lies, where others follow it. */
  readonly asOf: number | undefined;
  readonly asOfText: string;
  /** The last period where it is not over, and its last day; `behind`: by how many pixels its text stands out to the right. */
  readonly open: { readonly index: number; readonly text: string; readonly behind: number } | undefined;
}

/** What colour stands for: the reading, or the member where there is one reading and few members. Both are told by number. */
export type ColourBy = 'readingAt' | 'memberAt';

export interface Colours {
  readonly by: ColourBy;
  readonly domain: readonly number[];
  readonly range: readonly string[];
  /** What the numbers of a domain are called, as an expression for labels. */
  readonly labels: string;
}

/** Colours of a panel's readings: comparisons pale, plans dark, the rest from the palette. */
export const readingColours = ({ readings }: Panel, theme: Theme, first: number, labels: string): Colours => {
  let next = first;
  let pales = 0;
  const take = (): string => theme.series[next++ % theme.series.length];
  const colour = ({ part }: Drawn): string => {
    if (part === 'plan') return theme.plan;
    if (part === 'comparison' && pales++ === 0) return theme.pale;
    return take();
  };
  return { by: 'readingAt', domain: readings.map(({ at }) => at), range: readings.map(colour), labels };
};

const only = (list: readonly Drawn[]): Plain => ({ filter: { field: 'readingAt', oneOf: list.map(({ at }) => at) } });

/** Data of a mark that is drawn once in a panel. */
const ONCE = { values: [{}] };

/** The layers of one panel, from back to front. */
export const layersOf = (panel: Panel, place: Placing, colours: Colours, tooltip: readonly Plain[], theme: Theme): Plain[] => {
  const { way, form, category, value } = place;
  const at = (c: Plain, v: Plain): Plain => (way === 'across' ? { x: c, y: v } : { y: c, x: v });
  const thick = (band: number): Plain => (way === 'across' ? { width: { band } } : { height: { band } });
  const offset = (sort: readonly number[]): Plain => ({ [way === 'across' ? 'xOffset' : 'yOffset']: { field: colours.by, sort } });
  const symbol = form === 'lines' ? { symbolType: 'stroke', symbolStrokeWidth: 3 } : { symbolType: 'square' };
  const legend = colours.domain.length > 1 ? { title: null, orient: 'top', ...symbol, labelLimit: 420, labelExpr: colours.labels } : null;
  const colour = { field: colours.by, type: 'nominal', scale: { domain: colours.domain, range: colours.range }, legend };
  const of = (part: Drawn['part']): Drawn[] => panel.readings.filter((drawn) => drawn.part === part);
  const [chosen, comparison, plan, signed] = (['chosen', 'comparison', 'plan', 'signed'] as const).map(of);
  const layers: Plain[] = [];

  // A period that is not over is pale with a dashed edge, so that nobody takes it for a fall.
  const unfinished = {
    fillOpacity: { condition: { test: 'datum.partial', value: 0.35 }, value: 1 },
    strokeOpacity: { condition: { test: 'datum.partial', value: 1 }, value: 0 },
    stroke: { ...colour, legend: null },
  };
  const bar = (more: Plain): Plain => ({ type: 'bar', strokeDash: [3, 2], strokeWidth: 1.2, ...more });
  const bars = (list: readonly Drawn[], mark: Plain, more: Plain = {}): void => {
    if (list.length > 0)
      layers.push({
        transform: [only(list)],
        mark: bar(mark),
        encoding: { ...at(category, value), color: colour, ...unfinished, tooltip, ...more },
      });
  };
  const grouped = colours.by === 'memberAt' ? colours.domain : [...comparison, ...chosen].map(({ at: number }) => number);

  if (form === 'bars') {
    if (comparison.length === 1 && chosen.length === 1 && colours.by === 'readingAt') {
      // The comparison is a wider, pale column behind the one it is compared with.
      bars(comparison, thick(0.86));
      bars(chosen, thick(0.52));
    } else bars([...comparison, ...chosen], grouped.length > 1 ? {} : thick(0.7), grouped.length > 1 ? offset(grouped) : {});
  } else {
    const invalid = 'break-paths-show-domains';
    const line = (list: readonly Drawn[], mark: Plain): void => {
      if (list.length > 0)
        layers.push({
          transform: [only(list)],
          mark: { type: 'line', invalid, ...mark },
          encoding: { ...at(category, value), color: colour, tooltip },
        });
    };
    const dense = place.count > 120;
    line(comparison, { strokeWidth: dense ? 1.5 : 2 });
    line(chosen, dense ? { strokeWidth: 1.5 } : { strokeWidth: 2.5, point: { size: place.count > 60 ? 8 : 26 } });
    if (chosen.length > 0)
      layers.push({
        transform: [only(chosen), { filter: 'datum.partial' }],
        mark: { type: 'point', size: 60, strokeWidth: 2, fill: theme.background },
        encoding: { ...at(category, value), color: colour, tooltip },
      });
  }
  if (plan.length > 0) {
    // A line in steps runs from middle to middle; the ticks carry it to the outer edges.
    if (way === 'across')
      layers.push({
        transform: [only(plan)],
        mark: { type: 'line', interpolate: 'step', strokeWidth: 2, invalid: 'break-paths-show-domains' },
        encoding: { ...at(category, value), color: colour, tooltip },
      });
    if (form === 'bars')
      layers.push({
        transform: [only(plan)],
        mark: { type: 'tick', thickness: way === 'across' ? 2 : 3, ...thick(way === 'across' ? 1 : 0.9), opacity: 1 },
        encoding: { ...at(category, value), color: colour, tooltip },
      });
  }
  if (signed.length > 0) {
    const several = signed.length > 1;
    const sign = { condition: { test: 'datum.value < 0', value: theme.signs[1] }, value: theme.signs[0] };
    layers.push({
      transform: [only(signed)],
      mark: bar(several ? {} : thick(0.62)),
      encoding: {
        ...at(category, value),
        ...(several ? { color: colour, stroke: colour, ...offset(signed.map(({ at: number }) => number)) } : { color: sign, stroke: sign }),
        fillOpacity: unfinished.fillOpacity,
        strokeOpacity: unfinished.strokeOpacity,
        tooltip,
      },
    });
    layers.push({
      data: ONCE,
      mark: { type: 'rule', aria: false, color: theme.quiet, strokeWidth: 1 },
      encoding: way === 'across' ? { y: { datum: 0 } } : { x: { datum: 0 } },
    });
  }
  if (place.asOf !== undefined && way === 'across') {
    const here = { ...category, datum: place.asOf, field: undefined };
    layers.push({ data: ONCE, mark: { type: 'rule', aria: false, strokeDash: [4, 3], color: theme.quiet }, encoding: { x: here } });
    layers.push({
      data: ONCE,
      mark: { type: 'text', aria: false, text: place.asOfText, align: 'center', baseline: 'bottom', fontSize: 10, color: theme.quiet },
      encoding: { x: here, y: { value: -3 } },
    });
  }
  // The last day of a period that is not over stands above it, once.
  if (place.open !== undefined && way === 'across')
    layers.push({
      data: ONCE,
      mark: {
        type: 'text',
        aria: false,
        text: place.open.text,
        align: 'right',
        baseline: 'bottom',
        fontSize: 10,
        dx: place.open.behind,
        color: theme.quiet,
      },
      encoding: { x: { ...category, datum: place.open.index, field: undefined }, y: { value: -3 } },
    });
  layers.push({
    transform: [{ filter: 'isValid(datum.alert)' }],
    mark: { type: 'text', fontSize: 14, ...(way === 'across' ? { dy: -10 } : { dx: 12 }) },
    encoding: {
      ...at(category, value),
      ...(form === 'bars' && grouped.length > 1 && !(comparison.length === 1 && chosen.length === 1) ? offset(grouped) : {}),
      text: { field: 'arrow' },
      color: { field: 'verdict', type: 'nominal', scale: null },
      tooltip: [{ field: 'alert' }, ...tooltip],
    },
  });
  return layers;
};
