// Limits on the size of an answer.
import { DurchblickError } from '../errors.ts';

/** Maximum cells of an answer: periods x members x readings. */
export const MAX_CELLS = 2_000_000;

/** Rejects an answer that is too large. Errors: `too-many-cells`. */
export const checkCells = (count: number): void => {
  if (count > MAX_CELLS)
    throw new DurchblickError('too-many-cells', `the answer would have ${count.toLocaleString('en')} cells`, {
      hint: `The limit is ${MAX_CELLS.toLocaleString('en')}. Use a shorter range, a coarser unit, or fewer attributes.`,
    });
};
