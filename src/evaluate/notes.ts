/** Something that must be known about a result: a stable code, a sentence, and what it counts. */
export interface Note {
  readonly code: string;
  readonly message: string;
  readonly [detail: string]: unknown;
}

/** Collects notes once each; the key says what makes two of them the same. */
export interface Notes {
  readonly add: (key: string, note: Note) => void;
  readonly list: () => Note[];
}

export const notes = (): Notes => {
  const known = new Map<string, Note>();
  return {
    add: (key, note) => {
      if (!known.has(key)) known.set(key, note);
    },
    // Sorted, so that the same question gives the same bytes however its parts were fetched (R3).
    list: () => [...known.entries()].sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0)).map(([, note]) => note),
  };
};
