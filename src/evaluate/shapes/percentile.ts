// The value at a share of the rows: read from how often each value stands on each day (M14).
import { upperBound, upperBoundNear } from '../../basics/search.ts';
import type { AskFrame, PlannedMeasure } from '../../plan/planned.ts';
import type { RowValue, Tallies } from '../../plan/request.ts';
import { betweenFilters, counting, rowsOf, rowValueOf } from '../../plan/rows.ts';
import { type Runs, runsOf } from '../../plan/runs.ts';
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
      // Of days, all rows that are asked for have both dates.
      count: { rows, segments, aggregate: isDays ? { kind: 'rows', where } : counting(leaf, where) },
      ...(isDays ? { reversed: reversedAsk(measure, of, frame) } : {}),
    },
    tallies: { ...rows, segments, value: rowValueOf(leaf) as RowValue, where },
  };
};

/** Entries of one member in the order of their segments. */
interface Strand {
  readonly segment: Int32Array;
  readonly value: Float64Array;
  readonly count: Float64Array;
}

/** Places of entries in the order of their segments: by counting, as there are many of them; as they are where they are in order. */
const bySegment = (segment: Int32Array): Int32Array | undefined => {
  let [isSorted, last] = [true, 0];
  for (let k = 0; k < segment.length; k++) {
    if (k > 0 && segment[k] < segment[k - 1]) isSorted = false;
    if (segment[k] > last) last = segment[k];
  }
  if (isSorted) return undefined;
  const next = new Int32Array(last + 2);
  for (let k = 0; k < segment.length; k++) next[segment[k] + 1]++;
  for (let s = 0; s <= last; s++) next[s + 1] += next[s];
  const order = new Int32Array(segment.length);
  for (let k = 0; k < segment.length; k++) order[next[segment[k]]++] = k;
  return order;
};

const strandsOf = ({ tuples, segment, member, value, count }: Tallies): Strand[] => {
  const sizes = new Int32Array(tuples.length);
  for (let k = 0; k < member.length; k++) sizes[member[k]]++;
  const strands = Array.from(sizes, (size) => ({
    segment: new Int32Array(size),
    value: new Float64Array(size),
    count: new Float64Array(size),
  }));
  const next = new Int32Array(tuples.length);
  const order = bySegment(segment);
  for (let k = 0; k < member.length; k++) {
    const from = order ? order[k] : k;
    const m = member[from];
    const strand = strands[m];
    const at = next[m]++;
    strand.segment[at] = segment[from];
    strand.value[at] = value[from];
    strand.count[at] = count[from];
  }
  return strands;
};

/** Entries of a stretch of segments, from the first to behind the last, as the stretch moves. */
const stretchOf = (segment: Int32Array) => {
  let [from, to] = [0, 0];
  return (i: number, j: number): readonly [from: number, to: number] => {
    from = lowerBoundNear(segment, i, from);
    to = lowerBoundNear(segment, j + 1, to);
    return [from, to];
  };
};
const lowerBoundNear = (list: Int32Array, value: number, hint: number): number => upperBoundNear(list, value - 1, hint);

/** How many values stand in a stretch of segments, and the one at a place, counted from 0. */
interface Stretch {
  readonly total: number;
  readonly at: (place: number) => number;
}
/** Finds stretches of a strand, one after the other. */
type Stretches = (i: number, j: number) => Stretch;

/** Up to so many different values, such as days, each has a counter that is looked through. */
const FEW_VALUES = 4096;

/** The different values of a strand in order; undefined where there are more than a few. */
const fewValues = (value: Float64Array): Float64Array | undefined => {
  const found = new Set<number>();
  for (let k = 0; k < value.length; k++) {
    found.add(value[k]);
    if (found.size > FEW_VALUES) return undefined;
  }
  return Float64Array.from(found).sort();
};

/** Counters that entries are added to and taken from as the stretch moves. */
const counted = (strand: Strand, add: (entry: number, sign: 1 | -1) => void, at: Stretch['at']): Stretches => {
  const stretch = stretchOf(strand.segment);
  let [from, to, total] = [0, 0, 0];
  const change = (first: number, behind: number, sign: 1 | -1): void => {
    for (let entry = first; entry < behind; entry++) {
      total += sign * strand.count[entry];
      add(entry, sign);
    }
  };
  return (i, j) => {
    const [nextFrom, nextTo] = stretch(i, j);
    if (nextFrom >= to || nextTo <= from) {
      change(from, to, -1);
      change(nextFrom, nextTo, 1);
    } else {
      change(nextFrom, from, 1);
      change(to, nextTo, 1);
      change(from, nextFrom, -1);
      change(nextTo, to, -1);
    }
    [from, to] = [nextFrom, nextTo];
    return { total, at };
  };
};

