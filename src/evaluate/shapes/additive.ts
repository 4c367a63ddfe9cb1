import { isoOf } from '../../calendar/day.ts';
import type { AggregateRequest, RowValue, Segments } from '../../plan/request.ts';
import { BLANK } from '../column.ts';
import type { Cells } from '../cubes.ts';
import type { Evaluation, LeafData, LeafTask } from '../scope.ts';
import { additive, counting, finish, noteInexact, noteUnsure, rowsOf, rowValueOf } from './measure-cells.ts';
import type { AdditiveCells } from './members.ts';
import { lookupRuns, type Runs, runsOf, sharedSums } from './segment-runs.ts';

/** Sums, counts, averages and extremes: lookups on a day cube, with the share of cut periods of coarse facts (G4). */
export const additiveCells = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { measure } = leaf;
  const { fact } = measure;
  const { kind } = measure.aggregate;
  const own = evaluation.read(fact, leaf.role.name);
  const segments = task.fine ? own : (task.segments ?? own);
  const extreme = kind === 'min' || kind === 'max';
  const load = async (attributes: LeafTask['attributes']): Promise<AdditiveCells> => {
    const rowSet = { ...rowsOf(task, leaf.role.name, evaluation), attributes };
    const ask = (aggregate: AggregateRequest) => evaluation.cubes.cells(rowSet, segments, aggregate, evaluation.signal);
    const [rows, count, cells] = await Promise.all([
      ask({ kind: 'rows', where }),
      ask(counting(leaf, where)),
      ask(extreme ? { kind, value: rowValueOf(leaf) as RowValue, where } : additive(leaf, where)),
    ]);
    if (!extreme) noteInexact(cells, task, evaluation);
    return { rows, count, cells };
  };
  // Few models spread over members (G6); what does it is loaded when one is asked.
  const { fine } = task;
  const spread = fine && (await import('./seldom.ts'));
  const { rows, count, cells } = spread
    ? await spread.spreadAcross({ ...task, fine }, segments, load, evaluation)
    : await load(task.attributes);
  const width = cells.tuples.length;
  const unseen = fact.grain !== 'day' && leaf.role.horizon === 'actual' ? evaluation.frame.asOf : undefined;
  const runs = runsOf(lay, segments, unseen);
  const seen = lookupRuns(rows.sums(), runs, width);
  const counted = lookupRuns(count.sums(), runs, width);
  if (unseen !== undefined) noteUnfinished(task, segments, evaluation);
  if (extreme) {
    const data = finish(task, cells.tuples, lookupRuns(cells.extreme(kind), runs, width), counted, seen, cells.scale, evaluation);
    noteUnsure(cells, data, task, evaluation);
    return data;
  }
  if (kind === 'average') {
    const sums = lookupRuns(cells.sums(), runs, width);
    const factor = 10 ** Math.max(cells.scale, 0);
    return finish(
      task,
      cells.tuples,
      sums.map((sum, k) => sum / factor / counted[k]),
      counted,
      seen,
      -1,
      evaluation,
    );
  }
  const cut = runs.i.some((_, row) => runs.i[row] <= runs.j[row] && (runs.left[row] === 1 || runs.right[row] === 1));
  if (!cut) return finish(task, cells.tuples, lookupRuns(cells.sums(), runs, width), counted, seen, cells.scale, evaluation);
  if (measure.spread === 'none') return withoutSpread(task, cells, runs, counted, seen, evaluation);
  const { shareOf } = await import('./seldom.ts');
  const share = await shareOf(leaf, segments, evaluation);
  const sums = sharedSums(cells.sums(), cells.cells, runs, lay, segments, width, share);
  const data = finish(task, cells.tuples, sums, counted, seen, Math.max(cells.scale, 0), evaluation);
  return { ...data, scale: -1 };
};

/** A period that a window cuts says nothing about its part: blank, and noted (G4). */
const withoutSpread = (
  task: LeafTask,
  cells: Cells,
  runs: Runs,
  counted: Float64Array,
  seen: Float64Array,
  evaluation: Evaluation,
): LeafData => {
  const { measure } = task.leaf;
  const { notes } = evaluation;
  const data = finish(task, cells.tuples, lookupRuns(cells.sums(), runs, cells.tuples.length), counted, seen, cells.scale, evaluation);
  const width = cells.tuples.length;
  let rows = 0;
  for (let row = 0; row < runs.i.length; row++) {
    if (runs.i[row] > runs.j[row] || (runs.left[row] === 0 && runs.right[row] === 0)) continue;
    rows++;
    data.values.fill(0, row * width, (row + 1) * width);
    data.state.fill(BLANK, row * width, (row + 1) * width);
    data.absent.state[row] = BLANK;
  }
  const grain = measure.fact.grain;
  notes.add(`coarse-grain ${measure.name}`, {
    code: 'coarse-grain',
    measure: measure.name,
    grain,
    rows,
    message: `${measure.name} is kept by ${grain} and not spread: blank where a window cuts a ${grain} (${rows} ${rows === 1 ? 'row' : 'rows'})`,
  });
  return data;
};

const noteUnfinished = (task: LeafTask, segments: Segments, { frame, notes }: Evaluation): void => {
  const { starts, ends } = segments;
  const at = ends.findIndex((end, k) => end > frame.asOf && starts[k] <= frame.asOf);
  if (at < 0) return;
  const { fact } = task.leaf.measure;
  notes.add(`unfinished ${fact.name}`, {
    code: 'unfinished-period',
    fact: fact.name,
    start: isoOf(starts[at]),
    end: isoOf(ends[at]),
    message: `${fact.name} is kept by ${fact.grain}; the ${fact.grain} from ${isoOf(starts[at])} to ${isoOf(ends[at])} is not over on ${isoOf(frame.asOf)} and not seen`,
  });
};
