// Counting by events: how many keys each window of a row of anchors has seen, in one pass over their sightings.
import { prefixSums } from './lookups.ts';

/** First and last covered day of each anchor, inclusive, neither ever moving backwards (W9). */
export interface Windows {
  readonly from: Int32Array;
  readonly to: Int32Array;
}

/**
 * Sightings of keys in buckets: a bucket holds the days on which one key was seen by one member, in order, each day
 * once. The next sighting of an entry is the entry behind it, or none at the end of its bucket.
 *
 * Where there are more pairs of key and member than is worth a bucket each, a bucket is one key's, and an entry is
 * `member * span + day`.
 */
export interface Sightings {
  /** First entry of each bucket, and the number of entries behind the last one. */
  readonly starts: Int32Array;
  /** Days from `base` on, below `span`. */
  readonly entries: Int32Array;
  readonly bucketOf: 'pair' | 'key';
  readonly base: number;
  readonly span: number;
  readonly members: number;
  /** What a sighting counts; undefined counts 1. */
  readonly weights: Float64Array | undefined;
}

/**
 * Counts, for every anchor, the keys seen in its window, in one pass over the sightings. Along an axis no end of a
 * window moves backwards (W9), so the anchors for which a sighting is the last one inside the window, those with
 * `from <= day <= to < next`, are one run: +1 at its start, -1 behind its end, and a sum along the anchors gives
 * every count. A key is counted once in each window, by its last sighting there.
 */
export const countEvents = (sightings: Sightings, windows: Windows): Float64Array => {
  const anchors = windows.from.length;
  const { starts, entries, bucketOf, base, span, members, weights } = sightings;
  const steps = new Float64Array((anchors + 1) * members);
  // By day, as places in `steps`: the first anchor whose window reaches it, and the first whose window starts after it.
  const reached = new Int32Array(span);
  const passed = new Int32Array(span);
  for (let k = 0, a = 0, b = 0; k < span; k++) {
    while (a < anchors && windows.to[a] < base + k) a++;
    while (b < anchors && windows.from[b] <= base + k) b++;
    reached[k] = a * members;
    passed[k] = b * members;
  }
  for (let bucket = 0, member = 0; bucket + 1 < starts.length; bucket++) {
    const end = starts[bucket + 1];
    let first = 0;
    for (let s = starts[bucket]; s < end; s++) {
      if (bucketOf === 'key') {
        member = (entries[s] / span) | 0;
        first = member * span;
      }
      const start = reached[entries[s] - first];
      let stop = passed[entries[s] - first];
      const following = s + 1 < end ? entries[s + 1] - first : span;
      if (following < span && reached[following] < stop) stop = reached[following];
      if (start >= stop) continue;
      const weight = weights ? weights[s] : 1;
      steps[start + member] += weight;
      steps[stop + member] -= weight;
    }
    if (bucketOf === 'pair' && ++member === members) member = 0;
  }
  for (let k = members; k < anchors * members; k++) steps[k] += steps[k - members];
  return steps.subarray(0, anchors * members);
};

/** Where a row stands behind an anchor's window: 1, else 0; from how many rows each segment and member has. */
export const seenIn = (
  windows: readonly Windows[],
  { starts, ends }: { readonly starts: Int32Array; readonly ends: Int32Array },
  rows: Float64Array,
  width: number,
): Uint8Array[] => {
  const lookup = prefixSums(rows, width);
  const [first, last] = [starts, ends].map((days) => new Map(Array.from(days, (day, s) => [day, s])));
  return windows.map(({ from, to }) => {
    const behind = new Float64Array(from.length * width);
    from.forEach((start, a) => {
      lookup.run(first.get(start) as number, last.get(to[a]) as number, behind, a * width);
    });
    return Uint8Array.from(behind, (count) => (count > 0 ? 1 : 0));
  });
};

/** Counts for the members that are wanted, by their places among those that were sighted; -1 was sighted nowhere. */
export const countsFor = (sightings: Sightings, windows: Windows, places: readonly number[]): Float64Array => {
  const [counted, width] = [countEvents(sightings, windows), places.length];
  const out = new Float64Array(windows.from.length * width);
  for (let a = 0; a < windows.from.length; a++)
    for (let m = 0; m < width; m++) if (places[m] >= 0) out[a * width + m] = counted[a * sightings.members + places[m]];
  return out;
};

