// What is seen from where a reading is held: the question's own as-of and known-by date, or those that comparisons change (C11).
import { addDuration, type Day } from '../calendar/day.ts';
import type { Comparison } from '../model/model.ts';
import type { SeenAs } from '../windows/syntax.ts';
import type { FactBounds } from './axis.ts';
import { type Bound, partsOf } from './bind.ts';

/** The last day that may be seen, and the last on which a revision may have been recorded; undefined: any (A1, G7). */
export interface Seen {
  readonly asOf: Day;
  readonly knownBy: Day | undefined;
}

const dayOf = (as: SeenAs, from: Day): Day => (as.kind === 'date' ? as.day : addDuration(from, as.move, as.move.sign));

/** What is seen under one more comparison. Without a known-by date of its own, a question knows what its as-of date lets it see. */
export const seenUnder = ({ asOf, knownBy }: Seen, comparison: Pick<Comparison, 'asOf' | 'knownBy'>): Seen => ({
  asOf: comparison.asOf ? dayOf(comparison.asOf, asOf) : asOf,
  knownBy: comparison.knownBy ? dayOf(comparison.knownBy, knownBy ?? asOf) : knownBy,
});

/** All that readings see at their own time and under their comparisons. */
export const seensIn = (readings: readonly Bound[], own: Seen): readonly Seen[] => {
  const found = new Map<string, Seen>();
  const done = new Set<string>();
  const numbers = new Map<Bound, number>();
  const visit = (bound: Bound, seen: Seen): void => {
    const number = numbers.get(bound) ?? numbers.size;
    numbers.set(bound, number);
    const at = `${seen.asOf} ${seen.knownBy}`;
    if (done.has(`${number} ${at}`)) return;
    done.add(`${number} ${at}`);
    found.set(at, seen);
    for (const part of partsOf(bound)) visit(part, seen);
    if (bound.kind === 'vs') visit(bound.of, seenUnder(seen, bound.comparison));
  };
  for (const reading of readings) visit(reading, own);
  return [...found.values()];
};

interface SeenFrame extends Seen {
  readonly bounds: FactBounds;
  readonly dates: FactBounds;
  /** Bounds of roles over the revisions that were recorded by a day (W11). */
  readonly boundsBy: (knownBy: Day | undefined) => { readonly bounds: FactBounds; readonly dates: FactBounds };
}

/** A frame in which something else is seen; itself where it is the same. */
export const frameSeeing = <F extends SeenFrame & { readonly whole: F | undefined }>(frame: F, seen: Seen | undefined): F => {
  if (!seen || (seen.asOf === frame.asOf && seen.knownBy === frame.knownBy)) return frame;
  return { ...frame, ...seen, ...frame.boundsBy(seen.knownBy), whole: frame.whole && frameSeeing(frame.whole, seen) };
};
