// Cells of a state in which only more rows came, from those of the state before: old cells, those of the rows that came, and those of days not asked for before.
import { tupleKey } from '../basics/tuples.ts';
import type { AggregateRequest, RowSet, Segments } from '../plan/request.ts';
import { aggregateKey, rowSetKey } from '../plan/request-keys.ts';
import { pickedSegments } from '../plan/segments.ts';
import type { EarlierCells, KeptCells, PlainCells } from './cubes.ts';

/** Kept cells by what they are of, whatever days they cover. */
type KeptIndex = ReadonlyMap<string, readonly PlainCells[]>;

const keyOf = (rows: RowSet, aggregate: AggregateRequest): string => `${rowSetKey(rows)} ${aggregateKey(aggregate)}`;

/** Whether cells of some rows and of others make those of both. Working days between dates also hang on the calendar. */
const addsUp = (rows: RowSet, aggregate: AggregateRequest): boolean =>
  rows.gained === undefined &&
  rows.hidden === undefined &&
  rows.fact.recorded === undefined &&
  (aggregate.kind === 'rows' || (aggregate.kind !== 'first-time' && aggregate.value.kind === 'column'));

export const keptIndex = (kept: readonly KeptCells[]): KeptIndex => {
  const found = new Map<string, PlainCells[]>();
  for (const { rows, aggregate, cells } of kept) {
    if (!addsUp(rows, aggregate)) continue;
    const key = keyOf(rows, aggregate);
    const list = found.get(key);
    if (list) list.push(cells);
    else found.set(key, [cells]);
  }
  return found;
};

/** Where each wanted segment stands among others, -1 where it does not; undefined unless all of the others are wanted. */
const placesIn = (wanted: Segments, { starts, ends }: Segments): Int32Array | undefined => {
  const places = new Int32Array(wanted.starts.length).fill(-1);
  let at = 0;
  for (let s = 0; s < places.length && at < starts.length; s++)
    if (wanted.starts[s] === starts[at] && wanted.ends[s] === ends[at]) places[s] = at++;
  return at === starts.length && at > 0 ? places : undefined;
};

/** Cells of the state before that cover some of the segments that are wanted, and which of them. */
export interface Base {
  readonly cells: PlainCells;
  readonly places: Int32Array;
}

export const baseIn = (kept: KeptIndex, rows: RowSet, wanted: Segments, aggregate: AggregateRequest): Base | undefined => {
  if (!addsUp(rows, aggregate)) return undefined;
  let best: Base | undefined;
  for (const cells of kept.get(keyOf(rows, aggregate)) ?? []) {
    const places = placesIn(wanted, cells.segments);
    if (places && (!best || cells.segments.starts.length > best.cells.segments.starts.length)) best = { cells, places };
  }
  return best;
};

const picked = (wanted: Segments, { cells, places }: Base, which: 'within' | 'beyond'): Segments => {
  const chosen = Int32Array.from(places.keys()).filter((s) => places[s] < 0 === (which === 'beyond'));
  return pickedSegments(wanted, chosen, `${which} ${cells.segments.key}`);
};

/** The wanted segments that the cells before cover, and those that they do not. */
export const partsOf = (wanted: Segments, base: Base): { readonly within: Segments; readonly beyond: Segments } => ({
  within: picked(wanted, base, 'within'),
  beyond: picked(wanted, base, 'beyond'),
});

const joined = (kind: AggregateRequest['kind'], a: number, b: number): number => {
  if (kind !== 'min' && kind !== 'max') return a + b;
  if (a !== a) return b;
  if (b !== b) return a;
  return kind === 'min' ? Math.min(a, b) : Math.max(a, b);
};

/**
 * The wanted cells: `more` are those of the rows that came, in the segments within the base; `beyond` those of all rows in the others.
 * Undefined where sums are not exact, which then hang on the order in which they are added (M10).
 */
export const grownCells = (
  wanted: Segments,
  { kind }: AggregateRequest,
  base: Base,
  more: PlainCells | undefined,
  beyond: PlainCells | undefined,
): PlainCells | undefined => {
  const parts = [base.cells, ...(more ? [more] : []), ...(beyond ? [beyond] : [])];
  const scale = Math.max(...parts.map((part) => part.scale));
  const extreme = kind === 'min' || kind === 'max';
  if (parts.some((part) => part.scale < 0) && !(extreme && scale < 0)) return undefined;
  const byKey = new Map(parts.flatMap(({ tuples }) => tuples.map((tuple) => [tupleKey(tuple), tuple] as const)));
  const keys = [...byKey.keys()].sort();
  const place = new Map(keys.map((key, k) => [key, k]));
  const width = keys.length;
  const cells = new Float64Array(wanted.starts.length * width).fill(extreme ? Number.NaN : 0);
  const put = (part: PlainCells, segmentOf: (k: number) => number): void => {
    const to = part.tuples.map((tuple) => place.get(tupleKey(tuple)) as number);
    const factor = 10 ** (scale - part.scale);
    for (let k = 0; k < part.segments.starts.length; k++)
      for (let m = 0; m < to.length; m++) {
        const at = segmentOf(k) * width + to[m];
        cells[at] = joined(kind, cells[at], part.cells[k * to.length + m] * factor);
      }
  };
  const within = Int32Array.from(base.places.keys()).filter((s) => base.places[s] >= 0);
  const others = Int32Array.from(base.places.keys()).filter((s) => base.places[s] < 0);
  put(base.cells, (k) => within[k]);
  if (more) put(more, (k) => within[k]);
  if (beyond) put(beyond, (k) => others[k]);
  const long = parts.some((part) => part.long) ? ({ long: true } as const) : {};
  return { segments: wanted, tuples: keys.map((key) => byKey.get(key) as readonly string[]), cells, scale, ...long };
};

/** What became of the rows of a fact since the state before; undefined where anything may have. */
type Became = (fact: RowSet['fact']) => Promise<'nothing' | 'rows' | undefined>;

/** Cells of the state before, for a cache of cells of this one. */
export const earlierCells = (kept: readonly KeptCells[], became: Became): EarlierCells => {
  const index = keptIndex(kept);
  return (rows, segments, aggregate) => {
    const base = baseIn(index, rows, segments, aggregate);
    if (!base) return undefined;
    return async (ask) => {
      const what = await became(rows.fact);
      if (what === undefined) return undefined;
      const { within, beyond } = partsOf(segments, base);
      const [more, others] = await Promise.all([
        what === 'rows' ? ask({ ...rows, gained: true }, within) : undefined,
        beyond.starts.length > 0 ? ask(rows, beyond) : undefined,
      ]);
      return grownCells(segments, aggregate, base, more, others);
    };
  };
};
