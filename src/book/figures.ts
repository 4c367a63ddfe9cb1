// Numbers that somebody vouches for, held against what the data say today (V4).
import { DurchblickError } from '../errors.ts';
import type { Figure } from '../model/model.ts';
import { cellValue } from './explain.ts';
import type { BookRecord } from './record.ts';
import type { FigureOutcome } from './types.ts';

/** Both bounds are inclusive, as decimals have them: doubles may lie beside them by a hair. */
const holds = ({ is, within }: Figure, found: number | null): boolean =>
  is === null || found === null ? is === found : Math.abs(found - is) <= within * (1 + 1e-9) + Math.abs(is) * 2 ** -51;

/** Computes every figure of a model in one state of the data. */
export const figuresOf = async (book: BookRecord): Promise<readonly FigureOutcome[]> => {
  const { model, fixed, states } = book;
  if (fixed.length > 0 && model.figures.length > 0)
    throw new DurchblickError('figures-of-a-part', 'figures are of all rows, and this book sees a part of them', {
      hint: 'Open the model without fixed filters to compute them (V3, V4).',
    });
  return states.run(async (state) => {
    const outcomes: FigureOutcome[] = [];
    for (const figure of model.figures) {
      const { index, cell, is, within, note } = figure;
      const place = model.locate(['figures', index]);
      const own = { cell, is, within, ...(note === undefined ? {} : { note }), ...(place ? { place } : {}) };
      try {
        const found = await cellValue(book, state, cell);
        outcomes.push({ ...own, found, holds: holds(figure, found) });
      } catch (error) {
        if (!(error instanceof DurchblickError) || error.kind !== 'request') throw error;
        outcomes.push({ ...own, holds: false, fault: error.located(place) });
      }
    }
    return outcomes;
  });
};

/** A figure as plain data. */
export const figureJson = ({ fault, ...rest }: FigureOutcome) => ({ ...rest, ...(fault ? { fault: fault.message } : {}) });
