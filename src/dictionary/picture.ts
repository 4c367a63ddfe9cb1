// Small pictures for pages, as SVG that takes its colours from the page.
import { escapeHtml } from '../basics/text.ts';
import type { DefinedSpan, DefinedValue } from './dictionary.ts';

const DAY_MS = 86_400_000;
const dayOf = (iso: string): number => Math.round(Date.parse(iso) / DAY_MS);

const [WIDTH, HEIGHT] = [260, 14];

/** One time scale for all spans of a list: what lies far back is cut, and said by an arrow. */
export interface SpanScale {
  readonly first: number;
  readonly last: number;
  readonly asOf: number;
}

const LOOK_BACK = 430;
const LOOK_AHEAD = 95;

export const spanScale = (spans: readonly Pick<DefinedSpan, 'from' | 'to'>[], asOf: string): SpanScale => {
  const at = dayOf(asOf);
  const starts = spans.flatMap(({ from }) => (from === null ? [] : [dayOf(from)]));
  const ends = spans.flatMap(({ to }) => (to === null ? [] : [dayOf(to)]));
  return {
    first: Math.min(at - 31, ...starts.map((start) => Math.max(start, at - LOOK_BACK))),
    last: Math.max(at, ...ends.map((end) => Math.min(end, at + LOOK_AHEAD))),
    asOf: at,
  };
};

/** A window or comparison as a bar on the time scale, the as-of date as a line. */
export const spanPicture = ({ from, to, name, days }: DefinedSpan, { first, last, asOf }: SpanScale, words: string): string => {
  const x = (day: number): number => ((day - first) / (last - first + 1)) * WIDTH;
  const rule = `<line x1="${x(asOf + 1).toFixed(1)}" x2="${x(asOf + 1).toFixed(1)}" y1="0" y2="${HEIGHT}" class="as-of"/>`;
  let bar = '';
  if (from !== null && to !== null) {
    const [start, end] = [Math.max(dayOf(from), first), Math.min(dayOf(to), last)];
    const width = Math.max(x(end + 1) - x(start), 1.5);
    bar = end < first ? '' : `<rect x="${x(start).toFixed(1)}" y="3" width="${width.toFixed(1)}" height="${HEIGHT - 6}" class="bar"/>`;
    if (dayOf(from) < first) bar += `<path d="M7 1 L1 ${HEIGHT / 2} L7 ${HEIGHT - 1}" class="beyond"/>`;
  }
  return `<svg viewBox="0 0 ${WIDTH} ${HEIGHT}" width="${WIDTH}" height="${HEIGHT}" role="img" aria-label="${escapeHtml(`${name}: ${words} (${days})`)}">${bar}${rule}</svg>`;
};

const [BOX, GAP, LINE, PAD] = [20, 6, 34, 8];
/** Width of a character of the page's small font. */
const CHAR = 6.7;
const MOST_CHARS = 34;

const short = (text: string): string => (text.length > MOST_CHARS ? `${text.slice(0, MOST_CHARS - 1)}…` : text);

/** A box in one of the columns of a drawing, from the left. */
interface Box {
  readonly column: number;
  readonly text: string;
}

