import type { Lookup } from '../../basics/lookups.ts';
import { upperBound, upperBoundNear } from '../../basics/search.ts';
import type { Day } from '../../calendar/day.ts';
import type { Segments } from '../../plan/request.ts';
import { COVERED, type Lay } from '../../windows/lay.ts';

/**
 * A laid window in terms of a cube's segments: the run `i..j` it touches on every row (i > j: none), and whether
 * it cuts the first or last of them. One-day segments are never cut; periods of coarse facts are (G4).
 */
export interface Runs {
  readonly i: Int32Array;
  readonly j: Int32Array;
  readonly left: Uint8Array;
  readonly right: Uint8Array;
}

/** Several readings lie on the same days; their runs are found once, and looked up once in the same cells. */
const runsKnown = new WeakMap<Lay, Map<string, Runs>>();

/** `unseenAfter`: periods that end later are unfinished and unseen, hence not cut either (A2, G4). */
export const runsOf = (lay: Lay, segments: Segments, unseenAfter: Day | undefined): Runs => {
  const known = runsKnown.get(lay) ?? new Map<string, Runs>();
  runsKnown.set(lay, known);
  const key = `${segments.key} ${unseenAfter}`;
  const found = known.get(key) ?? findRuns(lay, segments, unseenAfter);
  known.set(key, found);
  return found;
};

const findRuns = (lay: Lay, segments: Segments, unseenAfter: Day | undefined): Runs => {
  const { starts, ends } = segments;
  const rows = lay.from.length;
  const runs: Runs = { i: new Int32Array(rows), j: new Int32Array(rows).fill(-1), left: new Uint8Array(rows), right: new Uint8Array(rows) };
  const seen = unseenAfter === undefined ? ends.length : upperBound(ends, unseenAfter);
  for (let row = 0, before = 0, behind = 0; row < rows; row++) {
    if (lay.state[row] !== COVERED) continue;
    const from = lay.from[row];
    const to = lay.to[row];
    before = upperBoundNear(ends, from - 1, before);
    behind = upperBoundNear(starts, to, behind);
    const i = before;
    const j = Math.min(behind, seen) - 1;
    runs.i[row] = i;
    runs.j[row] = j;
    if (i > j) continue;
    runs.left[row] = starts[i] < from ? 1 : 0;
    runs.right[row] = ends[j] > to ? 1 : 0;
  }
  return runs;
};

const looked = new WeakMap<Runs, Map<Lookup, Float64Array>>();

/** Looks every row's run up, cut periods included whole; rows without a run keep 0. The list is not to be written to. */
export const lookupRuns = (lookup: Lookup, runs: Runs, width: number): Float64Array => {
  const known = looked.get(runs) ?? new Map<Lookup, Float64Array>();
  looked.set(runs, known);
  const found = known.get(lookup);
  if (found) return found;
  const out = new Float64Array(runs.i.length * width);
  for (let row = 0; row < runs.i.length; row++) {
    if (runs.i[row] <= runs.j[row]) lookup.run(runs.i[row], runs.j[row], out, row * width);
  }
  known.set(lookup, out);
  return out;
};

/** The share of a cut period that a window covers: covered weight and weight of the whole period (G4). */
export type Share = (segment: number, from: Day, to: Day) => readonly [number, number];

/**
 * Sums over windows where cut periods count in part: whole periods through the lookup, the one or two cut ones as
 * (cell x covered weight) / weight. Periods that are whole stay exact.
 */
export const sharedSums = (
  lookup: Lookup,
  cells: Float64Array,
  runs: Runs,
  lay: Lay,
  segments: Segments,
  width: number,
  share: Share,
): Float64Array => {
  const out = new Float64Array(runs.i.length * width);
  const addPart = (row: number, segment: number): void => {
    const from = Math.max(segments.starts[segment], lay.from[row]);
    const to = Math.min(segments.ends[segment], lay.to[row]);
    const part = share(segment, from, to);
    const covered = part[0];
    const whole = part[1];
    for (let m = 0, at = row * width, cell = segment * width; m < width; m++, at++, cell++) out[at] += (cells[cell] * covered) / whole;
  };
  for (let row = 0; row < runs.i.length; row++) {
    const i = runs.i[row];
    const j = runs.j[row];
    if (i > j) continue;
    const left = runs.left[row] === 1;
    const right = runs.right[row] === 1;
    const first = left ? i + 1 : i;
    const last = right ? j - 1 : j;
    if (first <= last) lookup.run(first, last, out, row * width);
    if (left) addPart(row, i);
    if (right && !(left && i === j)) addPart(row, j);
  }
  return out;
};
