// What one pass over rows adds up, and where.
import { NO_DAY } from '../../calendar/day.ts';
import type { Codes } from './columns.ts';
import type { Lists } from './lists.ts';

/** Where every row of a scan goes: its day to a segment, its member by code. */
export interface Layout {
  readonly rows: number;
  /** Undefined: all rows lie in segment 0. */
  readonly days: Int32Array | undefined;
  /** First day of the segments. */
  readonly base: number;
  /**
   * `daily` where every day from `base` on is a segment of its own; else the first slot of each day's segment, which
   * is `segments * members` for days in none.
   */
  readonly slotOf: 'daily' | Int32Array;
  readonly segments: number;
  readonly codes: Codes | undefined;
  readonly members: number;
  /** 1 for rows that count; undefined when all do. */
  readonly mask: Uint8Array | undefined;
}

export interface ScanColumn {
  readonly kind: 'rows' | 'sum' | 'count' | 'min' | 'max';
  /** NaN where blank; undefined where only rows are counted. */
  readonly values: Float64Array | undefined;
  /** No value is blank: a sum's count of values is its count of rows. */
  readonly full: boolean;
  /** Sums are exact, in whatever order rows are added (M10). */
  readonly exact: boolean;
  readonly mask: Uint8Array | undefined;
}

/** One pass over rows into dense `segment x member` accumulators. */
export interface Scan {
  readonly layout: Layout;
  readonly columns: readonly ScanColumn[];
}

/** Cells of every column of every scan over a stretch of rows. */
export type ScanCells = readonly (readonly Float64Array[])[];

export const cellCount = ({ segments, members }: Layout): number => segments * members;
/** Behind the cells lie spare slots, one a member: a row outside all segments still adds its code. */
export const slotCount = (layout: Layout): number => cellCount(layout) + Math.max(layout.members, 1);

/** Puts the cells of another stretch of rows to one's own: sums and counts add up, of extremes the better one stays. */
export const merge = (scans: readonly Scan[], own: ScanCells, other: ScanCells): void => {
  const done = new Set<Float64Array>();
  scans.forEach(({ columns }, s) => {
    columns.forEach(({ kind }, c) => {
      const [mine, theirs] = [own[s][c], other[s][c]];
      // Columns may share their cells.
      if (done.has(mine)) return;
      done.add(mine);
      if (kind === 'min' || kind === 'max') for (let k = 0; k < mine.length; k++) mine[k] = better(kind, mine[k], theirs[k]);
      else for (let k = 0; k < mine.length; k++) mine[k] += theirs[k];
    });
  });
};

/** The lesser or greater of two; NaN, which is blank, gives way. */
const better = (kind: 'min' | 'max', a: number, b: number): number => {
  if (b !== b) return a;
  if (kind === 'min') return a <= b ? a : b;
  return a >= b ? a : b;
};

/**
 * A scan row by row. What program.ts does faster: this runs where WebAssembly is not to be had, and says in a few lines
 * what a scan is.
 */
export const scanPlainly = (scans: readonly Scan[]): ScanCells =>
  scans.map(({ layout, columns }) => {
    const { rows, days, base, slotOf, segments, members, codes, mask: rowMask } = layout;
    const spare = cellCount(layout);
    const firstSlot = (day: number): number => {
      const at = day - base;
      if (slotOf === 'daily') return at >= 0 && at < segments ? at * members : spare;
      return slotOf[at] ?? spare;
    };
    return columns.map(({ kind, values, mask }) => {
      const acc = new Float64Array(slotCount(layout)).fill(kind === 'min' || kind === 'max' ? Number.NaN : 0);
      for (let i = 0; i < rows; i++) {
        if ((rowMask && rowMask[i] === 0) || (mask && mask[i] === 0)) continue;
        if (days && days[i] === NO_DAY) continue;
        const value = values ? values[i] : 1;
        if (value !== value) continue;
        const slot = (days ? firstSlot(days[i]) : 0) + (codes ? codes[i] : 0);
        if (kind === 'min' || kind === 'max') acc[slot] = better(kind, acc[slot], value);
        else acc[slot] += kind === 'sum' ? value : 1;
      }
      return acc.subarray(0, spare);
    });
  });

/** A way of scanning, with the lists that it wants columns to be. */
export interface Scanning {
  /** What columns are made of. */
  readonly lists: Lists;
  readonly scan: (scans: readonly Scan[]) => Promise<ScanCells>;
  readonly close: () => void;
}
