import { NO_DAY } from '../../calendar/day.ts';
import type { Codes, NumberColumn } from './columns.ts';

/** Where every row of a scan goes: its day through a table of segments, its member by code. */
export interface Layout {
  readonly rows: number;
  /** Undefined: all rows lie in segment 0. */
  readonly days: Int32Array | undefined;
  readonly blanks: boolean;
  /** First day of `segmentOf`. */
  readonly base: number;
  /** Segment of each day, -1 for days in none. */
  readonly segmentOf: Int32Array;
  readonly segments: number;
  readonly codes: Codes | undefined;
  readonly members: number;
  /** 1 for rows that count; undefined when all do. */
  readonly mask: Uint8Array | undefined;
}

export interface ScanColumn {
  readonly kind: 'rows' | 'sum' | 'count' | 'min' | 'max';
  readonly column: NumberColumn | undefined;
  readonly mask: Uint8Array | undefined;
}

export interface Scan {
  readonly layout: Layout;
  readonly columns: readonly ScanColumn[];
}

const BLOCK = 8192;

/**
 * Runs several scans; two plain sums of the same column by the same members, each by its own date, go in one pass,
 * since what costs most is reading the rows. Answers a list of accumulators for each scan.
 */
export const scanAll = (scans: readonly Scan[]): Float64Array[][] => {
  const results: (Float64Array[] | undefined)[] = scans.map(() => undefined);
  const fused = scans.map(fusedOf);
  scans.forEach((_, a) => {
    const first = fused[a];
    if (results[a] || !first) return;
    const b = fused.findIndex((other, k) => k > a && !results[k] && other?.column === first.column && other.codes === first.codes);
    const second = fused[b];
    if (second && fusedPair(first, second)) {
      results[a] = unpacked(first, scans[a]);
      results[b] = unpacked(second, scans[b]);
    }
  });
  return scans.map((scan, k) => results[k] ?? scanOne(scan, fused[k]));
};

/**
 * One pass over the rows into dense `segment x member` accumulators. Works in blocks that stay in the first-level
 * cache: first every row's slot, then each aggregate over the slots, so that any number of aggregates, masks and
 * members needs no loop of its own. Rows that do not count go to one spare slot at the end.
 */
const scanOne = ({ layout, columns }: Scan, fused: Fused | undefined): Float64Array[] => {
  const { rows, days, base, segments, codes, members, mask } = layout;
  if (fused) {
    if (!fusedSingle(fused)) separateSums(fused);
    return unpacked(fused, { layout, columns });
  }
  const cells = segments * members;
  const out = columns.map(({ kind }) => {
    const list = new Float64Array(slotCount(layout));
    return kind === 'min' || kind === 'max' ? list.fill(Number.NaN) : list;
  });
  const rowBase = rowBaseOf(layout);
  const spare = cells;
  const slots = new Int32Array(BLOCK);
  for (let start = 0; start < rows; start += BLOCK) {
    const size = Math.min(BLOCK, rows - start);
    if (days) {
      for (let i = 0; i < size; i++) {
        const day = days[start + i];
        slots[i] = day === NO_DAY ? spare : rowBase[day - base];
      }
    } else slots.fill(0, 0, size);
    if (codes) {
      for (let i = 0; i < size; i++) if (slots[i] !== spare) slots[i] += codes[start + i];
    }
    if (mask) {
      for (let i = 0; i < size; i++) if (mask[start + i] === 0) slots[i] = spare;
    }
    for (let k = 0; k < columns.length; k++) accumulate(columns[k], slots, start, size, spare, out[k]);
  }
  return out.map((list) => list.subarray(0, cells));
};

