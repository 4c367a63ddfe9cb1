import type { AskFrame, PlannedMeasure } from '../../plan/planned.ts';

import type { Filter } from '../../plan/request.ts';
import { rowsOf } from '../../plan/rows.ts';
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
  const { fact } = leaf.measure;
  const value = datesOf(measure);
  const { from, until } = value;
  const both: Filter[] = [from, until].map((role) => ({ kind: 'date', role, is: 'present', why: 'dates' }));
  const { asOf } = frame;
  // A date after the as-of date is not known yet (A2); asked only where one can be.
  const known: Filter[] = [from, until]
    .filter(
      (role) => role !== leaf.role.name && fact.roles.get(role)?.horizon === 'actual' && (frame.bounds(fact, role)?.last ?? asOf) > asOf,
    )
    .map((role) => ({ kind: 'by', role, day: asOf, why: 'known' }));
  const rows = rowsOf(measure, leaf.role.name, frame, [...both, { kind: 'order', from, until, is: 'forward', why: 'dates' }, ...known]);
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
