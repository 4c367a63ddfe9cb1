// Rows that end before they begin: left out, counted and noted (M5, M6).
import type { AskFrame, CubeAsk, PlannedMeasure } from '../../plan/planned.ts';

import { rowsOf, seenFilters } from '../../plan/rows.ts';
import { ALL_TIME } from '../../plan/segments.ts';
import type { Cells } from '../cubes.ts';
import type { Calculation } from '../scope.ts';

interface Dates {
  readonly from: string;
  readonly until: string;
}

/** Asks for the rows that end before they begin, which are left out (M5, M6). */
export const reversedAsk = (
  measure: Pick<PlannedMeasure, 'leaf' | 'attributes' | 'filters' | 'where'>,
  { from, until }: Dates,
  frame: AskFrame,
): CubeAsk => {
  const { fact } = measure.leaf.measure;
  // Dates after the as-of date are not counted (G11).
  const seen = [from, until].flatMap((role) => seenFilters(fact, role, frame));
  const rows = rowsOf(measure, from, frame, [{ kind: 'order', from, until, is: 'reversed', why: 'told' }, ...seen]);
  return { rows: { ...rows, role: undefined, attributes: [] }, segments: ALL_TIME, aggregate: { kind: 'rows', where: measure.where } };
};

/** Says how many there are. */
export const noteReversed = (cells: Cells, { leaf }: PlannedMeasure, { from, until }: Dates, { notes }: Calculation): void => {
  const { name } = leaf.measure;
  const rows = cells.cells.reduce((sum, count) => sum + count, 0);
  if (rows === 0) return;
  notes.add(`reversed ${name}`, {
    code: 'reversed-dates',
    measure: name,
    rows,
    from,
    until,
  });
};
