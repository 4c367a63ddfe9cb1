/** First and last covered day of each anchor, inclusive, neither ever moving backwards (W9). */
export interface Windows {
  readonly from: Int32Array;
  readonly to: Int32Array;
}

/** Sightings of keys: a key of a member on a day, with the day on which the same key of the same member is next seen. */
export interface Sightings {
  readonly day: Int32Array;
  /** Int32 maximum when it is not seen again. */
  readonly next: Int32Array;
  readonly member: Int32Array;
  /** What a sighting counts; undefined counts 1. */
  readonly weight: Float64Array | undefined;
  readonly members: number;
}

export const NEVER = 2147483647;

/**
 * Counts, for every anchor, the keys seen in its window, in one pass over the sightings. Along an axis no end of a
 * window moves backwards (W9), so the anchors for which a sighting is the last one inside the window, those with
 * `from <= day <= to < next`, are one run: +1 at its start, -1 behind its end, and a sum along the anchors gives
 * every count. A key is counted once in each window, by its last sighting there.
 *
 * Where each run begins and ends is looked up by day, so `firstDay..lastDay` must hold all sightings.
 */
export const countEvents = (sightings: Sightings, windows: Windows, firstDay: number, lastDay: number): Float64Array => {
  const anchors = windows.from.length;
  const { members } = sightings;
  const steps = new Float64Array((anchors + 1) * members);
  const days = Math.max(lastDay - firstDay + 1, 0);
  // First anchor whose window reaches the day; first anchor whose window starts after it.
  const reached = new Int32Array(days);
  const passed = new Int32Array(days);
  for (let k = 0, a = 0, b = 0; k < days; k++) {
    const day = firstDay + k;
    while (a < anchors && windows.to[a] < day) a++;
    while (b < anchors && windows.from[b] <= day) b++;
    reached[k] = a;
    passed[k] = b;
  }
  const { day, next, member, weight } = sightings;
  for (let s = 0; s < day.length; s++) {
    const start = reached[day[s] - firstDay];
    const last = passed[day[s] - firstDay];
    const stop = next[s] === NEVER ? last : Math.min(last, reached[next[s] - firstDay]);
    if (start >= stop) continue;
    const w = weight ? weight[s] : 1;
    steps[start * members + member[s]] += w;
    steps[stop * members + member[s]] -= w;
  }
  for (let k = members; k < anchors * members; k++) steps[k] += steps[k - members];
  return steps.subarray(0, anchors * members);
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
