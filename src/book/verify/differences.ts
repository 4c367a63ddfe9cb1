// Where two answers to one question differ, cell by cell (V2).
import type { Cell, PlainResult } from '../../result/types.ts';

/** A cell that two computations answer differently. */
export interface Difference {
  /** Period and members of the row. */
  readonly row: readonly string[];
  readonly column: string;
  readonly answered: Cell;
  readonly verified: Cell;
}

/** Doubles that were added up in another order may part in their last digits (R3). */
const TOLERANCE = 1e-9;

const same = (a: Cell, b: Cell): boolean => {
  if (typeof a !== 'number' || typeof b !== 'number') return a === b;
  return a === b || Math.abs(a - b) <= TOLERANCE * Math.max(Math.abs(a), Math.abs(b));
};

/** Compares all cells of readings, totals included; rows that only one of two answers has differ in all of theirs. */
export const differencesOf = (
  answered: PlainResult,
  verified: PlainResult,
): { readonly cells: number; readonly different: readonly Difference[] } => {
  const names = answered.columns.map(({ name }) => name);
  const first = answered.columns.findIndex(({ kind }) => kind === 'reading');
  const labels = first < 0 ? names.length : first;
  const keyed = ({ rows, totals }: PlainResult) =>
    new Map([...rows, ...totals].map((row) => [JSON.stringify(row.slice(0, labels)), row] as const));
  const [found, wanted] = [keyed(answered), keyed(verified)];
  const different: Difference[] = [];
  let cells = 0;
  for (const key of new Set([...found.keys(), ...wanted.keys()])) {
    const [a, b] = [found.get(key), wanted.get(key)];
    for (let k = labels; k < names.length; k++) {
      cells++;
      const [one, other] = [a?.[k] ?? null, b?.[k] ?? null];
      if (a && b && same(one, other)) continue;
      different.push({ row: ((a ?? b) as readonly Cell[]).slice(0, labels).map(String), column: names[k], answered: one, verified: other });
    }
  }
  return { cells, different };
};
