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

const BLOCK = 8192;

/**
 * One pass over the rows into dense `segment x member` accumulators. Works in blocks that stay in the first-level
 * cache: first every row's slot, then each aggregate over the slots, so that any number of aggregates, masks and
 * members needs no loop of its own. Rows that do not count go to one spare slot at the end.
 */
export const scan = (layout: Layout, columns: readonly ScanColumn[]): Float64Array[] => {
  const { rows, days, base, segmentOf, segments, codes, members, mask } = layout;
  const cells = segments * members;
  const out = columns.map(({ kind }) => {
    // The spare slots behind the cells are `members` wide: a row outside all segments still adds its code.
    const list = new Float64Array(cells + Math.max(members, 1));
    return kind === 'min' || kind === 'max' ? list.fill(Number.NaN) : list;
  });
  // The first cell of each day's segment, so that a row's slot is one addition.
  const rowBase = segmentOf.map((segment) => (segment < 0 ? cells : segment * members));
  const spare = cells;
  const plain = plainSums(layout, columns);
  if (plain) {
    fusedSum(rowBase, base, days as Int32Array, codes, plain.values, out[plain.sum], out[plain.rows]);
    for (const k of plain.copies) out[k].set(out[plain.rows]);
    return out.map((list) => list.subarray(0, cells));
  }
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

/** The commonest scan: one sum over a column without blanks and the rows behind it, nothing filtered. */
const plainSums = (
  layout: Layout,
  columns: readonly ScanColumn[],
): { sum: number; rows: number; copies: number[]; values: Float64Array } | undefined => {
  if (!layout.days || layout.blanks || layout.mask || columns.some(({ mask }) => mask)) return undefined;
  const sums = columns.flatMap(({ kind }, k) => (kind === 'sum' ? [k] : []));
  const counts = columns.flatMap(({ kind, column }, k) => (kind === 'rows' || (kind === 'count' && column?.blanks === false) ? [k] : []));
  if (sums.length !== 1 || counts.length === 0 || sums.length + counts.length !== columns.length) return undefined;
  const column = columns[sums[0]].column;
  if (!column || column.blanks) return undefined;
  return { sum: sums[0], rows: counts[0], copies: counts.slice(1), values: column.values };
};

/** The same work as the blocks above in a single loop: this is what most questions spend their time in. */
const fusedSum = (
  rowBase: Int32Array,
  base: number,
  days: Int32Array,
  codes: Codes | undefined,
  values: Float64Array,
  sums: Float64Array,
  counts: Float64Array,
): void => {
  const rows = days.length;
  if (codes) {
    for (let i = 0; i < rows; i++) {
      const slot = rowBase[days[i] - base] + codes[i];
      sums[slot] += values[i];
      counts[slot]++;
    }
  } else {
    for (let i = 0; i < rows; i++) {
      const slot = rowBase[days[i] - base];
      sums[slot] += values[i];
      counts[slot]++;
    }
  }
};
