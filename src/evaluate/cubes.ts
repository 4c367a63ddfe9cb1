// Day cubes that are there already serve what they can; what is missing is asked of the engine, together.
import { extremes, type Lookup, prefixSums, sumTree } from '../basics/lookups.ts';
import { tupleKey } from '../basics/tuples.ts';
import type { Store } from '../engines/engine.ts';
import { aborted, type Shared, sharedWork } from '../plan/cancel.ts';
import type { AggregateRequest, Cancellation, Cube, CubeRequest, RowSet, Segments, Tallies, TallyRequest } from '../plan/request.ts';
import { aggregateKey, rowSetKey, tallyRequestKey } from '../plan/request-keys.ts';

/** One aggregate of a day cube, by segment and members. */
export interface PlainCells {
  readonly segments: Segments;
  readonly tuples: Cube['tuples'];
  readonly cells: Float64Array;
  readonly scale: number;
  /** Of extremes: some value has more digits than a double is sure of. */
  readonly long?: true;
}

/** The same with its lookups, made when first asked for and kept. */
export interface Cells extends PlainCells {
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
  readonly tallies: (request: TallyRequest, signal?: Cancellation) => Promise<Tallies>;
  readonly counts: CubeCounts;
  /** What is there now, for a state that only more rows make another. */
  readonly kept: () => readonly KeptCells[];
}

/** Cells that are there, and what they are of. */
export interface KeptCells {
  readonly rows: RowSet;
  readonly aggregate: AggregateRequest;
  readonly cells: PlainCells;
}

/**
 * What the state before has to offer where only rows came since then: a way to make wanted cells, asking for those that are missing;
 * undefined where it has none of them. What comes of it is undefined where all must be asked anew. Its cells are held until the state
 * after this one, and those of no earlier one.
 */
export type EarlierCells = (
  rows: RowSet,
  segments: Segments,
  aggregate: AggregateRequest,
) => ((ask: (rows: RowSet, segments: Segments) => Promise<PlainCells>) => Promise<PlainCells | undefined>) | undefined;

/**
 * The same cube with its members in one order, whatever engine it came from: where doubles are added up, the order
 * decides their last digit (R3).
 */
const inOrder = (cube: Cube): Cube => {
  const keys = cube.tuples.map(tupleKey);
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
    columns: cube.columns.map((column) => ({ ...column, cells: moved(column.cells) })),
  };
};

