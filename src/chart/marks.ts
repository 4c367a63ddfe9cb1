// The marks of a panel: bars, lines, steps and their colours.
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

/** What all layers of a panel share: how places and values are encoded, and what is drawn where. */
interface Brush {
  readonly place: Placing;
  readonly theme: Theme;
  readonly tooltip: readonly Plain[];
  readonly colour: Plain;
  readonly at: (category: Plain, value: Plain) => Plain;
  readonly thick: (band: number) => Plain;
  readonly offset: (sort: readonly number[]) => Plain;
}

const brushOf = (place: Placing, colours: Colours, tooltip: readonly Plain[], theme: Theme): Brush => {
  const { way, form } = place;
  const symbol = form === 'lines' ? { symbolType: 'stroke', symbolStrokeWidth: 3 } : { symbolType: 'square' };
  const legend = colours.domain.length > 1 ? { title: null, orient: 'top', ...symbol, labelLimit: 420, labelExpr: colours.labels } : null;
  return {
    place,
    theme,
    tooltip,
    colour: { field: colours.by, type: 'nominal', scale: { domain: colours.domain, range: colours.range }, legend },
    at: (category, value) => (way === 'across' ? { x: category, y: value } : { y: category, x: value }),
    thick: (band) => (way === 'across' ? { width: { band } } : { height: { band } }),
    offset: (sort) => ({ [way === 'across' ? 'xOffset' : 'yOffset']: { field: colours.by, sort } }),
  };
};

/** A period that is not over is pale with a dashed edge, so that nobody takes it for a fall. */
const UNFINISHED = {
  fillOpacity: { condition: { test: 'datum.partial', value: 0.35 }, value: 1 },
  strokeOpacity: { condition: { test: 'datum.partial', value: 1 }, value: 0 },
};
const barMark = (more: Plain): Plain => ({ type: 'bar', strokeDash: [3, 2], strokeWidth: 1.2, ...more });

const barLayer = (list: readonly Drawn[], { place, at, colour, tooltip }: Brush, mark: Plain, more: Plain = {}): Plain[] =>
  list.length === 0
    ? []
    : [
        {
          transform: [only(list)],
          mark: barMark(mark),
          encoding: {
            ...at(place.category, place.value),
            color: colour,
            ...UNFINISHED,
            stroke: { ...colour, legend: null },
            tooltip,
            ...more,
          },
        },
      ];

const lineLayer = (list: readonly Drawn[], { place, at, colour, tooltip }: Brush, mark: Plain): Plain[] =>
  list.length === 0
    ? []
    : [
        {
          transform: [only(list)],
          mark: { type: 'line', invalid: 'break-paths-show-domains', ...mark },
          encoding: { ...at(place.category, place.value), color: colour, tooltip },
        },
      ];

const lineLayers = (comparison: readonly Drawn[], chosen: readonly Drawn[], brush: Brush): Plain[] => {
  const { place, at, colour, tooltip, theme } = brush;
  const dense = place.count > 120;
  return [
    ...lineLayer(comparison, brush, { strokeWidth: dense ? 1.5 : 2 }),
    ...lineLayer(chosen, brush, dense ? { strokeWidth: 1.5 } : { strokeWidth: 2.5, point: { size: place.count > 60 ? 8 : 26 } }),
    ...(chosen.length === 0
      ? []
      : [
          {
            transform: [only(chosen), { filter: 'datum.partial' }],
            mark: { type: 'point', size: 60, strokeWidth: 2, fill: theme.background },
            encoding: { ...at(place.category, place.value), color: colour, tooltip },
          },
        ]),
  ];
};

/** Plans as steps. A line in steps runs from middle to middle; the ticks carry it to the outer edges. */
const planLayers = (plan: readonly Drawn[], { place, at, thick, colour, tooltip }: Brush): Plain[] => {
  if (plan.length === 0) return [];
  const across = place.way === 'across';
  const layer = (mark: Plain): Plain => ({
    transform: [only(plan)],
    mark,
    encoding: { ...at(place.category, place.value), color: colour, tooltip },
  });
  return [
    ...(across ? [layer({ type: 'line', interpolate: 'step', strokeWidth: 2, invalid: 'break-paths-show-domains' })] : []),
    ...(place.form === 'bars' ? [layer({ type: 'tick', thickness: across ? 2 : 3, ...thick(across ? 1 : 0.9), opacity: 1 })] : []),
  ];
};

