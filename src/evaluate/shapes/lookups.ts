// Sums over runs of a cube's segments: whole ones by lookups, cut ones by their share.
import type { Lookup } from '../../basics/lookups.ts';
import type { Segments } from '../../plan/request.ts';
import type { Runs } from '../../plan/runs.ts';
import type { Lay } from '../../windows/lay.ts';
import type { Share } from '../scope.ts';

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
  /** Segments without a day that is left out; all of them where it is not given (U12). */
  whole?: Uint8Array,
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
    if (whole) {
      for (let s = i; s <= j; s++) {
        const isCut = whole[s] === 0 || (s === i && runs.left[row] === 1) || (s === j && runs.right[row] === 1);
        if (isCut) addPart(row, s);
        else for (let m = 0, at = row * width, cell = s * width; m < width; m++, at++, cell++) out[at] += cells[cell];
      }
      continue;
    }
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
