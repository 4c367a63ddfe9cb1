// Values seen for the first time of all: each stands on its first day alone, so that days add up (M15).
import type { AskFrame, CubeAsk, PlannedMeasure } from '../../plan/planned.ts';
import type { AggregateRequest, Filter } from '../../plan/request.ts';
import { rowsOf } from '../../plan/rows.ts';
import { runsOf } from '../../plan/runs.ts';
import { unseenAfter } from '../../plan/spread.ts';
import type { Calculation, Kind, LeafData, LoadedMeasure } from '../scope.ts';
import { lookupRuns } from './lookups.ts';
import { finish } from './measure-cells.ts';

const asks: Kind['asks'] = (measure, frame: AskFrame) => {
  const { leaf, where, segments } = measure;
  const { aggregate } = leaf.measure;
  if (aggregate.kind !== 'first-time') throw new Error('not a count of first times');
  const counted = rowsOf(measure, leaf.role.name, frame);
  const ask = (of: AggregateRequest): CubeAsk => ({ rows: counted, segments, aggregate: of });
  // A filter of the measure's own on days decides which day is the first, and not which first days count.
  const own: readonly Filter[] = [...where, ...measure.whereDays];
  return {
    counted,
    cubes: { rows: ask({ kind: 'rows', where: own }), first: ask({ kind: 'first-time', column: aggregate.column, where: own }) },
  };
};

const cells = (measure: PlannedMeasure, { cubes }: LoadedMeasure, over: Calculation): LeafData => {
  const { lay, segments } = measure;
  const { rows, first } = cubes;
  const width = rows.tuples.length;
  const runs = runsOf(lay, segments, unseenAfter(measure, over.frame));
  const seen = lookupRuns(rows.sums(), runs, width);
  const counted = lookupRuns(first.sums(), runs, width);
  return finish(measure, rows.tuples, counted, counted, seen, 0, over);
};

export const firstTimeKind: Kind = { asks, cells };
