// Notes of a result, gathered and told once each (R2).
import { type NoteOf, noteText, type Words } from '../words/words.ts';

/** Something that must be known about a result: a stable code, a sentence, and what it counts. */
export interface Note {
  readonly code: string;
  readonly message: string;
  readonly [detail: string]: unknown;
}

/**
 * Collects notes once each; the key says what makes two of them the same. Of two that count, the wider stays; of others
 * the first by what they say: never the first to arrive, which differs from engine to engine (R3).
 */
export interface Notes {
  readonly add: (key: string, note: NoteOf) => void;
  /** All of them, said in a language. */
  readonly list: (words: Words) => Note[];
}

const rowsOf = (note: NoteOf): number => ('rows' in note ? note.rows : 0);

const comesFirst = (note: NoteOf, before: NoteOf): boolean => {
  const [rows, others] = [rowsOf(note), rowsOf(before)];
  return rows === others ? JSON.stringify(note) < JSON.stringify(before) : rows > others;
};

export const notes = (): Notes => {
  const known = new Map<string, NoteOf>();
  return {
    add: (key, note) => {
      const before = known.get(key);
      if (!before || comesFirst(note, before)) known.set(key, note);
    },
    // Sorted, so that the same question gives the same bytes however its parts were fetched (R3).
    list: (words) =>
      [...known.entries()]
        .sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0))
        .map(([, note]) => ({ ...note, message: noteText(note, words) })),
  };
};
