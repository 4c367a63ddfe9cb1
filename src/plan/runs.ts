// Windows as runs of segments: the two lookups that every value comes from.
import { upperBound, upperBoundNear } from '../basics/search.ts';
import type { Day } from '../calendar/day.ts';
import { COVERED, type Lay } from '../windows/lay.ts';
import type { Segments } from './request.ts';

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

/** Which segments have no day but those that count; all of them where no days are left out (U12). */
interface Holding {
  readonly whole: Uint8Array;
}

/** Whether the window of a row cuts a segment, or some days of one are left out, so that it counts in part (G4). */
export const isCutIn = ({ i, j, left, right }: Runs, row: number, part: Holding | undefined): boolean => {
  if (i[row] > j[row]) return false;
  if (left[row] === 1 || right[row] === 1) return true;
  if (part) for (let s = i[row]; s <= j[row]; s++) if (part.whole[s] === 0) return true;
  return false;
};

export const isCut = (runs: Runs, part?: Holding): boolean => runs.i.some((_, row) => isCutIn(runs, row, part));
