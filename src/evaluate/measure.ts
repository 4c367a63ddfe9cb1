import { isoOf } from '../calendar/day.ts';
import { horizonOf, type Leaf } from '../plan/bind.ts';
import { unreached } from '../plan/fixed.ts';
import { historyOf, type TimeFrame } from '../plan/places.ts';
import { type AggregateRequest, ALL_TIME, type Filter } from '../plan/request.ts';
import type { Evaluation, LeafData, LeafTask } from './scope.ts';
import { additive, rowSetOf } from './shapes/measure-cells.ts';
import type { MeasureCells } from './shapes/table.ts';

/** Rows whose date is blank are on no period; the result says how many, and how much they amount to (D4). */
const noteUnplaced = async (task: LeafTask, evaluation: Evaluation): Promise<void> => {
  const { leaf, where } = task;
  const { measure } = leaf;
  const { fact } = measure;
  const role = measure.open?.from ?? leaf.role.name;
  const blank: Filter = { kind: 'date', role, is: 'blank' };
  const { enters } = fact;
  const { asOf } = evaluation.frame;
  const sums = measure.aggregate.kind === 'sum';
  const count = async (by: string | undefined, more: readonly Filter[]): Promise<readonly [number, number]> => {
    const rowSet = rowSetOf(fact, by, [], [...task.filters, blank, ...more], evaluation);
    const segments = by === undefined ? ALL_TIME : evaluation.segments(fact, by);
    const [rows, cells] = await Promise.all([
      evaluation.cubes.cells(rowSet, segments, { kind: 'rows', where }, evaluation.signal),
      evaluation.cubes.cells(rowSet, segments, sums ? additive(leaf, where) : { kind: 'rows', where }, evaluation.signal),
    ]);
    let [number, amount] = [0, 0];
    rows.cells.forEach((value, s) => {
      if (segments.starts[s] > asOf && by !== undefined) return;
      number += value;
      amount += cells.cells[s];
    });
    return [number, amount / 10 ** Math.max(cells.scale, 0)];
  };
  // Rows that entered after the as-of date do not exist yet; counting by that date keeps the cube for any as-of date.
  const late = enters !== undefined && enters !== role && (evaluation.frame.bounds(fact, enters)?.last ?? asOf) > asOf;
  const parts = late
    ? await Promise.all([count(enters, []), count(undefined, [{ kind: 'date', role: enters, is: 'blank' }])])
    : [await count(undefined, [])];
  const rows = parts.reduce((sum, part) => sum + part[0], 0);
  const amount = parts.reduce((sum, part) => sum + part[1], 0);
  if (rows === 0) return;
  evaluation.notes.add(`unplaced ${measure.name} ${role}`, {
    code: 'unplaced-dates',
    measure: measure.name,
    role,
    rows,
    ...(sums ? { amount } : {}),
    message: `${measure.name} on ${role}: ${rows} ${rows === 1 ? 'row has' : 'rows have'} no ${role} date and ${rows === 1 ? 'is' : 'are'} in no period${sums ? ` (${measure.name} ${amount})` : ''}`,
  });
};

/** Rows of a fact kept by a unit with gaps, whose date lies in one: they are in no period either (G2, U7). */
const noteBetween = async (task: LeafTask, evaluation: Evaluation): Promise<void> => {
  const { leaf, where } = task;
  const { measure } = leaf;
  const { fact } = measure;
  if (evaluation.frame.calendar.unit(fact.grain).basis !== 'own') return;
  const role = measure.open?.from ?? leaf.role.name;
  const sums = measure.aggregate.kind === 'sum';
  const count = async (by: string | undefined, more: readonly Filter[]): Promise<readonly [number, number]> => {
    const rowSet = rowSetOf(fact, by, [], [...task.filters, ...more], evaluation);
    const segments = by === undefined ? ALL_TIME : evaluation.segments(fact, by);
    const ask = (aggregate: AggregateRequest) => evaluation.cubes.cells(rowSet, segments, aggregate, evaluation.signal);
    const [rows, cells] = await Promise.all([ask({ kind: 'rows', where }), ask(sums ? additive(leaf, where) : { kind: 'rows', where })]);
    return [rows.cells.reduce((a, b) => a + b, 0), cells.cells.reduce((a, b) => a + b, 0) / 10 ** Math.max(cells.scale, 0)];
  };
  const [all, placed] = await Promise.all([count(undefined, [{ kind: 'date', role, is: 'present' }]), count(role, [])]);
  const rows = all[0] - placed[0];
  if (rows === 0) return;
  evaluation.notes.add(`between ${measure.name} ${role}`, {
    code: 'unplaced-dates',
    measure: measure.name,
    role,
    rows,
    ...(sums ? { amount: all[1] - placed[1] } : {}),
    message: `${measure.name} on ${role}: ${rows} ${rows === 1 ? 'row has a' : 'rows have a'} ${role} date in no ${fact.grain}`,
  });
};

/** Evaluates one reading. */
export const evaluateLeaf = async (task: LeafTask, cells: MeasureCells, evaluation: Evaluation): Promise<LeafData> => {
  const { measure } = task.leaf;
  // What is seen by its share alone has no rows of its own to tell of (V3).
  const byShare = unreached(measure.fact, evaluation.fixed).length > 0;
  const telling = byShare ? [] : [noteUnplaced(task, evaluation), noteBetween(task, evaluation)];
  const [data] = await Promise.all([cells(task, evaluation), ...telling]);
  noteHistory(task, evaluation);
  return data;
};

const noteHistory = (task: LeafTask, { frame, notes }: Evaluation): void => {
  const { leaf, lay } = task;
  const rows = lay.short.reduce((sum, short) => sum + short, 0);
  if (rows === 0) return;
  const { measure } = leaf;
  const { first } = historyOf(measure.fact, leaf.role.name, frame);
  const window = leaf.window?.name ?? 'the window';
  notes.add(`short ${measure.name} ${leaf.role.name} ${window}`, {
    code: 'short-history',
    measure: measure.name,
    window,
    rows,
    first: first === undefined ? undefined : isoOf(first),
    message: `${measure.name} over ${window} reaches before the first day${first === undefined ? '' : `, ${isoOf(first)},`} on ${rows} ${rows === 1 ? 'row' : 'rows'}: computed on what there is`,
  });
};

/** Horizon and history by which a leaf is laid. */
export const layingOf = (leaf: Leaf, frame: TimeFrame) => ({
  horizon: horizonOf(leaf),
  history: historyOf(leaf.measure.fact, leaf.measure.open?.from ?? leaf.role.name, frame),
});
