// The value at a share of the rows: read from how often each value stands on each day (M14).
import type { AskFrame, PlannedMeasure } from '../../plan/planned.ts';
import type { RowValue, Tallies } from '../../plan/request.ts';
import { betweenFilters, counting, rowsOf, rowValueOf } from '../../plan/rows.ts';
import { runsOf } from '../../plan/runs.ts';
import { unseenAfter } from '../../plan/spread.ts';
import type { Calculation, Kind, LeafData, LoadedMeasure } from '../scope.ts';
import { lookupRuns } from './lookups.ts';
import { finish } from './measure-cells.ts';
import { noteReversed, reversedAsk } from './reversed.ts';

const percentileOf = ({ leaf }: Pick<PlannedMeasure, 'leaf'>) => {
  const { aggregate } = leaf.measure;
  if (aggregate.kind !== 'percentile') throw new Error('not a percentile');
  return aggregate;
};

const asks: Kind['asks'] = (measure, frame: AskFrame) => {
  const { leaf, where, segments } = measure;
  const { of } = percentileOf(measure);
  const isDays = of.kind === 'days-between';
  const rows = rowsOf(measure, leaf.role.name, frame, isDays ? betweenFilters(leaf, of, frame) : []);
  return {
    counted: rows,
    cubes: {
      rows: { rows, segments, aggregate: { kind: 'rows', where } },
      count: { rows, segments, aggregate: counting(leaf, where) },
      ...(isDays ? { reversed: reversedAsk(measure, of, frame) } : {}),
    },
    tallies: { ...rows, segments, value: rowValueOf(leaf) as RowValue, where },
  };
};

/** Entries of one member in the order of their segments: rank of the value among the member's own, and how often it stands there. */
interface Strand {
  readonly segment: Int32Array;
  readonly rank: Int32Array;
  readonly count: Float64Array;
  /** The member's values in order. */
  readonly values: Float64Array;
}

const strandsOf = ({ tuples, segment, member, value, count }: Tallies): Strand[] => {
  const sizes = new Int32Array(tuples.length);
  for (const one of member) sizes[one]++;
  const places = Array.from(sizes, (size) => new Int32Array(size));
  const next = new Int32Array(tuples.length);
  for (let k = 0; k < member.length; k++) places[member[k]][next[member[k]]++] = k;
  return places.map((own) => {
    own.sort((a, b) => segment[a] - segment[b]);
    const values = distinctSorted(Float64Array.from(own, (k) => value[k]).sort());
    const ranks = new Map(Array.from(values, (one, rank) => [one, rank]));
    return {
      segment: own.map((k) => segment[k]),
      rank: own.map((k) => ranks.get(value[k]) as number),
      count: Float64Array.from(own, (k) => count[k]),
      values,
    };
  });
};

const distinctSorted = (sorted: Float64Array): Float64Array => sorted.filter((value, k) => k === 0 || value !== sorted[k - 1]);

/**
 * How often each value stands in a stretch of segments that moves: counts in a tree of partial sums over ranks, so that one more or
 * one less, and the value at a place, each take log(values) steps.
 */
const sliding = ({ segment, rank, count, values }: Strand) => {
  const size = values.length;
  const tree = new Float64Array(size + 1);
  const top = 2 ** Math.floor(Math.log2(Math.max(size, 1)));
  let [from, to, total] = [0, 0, 0];
  const add = (entry: number, sign: 1 | -1): void => {
    total += sign * count[entry];
    for (let at = rank[entry] + 1; at <= size; at += at & -at) tree[at] += sign * count[entry];
  };
  return {
    /** Moves to the entries of segments from `i` to `j`, both inclusive; answers how many values stand there. */
    move: (i: number, j: number): number => {
      while (to < segment.length && segment[to] <= j) add(to++, 1);
      while (from > 0 && segment[from - 1] >= i) add(--from, 1);
      while (to > from && segment[to - 1] > j) add(--to, -1);
      while (from < to && segment[from] < i) add(from++, -1);
      return total;
    },
    /** The value at a place, counted from 0. */
    at: (place: number): number => {
      let [at, left] = [0, place];
      for (let step = top; step > 0; step >>= 1) {
        if (at + step > size || tree[at + step] > left) continue;
        at += step;
        left -= tree[at];
      }
      return values[at];
    },
  };
};

/** Shares are whole numbers of this many parts, so that places are found without a rounding of doubles. */
const PARTS = 1_000_000;

/** The value at a share of so many, between two neighbours in a straight line. */
const valueAt = (share: number, total: number, at: (place: number) => number): number => {
  const position = Math.round(share * PARTS) * (total - 1);
  const place = Math.floor(position / PARTS);
  const part = (position - place * PARTS) / PARTS;
  const low = at(place);
  return part === 0 ? low : low + (at(place + 1) - low) * part;
};

const cells = (measure: PlannedMeasure, { cubes, tallies }: LoadedMeasure, over: Calculation): LeafData => {
  const { lay, segments } = measure;
  const { of, at: share } = percentileOf(measure);
  const { rows, count, reversed } = cubes;
  if (of.kind === 'days-between') noteReversed(reversed, measure, of, over);
  const runs = runsOf(lay, segments, unseenAfter(measure, over.frame));
  const width = rows.tuples.length;
  const seen = lookupRuns(rows.sums(), runs, width);
  const counted = lookupRuns(count.sums(), runs, width);
  const found = tallies as Tallies;
  const raw = new Float64Array(runs.i.length * width);
  const member = new Map(rows.tuples.map((tuple, m) => [JSON.stringify(tuple), m]));
  strandsOf(found).forEach((strand, k) => {
    const m = member.get(JSON.stringify(found.tuples[k])) as number;
    const window = sliding(strand);
    for (let row = 0; row < runs.i.length; row++) {
      if (runs.i[row] > runs.j[row]) continue;
      const total = window.move(runs.i[row], runs.j[row]);
      if (total > 0) raw[row * width + m] = valueAt(share, total, window.at);
    }
  });
  return { ...finish(measure, rows.tuples, raw, counted, seen, Math.max(found.scale, 0), over), scale: -1 };
};

export const percentileKind: Kind = { asks, cells };
