import type { Codes } from './columns.ts';

/** One sum and the rows behind it, over rows of which none is blank or left out. Plain data: it can go to a thread. */
export interface PlainSum {
  /** The first cell of each day's segment. */
  readonly rowBase: Int32Array;
  readonly base: number;
  readonly days: Int32Array;
  readonly codes: Codes | undefined;
  readonly values: Float64Array;
  /** The greatest absolute value where the values are exact integers. */
  readonly largest: number | undefined;
  readonly slots: number;
}

export interface Sums {
  readonly sums: Float64Array;
  readonly counts: Float64Array;
}

/** A second thread that sums a stretch of rows (see threads.ts). */
export interface Helper {
  readonly sum: (plain: readonly PlainSum[], from: number, to: number) => Promise<readonly Sums[]>;
}

/** Fewer rows than this are not worth a thread. */
export const MANY_ROWS = 1 << 20;

const emptySums = ({ slots }: PlainSum): Sums => ({ sums: new Float64Array(slots), counts: new Float64Array(slots) });

/** Sums one role, or two roles of the same rows in one pass; with a helper each of two threads takes half of the rows. */
export const sumPlain = async (plain: readonly PlainSum[], helper: Helper | undefined): Promise<readonly Sums[]> => {
  const rows = plain[0].days.length;
  if (!helper || rows < MANY_ROWS) return sumStretch(plain, 0, rows);
  const half = rows >> 1;
  const theirs = helper.sum(plain, half, rows);
  const own = sumStretch(plain, 0, half);
  (await theirs).forEach(({ sums, counts }, k) => {
    for (let slot = 0; slot < sums.length; slot++) {
      own[k].sums[slot] += sums[slot];
      own[k].counts[slot] += counts[slot];
    }
  });
  return own;
};

/** Sums rows `from` to `to`, the last one excluded. */
export const sumStretch = (plain: readonly PlainSum[], from: number, to: number): Sums[] => {
  const out = plain.map(emptySums);
  const packing = packingOf(plain);
  if (!packing) {
    for (let k = 0; k < plain.length; k++) separate(plain[k], from, to, out[k]);
    return out;
  }
  const { stretch, unit } = packing;
  const packed = plain.map(({ slots }) => new Float64Array(slots));
  for (let start = from; start < to; start += stretch) {
    const stop = Math.min(start + stretch, to);
    if (plain.length === 2) packTwo(plain[0], plain[1], start, stop, unit, packed[0], packed[1]);
    else packOne(plain[0], start, stop, unit, packed[0]);
    for (let k = 0; k < out.length; k++) takeApart(packed[k], unit, out[k]);
  }
  return out;
};

/**
 * Count and sum can share one double, `count * unit + sum`, so that each row costs one read and one write instead of
 * two. A double holds integers exactly up to 2^53; so that neither part can run into the other, rows are taken in
 * stretches short enough for `stretch * largest < unit / 2` and `stretch * unit <= 2^52`, and the packed cells are
 * taken apart after each. Undefined where the values are too large, or the cells too many for that to be cheap.
 */
const packingOf = (plain: readonly PlainSum[]): { readonly stretch: number; readonly unit: number } | undefined => {
  const { largest, codes } = plain[0];
  if (largest === undefined || !codes) return undefined;
  const unitOf = (length: number): number => 2 ** (Math.ceil(Math.log2(length * (largest + 1))) + 1);
  let stretch = 1 << 18;
  while (stretch > 1024 && stretch * unitOf(stretch) > 2 ** 52) stretch /= 2;
  const unit = unitOf(stretch);
  const slots = Math.max(...plain.map((one) => one.slots));
  return stretch * unit <= 2 ** 52 && stretch >= 4 * slots ? { stretch, unit } : undefined;
};

const takeApart = (packed: Float64Array, unit: number, { sums, counts }: Sums): void => {
  for (let k = 0; k < packed.length; k++) {
    const value = packed[k];
    if (value === 0) continue;
    const count = Math.round(value / unit);
    counts[k] += count;
    sums[k] += value - count * unit;
    packed[k] = 0;
  }
};

/** Four rows a turn: their slots are found while earlier additions are still under way. */
const packOne = ({ rowBase, base, days, codes, values }: PlainSum, from: number, to: number, unit: number, packed: Float64Array): void => {
  const members = codes as Codes;
  let i = from;
  for (; i + 3 < to; i += 4) {
    const a = (rowBase[(days[i] - base) | 0] + members[i]) | 0;
    const b = (rowBase[(days[i + 1] - base) | 0] + members[i + 1]) | 0;
    const c = (rowBase[(days[i + 2] - base) | 0] + members[i + 2]) | 0;
    const d = (rowBase[(days[i + 3] - base) | 0] + members[i + 3]) | 0;
    packed[a] += values[i] + unit;
    packed[b] += values[i + 1] + unit;
    packed[c] += values[i + 2] + unit;
    packed[d] += values[i + 3] + unit;
  }
  for (; i < to; i++) packed[rowBase[days[i] - base] + members[i]] += values[i] + unit;
};

/** The same for two dates of the same rows: member and value are read once for both. */
const packTwo = (
  first: PlainSum,
  second: PlainSum,
  from: number,
  to: number,
  unit: number,
  packedFirst: Float64Array,
  packedSecond: Float64Array,
): void => {
  const { values, days, base, rowBase } = first;
  const members = first.codes as Codes;
  const [otherDays, otherBase, otherRowBase] = [second.days, second.base, second.rowBase];
  let i = from;
  for (; i + 1 < to; i += 2) {
    const x = values[i] + unit;
    const y = values[i + 1] + unit;
    const m = members[i];
    const n = members[i + 1];
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
    packedFirst[rowBase[days[i] - base] + members[i]] += values[i] + unit;
    packedSecond[otherRowBase[otherDays[i] - otherBase] + members[i]] += values[i] + unit;
  }
};

const separate = ({ rowBase, base, days, codes, values }: PlainSum, from: number, to: number, { sums, counts }: Sums): void => {
  for (let i = from; i < to; i++) {
    const slot = rowBase[days[i] - base] + (codes ? codes[i] : 0);
    sums[slot] += values[i];
    counts[slot]++;
  }
};