const accumulate = (
  { kind, column, mask }: ScanColumn,
  slots: Int32Array,
  start: number,
  size: number,
  spare: number,
  acc: Float64Array,
): void => {
  const values = column?.values;
  if (kind === 'rows' || (kind === 'count' && column?.blanks === false)) {
    if (mask) for (let i = 0; i < size; i++) acc[mask[start + i] === 0 ? spare : slots[i]]++;
    else for (let i = 0; i < size; i++) acc[slots[i]]++;
    return;
  }
  if (!values) return;
  for (let i = 0; i < size; i++) {
    const value = values[start + i];
    if (value !== value || (mask && mask[start + i] === 0)) continue;
    const slot = slots[i];
    if (kind === 'sum') acc[slot] += value;
    else if (kind === 'count') acc[slot]++;
    // NaN, the empty accumulator, compares false and gives way.
    else if (kind === 'min') acc[slot] = acc[slot] <= value ? acc[slot] : value;
    else acc[slot] = acc[slot] >= value ? acc[slot] : value;
  }
};

/** The spare slots behind the cells are `members` wide: a row outside all segments still adds its code. */
const slotCount = ({ segments, members }: Layout): number => segments * members + Math.max(members, 1);

/** The first cell of each day's segment, so that a row's slot is one addition. */
const rowBaseOf = ({ segmentOf, segments, members }: Layout): Int32Array =>
  segmentOf.map((segment) => (segment < 0 ? segments * members : segment * members));

/** One sum over a column without blanks and the rows behind it, nothing filtered: the commonest scan. */
interface Fused {
  readonly rowBase: Int32Array;
  readonly base: number;
  readonly days: Int32Array;
  readonly codes: Codes | undefined;
  readonly column: NumberColumn;
  readonly sums: Float64Array;
  readonly counts: Float64Array;
}

const isRowCount = ({ kind, column }: ScanColumn): boolean => kind === 'rows' || (kind === 'count' && column?.blanks === false);

const fusedOf = ({ layout, columns }: Scan): Fused | undefined => {
  if (!layout.days || layout.blanks || layout.mask || columns.some(({ mask }) => mask)) return undefined;
  const sums = columns.filter(({ kind }) => kind === 'sum');
  const column = sums[0]?.column;
  if (sums.length !== 1 || !column || column.blanks || columns.filter(isRowCount).length + 1 !== columns.length) return undefined;
  const size = slotCount(layout);
  return {
    rowBase: rowBaseOf(layout),
    base: layout.base,
    days: layout.days,
    codes: layout.codes,
    column,
    sums: new Float64Array(size),
    counts: new Float64Array(size),
  };
};

const unpacked = ({ sums, counts }: Fused, { layout, columns }: Scan): Float64Array[] => {
  const cells = layout.segments * layout.members;
  return columns.map(({ kind }) => (kind === 'sum' ? sums : counts).subarray(0, cells));
};

/**
 * Count and sum can share one double, `count * unit + sum`, so that each row costs one read and one write instead of
 * two. A double holds integers exactly up to 2^53; so that neither part can run into the other, rows are taken in
 * stretches short enough for `stretch * largest < unit / 2` and `stretch * unit <= 2^53`, and the packed cells are
 * taken apart after each. Undefined where the values are too large, or the cells too many for that to be cheap.
 */
const packingOf = ({ column, sums }: Fused): { readonly stretch: number; readonly unit: number } | undefined => {
  const { largest, scale } = column;
  if (scale < 0 || largest === undefined) return undefined;
  const unitOf = (length: number): number => 2 ** (Math.ceil(Math.log2(length * (largest + 1))) + 1);
  let stretch = 1 << 18;
  while (stretch > 1024 && stretch * unitOf(stretch) > 2 ** 52) stretch /= 2;
  const unit = unitOf(stretch);
  return stretch * unit <= 2 ** 52 && stretch >= 4 * sums.length ? { stretch, unit } : undefined;
};

const takeApart = (packed: Float64Array, unit: number, { sums, counts }: Fused): void => {
  for (let k = 0; k < packed.length; k++) {
    const value = packed[k];
    if (value === 0) continue;
    const count = Math.round(value / unit);
    counts[k] += count;
    sums[k] += value - count * unit;
    packed[k] = 0;
  }
};

