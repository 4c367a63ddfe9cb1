// Shape of durations: the average of the days between two roles (M6).
import type { AskFrame, PlannedMeasure } from '../../plan/planned.ts';

import { betweenFilters, rowsOf } from '../../plan/rows.ts';
import { runsOf } from '../../plan/runs.ts';
import type { Calculation, Kind, LeafData, LoadedMeasure } from '../scope.ts';
import { lookupRuns } from './lookups.ts';
import { finish } from './measure-cells.ts';
import { noteReversed, reversedAsk } from './reversed.ts';

const datesOf = ({ leaf }: Pick<PlannedMeasure, 'leaf'>) => {
  const { aggregate } = leaf.measure;
  if (aggregate.kind !== 'days-between') throw new Error('not days between');
  return aggregate;
};

const asks: Kind['asks'] = (measure, frame: AskFrame) => {
  const { leaf, where, segments } = measure;
  const value = datesOf(measure);
  const rows = rowsOf(measure, leaf.role.name, frame, betweenFilters(leaf, value, frame));
  return {
    counted: rows,
    cubes: {
      rows: { rows, segments, aggregate: { kind: 'rows', where } },
      days: { rows, segments, aggregate: { kind: 'sum', value, where } },
      reversed: reversedAsk(measure, value, frame),
    },
  };
};

/** Average of the days between two dates over the rows that have both in order (M6). */
const cells = (measure: PlannedMeasure, { cubes }: LoadedMeasure, over: Calculation): LeafData => {
  const { lay, segments } = measure;
  const { rows, days, reversed } = cubes;
  noteReversed(reversed, measure, datesOf(measure), over);
  const runs = runsOf(lay, segments, undefined);
  const width = rows.tuples.length;
  const counted = lookupRuns(rows.sums(), runs, width);
  const average = lookupRuns(days.sums(), runs, width).map((sum, k) => sum / counted[k]);
  return finish(measure, rows.tuples, average, counted, counted, -1, over);
};

export const betweenKind: Kind = { asks, cells };
