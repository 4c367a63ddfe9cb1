import { monotoneRuns } from '../../basics/events.ts';
import type { Store } from '../../engines/engine.ts';
import type { Evaluation, LeafData, LeafTask } from '../scope.ts';
import { finish, rowsOf, rowValueOf } from './measure-cells.ts';
import { runsOf } from './segment-runs.ts';

/** Distinct counts and `last-known`, by events: one pass over the sightings for all rows of the axis. */
export const bySightings =
  (count: 'distinct' | 'latest') =>
  async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
    const { leaf, lay, where } = task;
    const { fact, aggregate } = leaf.measure;
    const rowSet = rowsOf(task, leaf.role.name, evaluation);
    const segments = evaluation.read(fact, leaf.role.name);
    const unseen = fact.grain !== 'day' && leaf.role.horizon === 'actual' ? evaluation.frame.asOf : undefined;
    const runs = runsOf(lay, segments, unseen);
    const covered = Array.from(runs.i.keys()).filter((row) => runs.i[row] <= runs.j[row]);
    const groups = monotoneRuns(runs.i, runs.j, covered);
    const windows = groups.map((rows) => ({
      from: Int32Array.from(rows, (row) => segments.starts[runs.i[row]]),
      to: Int32Array.from(rows, (row) => segments.ends[runs.j[row]]),
    }));
    const counted: Parameters<Store['events']>[0]['count'] =
      count === 'distinct' && aggregate.kind === 'count-distinct'
        ? { kind: 'distinct', column: aggregate.column }
        : { kind: 'latest', value: rowValueOf(leaf) };
    const events = await evaluation.store.events({ ...rowSet, segments, where, count: counted, windows }, evaluation.signal);
    const width = events.tuples.length;
    const raw = new Float64Array(lay.from.length * width);
    const seen = new Uint8Array(raw.length);
    groups.forEach((rows, g) => {
      rows.forEach((row, anchor) => {
        raw.set(events.values[g].subarray(anchor * width, (anchor + 1) * width), row * width);
        seen.set(events.seen[g].subarray(anchor * width, (anchor + 1) * width), row * width);
      });
    });
    return finish(task, events.tuples, raw, seen, seen, events.scale, evaluation);
  };