const fusedSingle = (fused: Fused): boolean => {
  const packing = packingOf(fused);
  if (!packing || !fused.codes) return false;
  const { stretch, unit } = packing;
  const packed = new Float64Array(fused.sums.length);
  for (let start = 0; start < fused.days.length; start += stretch) {
    packedSums(fused, fused.codes, start, Math.min(start + stretch, fused.days.length), unit, packed);
    takeApart(packed, unit, fused);
  }
  return true;
};

/** Four rows a turn: their slots are found while earlier additions are still under way. */
const packedSums = (
  { rowBase, base, days, column }: Fused,
  codes: Codes,
  from: number,
  to: number,
  unit: number,
  packed: Float64Array,
): void => {
  const { values } = column;
  let i = from;
  for (; i + 3 < to; i += 4) {
    const a = (rowBase[(days[i] - base) | 0] + codes[i]) | 0;
    const b = (rowBase[(days[i + 1] - base) | 0] + codes[i + 1]) | 0;
    const c = (rowBase[(days[i + 2] - base) | 0] + codes[i + 2]) | 0;
    const d = (rowBase[(days[i + 3] - base) | 0] + codes[i + 3]) | 0;
    packed[a] += values[i] + unit;
    packed[b] += values[i + 1] + unit;
    packed[c] += values[i + 2] + unit;
    packed[d] += values[i + 3] + unit;
  }
  for (; i < to; i++) packed[rowBase[days[i] - base] + codes[i]] += values[i] + unit;
};

/** The same for two dates of the same rows: member and value are read once for both. */
const fusedPair = (first: Fused, second: Fused): boolean => {
  const [a, b] = [packingOf(first), packingOf(second)];
  if (!a || !b || !first.codes) return false;
  const { stretch, unit } = a.stretch <= b.stretch ? a : b;
  const [packedFirst, packedSecond] = [new Float64Array(first.sums.length), new Float64Array(second.sums.length)];
  for (let start = 0; start < first.days.length; start += stretch) {
    packedPair(first, second, first.codes, start, Math.min(start + stretch, first.days.length), unit, packedFirst, packedSecond);
    takeApart(packedFirst, unit, first);
    takeApart(packedSecond, unit, second);
  }
  return true;
};

const packedPair = (
  first: Fused,
  second: Fused,
  codes: Codes,
  from: number,
  to: number,
  unit: number,
  packedFirst: Float64Array,
  packedSecond: Float64Array,
): void => {
  const { values } = first.column;
  const [days, base, rowBase] = [first.days, first.base, first.rowBase];
  const [otherDays, otherBase, otherRowBase] = [second.days, second.base, second.rowBase];
  let i = from;
  for (; i + 1 < to; i += 2) {
    const x = values[i] + unit;
    const y = values[i + 1] + unit;
    const m = codes[i];
    const n = codes[i + 1];
    const a = (rowBase[(days[i] - base) | 0] + m) | 0;
    const b = (rowBase[(days[i + 1] - base) | 0] + n) | 0;
    const c = (otherRowBase[(otherDays[i] - otherBase) | 0] + m) | 0;
    const d = (otherRowBase[(otherDays[i + 1] - otherBase) | 0] + n) | 0;
    packedFirst[a] += x;
    packedFirst[b] += y;
    packedSecond[c] += x;
    packedSecond[d] += y;
  }
  for (; i < to; i++) {
    packedFirst[rowBase[days[i] - base] + codes[i]] += values[i] + unit;
    packedSecond[otherRowBase[otherDays[i] - otherBase] + codes[i]] += values[i] + unit;
  }
};

const separateSums = ({ rowBase, base, days, codes, column, sums, counts }: Fused): void => {
  const { values } = column;
  for (let i = 0; i < days.length; i++) {
    const slot = rowBase[days[i] - base] + (codes ? codes[i] : 0);
    sums[slot] += values[i];
    counts[slot]++;
  }
};
