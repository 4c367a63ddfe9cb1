// Notes on rows that no period shows, from what was asked for them: without a date (D4), or between the periods (G2, U7).
import type { PlannedMeasure } from '../../plan/planned.ts';

import { AMOUNT, placingRole } from '../../plan/told.ts';
import type { Cells } from '../cubes.ts';
import type { Calculation, LoadedMeasure } from '../scope.ts';

interface Count {
  readonly rows: number;
  readonly amount: number;
}

/** Rows of a count, and what they amount to; rows that entered after a day do not exist yet. */
const countOf = (told: LoadedMeasure['told'], name: string, until?: number): Count => {
  const sum = (cells: Cells | undefined): number => {
    if (!cells) return 0;
    const { starts } = cells.segments;
    return cells.cells.reduce((total, value, s) => (until !== undefined && starts[s] > until ? total : total + value), 0);
  };
  const amounts = told[name + AMOUNT];
  return { rows: sum(told[name]), amount: sum(amounts) / 10 ** Math.max(amounts?.scale ?? 0, 0) };
};

/** Rows whose date is blank are on no period; the result says how many, and how much they amount to (D4). */
const noteUnplaced = (measure: PlannedMeasure, told: LoadedMeasure['told'], { notes, frame }: Calculation): void => {
  const { name, aggregate } = measure.leaf.measure;
  const role = placingRole(measure);
  const [plain, entered] = [countOf(told, 'unplaced'), countOf(told, 'unplaced by entry', frame.asOf)];
  const [rows, amount] = [entered.rows + plain.rows, entered.amount + plain.amount];
  if (rows === 0) return;
  const sums = aggregate.kind === 'sum';
  notes.add(`unplaced ${name} ${role}`, {
    code: 'unplaced-dates',
    measure: name,
    role,
    rows,
    ...(sums ? { amount } : {}),
  });
};

/** Rows of a fact kept by a unit with gaps, whose date lies in one: they are in no period either (G2, U7). */
const noteBetween = (measure: PlannedMeasure, told: LoadedMeasure['told'], { notes }: Calculation): void => {
  const { name, aggregate, fact } = measure.leaf.measure;
  const role = placingRole(measure);
  const [all, placed] = [countOf(told, 'dated'), countOf(told, 'placed')];
  const rows = all.rows - placed.rows;
  if (rows === 0) return;
  notes.add(`between ${name} ${role}`, {
    code: 'unplaced-dates',
    measure: name,
    role,
    rows,
    ...(aggregate.kind === 'sum' ? { amount: all.amount - placed.amount } : {}),
    grain: fact.grain,
  });
};

export const noteTold = (measure: PlannedMeasure, { told }: LoadedMeasure, over: Calculation): void => {
  noteUnplaced(measure, told, over);
  noteBetween(measure, told, over);
};
