// Shape of semi-additive measures: last, first, average, least and greatest over days (M4).
import { extremes } from '../../basics/lookups.ts';
import type { AskFrame, CubeAsk, PlannedMeasure } from '../../plan/planned.ts';

import type { AggregateRequest, RowSet } from '../../plan/request.ts';
import { additive, rowsOf } from '../../plan/rows.ts';
import { type Runs, runsOf } from '../../plan/runs.ts';
import { unseenAfter } from '../../plan/spread.ts';
import type { Cells } from '../cubes.ts';
import type { Calculation, Kind, LeafData, LoadedMeasure } from '../scope.ts';
import { lookupRuns } from './lookups.ts';
import { finish, noteInexact } from './measure-cells.ts';

const asks: Kind['asks'] = (measure, frame: AskFrame) => {
  const { leaf, where, segments } = measure;
  const counted = rowsOf(measure, leaf.role.name, frame);
  const ask = (rows: RowSet, aggregate: AggregateRequest): CubeAsk => ({ rows, segments, aggregate });
  // The days on which the fact has any row at all: before the question's filters and splits.
  const any = { ...rowsOf({ ...measure, filters: [] }, leaf.role.name, frame), attributes: [] };
  return {
    counted,
    cubes: {
      any: ask(any, { kind: 'rows', where: [] }),
      rows: ask(counted, { kind: 'rows', where }),
      value: ask(counted, additive(leaf, where)),
    },
  };
};

/** Levels that add up over members but not over time (M4). */
const cells = (measure: PlannedMeasure, { cubes }: LoadedMeasure, over: Calculation): LeafData => {
  const { leaf, lay, segments } = measure;
  const { any, rows, value } = cubes;
  const width = value.tuples.length;
  const runs = runsOf(lay, segments, unseenAfter(measure, over.frame));
  const seen = lookupRuns(rows.sums(), runs, width);
  noteInexact(value, measure, over);
  const has = Array.from(segments.starts, (_, s) => any.tuples.length > 0 && any.cells[s] > 0);
  const way = leaf.measure.acrossTime;
  if (way === 'last' || way === 'first') {
    const { raw, picked } = pickedDays(way, value, runs, has, seen);
    return finish(measure, value.tuples, raw, picked, seen, value.scale, over);
  }
  if (way === 'average') return finish(measure, value.tuples, averages(value, runs, has), seen, seen, -1, over);
  const daily = value.cells.map((cell, k) => (has[Math.floor(k / width)] ? cell : Number.NaN));
  const best = lookupRuns(extremes(daily, width, way === 'min' ? 'min' : 'max'), runs, width);
  return finish(measure, value.tuples, best, seen, seen, value.scale, over);
};

export const overTimeKind: Kind = { asks, cells };

/** The value on the last, or first, day of each window that has rows. */
const pickedDays = (way: 'first' | 'last', value: Cells, { i: first, j: last }: Runs, has: readonly boolean[], seen: Float64Array) => {
  const width = value.tuples.length;
  const raw = new Float64Array(seen.length);
  const picked = new Uint8Array(seen.length);
  for (let row = 0; row < first.length; row++) {
    const [i, j] = [first[row], last[row]];
    let s = way === 'last' ? j : i;
    while (s >= i && s <= j && !has[s]) s += way === 'last' ? -1 : 1;
    if (i > j || s < i || s > j) continue;
    for (let m = 0; m < width; m++) {
      raw[row * width + m] = value.cells[s * width + m];
      // On the day picked a member counts 0 if it has rows elsewhere in the window.
      picked[row * width + m] = seen[row * width + m] > 0 ? 1 : 0;
    }
  }
  return { raw, picked };
};

/** The average over the days of each window that have rows. */
const averages = (value: Cells, runs: Runs, has: readonly boolean[]): Float64Array => {
  const width = value.tuples.length;
  const days = new Float64Array(has.length + 1);
  has.forEach((present, s) => {
    days[s + 1] = days[s] + (present ? 1 : 0);
  });
  const factor = 10 ** Math.max(value.scale, 0);
  return lookupRuns(value.sums(), runs, width).map((sum, k) => {
    const row = Math.floor(k / width);
    return sum / factor / (days[runs.j[row] + 1] - days[runs.i[row]]);
  });
};