/** Columns that share their cells share their lookups. */
const cellsOf = ({ segments, tuples, columns }: Cube): Cells[] => {
  const known = new Map<Float64Array, Cells>();
  return columns.map(({ cells, scale, long }) => {
    const before = known.get(cells);
    const made = before?.scale === scale ? before : { ...cellsFrom(segments, tuples, cells, scale), ...(long ? { long } : {}) };
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

/** Somebody's wish for cells, until they are there or cannot be had. */
interface Answering {
  readonly key: string;
  readonly resolve: (cells: Cells) => void;
  readonly reject: (error: unknown) => void;
}

/** Aggregates over the same rows and segments, which one scan answers. */
interface Waiting {
  readonly request: CubeRequest;
  readonly aggregates: AggregateRequest[];
  readonly answers: Answering[];
  /** Given up when all that wait for it have. */
  readonly work: Shared;
}

/** Cells under way or there. */
interface Known {
  readonly rows: RowSet;
  readonly aggregate: AggregateRequest;
  readonly cells: Promise<Cells>;
  /** The same once they are there. */
  found?: Cells;
  /** What makes them, until they are there. */
  work: Shared | undefined;
  /** Bytes they take once they are there. */
  bytes: number;
}

/**
 * Asks a store for what is wanted at one time. Where it scans everything together, a fault of one request fails all:
 * then each is asked for alone, so that only the faulty one fails.
 */
const fetchAll = async (
  store: Store,
  wanted: readonly Waiting[],
  done: (entry: Waiting, cube: Cube) => void,
  failed: (entry: Waiting, error: unknown) => void,
): Promise<void> => {
  const request = ({ request: own, aggregates }: Waiting): CubeRequest => ({ ...own, aggregates });
  const alone = async (entry: Waiting): Promise<void> => {
    try {
      const [cube] = await store.cubes([request(entry)], entry.work.signal);
      done(entry, cube);
    } catch (error) {
      failed(entry, error);
    }
  };
  if (store.scans === 'together' && wanted.length > 1) {
    try {
      const found = await store.cubes(wanted.map(request));
      wanted.forEach((entry, k) => void done(entry, found[k]));
      return;
    } catch {
      // Each for itself, below.
    }
  }
  await Promise.all(wanted.map(alone));
};

/** Tallies are large, and asked for seldom: the last few are kept. */
const MOST_KEPT = 8;

/** Tallies under way or there. */
interface KnownTallies {
  readonly found: Promise<Tallies>;
  /** What makes them, until they are there. */
  work: Shared | undefined;
}

const talliesKept = (store: Store, counts: CubeCounts): Cubes['tallies'] => {
  const known = new Map<string, KnownTallies>();
  const scanned = (key: string, request: TallyRequest, signal: Cancellation | undefined): KnownTallies => {
    const work = sharedWork();
    work.join(signal);
    counts.scans++;
    const entry: KnownTallies = { found: store.tallies(request, work.signal), work };
    const over = (): void => {
      work.end();
      entry.work = undefined;
    };
    entry.found.then(over, () => {
      over();
      if (known.get(key) === entry) known.delete(key);
    });
    return entry;
  };
  return (request, signal) => {
    if (signal?.aborted) return Promise.reject(aborted());
    const key = tallyRequestKey(request);
    const before = known.get(key);
    // What all have given up ends for nobody.
    const usable = before?.work?.signal.aborted ? undefined : before;
    if (usable) {
      counts.cached++;
      usable.work?.join(signal);
    }
    const entry = usable ?? scanned(key, request, signal);
    known.delete(key);
    known.set(key, entry);
    if (known.size > MOST_KEPT) known.delete(known.keys().next().value as string);
    return entry.found;
  };
};

/** Cells that are kept or under way, and what will be asked for next. */
interface Cache {
  readonly store: Store;
  readonly limit: number;
  readonly counts: CubeCounts;
  readonly known: Map<string, Known>;
  readonly earlier: EarlierCells | undefined;
  /** Bytes of what is there. */
  size: number;
  waiting: Map<string, Waiting>;
}

/** Drops what was not used for longest until the cache keeps its limit. Maps iterate in insertion order. */
const shrink = (cache: Cache): void => {
  for (const [key, { bytes }] of cache.known) {
    if (cache.size <= cache.limit) return;
    if (bytes === 0) continue;
    cache.known.delete(key);
    cache.size -= bytes;
  }
};

/** Cells are there. */
const settle = (cache: Cache, entry: Known, found: Cells): void => {
  entry.work = undefined;
  entry.found = found;
  // The lookups made from the cells take as much again.
  entry.bytes = found.cells.byteLength * 2;
  cache.size += entry.bytes;
};

const done = (cache: Cache, { answers, work }: Waiting, cube: Cube): void => {
  const { counts, known } = cache;
  work.end();
  counts.scans++;
  const made = cellsOf(inOrder(cube));
  answers.forEach(({ resolve, key }, k) => {
    const { cells } = cube.columns[k];
    counts.cells += cells.length;
    const entry = known.get(key);
    if (entry?.work === work) settle(cache, entry, made[k]);
    resolve(made[k]);
  });
};

const failed = ({ known }: Cache, { answers, work }: Waiting, error: unknown): void => {
  work.end();
  for (const { reject, key } of answers) {
    if (known.get(key)?.work === work) known.delete(key);
    reject(error);
  }
};

const flush = async (cache: Cache): Promise<void> => {
  const batch = [...cache.waiting.values()];
  cache.waiting = new Map();
  const [gone, wanted] = [batch.filter(({ work }) => work.signal.aborted), batch.filter(({ work }) => !work.signal.aborted)];
  for (const entry of gone) failed(cache, entry, aborted());
  await fetchAll(
    cache.store,
    wanted,
    (entry, cube) => done(cache, entry, cube),
    (entry, error) => failed(cache, entry, error),
  );
  shrink(cache);
};

/** The entry that will be asked for next; one that all have given up is left behind. */
const entryOf = (cache: Cache, group: string, rows: RowSet, segments: Segments): Waiting => {
  const { waiting } = cache;
  if (waiting.size === 0) void Promise.resolve().then(() => flush(cache));
  const before = waiting.get(group);
  if (before && !before.work.signal.aborted) return before;
  if (before) failed(cache, before, aborted());
  const entry: Waiting = { request: { ...rows, segments, aggregates: [] }, aggregates: [], answers: [], work: sharedWork() };
  waiting.set(group, entry);
  return entry;
};

/** What was wanted, and the key that it is known by. */
interface Wanted {
  readonly rows: RowSet;
  readonly segments: Segments;
  readonly aggregate: AggregateRequest;
  readonly key: string;
}

/** Asks for cells together with what else is wanted now. */
const asked = (cache: Cache, { rows, segments, aggregate, key }: Wanted, signal: Cancellation | undefined): Promise<Cells> => {
  const entry = entryOf(cache, `${rowSetKey(rows)} ${segments.key}`, rows, segments);
  entry.work.join(signal);
  const cells = new Promise<Cells>((resolve, reject) => {
    entry.aggregates.push(aggregate);
    entry.answers.push({ resolve, reject, key });
  });
  // Whoever waits for it is told; where nobody does any more, there is nobody to tell.
  cells.catch(() => undefined);
  cache.known.set(key, { rows, aggregate, cells, work: entry.work, bytes: 0 });
  return cells;
};

/** Cells that the state before has a part of, or all anew where it turns out that it has none. */
const fromEarlier = (
  cache: Cache,
  make: NonNullable<ReturnType<EarlierCells>>,
  wanted: Wanted,
  signal: Cancellation | undefined,
): Promise<Cells> => {
  const { known } = cache;
  const { rows, aggregate, key } = wanted;
  const work = sharedWork();
  work.join(signal);
  const made = async (): Promise<Cells> => {
    const grown = await make((own, segments) => cellsIn(cache)(own, segments, aggregate, work.signal));
    if (!grown) return asked(cache, wanted, work.signal);
    return { ...cellsFrom(grown.segments, grown.tuples, grown.cells, grown.scale), ...(grown.long ? { long: true as const } : {}) };
  };
  const cells = made();
  known.set(key, { rows, aggregate, cells, work, bytes: 0 });
  cells.then(
    (found) => {
      work.end();
      const entry = known.get(key);
      if (entry?.work === work) settle(cache, entry, found);
    },
    () => {
      work.end();
      if (known.get(key)?.work === work) known.delete(key);
    },
  );
  return cells;
};

const cellsIn =
  (cache: Cache): Cubes['cells'] =>
  (rows, segments, aggregate, signal) => {
    if (signal?.aborted) return Promise.reject(aborted());
    const { known, counts, earlier } = cache;
    const key = `${rowSetKey(rows)} ${segments.key} ${aggregateKey(aggregate)}`;
    const found = known.get(key);
    if (found && !found.work?.signal.aborted) {
      counts.cached++;
      found.work?.join(signal);
      known.delete(key);
      known.set(key, found);
      return found.cells;
    }
    const wanted = { rows, segments, aggregate, key };
    const make = earlier?.(rows, segments, aggregate);
    return make ? fromEarlier(cache, make, wanted, signal) : asked(cache, wanted, signal);
  };

/**
 * A cache of day cubes over a store. Requests made in the same turn are put together: one scan answers all
 * aggregates over the same rows, also of questions that run at the same time.
 */
export const cubesOf = (
  store: Store,
  limit: number,
  counts: CubeCounts = { scans: 0, cached: 0, cells: 0 },
  earlier?: EarlierCells,
): Cubes => {
  const cache: Cache = {
    store,
    limit,
    counts,
    known: new Map(),
    earlier,
    size: 0,
    waiting: new Map(),
  };
  return {
    counts,
    tallies: talliesKept(store, counts),
    cells: cellsIn(cache),
    kept: () =>
      Array.from(cache.known.values()).flatMap(({ rows, aggregate, found }) => (found ? [{ rows, aggregate, cells: found }] : [])),
  };
};
