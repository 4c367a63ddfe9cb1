// Combinations of members: what makes two of them the same, and where each stands.

/** One text for the same texts in the same order, whatever stands in them. */
export const tupleKey = (texts: readonly string[]): string => JSON.stringify(texts);

/** Where a combination stands in a list; -1 where it does not. */
export const tupleIndex = (tuples: readonly (readonly string[])[]): ((texts: readonly string[]) => number) => {
  const places = new Map(tuples.map((tuple, k) => [tupleKey(tuple), k]));
  return (texts) => places.get(tupleKey(texts)) ?? -1;
};

/** Combinations in one order, whatever order they came in: where doubles are added up, it decides their last digit (R3). */
export const sortTuples = (tuples: readonly (readonly string[])[]): readonly (readonly string[])[] =>
  tuples
    .map((tuple) => ({ tuple, key: tupleKey(tuple) }))
    .sort((a, b) => (a.key < b.key ? -1 : a.key > b.key ? 1 : 0))
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
