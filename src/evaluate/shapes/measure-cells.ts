import type { AttributeRef } from '../../model/attributes.ts';
import { SURE_DIGITS } from '../../model/decimal.ts';
import type { Fact } from '../../model/model.ts';
import type { Leaf } from '../../plan/bind.ts';
import type { AggregateRequest, Filter, RowSet, RowValue } from '../../plan/request.ts';
import { COVERED, EMPTY } from '../../windows/lay.ts';
import { BLANK, NOTHING, VALUE } from '../column.ts';
import type { Cells } from '../cubes.ts';
import type { Evaluation, LeafData, LeafTask } from '../scope.ts';

const SHOWN = { zero: VALUE, nothing: NOTHING, blank: BLANK } as const;

/** What a cell shows when no row stands behind it, by the state of its window (M2, M5, A4). */
const nothingIn = ({ nothing }: LeafTask, state: number): number => {
  if (state === COVERED) return SHOWN[nothing.covered];
  return state === EMPTY ? SHOWN[nothing.empty] : BLANK;
};

/** Values with the states of their cells: where nothing was counted, what the measure shows for nothing. */
export const finish = (
  task: LeafTask,
  tuples: LeafData['tuples'],
  raw: Float64Array,
  counted: ArrayLike<number>,
  seen: ArrayLike<number>,
  scale: number,
  { notes }: Evaluation,
): LeafData => {
  const rows = task.lay.state.length;
  const width = tuples.length;
  const values = new Float64Array(rows * width);
  const state = new Uint8Array(rows * width);
  const mask = new Uint8Array(rows * width);
  const absent = { values: new Float64Array(rows), state: new Uint8Array(rows) };
  const factor = 10 ** Math.max(scale, 0);
  let tooGreat = 0;
  for (let row = 0; row < rows; row++) {
    const kind = nothingIn(task, task.lay.state[row]);
    absent.state[row] = kind;
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
      message: `${name}: ${tooGreat} ${tooGreat === 1 ? 'value is' : 'values are'} greater than a number can hold, and blank`,
    });
  }
  return { tuples, values, state, seen: mask, absent, scale };
};

/** Rows of a fact as an evaluation asks for them. */
export const rowSetOf = (
  fact: Fact,
  role: string | undefined,
  attributes: readonly AttributeRef[],
  filters: readonly Filter[],
  { frame, knownBy, memberCount, rows }: Evaluation,
): RowSet => ({
  fact,
  role,
  attributes,
  filters,
  knownBy,
  workingDays: (after, until) => frame.calendar.workingDays(after + 1, until),
  memberBound: memberCount(attributes),
  ...(rows === 'all' ? { hidden: 'counted' } : {}),
});

/** The rows of a fact that a question may see in a role, versions and `enters` included (A2, G7). */
export const rowsOf = (task: LeafTask, role: string | undefined, evaluation: Evaluation, more: readonly Filter[] = []): RowSet => {
  const { fact } = task.leaf.measure;
  const entered: Filter[] =
    fact.enters !== undefined && role !== fact.enters && (role === undefined || evaluation.entersLate(fact, role))
      ? [{ kind: 'entered', role: fact.enters, by: evaluation.frame.asOf }]
      : [];
  return rowSetOf(fact, role, task.attributes, [...task.filters, ...entered, ...more], evaluation);
};

export const rowValueOf = (leaf: Leaf): RowValue | undefined => {
  const { aggregate } = leaf.measure;
  if (aggregate.kind === 'days-between') return aggregate;
  return aggregate.column === undefined ? undefined : { kind: 'column', column: aggregate.column };
};

/** Sum or count of the measure's value: what adds up over days and members. */
export const additive = (leaf: Leaf, where: readonly Filter[]): AggregateRequest => {
  const value = rowValueOf(leaf);
  const { kind } = leaf.measure.aggregate;
  return value === undefined ? { kind: 'rows', where } : { kind: kind === 'count' ? 'count' : 'sum', value, where };
};

/** How many rows had something to aggregate; decides between a value and a blank (M2). */
export const counting = (leaf: Leaf, where: readonly Filter[]): AggregateRequest => {
  const value = rowValueOf(leaf);
  return value === undefined ? { kind: 'rows', where } : { kind: 'count', value, where };
};

export const noteInexact = (cells: Cells, task: LeafTask, { notes }: Evaluation): void => {
  if (cells.scale >= 0) return;
  const { name } = task.leaf.measure;
  notes.add(`inexact ${name}`, {
    code: 'inexact',
    measure: name,
    message: `${name} is summed in double precision: its column has more than 6 decimals or too large amounts`,
  });
};

/** Whether a number has as many digits as two neighbours among the doubles have in common. */
const isUnsure = (value: number): boolean => Math.abs(value).toExponential().replace(/e.*$/, '').replace('.', '').length > SURE_DIGITS;

/** Extremes of values with more digits than a double is sure of, where such a one is shown. */
export const noteUnsure = (cells: Cells, data: LeafData, task: LeafTask, { notes }: Evaluation): void => {
  if (!cells.long || !data.values.some(isUnsure)) return;
  const { name } = task.leaf.measure;
  notes.add(`inexact ${name}`, {
    code: 'inexact',
    measure: name,
    message: `${name}: values have more than ${SURE_DIGITS} digits, and are shown as the nearest double`,
  });
};