/** Rows with a key, a member and a day. */
export interface SightingRows {
  /** -1 where there is none. */
  readonly keys: Int32Array;
  readonly keyCount: number;
  /** Undefined: all rows are member 0. */
  readonly codes: ArrayLike<number> | undefined;
  readonly members: number;
  readonly days: Int32Array;
  /** Rows of other days do not count; both ends inclusive. */
  readonly first: number;
  readonly last: number;
  /** The day on which a row of each day from `first` on stands, counted from `first`; -1 for days that do not count. */
  readonly stands: Int32Array;
  /** 0 for rows that do not count; undefined when all do. */
  readonly mask: Uint8Array | undefined;
  /** What each row counts; NaN counts nothing. Undefined: a key counts 1. */
  readonly weights: Float64Array | 'ones' | undefined;
}

/** More buckets than this many a row are not worth their memory. */
const BUCKETS_A_ROW = 4;

/** Rows are placed into no more parts than this: as many places in memory are written to in turn. */
const PARTS = 64;
/** Parts have at least this many buckets, as a power of two. */
const SMALLEST_PART = 12;

/** Rows looked at together: the list of those that count stays in the cache. */
const BLOCK = 1 << 14;

/**
 * The rows of a block that count. Written without a branch, since whether a row counts is as good as random: the sign
 * bit of `at | (span - 1 - at)` is 0 for those inside.
 */
const chooseRows = ({ days, first, stands, mask }: SightingRows, from: number, to: number, chosen: Int32Array): number => {
  const span = stands.length;
  let n = 0;
  if (mask) {
    for (let row = from; row < to; row++) {
      chosen[n] = row;
      const at = (days[row] - first) | 0;
      n += (((at | (span - 1 - at)) >>> 31) ^ 1) & mask[row];
    }
    return n;
  }
  for (let row = from; row < to; row++) {
    chosen[n] = row;
    const at = (days[row] - first) | 0;
    n += ((at | (span - 1 - at)) >>> 31) ^ 1;
  }
  return n;
};

/** How rows are told apart: a bucket a key, or a key and a member; a part has a few thousand of them. */
interface Buckets {
  readonly paired: boolean;
  readonly count: number;
  /** A row's bucket is `key * stride + code * step`. */
  readonly stride: number;
  readonly step: 0 | 1;
  readonly shift: number;
  readonly partSize: number;
  readonly parts: number;
}

const bucketsFor = ({ keyCount, members, codes, days }: SightingRows): Buckets => {
  const paired = keyCount * members <= BUCKETS_A_ROW * days.length + 1024;
  const count = paired ? keyCount * members : keyCount;
  const shift = Math.max(SMALLEST_PART, Math.ceil(Math.log2(Math.max(count / PARTS, 1))));
  const [stride, step] = paired ? [members, codes !== undefined ? (1 as const) : (0 as const)] : [1, 0 as const];
  return { paired, count, stride, step, shift, partSize: 2 ** shift, parts: (count >> shift) + 1 };
};

const NO_CODES = new Uint8Array(0);

/** Where the rows of each part begin. */
const partStartsOf = (rows: SightingRows, { stride, step, shift, parts }: Buckets, chosen: Int32Array): Int32Array => {
  const { keys, days, first, stands, codes = NO_CODES } = rows;
  const count = days.length;
  const partStarts = new Int32Array(parts + 1);
  for (let from = 0; from < count; from += BLOCK) {
    const n = chooseRows(rows, from, Math.min(from + BLOCK, count), chosen);
    for (let i = 0; i < n; i++) {
      const row = chosen[i];
      const key = keys[row];
      if (key < 0 || stands[days[row] - first] < 0) continue;
      partStarts[((key * stride + (step === 0 ? 0 : codes[row])) >> shift) + 1]++;
    }
  }
  for (let p = 0; p < parts; p++) partStarts[p + 1] += partStarts[p];
  return partStarts;
};

/** What rows are once they lie in their part: the bucket within it, the entry, the amount. */
interface Parted {
  readonly local: Int32Array;
  readonly values: Int32Array;
  readonly held: Float64Array | undefined;
}

const parted = (
  rows: SightingRows,
  { paired, stride, step, shift, partSize, parts }: Buckets,
  partStarts: Int32Array,
  chosen: Int32Array,
): Parted => {
  const { keys, days, first, stands, weights, codes = NO_CODES } = rows;
  const byStand = paired || rows.codes === undefined;
  const [count, span, total] = [days.length, stands.length, partStarts[parts]];
  const local = new Int32Array(total);
  const values = new Int32Array(total);
  const held = weights === undefined ? undefined : new Float64Array(total);
  const free = partStarts.slice();
  for (let from = 0; from < count; from += BLOCK) {
    const n = chooseRows(rows, from, Math.min(from + BLOCK, count), chosen);
    for (let i = 0; i < n; i++) {
      const row = chosen[i];
      const key = keys[row];
      const stand = stands[days[row] - first];
      if (key < 0 || stand < 0) continue;
      const bucket = key * stride + (step === 0 ? 0 : codes[row]);
      const at = free[bucket >> shift]++;
      local[at] = bucket & (partSize - 1);
      values[at] = byStand ? stand : codes[row] * span + stand;
      if (held) held[at] = weights === 'ones' || weights === undefined ? 1 : weights[row];
    }
  }
  return { local, values, held };
};

