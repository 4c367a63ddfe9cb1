import { ALL_TIME } from '../../plan/request.ts';
import type { Evaluation, LeafTask } from '../scope.ts';
import { rowsOf } from './measure-cells.ts';

/** Rows that end before they begin are left out, and noted (M5, M6). */
export const noteReversed = async (
  task: LeafTask,
  { from, until }: { from: string; until: string },
  evaluation: Evaluation,
): Promise<void> => {
  const { name } = task.leaf.measure;
  const rowSet = rowsOf(task, from, evaluation, [{ kind: 'order', from, until, is: 'reversed' }]);
  const cells = await evaluation.cubes.cells(
    { ...rowSet, role: undefined, attributes: [] },
    ALL_TIME,
    { kind: 'rows', where: task.where },
    evaluation.signal,
  );
  const count = cells.cells.reduce((sum, rows) => sum + rows, 0);
  if (count > 0) {
    evaluation.notes.add(`reversed ${name}`, {
      code: 'reversed-dates',
      measure: name,
      rows: count,
      message: `${name}: ${count} ${count === 1 ? 'row has' : 'rows have'} ${until} before ${from} and ${count === 1 ? 'is' : 'are'} left out`,
    });
  }
};
