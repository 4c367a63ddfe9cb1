// Shape of levels: what is open between two roles on the last covered day (M5).
import { tupleIndex } from '../../basics/tuples.ts';
import type { Day } from '../../calendar/day.ts';
import type { AskFrame, CubeAsk, PlannedMeasure } from '../../plan/planned.ts';

import type { Filter } from '../../plan/request.ts';
import { additive, rowsOf } from '../../plan/rows.ts';
import { runsOf } from '../../plan/runs.ts';
import type { Lay } from '../../windows/lay.ts';
import type { Cells } from '../cubes.ts';
import type { Calculation, Kind, LeafData, LoadedMeasure } from '../scope.ts';
import { lookupRuns } from './lookups.ts';
import { finish, noteInexact } from './measure-cells.ts';
import { noteReversed, reversedAsk } from './reversed.ts';

const openOf = ({ leaf }: Pick<PlannedMeasure, 'leaf'>) => {
  const { open } = leaf.measure;
  if (!open) throw new Error('not an open measure');
  return open;
};

const asks: Kind['asks'] = (measure, frame: AskFrame) => {
  const { leaf, where } = measure;
  const { fact } = leaf.measure;
  const { from, until } = openOf(measure);
  const forward: Filter = { kind: 'order', from, until, is: 'forward', why: 'dates' };
  const at = (role: string, more: readonly Filter[]): readonly [rows: CubeAsk, value: CubeAsk] => {
    const rows = rowsOf(measure, role, frame, more);
    const segments = frame.read(fact, role);
    return [
      { rows, segments, aggregate: { kind: 'rows', where } },
      { rows, segments, aggregate: additive(leaf, where) },
    ];
  };
  const [came, cameValue] = at(from, [forward]);
  const [went, wentValue] = at(until, [forward, { kind: 'date', role: from, is: 'present', why: 'dates' }]);
  return { counted: came.rows, cubes: { came, cameValue, went, wentValue, reversed: reversedAsk(measure, { from, until }, frame) } };
};

/** Rows and values up to the last day of each window. */
const upTo = (rows: Cells, values: Cells, lay: Lay, latest: Day) => {
  const { segments } = values;
  const days: Lay = { ...lay, from: lay.to.map(() => segments.starts[0] ?? 0), to: lay.to.map((to) => Math.min(to, latest)) };
  const runs = runsOf(days, segments, undefined);
  const width = values.tuples.length;
  return { tuples: values.tuples, rows: lookupRuns(rows.sums(), runs, width), values: lookupRuns(values.sums(), runs, width) };
};

/** A level between two roles: what has come in minus what has gone out by the last covered day (M5). */
const cells = (measure: PlannedMeasure, { cubes }: LoadedMeasure, over: Calculation): LeafData => {
  const { lay, leaf } = measure;
  const open = openOf(measure);
  const isUntilActual = leaf.measure.fact.roles.get(open.until)?.horizon === 'actual';
  const came = upTo(cubes.came, cubes.cameValue, lay, Number.POSITIVE_INFINITY);
  const went = upTo(cubes.went, cubes.wentValue, lay, isUntilActual ? over.frame.asOf : Number.POSITIVE_INFINITY);
  noteInexact(cubes.cameValue, measure, over);
  noteReversed(cubes.reversed, measure, open, over);
  // What went out came in before, so its members are among those that came in.
  const width = came.tuples.length;
  const gone = went.tuples.map(tupleIndex(came.tuples));
  const rows = came.rows.slice();
  const values = came.values.slice();
  for (let row = 0; row < lay.to.length; row++) {
    gone.forEach((m, k) => {
      if (m < 0) return;
      rows[row * width + m] -= went.rows[row * gone.length + k];
      values[row * width + m] -= went.values[row * gone.length + k];
    });
  }
  return finish(measure, came.tuples, values, rows, rows, cubes.cameValue.scale, over);
};

export const levelKind: Kind = { asks, cells, upToLast: true };
