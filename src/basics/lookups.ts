/**
 * The two lookups behind every window: prefix sums for what can be subtracted, a sparse table for smallest and
 * greatest, a tree of partial sums where subtraction would lose digits (M10). All work on segment-major cells of
 * `width` members and answer a run of segments `i..j`, both inclusive, into `out` at `at`.
 */
export interface Lookup {
  readonly run: (i: number, j: number, out: Float64Array, at: number) => void;
}

/** `prefix[j + 1] - prefix[i]`: exact for scaled integers, whatever the length of the run. */
export const prefixSums = (cells: Float64Array, width: number): Lookup => {
  const prefix = new Float64Array(cells.length + width);
  for (let k = 0; k < cells.length; k++) prefix[k + width] = prefix[k] + cells[k];
  return {
    run: (i, j, out, at) => {
      const high = (j + 1) * width;
      const low = i * width;
      for (let m = 0; m < width; m++) out[at + m] = prefix[high + m] - prefix[low + m];
    },
  };
};

/** Adds up log(n) nodes of a binary tree instead of subtracting: nothing large cancels (M10, `inexact`). */
export const sumTree = (cells: Float64Array, width: number): Lookup => {
  const leaves = cells.length / Math.max(width, 1);
  const tree = new Float64Array(2 * cells.length);
  tree.set(cells, cells.length);
  for (let node = leaves - 1; node >= 1; node--) {
    for (let m = 0; m < width; m++) tree[node * width + m] = tree[2 * node * width + m] + tree[(2 * node + 1) * width + m];
  }
  return {
    run: (i, j, out, at) => {
      out.fill(0, at, at + width);
      const add = (node: number) => {
        for (let m = 0; m < width; m++) out[at + m] += tree[node * width + m];
      };
      for (let low = i + leaves, high = j + leaves + 1; low < high; low >>= 1, high >>= 1) {
        if (low & 1) add(low++);
        if (high & 1) add(--high);
      }
    },
  };
};

/** Sparse table: level k holds the extreme of 2^k segments; two overlapping entries answer any run. Blanks are NaN. */
export const extremes = (cells: Float64Array, width: number, which: 'min' | 'max'): Lookup => {
  const better =
    which === 'min' ? (a: number, b: number) => (a <= b || b !== b ? a : b) : (a: number, b: number) => (a >= b || b !== b ? a : b);
  const pick = (a: number, b: number) => (a !== a ? b : better(a, b));
  const count = cells.length / Math.max(width, 1);
  const levels = [cells];
  for (let span = 2; span <= count; span *= 2) {
    const below = levels[levels.length - 1];
    const level = new Float64Array((count - span + 1) * width);
    const half = (span / 2) * width;
    for (let k = 0; k < level.length; k++) level[k] = pick(below[k], below[k + half]);
    levels.push(level);
  }
  return {
    run: (i, j, out, at) => {
      const k = 31 - Math.clz32(j - i + 1);
      const level = levels[k];
      const second = j - 2 ** k + 1;
      for (let m = 0; m < width; m++) out[at + m] = pick(level[i * width + m], level[second * width + m]);
    },
  };
};
