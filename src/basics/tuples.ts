// Combinations of members: their keys, positions and order.
import { compareTexts } from './text.ts';

/** One text for the same texts in the same order, whatever stands in them. */
export const tupleKey = (texts: readonly string[]): string => JSON.stringify(texts);

/** Where a combination stands in a list; -1 where it does not. */
export const tupleIndex = (tuples: readonly (readonly string[])[]): ((texts: readonly string[]) => number) => {
  const places = new Map(tuples.map((tuple, k) => [tupleKey(tuple), k]));
  return (texts) => places.get(tupleKey(texts)) ?? -1;
};

/** Sorts combinations by their key, so that sums of doubles do not depend on the order of arrival (R3). */
export const sortTuples = (tuples: readonly (readonly string[])[]): readonly (readonly string[])[] =>
  tuples
    .map((tuple) => ({ tuple, key: tupleKey(tuple) }))
    .sort((a, b) => compareTexts(a.key, b.key))
    .map(({ tuple }) => tuple);

/** Each combination once, in the order of the first of them. */
export const distinctTuples = (tuples: Iterable<readonly string[]>): (readonly string[])[] => {
  const found = new Map<string, readonly string[]>();
  for (const tuple of tuples) {
    const key = tupleKey(tuple);
    if (!found.has(key)) found.set(key, tuple);
  }
  return [...found.values()];
};
