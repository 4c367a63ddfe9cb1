// How often each value stands in each cell (M14).
import { NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import { MOST_TALLIES, type Tallies, type TallyRequest } from '../../plan/request.ts';
import { tooManyTallies } from '../shared/faults.ts';
import type { Opened } from './open-fact.ts';
import { segmentTable } from './segment-table.ts';

/** Above this many cells they are not told apart by number any more. */
const MOST_CELLS = 2 ** 31;
/** Up to so many counters whole numbers are counted where they stand; more are sorted. */
const MOST_COUNTERS = 1 << 24;

/** Rows that count, each with its cell (segment by member) and its value. */
interface Placed {
  readonly cells: Int32Array;
  readonly values: Float64Array;
  readonly rows: number;
}

const placedRows = (opened: Opened, request: TallyRequest, members: ReturnType<Opened['combine']>, values: Float64Array): Placed => {
  const { data, mask } = opened;
  const { segments, filters, where, knownBy } = request;
  const role = data.roles.get(request.role as string);
  if (!role) throw new Error('tallies need a role');
  const table = segmentTable(segments, role.first, role.last);
  const counted = mask([...filters, ...where], knownBy);
  const [cells, kept] = [new Int32Array(data.rows), new Float64Array(data.rows)];
  let rows = 0;
  for (let row = 0; row < data.rows; row++) {
    const day = role.days[row];
    const value = values[row];
    if (day === NO_DAY || value !== value || (counted && counted[row] === 0)) continue;
    const segment = table[day - role.first];
    if (segment < 0) continue;
    cells[rows] = segment * members.count + (members.codes ? members.codes[row] : 0);
    kept[rows++] = value;
  }
  return { cells, values: kept, rows };
};

type Entries = Pick<Tallies, 'segment' | 'member' | 'value' | 'count'>;

const entriesOf = (rows: number): Entries => ({
  segment: new Int32Array(rows),
  member: new Int32Array(rows),
  value: new Float64Array(rows),
  count: new Float64Array(rows),
});
const firstOf = ({ segment, member, value, count }: Entries, entries: number): Entries => ({
  segment: segment.slice(0, entries),
  member: member.slice(0, entries),
  value: value.slice(0, entries),
  count: count.slice(0, entries),
});

/** Whole numbers from a least to a greatest one; undefined where some is none. */
const rangeOf = (values: Float64Array, rows: number): readonly [least: number, size: number] | undefined => {
  let [least, greatest] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (let k = 0; k < rows; k++) {
    const value = values[k];
    if (value !== Math.trunc(value)) return undefined;
    if (value < least) least = value;
    if (value > greatest) greatest = value;
  }
  return rows === 0 ? undefined : [least, greatest - least + 1];
};

/** Counts small whole numbers, such as days, each where it stands. */
const countedTallies = (
  { cells, values, rows }: Placed,
  size: number,
  members: number,
  [least, range]: readonly [number, number],
): Entries => {
  const counters = new Float64Array(size * range);
  for (let k = 0; k < rows; k++) counters[cells[k] * range + values[k] - least]++;
  let entries = 0;
  for (let k = 0; k < counters.length; k++) if (counters[k] > 0) entries++;
  const found = entriesOf(entries);
  for (let k = 0, e = 0; k < counters.length; k++) {
    if (counters[k] === 0) continue;
    const cell = Math.floor(k / range);
    found.segment[e] = Math.floor(cell / members);
    found.member[e] = cell % members;
    found.value[e] = least + (k % range);
    found.count[e++] = counters[k];
  }
  return found;
};

/** Puts rows of one cell beside each other, sorts the values in each, and counts those that are the same. */
const sortedTallies = ({ cells, values, rows }: Placed, size: number, members: number): Entries => {
  const starts = new Int32Array(size + 1);
  for (let k = 0; k < rows; k++) starts[cells[k] + 1]++;
  for (let cell = 0; cell < size; cell++) starts[cell + 1] += starts[cell];
  const next = starts.slice();
  const sorted = new Float64Array(rows);
  for (let k = 0; k < rows; k++) sorted[next[cells[k]]++] = values[k];
  const found = entriesOf(rows);
  let entries = 0;
  for (let cell = 0; cell < size; cell++) {
    const [from, to] = [starts[cell], starts[cell + 1]];
    if (from === to) continue;
    sorted.subarray(from, to).sort();
    for (let k = from; k < to; k++) {
      if (k > from && sorted[k] === sorted[k - 1]) {
        found.count[entries - 1]++;
        continue;
      }
      found.segment[entries] = Math.floor(cell / members);
      found.member[entries] = cell % members;
      found.value[entries] = sorted[k];
      found.count[entries++] = 1;
    }
  }
  if (entries > MOST_TALLIES) throw tooManyTallies();
  return firstOf(found, entries);
};

export const tallies = (opened: Opened, request: TallyRequest): Tallies => {
  const { data, combine } = opened;
  const members = combine(request.attributes);
  const { values, scale } = data.value(request.value, request.workingDays);
  const size = request.segments.starts.length * members.count;
  if (size >= MOST_CELLS)
    throw new DurchblickError('too-many-cells', `the question needs ${request.segments.starts.length} x ${members.count} cells`, {
      kind: 'engine',
      hint: 'Ask by a coarser unit, for a shorter range, or for fewer members.',
    });
  const placed = placedRows(opened, request, members, values);
  const range = rangeOf(placed.values, placed.rows);
  const found =
    range && range[1] * size <= MOST_COUNTERS
      ? countedTallies(placed, size, members.count, range)
      : sortedTallies(placed, size, members.count);
  return withoutIdle({ ...found, tuples: Array.from({ length: members.count }, (_, code) => members.tuple(code)), scale });
};

/** Only members that have entries are part of the answer. */
const withoutIdle = ({ tuples, member, ...entries }: Tallies): Tallies => {
  const has = new Uint8Array(tuples.length);
  for (const one of member) has[one] = 1;
  const place = new Int32Array(tuples.length);
  let width = 0;
  for (let m = 0; m < tuples.length; m++) if (has[m] === 1) place[m] = width++;
  return { ...entries, tuples: tuples.filter((_, m) => has[m] === 1), member: member.map((one) => place[one]) };
};
