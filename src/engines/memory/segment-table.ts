// Which segment a day lies in.
import type { Segments } from '../../plan/request.ts';

/** Table from day to segment over the days of a role; -1 for days in no segment. */
export const segmentTable = ({ starts, ends }: Segments, first: number, last: number): Int32Array => {
  const table = new Int32Array(Math.max(last - first + 1, 0)).fill(-1);
  for (let s = 0; s < starts.length; s++) {
    const [from, to] = [Math.max(starts[s], first), Math.min(ends[s], last)];
    if (from <= to) table.fill(s, from - first, to - first + 1);
  }
  return table;
};
