// What all shapes do with their cells: what is shown for nothing (M2), and what is noted of inexact values (M10).
import { SURE_DIGITS } from '../../model/decimal.ts';
import type { PlannedMeasure } from '../../plan/planned.ts';

import { COVERED, EMPTY } from '../../windows/lay.ts';
import { BLANK, NOTHING, VALUE } from '../column.ts';
import type { Cells } from '../cubes.ts';
import type { Absent, Calculation, LeafData } from '../scope.ts';

const SHOWN = { zero: VALUE, nothing: NOTHING, blank: BLANK } as const;

/** What a cell shows when no row stands behind it, by the state of its window (M2, M5, A4). */
const nothingIn = ({ nothing }: PlannedMeasure, state: number): number => {
  if (state === COVERED) return SHOWN[nothing.covered];
  return state === EMPTY ? SHOWN[nothing.empty] : BLANK;
};

/** What is shown without any data, by the states of windows. */
export const absentIn = (measure: PlannedMeasure, states: Uint8Array): Absent => ({
  values: new Float64Array(states.length),
  state: states.map((state) => nothingIn(measure, state)),
});

/** Values with the states of their cells: where nothing was counted, what the measure shows for nothing. */
export const finish = (
  task: PlannedMeasure,
  tuples: LeafData['tuples'],
  raw: Float64Array,
  counted: ArrayLike<number>,
  seen: ArrayLike<number>,
  scale: number,
  { notes }: Calculation,
): LeafData => {
  const rows = task.lay.state.length;
  const width = tuples.length;
  const values = new Float64Array(rows * width);
  const state = new Uint8Array(rows * width);
  const mask = new Uint8Array(rows * width);
  const absent = absentIn(task, task.lay.state);
  const factor = 10 ** Math.max(scale, 0);
  let tooGreat = 0;
  for (let row = 0; row < rows; row++) {
    const kind = absent.state[row];
    for (let k = row * width; k < (row + 1) * width; k++) {
      mask[k] = seen[k] > 0 ? 1 : 0;
      if (counted[k] > 0 && Number.isFinite(raw[k])) values[k] = raw[k] / factor;
      else if (counted[k] > 0) {
        state[k] = BLANK;
        tooGreat++;
      } else state[k] = kind;
    }
  }
  if (tooGreat > 0) {
    const { name } = task.leaf.measure;
    notes.add(`overflow ${name}`, {
      code: 'overflow',
      measure: name,
      cells: tooGreat,
    });
  }
  return { tuples, values, state, seen: mask, absent, scale };
};

export const noteInexact = (cells: Cells, task: PlannedMeasure, { notes }: Calculation): void => {
  if (cells.scale >= 0) return;
  const { name } = task.leaf.measure;
  notes.add(`inexact ${name}`, {
    code: 'inexact',
    measure: name,
    why: 'sum',
  });
};

/** Whether a number has as many digits as two neighbours among the doubles have in common. */
const isUnsure = (value: number): boolean => Math.abs(value).toExponential().replace(/e.*$/, '').replace('.', '').length > SURE_DIGITS;

/** Extremes of values with more digits than a double is sure of, where such a one is shown. */
export const noteUnsure = (cells: Cells, data: LeafData, task: PlannedMeasure, { notes }: Calculation): void => {
  if (!cells.long || !data.values.some(isUnsure)) return;
  const { name } = task.leaf.measure;
  notes.add(`inexact ${name}`, {
    code: 'inexact',
    measure: name,
    why: 'digits',
    digits: SURE_DIGITS,
  });
};
