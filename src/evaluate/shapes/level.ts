import type { Day } from '../../calendar/day.ts';
import type { Filter } from '../../plan/request.ts';
import type { Lay } from '../../windows/lay.ts';
import type { Evaluation, LeafData, LeafTask } from '../scope.ts';
import { additive, finish, noteInexact, rowsOf } from './measure-cells.ts';
import { noteReversed } from './reversed.ts';
import { lookupRuns, runsOf } from './segment-runs.ts';

/** A level between two roles: what has come in minus what has gone out by the last covered day (M5). */
export const level = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { fact, open } = leaf.measure;
  if (!open) throw new Error('not an open measure');
  const forward: Filter = { kind: 'order', from: open.from, until: open.until, is: 'forward' };
  const at = async (role: string, more: readonly Filter[], latest: Day) => {
    const segments = evaluation.read(fact, role);
    const rowSet = rowsOf(task, role, evaluation, more);
    const [rows, cells] = await Promise.all([
      evaluation.cubes.cells(rowSet, segments, { kind: 'rows', where }, evaluation.signal),
      evaluation.cubes.cells(rowSet, segments, additive(leaf, where), evaluation.signal),
    ]);
    const days: Lay = { ...lay, from: lay.to.map(() => segments.starts[0] ?? 0), to: lay.to.map((to) => Math.min(to, latest)) };
    const runs = runsOf(days, segments, undefined);
    const width = cells.tuples.length;
    return { cells, rows: lookupRuns(rows.sums(), runs, width), values: lookupRuns(cells.sums(), runs, width) };
  };
  const untilActual = fact.roles.get(open.until)?.horizon === 'actual';
  const [came, went] = await Promise.all([
    at(open.from, [forward], Number.POSITIVE_INFINITY),
    at(
      open.until,
      [forward, { kind: 'date', role: open.from, is: 'present' }],
      untilActual ? evaluation.frame.asOf : Number.POSITIVE_INFINITY,
    ),
  ]);
  noteInexact(came.cells, task, evaluation);
  await noteReversed(task, open, evaluation);
  // What went out came in before, so its members are among those that came in.
  const width = came.cells.tuples.length;
  const position = new Map(came.cells.tuples.map((tuple, m) => [JSON.stringify(tuple), m]));
  const gone = went.cells.tuples.map((tuple) => position.get(JSON.stringify(tuple)) ?? -1);
  const rows = came.rows.slice();
  const values = came.values.slice();
  for (let row = 0; row < lay.to.length; row++) {
    gone.forEach((m, k) => {
      if (m < 0) return;
      rows[row * width + m] -= went.rows[row * gone.length + k];
      values[row * width + m] -= went.values[row * gone.length + k];
    });
  }
  return finish(task, came.cells.tuples, values, rows, rows, came.cells.scale, evaluation);
};
