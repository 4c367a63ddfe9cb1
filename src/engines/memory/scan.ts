import { NO_DAY } from '../../calendar/day.ts';
import type { Codes, NumberColumn } from './columns.ts';
import { type Helper, type PlainSum, type Sums, sumPlain } from './sums.ts';

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
export const scanAll = async (scans: readonly Scan[], helper: Helper | undefined): Promise<Float64Array[][]> => {
  const plain = scans.map(plainSumOf);
  const results: (Float64Array[] | undefined)[] = scans.map(() => undefined);
  for (let a = 0; a < scans.length; a++) {
    const first = plain[a];
    if (results[a] || !first) continue;
    const b = plain.findIndex((other, k) => k > a && !results[k] && other?.values === first.values && other.codes === first.codes);
    const both = [a, ...(b < 0 ? [] : [b])];
    const sums = await sumPlain(
      both.map((k) => plain[k] as PlainSum),
      helper,
    );
    both.forEach((k, at) => {
      results[k] = inOrder(sums[at], scans[k]);
    });
  }
  return scans.map((scan, k) => results[k] ?? scanOne(scan));
};

/**
 * One pass over the rows into dense `segment x member` accumulators. Works in blocks that stay in the first-level
 * cache: first every row's slot, then each aggregate over the slots, so that any number of aggregates, masks and
 * members needs no loop of its own. Rows that do not count go to one spare slot at the end.
 */
const scanOne = ({ layout, columns }: Scan): Float64Array[] => {
  const { rows, days, base, segments, codes, members, mask } = layout;
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

const isRowCount = ({ kind, column }: ScanColumn): boolean => kind === 'rows' || (kind === 'count' && column?.blanks === false);

/** One sum over a column without blanks and the rows behind it, nothing filtered: the commonest scan. */
const plainSumOf = ({ layout, columns }: Scan): PlainSum | undefined => {
  if (!layout.days || layout.blanks || layout.mask || columns.some(({ mask }) => mask)) return undefined;
  const sums = columns.filter(({ kind }) => kind === 'sum');
  const column = sums[0]?.column;
  if (sums.length !== 1 || !column || column.blanks || columns.filter(isRowCount).length + 1 !== columns.length) return undefined;
  return {
    rowBase: rowBaseOf(layout),
    base: layout.base,
    days: layout.days,
    codes: layout.codes,
    values: column.values,
    largest: column.scale < 0 ? undefined : column.largest,
    slots: slotCount(layout),
  };
};

const inOrder = ({ sums, counts }: Sums, { layout, columns }: Scan): Float64Array[] => {
  const cells = layout.segments * layout.members;
  return columns.map(({ kind }) => (kind === 'sum' ? sums : counts).subarray(0, cells));
};