/** One counter a value. */
const byCounters = (strand: Strand, values: Float64Array): Stretches => {
  const ranks = new Map(Array.from(values, (value, rank) => [value, rank]));
  const rank = Int32Array.from(strand.value, (value) => ranks.get(value) as number);
  const counters = new Float64Array(values.length);
  const at = (place: number): number => {
    let left = place;
    let k = 0;
    while (left >= counters[k]) left -= counters[k++];
    return values[k];
  };
  return counted(strand, (entry, sign) => void (counters[rank[entry]] += sign * strand.count[entry]), at);
};

/** Counters in a tree of partial sums over ranks: one more or less, and the value at a place, take log(values) steps each. */
const byTree = (strand: Strand): Stretches => {
  const values = strand.value.slice().sort();
  let size = 0;
  for (let k = 0; k < values.length; k++) if (k === 0 || values[k] !== values[k - 1]) values[size++] = values[k];
  const distinct = values.subarray(0, size);
  const rank = Int32Array.from(strand.value, (value) => upperBound(distinct, value));
  const tree = new Float64Array(size + 1);
  const top = 2 ** Math.floor(Math.log2(Math.max(size, 1)));
  const add = (entry: number, sign: 1 | -1): void => {
    for (let at = rank[entry]; at <= size; at += at & -at) tree[at] += sign * strand.count[entry];
  };
  const at = (place: number): number => {
    let [below, left] = [0, place];
    for (let step = top; step > 0; step >>= 1) {
      if (below + step > size || tree[below + step] > left) continue;
      below += step;
      left -= tree[below];
    }
    return distinct[below];
  };
  return counted(strand, add, at);
};

/** Values of each stretch beside each other, of which those at a place are selected: best where stretches hardly overlap. */
const bySelection = (strand: Strand): Stretches => {
  const stretch = stretchOf(strand.segment);
  const { value, count } = strand;
  return (i, j) => {
    const [from, to] = stretch(i, j);
    let total = 0;
    for (let entry = from; entry < to; entry++) total += count[entry];
    const list = new Float64Array(total);
    for (let entry = from, k = 0; entry < to; entry++) {
      if (count[entry] === 1) list[k++] = value[entry];
      else {
        list.fill(value[entry], k, k + count[entry]);
        k += count[entry];
      }
    }
    return { total, at: (place) => selected(list, place) };
  };
};

/** The value at a place of a list if it were in order; the list is brought into it only as far as that needs. */
const selected = (list: Float64Array, place: number): number => {
  let [low, high] = [0, list.length - 1];
  while (low < high) {
    const middle = (low + high) >>> 1;
    const [a, b, c] = [list[low], list[middle], list[high]];
    // The middle one of three, so that lists which are in order already are no worse than others.
    const pivot = a < b ? (b < c ? b : a < c ? c : a) : a < c ? a : b < c ? c : b;
    let [i, j] = [low, high];
    while (i <= j) {
      while (list[i] < pivot) i++;
      while (list[j] > pivot) j--;
      if (i > j) break;
      const held = list[i];
      list[i++] = list[j];
      list[j--] = held;
    }
    if (place <= j) high = j;
    else if (place >= i) low = i;
    else return list[place];
  }
  return list[place];
};

/** Stretches that together have more entries than so many times those there are overlap too much to be gathered one by one. */
const MOST_OVERLAP = 8;

const stretchesOf = (strand: Strand, { i, j }: Runs): Stretches => {
  const few = fewValues(strand.value);
  if (few) return byCounters(strand, few);
  const stretch = stretchOf(strand.segment);
  let entries = 0;
  for (let row = 0; row < i.length; row++) {
    if (i[row] > j[row]) continue;
    const [from, to] = stretch(i[row], j[row]);
    entries += to - from;
  }
  return entries <= MOST_OVERLAP * strand.value.length ? bySelection(strand) : byTree(strand);
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
  const { tuples, scale, ...entries } = tallies as Tallies;
  const raw = new Float64Array(runs.i.length * width);
  const member = new Map(rows.tuples.map((tuple, m) => [JSON.stringify(tuple), m]));
  strandsOf({ tuples, scale, ...entries }).forEach((strand, k) => {
    const m = member.get(JSON.stringify(tuples[k])) as number;
    const found = stretchesOf(strand, runs);
    for (let row = 0; row < runs.i.length; row++) {
      if (runs.i[row] > runs.j[row]) continue;
      const { total, at } = found(runs.i[row], runs.j[row]);
      if (total > 0) raw[row * width + m] = valueAt(share, total, at);
    }
  });
  return { ...finish(measure, rows.tuples, raw, counted, seen, Math.max(scale, 0), over), scale: -1 };
};

export const percentileKind: Kind = { asks, cells };
