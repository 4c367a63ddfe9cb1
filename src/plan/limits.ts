// How large an answer may be.
import { DurchblickError } from '../errors.ts';

/** Cells of an answer: periods x members x readings. More are more than anybody reads, and take the memory of everything else. */
export const MAX_CELLS = 2_000_000;

/** Refuses an answer of too many cells, as soon as its size is known. Errors: `too-many-cells`. */
export const checkCells = (count: number): void => {
  if (count > MAX_CELLS)
    throw new DurchblickError('too-many-cells', `the answer would have ${count.toLocaleString('en')} cells`, {
      hint: `${MAX_CELLS.toLocaleString('en')} is the most. Ask for a shorter range, a coarser unit, or fewer attributes.`,
    });
};
