// How often each value stands in each cell (M14).
import { NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import { MOST_TALLIES, type Tallies, type TallyRequest } from '../../plan/request.ts';
import { tooManyTallies } from '../shared/faults.ts';
import type { Members, Opened } from './open-fact.ts';
import { segmentTable } from './segment-table.ts';

/** Above this many cells they are not told apart by number any more. */
const MOST_CELLS = 2 ** 31;
/** Up to so many counters, and so many a row, whole numbers are counted where they stand; beyond that, sorting rows costs less. */
const MOST_COUNTERS = 1 << 24;
const COUNTERS_A_ROW = 16;

/** Rows that count, each with its cell (segment by member) and its value. */
interface Placed {
  readonly cells: Int32Array;
  readonly values: Float64Array;
  readonly rows: number;
}

const placedRows = (values: Float64Array, { days, first, table, codes, members, mask }: Placing): Placed => {
  const [cells, kept] = [new Int32Array(values.length), new Float64Array(values.length)];
  let rows = 0;
  for (let row = 0; row < values.length; row++) {
    const day = days[row];
    const value = values[row];
    if (day === NO_DAY || value !== value || (mask && mask[row] === 0)) continue;
    const segment = table[day - first];
    if (segment < 0) continue;
    cells[rows] = segment * members + (codes ? codes[row] : 0);
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

/** Whole numbers of rows: those of a column, or the days between two dates, which need no list of their own. */
type Whole = { readonly values: Float64Array } | { readonly from: Int32Array; readonly until: Int32Array };

/** The least and greatest of a column's numbers, blanks aside; undefined where some is not whole, or there is none. */
const rangeOf = (values: Float64Array): Range | undefined => {
  let [least, greatest] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (let row = 0; row < values.length; row++) {
    const value = values[row];
    if (value < least) least = value;
    if (value > greatest) greatest = value;
  }
  if (!(greatest >= least && greatest - least < MOST_COUNTERS)) return undefined;
  for (let row = 0; row < values.length; row++) if (values[row] % 1 !== 0 && values[row] === values[row]) return undefined;
  return { least, size: greatest - least + 1 };
};
interface Range {
  readonly least: number;
  readonly size: number;
}

const daysRange = (from: Int32Array, until: Int32Array): Range | undefined => {
  let [least, greatest] = [2 ** 31, -(2 ** 31)];
  for (let row = 0; row < from.length; row++) {
    if (from[row] === NO_DAY || until[row] === NO_DAY) continue;
    const days = until[row] - from[row];
    if (days < least) least = days;
    if (days > greatest) greatest = days;
  }
  return least > greatest ? undefined : { least, size: greatest - least + 1 };
};

/** What tells the cell of each row. */
interface Placing {
  readonly days: Int32Array;
  readonly first: number;
  /** Segment by day from the first one on, -1 for none. */
  readonly table: Int32Array;
  readonly codes: Members['codes'];
  readonly members: number;
  readonly mask: Uint8Array | undefined;
}

/** Counts small whole numbers, such as days, each where it stands: one pass over the rows, and nothing made of them. */
const countedTallies = (
  whole: Whole,
  { least, size }: Range,
  { days, first, table, codes, members, mask }: Placing,
  cells: number,
): Entries => {
  const counters = new Float64Array(cells * size);
  const count = (row: number, value: number): void => {
    const day = days[row];
    if (day === NO_DAY || (mask !== undefined && mask[row] === 0)) return;
    const segment = table[day - first];
    if (segment < 0) return;
    counters[(segment * members + (codes === undefined ? 0 : codes[row])) * size + value - least]++;
  };
  if ('values' in whole) {
    const { values } = whole;
    for (let row = 0; row < values.length; row++) if (values[row] === values[row]) count(row, values[row]);
  } else {
    const { from, until } = whole;
    for (let row = 0; row < from.length; row++) if (from[row] !== NO_DAY && until[row] !== NO_DAY) count(row, until[row] - from[row]);
  }
  let entries = 0;
  for (let k = 0; k < counters.length; k++) if (counters[k] > 0) entries++;
  const found = entriesOf(entries);
  for (let k = 0, e = 0; k < counters.length; k++) {
    if (counters[k] === 0) continue;
    const cell = Math.floor(k / size);
    found.segment[e] = Math.floor(cell / members);
    found.member[e] = cell % members;
    found.value[e] = least + (k % size);
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

/** Days between two dates need no list: they are counted from the dates themselves. */
const daysOf = ({ data }: Opened, { value }: TallyRequest) => {
  if (value.kind === 'column' || value.days === 'working') return undefined;
  const [from, until] = [data.roles.get(value.from)?.days as Int32Array, data.roles.get(value.until)?.days as Int32Array];
  return { from, until };
};

export const tallies = (opened: Opened, request: TallyRequest): Tallies => {
  const { data, combine, mask } = opened;
  const { segments, filters, where, knownBy } = request;
  const members = combine(request.attributes);
  const cells = segments.starts.length * members.count;
  if (cells >= MOST_CELLS)
    throw new DurchblickError('too-many-cells', `the question needs ${segments.starts.length} x ${members.count} cells`, {
      kind: 'engine',
      hint: 'Ask by a coarser unit, for a shorter range, or for fewer members.',
    });
  const role = data.roles.get(request.role as string);
  if (!role) throw new Error('tallies need a role');
  const placing: Placing = {
    days: role.days,
    first: role.first,
    table: segmentTable(segments, role.first, role.last),
    codes: members.codes,
    members: members.count,
    mask: mask([...filters, ...where], knownBy),
  };
  const fits = (range: Range | undefined): range is Range =>
    range !== undefined && range.size * cells <= Math.min(MOST_COUNTERS, COUNTERS_A_ROW * role.days.length);
  const days = daysOf(opened, request);
  const ofDays = days && daysRange(days.from, days.until);
  const tuples = Array.from({ length: members.count }, (_, code) => members.tuple(code));
  if (days && fits(ofDays)) return withoutIdle({ ...countedTallies(days, ofDays, placing, cells), tuples, scale: 0 });
  const { values, scale } = data.value(request.value, request.workingDays);
  const range = rangeOf(values);
  const found = fits(range)
    ? countedTallies({ values }, range, placing, cells)
    : sortedTallies(placedRows(values, placing), cells, members.count);
  return withoutIdle({ ...found, tuples, scale });
};

/** Entries with the index of their member. */
interface OfMembers {
  readonly tuples: readonly (readonly string[])[];
  readonly member: Int32Array;
}

/** Removes members without entries, which could be hidden ones (V3). */
export const withoutIdle = <T extends OfMembers>(all: T): T => {
  const { tuples, member } = all;
  const has = new Uint8Array(tuples.length);
  for (const one of member) has[one] = 1;
  const place = new Int32Array(tuples.length);
  let width = 0;
  for (let m = 0; m < tuples.length; m++) if (has[m] === 1) place[m] = width++;
  if (width === tuples.length) return all;
  return { ...all, tuples: tuples.filter((_, m) => has[m] === 1), member: member.map((one) => place[one]) };
};
