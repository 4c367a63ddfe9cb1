import type { Store } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
import { extremes, type Lookup, prefixSums, sumTree } from '../kernels/lookups.ts';
import { type Shared, sharedWork } from '../plan/cancel.ts';
import type { AggregateRequest, Cancellation, Cube, CubeRequest, RowSet, Segments } from '../plan/request.ts';
import { filterKey } from '../plan/request.ts';

/** One aggregate of a day cube with its lookups, made when first asked for and kept. */
export interface Cells {
  readonly segments: Segments;
  readonly tuples: Cube['tuples'];
  readonly cells: Float64Array;
  readonly scale: number;
  /** Sums over runs of segments: prefix sums, or a tree where the cells are inexact (M10). */
  readonly sums: () => Lookup;
  readonly extreme: (which: 'min' | 'max') => Lookup;
}

export interface CubeCounts {
  scans: number;
  cached: number;
  cells: number;
}

/** Serves aggregates from day cubes, scanning each set of rows once however many readings ask for it. */
export interface Cubes {
  readonly cells: (rows: RowSet, segments: Segments, aggregate: AggregateRequest, signal?: Cancellation) => Promise<Cells>;
  readonly counts: CubeCounts;
}

export const rowSetKey = (rows: RowSet): string =>
  JSON.stringify([
    rows.fact.name,
    rows.role ?? null,
    rows.attributes.map(({ key }) => key),
    rows.filters.map(filterKey),
    rows.knownBy ?? null,
  ]);

const aggregateKey = (aggregate: AggregateRequest): string =>
  JSON.stringify([aggregate.kind, aggregate.kind === 'rows' ? null : aggregate.value, aggregate.where.map(filterKey)]);

/**
 * The same cube with its members in one order, whatever engine it came from: where doubles are added up, the order
 * decides their last digit (R3).
 */
const inOrder = (cube: Cube): Cube => {
  const keys = cube.tuples.map((tuple) => tuple.join('\u0000'));
  const order = Array.from(keys.keys()).sort((a, b) => (keys[a] < keys[b] ? -1 : keys[a] > keys[b] ? 1 : 0));
  if (order.every((from, k) => from === k)) return cube;
  const width = order.length;
  const known = new Map<Float64Array, Float64Array>();
  const moved = (cells: Float64Array): Float64Array => {
    const before = known.get(cells);
    if (before) return before;
    const out = new Float64Array(cells.length);
    for (let at = 0; at < cells.length; at += width) for (let m = 0; m < width; m++) out[at + m] = cells[at + order[m]];
    known.set(cells, out);
    return out;
  };
  return {
    segments: cube.segments,
    tuples: order.map((from) => cube.tuples[from]),
    columns: cube.columns.map(({ cells, scale }) => ({ cells: moved(cells), scale })),
  };
};

/** Columns that share their cells share their lookups. */
const cellsOf = ({ segments, tuples, columns }: Cube): Cells[] => {
  const known = new Map<Float64Array, Cells>();
  return columns.map(({ cells, scale }) => {
    const before = known.get(cells);
    const made = before?.scale === scale ? before : cellsFrom(segments, tuples, cells, scale);
    known.set(cells, made);
    return made;
  });
};

/** Cells with their lookups, each made when first asked for. */
export const cellsFrom = (segments: Segments, tuples: Cube['tuples'], cells: Float64Array, scale: number): Cells => {
  let sums: Lookup | undefined;
  const best: { min?: Lookup; max?: Lookup } = {};
  return {
    segments,
    tuples,
    cells,
    scale,
    sums: () => {
      sums ??= (scale < 0 ? sumTree : prefixSums)(cells, tuples.length);
      return sums;
    },
    extreme: (which) => {
      best[which] ??= extremes(cells, tuples.length, which);
      return best[which] as Lookup;
    },
  };
};

/**
 * A cache of day cubes over a store. Requests made in the same turn are put together: one scan answers all
 * aggregates over the same rows, also of questions that run at the same time.
 */
export const cubesOf = (store: Store, limit: number): Cubes => {
  const known = new Map<string, Promise<Cells>>();
  const sizes = new Map<string, number>();
  let size = 0;
  const counts: CubeCounts = { scans: 0, cached: 0, cells: 0 };
  /** Work under way, for questions that come to wait for it as well. */
  const works = new Map<string, Shared>();
  interface Waiting {
    readonly request: CubeRequest;
    readonly aggregates: AggregateRequest[];
    readonly answers: { readonly resolve: (cells: Cells) => void; readonly reject: (error: unknown) => void; readonly key: string }[];
    /** Given up when all that wait for it have. */
    readonly work: Shared;
  }
  let waiting = new Map<string, Waiting>();
  /** Drops what was not used for longest until the cache keeps its limit. Maps iterate in insertion order. */
  const shrink = (): void => {
    for (const [key, bytes] of sizes) {
      if (size <= limit) return;
      sizes.delete(key);
      known.delete(key);
      size -= bytes;
    }
  };
  const flush = async (): Promise<void> => {
    const batch = [...waiting.values()];
    waiting = new Map();
    try {
      const wanted = batch.filter(({ work }) => !work.signal.aborted);
      const left = new Map<Waiting, Cube>();
      // One request is given up as soon as nobody waits for it; several together when nobody waits for any.
      const together = sharedWork();
      for (const { work } of wanted) together.join(work.signal);
      const found = await store.cubes(
        wanted.map(({ request, aggregates }) => ({ ...request, aggregates })),
        wanted.length > 0 ? together.signal : undefined,
      );
      for (const [k, entry] of wanted.entries()) left.set(entry, found[k]);
      counts.scans += wanted.length;
      batch.forEach((entry) => {
        const cube = left.get(entry);
        if (!cube) throw new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });
        const made = cellsOf(inOrder(cube));
        entry.answers.forEach(({ resolve, key }, i) => {
          const bytes = cube.columns[i].cells.byteLength;
          counts.cells += cube.columns[i].cells.length;
          // The lookups made from the cells take as much again.
          sizes.set(key, bytes * 2);
          size += bytes * 2;
          resolve(made[i]);
        });
      });
      shrink();
    } catch (error) {
      for (const { answers } of batch) {
        for (const { reject, key } of answers) {
          known.delete(key);
          reject(error);
        }
      }
    }
  };
  return {
    counts,
    cells: (rows, segments, aggregate, signal) => {
      const group = `${rowSetKey(rows)} ${segments.key}`;
      const key = `${group} ${aggregateKey(aggregate)}`;
      const found = known.get(key);
      if (found) {
        counts.cached++;
        works.get(key)?.join(signal);
        const bytes = sizes.get(key);
        if (bytes !== undefined) {
          sizes.delete(key);
          sizes.set(key, bytes);
        }
        return found;
      }
      const promise = new Promise<Cells>((resolve, reject) => {
        if (waiting.size === 0) void Promise.resolve().then(flush);
        let entry = waiting.get(group);
        if (!entry) {
          entry = { request: { ...rows, segments, aggregates: [] }, aggregates: [], answers: [], work: sharedWork() };
          waiting.set(group, entry);
        }
        entry.work.join(signal);
        entry.aggregates.push(aggregate);
        entry.answers.push({ resolve, reject, key });
      });
      known.set(key, promise);
      const entry = waiting.get(group);
      if (entry) works.set(key, entry.work);
      promise.catch(() => undefined).finally(() => works.delete(key));
      return promise;
    },
  };
};
