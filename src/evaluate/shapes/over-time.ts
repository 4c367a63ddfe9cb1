import { extremes } from '../../basics/lookups.ts';
import type { AggregateRequest, RowSet } from '../../plan/request.ts';
import type { Evaluation, LeafData, LeafTask } from '../scope.ts';
import { additive, finish, noteInexact, rowsOf } from './measure-cells.ts';
import { lookupRuns, runsOf } from './segment-runs.ts';

/** Levels that add up over members but not over time (M4). */
export const overTime = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { measure } = leaf;
  const { fact } = measure;
  const way = measure.acrossTime;
  const rowSet = rowsOf(task, leaf.role.name, evaluation);
  const segments = evaluation.read(fact, leaf.role.name);
  const ask = (rows: RowSet, aggregate: AggregateRequest) => evaluation.cubes.cells(rows, segments, aggregate, evaluation.signal);
  const [any, rows, cells] = await Promise.all([
    // The days on which the fact has any row at all: before the question's filters and splits.
    ask({ ...rowsOf({ ...task, filters: [] }, leaf.role.name, evaluation), attributes: [] }, { kind: 'rows', where: [] }),
    ask(rowSet, { kind: 'rows', where }),
    ask(rowSet, additive(leaf, where)),
  ]);
  const width = cells.tuples.length;
  const unseen = fact.grain !== 'day' && leaf.role.horizon === 'actual' ? evaluation.frame.asOf : undefined;
  const runs = runsOf(lay, segments, unseen);
  const seen = lookupRuns(rows.sums(), runs, width);
  noteInexact(cells, task, evaluation);
  const has = Array.from(segments.starts, (_, s) => any.tuples.length > 0 && any.cells[s] > 0);
  if (way === 'last' || way === 'first') {
    const raw = new Float64Array(seen.length);
    const picked = new Uint8Array(seen.length);
    for (let row = 0; row < lay.from.length; row++) {
      const [i, j] = [runs.i[row], runs.j[row]];
      let s = way === 'last' ? j : i;
      while (s >= i && s <= j && !has[s]) s += way === 'last' ? -1 : 1;
      if (i > j || s < i || s > j) continue;
      for (let m = 0; m < width; m++) {
        raw[row * width + m] = cells.cells[s * width + m];
        // On the day picked a member counts 0 if it has rows elsewhere in the window.
        picked[row * width + m] = seen[row * width + m] > 0 ? 1 : 0;
      }
    }
    return finish(task, cells.tuples, raw, picked, seen, cells.scale, evaluation);
  }
  if (way === 'average') {
    const days = new Float64Array(has.length + 1);
    has.forEach((present, s) => {
      days[s + 1] = days[s] + (present ? 1 : 0);
    });
    const sums = lookupRuns(cells.sums(), runs, width);
    const factor = 10 ** Math.max(cells.scale, 0);
    const raw = sums.map((sum, k) => {
      const row = Math.floor(k / width);
      return sum / factor / (days[runs.j[row] + 1] - days[runs.i[row]]);
    });
    return finish(task, cells.tuples, raw, seen, seen, -1, evaluation);
  }
  const daily = cells.cells.map((value, k) => (has[Math.floor(k / width)] ? value : Number.NaN));
  return finish(
    task,
    cells.tuples,
    lookupRuns(extremes(daily, width, way === 'min' ? 'min' : 'max'), runs, width),
    seen,
    seen,
    cells.scale,
    evaluation,
  );
};
