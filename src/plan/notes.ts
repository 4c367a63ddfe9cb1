/** Something that must be known about a result: a stable code, a sentence, and what it counts. */
export interface Note {
  readonly code: string;
  readonly message: string;
  readonly [detail: string]: unknown;
}

/**
 * Collects notes once each; the key says what makes two of them the same. Of two that count, the wider stays; of others
 * the first by their text: never the first to arrive, which differs from engine to engine (R3).
 */
export interface Notes {
  readonly add: (key: string, note: Note) => void;
  readonly list: () => Note[];
}

const comesFirst = (note: Note, before: Note): boolean => {
  const [rows, others] = [Number(note.rows ?? 0), Number(before.rows ?? 0)];
  return rows === others ? note.message < before.message : rows > others;
};

export const notes = (): Notes => {
  const known = new Map<string, Note>();
  return {
    add: (key, note) => {
      const before = known.get(key);
      if (!before || comesFirst(note, before)) known.set(key, note);
    },
    // Sorted, so that the same question gives the same bytes however its parts were fetched (R3).
    list: () => [...known.entries()].sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0)).map(([, note]) => note),
  };
};