/** Sorts each part by bucket, counting. */
const sorted = ({ local, values, held }: Parted, { count, shift, partSize, parts }: Buckets, partStarts: Int32Array) => {
  const total = partStarts[parts];
  const starts = new Int32Array(count + 1);
  const entries = new Int32Array(total);
  const amounts = held && new Float64Array(total);
  const own = new Int32Array(partSize + 1);
  for (let p = 0; p < parts; p++) {
    const [low, from, to] = [p << shift, partStarts[p], partStarts[p + 1]];
    const size = Math.min(partSize, count - low);
    own.fill(0);
    for (let i = from; i < to; i++) own[local[i] + 1]++;
    // From here on `own` is where the next row of each bucket goes.
    for (let b = 0, at = from; b < size; b++) {
      at += own[b];
      starts[low + b] = at;
      own[b] = at;
    }
    for (let i = from; i < to; i++) {
      const at = own[local[i]]++;
      entries[at] = values[i];
      if (amounts && held) amounts[at] = held[i];
    }
  }
  starts[count] = total;
  return { starts, entries, amounts };
};

/**
 * Gathers rows into buckets. Millions of buckets do not fit a cache, so rows go to parts of a few thousand buckets
 * first; then each part is sorted by counting, and each bucket put in order. Rows of one day in a bucket become one
 * sighting, and their weights add up.
 */
export const gatherSightings = (rows: SightingRows): Sightings => {
  const buckets = bucketsFor(rows);
  const chosen = new Int32Array(BLOCK + 1);
  const partStarts = partStartsOf(rows, buckets, chosen);
  const { starts, entries, amounts } = sorted(parted(rows, buckets, partStarts, chosen), buckets, partStarts);
  const left = orderBuckets(starts, entries, amounts);
  return {
    starts,
    entries: entries.subarray(0, left),
    bucketOf: buckets.paired ? 'pair' : 'key',
    base: rows.first,
    span: rows.stands.length,
    members: rows.members,
    weights: amounts?.subarray(0, left),
  };
};

/** Buckets up to this size are put in order by insertion, which costs next to nothing where rows came in order of time. */
const SMALL = 32;

/** Puts every bucket in order and makes equal entries one; closes the gaps and answers how many entries are left. */
const orderBuckets = (starts: Int32Array, entries: Int32Array, amounts: Float64Array | undefined): number => {
  let out = 0;
  for (let b = 0, start = 0; b + 1 < starts.length; b++) {
    const end = starts[b + 1];
    if (end - start > SMALL) sortLarge(entries, amounts, start, end);
    else {
      for (let i = start + 1; i < end; i++) {
        const entry = entries[i];
        const amount = amounts ? amounts[i] : 0;
        let k = i;
        for (; k > start && entries[k - 1] > entry; k--) {
          entries[k] = entries[k - 1];
          if (amounts) amounts[k] = amounts[k - 1];
        }
        entries[k] = entry;
        if (amounts) amounts[k] = amount;
      }
    }
    const from = out;
    for (let i = start; i < end; i++) {
      const again = out > from && entries[out - 1] === entries[i];
      if (!again) entries[out++] = entries[i];
      if (!amounts) continue;
      const amount = amounts[i] === amounts[i] ? amounts[i] : 0;
      amounts[out - 1] = again ? amounts[out - 1] + amount : amount;
    }
    starts[b] = from;
    start = end;
  }
  starts[starts.length - 1] = out;
  return out;
};

const sortLarge = (entries: Int32Array, amounts: Float64Array | undefined, start: number, end: number): void => {
  const own = entries.subarray(start, end);
  if (!amounts) {
    own.sort();
    return;
  }
  const before = own.slice();
  const values = amounts.slice(start, end);
  const order = Array.from(before.keys()).sort((a, b) => before[a] - before[b] || a - b);
  order.forEach((from, k) => {
    own[k] = before[from];
    amounts[start + k] = values[from];
  });
};

/** Cuts the rows of a lay into stretches along which neither end moves backwards; mostly there is one. */
export const monotoneRuns = (from: Int32Array, to: Int32Array, rows: readonly number[]): number[][] => {
  const runs: number[][] = [];
  let current: number[] = [];
  for (const row of rows) {
    const last = current[current.length - 1];
    if (last !== undefined && (from[row] < from[last] || to[row] < to[last])) {
      runs.push(current);
      current = [];
    }
    current.push(row);
  }
  if (current.length > 0) runs.push(current);
  return runs;
};
