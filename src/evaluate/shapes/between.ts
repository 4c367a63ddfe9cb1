import type { Filter } from '../../plan/request.ts';
import type { Evaluation, LeafData, LeafTask } from '../scope.ts';
import { finish, rowsOf } from './measure-cells.ts';
import { noteReversed } from './reversed.ts';
import { lookupRuns, runsOf } from './segment-runs.ts';

/** Average of the days between two dates over the rows that have both in order (M6). */
export const between = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { fact, aggregate } = leaf.measure;
  if (aggregate.kind !== 'days-between') throw new Error('not days between');
  const { from, until } = aggregate;
  const both: Filter[] = [
    { kind: 'date', role: from, is: 'present' },
    { kind: 'date', role: until, is: 'present' },
  ];
  const { asOf } = evaluation.frame;
  // A date after the as-of date is not known yet (A2); asked only where one can be.
  const known: Filter[] = [from, until]
    .filter(
      (role) =>
        role !== leaf.role.name && fact.roles.get(role)?.horizon === 'actual' && (evaluation.frame.bounds(fact, role)?.last ?? asOf) > asOf,
    )
    .map((role) => ({ kind: 'by', role, day: asOf }));
  const rowSet = rowsOf(task, leaf.role.name, evaluation, [...both, { kind: 'order', from, until, is: 'forward' }, ...known]);
  const segments = evaluation.read(fact, leaf.role.name);
  const value = aggregate;
  const [rows, sums] = await Promise.all([
    evaluation.cubes.cells(rowSet, segments, { kind: 'rows', where }, evaluation.signal),
    evaluation.cubes.cells(rowSet, segments, { kind: 'sum', value, where }, evaluation.signal),
    noteReversed(task, aggregate, evaluation),
  ]);
  const runs = runsOf(lay, segments, undefined);
  const width = rows.tuples.length;
  const counted = lookupRuns(rows.sums(), runs, width);
  const total = lookupRuns(sums.sums(), runs, width);
  return finish(
    task,
    rows.tuples,
    total.map((sum, k) => sum / counted[k]),
    counted,
    counted,
    -1,
    evaluation,
  );
};
