// Shape of distinct counts and of levels known by their own last day: by events (M1, M4).
import { monotoneRuns } from '../../basics/events.ts';
import type { AskFrame, PlanFrame, PlannedMeasure } from '../../plan/planned.ts';
import type { Events, EventsRequest, Segments } from '../../plan/request.ts';
import { rowsOf, rowValueOf } from '../../plan/rows.ts';
import { runsOf } from '../../plan/runs.ts';
import { unseenAfter } from '../../plan/spread.ts';
import type { Calculation, Kind, LeafData, LoadedMeasure } from '../scope.ts';
import { finish } from './measure-cells.ts';

/** Rows of the view whose windows only move forward, group by group (W9), and what they touch. */
const groupsOf = (measure: Pick<PlannedMeasure, 'leaf' | 'lay'> & { readonly segments: Segments }, frame: PlanFrame) => {
  const runs = runsOf(measure.lay, measure.segments, unseenAfter(measure, frame));
  const covered = Array.from(runs.i.keys()).filter((row) => runs.i[row] <= runs.j[row]);
  return { runs, groups: monotoneRuns(runs.i, runs.j, covered) };
};

const asksOf =
  (count: 'distinct' | 'latest'): Kind['asks'] =>
  (measure, frame: AskFrame) => {
    const { leaf, where, segments } = measure;
    const { aggregate } = leaf.measure;
    const counted = rowsOf(measure, leaf.role.name, frame);
    const { runs, groups } = groupsOf(measure, frame);
    const windows = groups.map((rows) => ({
      from: Int32Array.from(rows, (row) => segments.starts[runs.i[row]]),
      to: Int32Array.from(rows, (row) => segments.ends[runs.j[row]]),
    }));
    const counts: EventsRequest['count'] =
      count === 'distinct' && aggregate.kind === 'count-distinct'
        ? { kind: 'distinct', column: aggregate.column }
        : { kind: 'latest', value: rowValueOf(leaf) };
    return { counted, cubes: {}, events: { ...counted, segments, where, count: counts, windows } };
  };

/** Distinct counts and `last-known`, by events: one pass over the sightings for all rows of the axis. */
const cells = (measure: PlannedMeasure, loaded: LoadedMeasure, over: Calculation): LeafData => {
  const { lay } = measure;
  const { groups } = groupsOf(measure, over.frame);
  const events = loaded.events as Events;
  const width = events.tuples.length;
  const raw = new Float64Array(lay.from.length * width);
  const seen = new Uint8Array(raw.length);
  groups.forEach((rows, g) => {
    rows.forEach((row, anchor) => {
      raw.set(events.values[g].subarray(anchor * width, (anchor + 1) * width), row * width);
      seen.set(events.seen[g].subarray(anchor * width, (anchor + 1) * width), row * width);
    });
  });
  return finish(measure, events.tuples, raw, seen, seen, events.scale, over);
};

export const sightingsKind = (count: 'distinct' | 'latest'): Kind => ({ asks: asksOf(count), cells });