/** Boxes in columns and what leads from one to another; columns without a box take no room. */
const drawn = (edges: readonly (readonly [Box, Box])[], words: string): string => {
  const columns: string[][] = [];
  for (const { column, text } of edges.flat()) {
    columns[column] ??= [];
    if (!columns[column].includes(text)) columns[column].push(text);
  }
  const filledAt = columns.map((texts, column) => (texts ? column : -1)).filter((column) => column >= 0);
  const shown = filledAt.map((column) => columns[column]);
  const widths = shown.map((texts) => Math.max(...texts.map((text) => short(text).length)) * CHAR + 2 * PAD);
  const height = Math.max(...shown.map((texts) => texts.length * (BOX + GAP) - GAP));
  const left = widths.map((_, k) => 1 + widths.slice(0, k).reduce((sum, width) => sum + width + LINE, 0));
  const total = (left.at(-1) ?? 0) + (widths.at(-1) ?? 0) + 1;
  const placed = ({ column, text }: Box) => {
    const k = filledAt.indexOf(column);
    const y = 1 + (height - (shown[k].length * (BOX + GAP) - GAP)) / 2 + shown[k].indexOf(text) * (BOX + GAP);
    return { x: left[k], y, width: widths[k], k };
  };
  const lines = edges.map(([from, to]) => {
    const [a, b] = [placed(from), placed(to)];
    const [x1, y1, x2, y2] = [a.x + a.width, a.y + BOX / 2, b.x, b.y + BOX / 2].map((value) => value.toFixed(1));
    const [c1, c2] = [(a.x + a.width + LINE / 2).toFixed(1), (b.x - LINE / 2).toFixed(1)];
    return `<path d="M${x1} ${y1} C${c1} ${y1} ${c2} ${y2} ${x2} ${y2}" class="line"/>`;
  });
  const boxes = filledAt.flatMap((column) =>
    columns[column].map((text) => {
      const { x, y, width, k } = placed({ column, text });
      const kind = k === 0 ? 'start' : k === shown.length - 1 ? 'end' : 'between';
      return `<g><title>${escapeHtml(text)}</title><rect x="${x.toFixed(1)}" y="${y.toFixed(1)}" width="${width.toFixed(1)}" height="${BOX}" rx="3" class="box box-${kind}"/><text x="${(x + PAD).toFixed(1)}" y="${(y + BOX / 2 + 4).toFixed(1)}">${escapeHtml(short(text))}</text></g>`;
    }),
  );
  const [w, h] = [Math.ceil(total), Math.ceil(height + 2)];
  return `<svg viewBox="0 0 ${w} ${h}" width="${w}" height="${h}" role="img" aria-label="${escapeHtml(words)}" class="origins">${lines.join('')}${boxes.join('')}</svg>`;
};

const [PLACE, COLUMN, COMPUTED, VALUE, USER] = [0, 1, 2, 3, 4];
const box = (column: number, text: string): Box => ({ column, text });

/**
 * From files and tables by way of columns to a measure and the formulas that use it; of a formula, from those of its
 * measures, by their names.
 */
export const originsPicture = (value: DefinedValue, measures: ReadonlyMap<string, DefinedValue>, words: string): string => {
  const { origins, uses, name, usedIn } = value;
  const own = box(VALUE, name);
  const fromPlaces =
    uses === undefined
      ? origins.flatMap(({ source, at, columns, by }) =>
          columns.flatMap((column): (readonly [Box, Box])[] => {
            const computed = by.length > 0 ? box(COMPUTED, by.join(' → ')) : own;
            return [
              [box(PLACE, at ?? source), box(COLUMN, column)],
              [box(COLUMN, column), computed],
              ...(by.length > 0 ? [[computed, own] as const] : []),
            ];
          }),
        )
      : uses.flatMap((measure): (readonly [Box, Box])[] => [
          ...(measures.get(measure)?.origins ?? []).map(({ source, at }) => [box(PLACE, at ?? source), box(COLUMN, measure)] as const),
          [box(COLUMN, measure), own],
        ]);
  const edges = [...fromPlaces, ...usedIn.map((formula) => [own, box(USER, formula)] as const)];
  const distinct = new Map(edges.map((edge) => [JSON.stringify(edge), edge]));
  return distinct.size === 0 ? '' : drawn([...distinct.values()], words);
};

/** The same in one line of text: `data/lines.csv: price, quantity → net; ordered_on`. */
export const originsText = ({ origins }: DefinedValue): string =>
  origins
    .map(({ source, at, columns, by }, k) => {
      const place = at ?? source;
      const before = origins[k - 1];
      const isSame = before !== undefined && (before.at ?? before.source) === place;
      return `${isSame ? '' : `${place}: `}${columns.join(', ')}${by.length > 0 ? ` → ${by.join(' → ')}` : ''}`;
    })
    .join('; ');