/** Changes and differences around a line at zero. */
const signedLayers = (signed: readonly Drawn[], { place, at, thick, offset, colour, tooltip, theme }: Brush): Plain[] => {
  if (signed.length === 0) return [];
  const several = signed.length > 1;
  const sign = { condition: { test: 'datum.value < 0', value: theme.signs[1] }, value: theme.signs[0] };
  return [
    {
      transform: [only(signed)],
      mark: barMark(several ? {} : thick(0.62)),
      encoding: {
        ...at(place.category, place.value),
        ...(several ? { color: colour, stroke: colour, ...offset(signed.map(({ at: number }) => number)) } : { color: sign, stroke: sign }),
        ...UNFINISHED,
        tooltip,
      },
    },
    {
      data: ONCE,
      mark: { type: 'rule', aria: false, color: theme.quiet, strokeWidth: 1 },
      encoding: place.way === 'across' ? { y: { datum: 0 } } : { x: { datum: 0 } },
    },
  ];
};

/** The as-of date, and once above a period that is not over its last day. */
const dayLayers = ({ place, theme }: Brush): Plain[] => {
  if (place.way !== 'across') return [];
  const here = (index: number): Plain => ({ ...place.category, datum: index, field: undefined });
  const text = { type: 'text', aria: false, baseline: 'bottom', fontSize: 10, color: theme.quiet };
  const above = { y: { value: -3 } };
  return [
    ...(place.asOf === undefined
      ? []
      : [
          {
            data: ONCE,
            mark: { type: 'rule', aria: false, strokeDash: [4, 3], color: theme.quiet },
            encoding: { x: here(place.asOf) },
          },
          { data: ONCE, mark: { ...text, text: place.asOfText, align: 'center' }, encoding: { x: here(place.asOf), ...above } },
        ]),
    ...(place.open === undefined
      ? []
      : [
          {
            data: ONCE,
            mark: { ...text, text: place.open.text, align: 'right', dx: place.open.behind },
            encoding: { x: here(place.open.index), ...above },
          },
        ]),
  ];
};

/** The layers of one panel, from back to front. */
export const layersOf = (panel: Panel, place: Placing, colours: Colours, tooltip: readonly Plain[], theme: Theme): Plain[] => {
  const brush = brushOf(place, colours, tooltip, theme);
  const { at, thick, offset } = brush;
  const of = (part: Drawn['part']): Drawn[] => panel.readings.filter((drawn) => drawn.part === part);
  const [chosen, comparison, plan, signed] = (['chosen', 'comparison', 'plan', 'signed'] as const).map(of);
  const grouped = colours.by === 'memberAt' ? colours.domain : [...comparison, ...chosen].map(({ at: number }) => number);
  const several = grouped.length > 1;
  // The comparison is a wider, pale column behind the one it is compared with.
  const behind = comparison.length === 1 && chosen.length === 1 && colours.by === 'readingAt';
  const values =
    place.form === 'lines'
      ? lineLayers(comparison, chosen, brush)
      : behind
        ? [...barLayer(comparison, brush, thick(0.86)), ...barLayer(chosen, brush, thick(0.52))]
        : barLayer([...comparison, ...chosen], brush, several ? {} : thick(0.7), several ? offset(grouped) : {});
  const alert = {
    transform: [{ filter: 'isValid(datum.alert)' }],
    mark: { type: 'text', fontSize: 14, ...(place.way === 'across' ? { dy: -10 } : { dx: 12 }) },
    encoding: {
      ...at(place.category, place.value),
      ...(place.form === 'bars' && several && !(comparison.length === 1 && chosen.length === 1) ? offset(grouped) : {}),
      text: { field: 'arrow' },
      color: { field: 'verdict', type: 'nominal', scale: null },
      tooltip: [{ field: 'alert' }, ...tooltip],
    },
  };
  return [...values, ...planLayers(plan, brush), ...signedLayers(signed, brush), ...dayLayers(brush), alert];
};
