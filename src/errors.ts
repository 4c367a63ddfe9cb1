/** Where something is wrong: a line of a file, or a path inside an object. Lines and columns count from 1. */
export interface TextPlace {
  readonly file?: string;
  readonly line?: number;
  readonly column?: number;
  readonly path?: string;
}

/** `request`: the question or the model is wrong. `data`: the rows are. `engine`: reading or computing failed. */
export type ErrorKind = 'request' | 'data' | 'engine';

export interface ErrorDetails {
  readonly kind?: ErrorKind;
  readonly place?: TextPlace;
  /** What would be right. */
  readonly hint?: string;
  /** The text the error is about, and the 0-based position in it, for a caret. */
  readonly text?: string;
  readonly at?: number;
  /** When one pass found several faults: all of them, this one first. */
  readonly all?: readonly DurchblickError[];
  /** What a library or a database said. */
  readonly cause?: unknown;
}

/**
 * The one error of this library. `message` says what is wrong in one sentence; `code` is stable and can be
 * tested for; `place` says where; `hint` what would be right. `describe` puts them together for people.
 */
export class DurchblickError extends Error {
  override readonly name = 'DurchblickError';
  readonly code: string;
  readonly kind: ErrorKind;
  readonly place: TextPlace | undefined;
  readonly hint: string | undefined;
  readonly text: string | undefined;
  readonly at: number | undefined;
  readonly all: readonly DurchblickError[];

  constructor(code: string, message: string, details: ErrorDetails = {}) {
    super(message, details.cause === undefined ? undefined : { cause: details.cause });
    this.code = code;
    this.kind = details.kind ?? 'request';
    this.place = details.place;
    this.hint = details.hint;
    this.text = details.text;
    this.at = details.at;
    this.all = details.all ?? [this];
  }

  /** The same error with a place, when it had none: callers know where, the thrower knows what. */
  located(place: TextPlace | undefined): DurchblickError {
    if (this.place || !place) return this;
    const { code, message, kind, hint, text, at, cause } = this;
    return new DurchblickError(code, message, { kind, hint, text, at, place, cause });
  }
}

/** One error for several: the first of them, with all. */
export const allOf = (faults: readonly DurchblickError[]): DurchblickError => {
  const { code, message, kind, place, hint, text, at } = faults[0];
  return new DurchblickError(code, message, { kind, place, hint, text, at, all: faults });
};

/** A place as it stands before a message: `model.yaml:12:3: `; empty where there is none. */
export const placeText = (place: TextPlace | undefined): string => {
  if (!place) return '';
  const position = place.line === undefined ? '' : `:${place.line}${place.column === undefined ? '' : `:${place.column}`}`;
  const head = place.file === undefined ? '' : `${place.file}${position}: `;
  return place.path ? `${head}${place.path}: ` : head;
};

/** Where the rules are told that a text cites by their codes, as in `(G8)`; nothing where it cites none. */
export const rulesCited = (text: string): string[] => {
  const codes = new Set([...text.matchAll(/\(([ADCGMRUVW]\d{1,2}(?:, [ADCGMRUVW]\d{1,2})*)\)/g)].flatMap(([, list]) => list.split(', ')));
  return [...codes].map((code) => `${code}: docs/rules.md#${code.toLowerCase()}`);
};

/** The error as lines of text: place and message, the text with a caret under the fault, the hint, and the rules that are cited. */
export const describe = (error: DurchblickError): string => {
  const lines = [`${placeText(error.place)}${error.message}`];
  if (error.text !== undefined && error.at !== undefined) {
    const before = error.text.slice(0, error.at);
    const row = before.split('\n').length - 1;
    const column = error.at - (before.lastIndexOf('\n') + 1);
    lines.push(`  ${error.text.split('\n')[row]}`, `  ${' '.repeat(column)}^`);
  }
  if (error.hint) lines.push(error.hint);
  lines.push(...rulesCited(`${error.message} ${error.hint ?? ''}`));
  return lines.join('\n');
};

const distance = (a: string, b: string): number => {
  let row = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) {
      const swap = row[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1);
      next[j] = Math.min(row[j] + 1, next[j - 1] + 1, swap);
    }
    row = next;
  }
  return row[b.length];
};

/** The known name nearest to what was written, if any is near enough to be meant. */
export const nearest = (written: string, known: Iterable<string>): string | undefined => {
  const plain = (text: string) => text.slice(0, 100).toLowerCase();
  let best: string | undefined;
  // Of a word of one or two letters, two changes leave nothing.
  let least = written.length <= 2 ? 2 : Math.max(2, Math.floor(written.length / 2)) + 1;
  for (const name of known) {
    const d = distance(plain(written), plain(name));
    if (d < least) [best, least] = [name, d];
  }
  return best;
};

/** `Did you mean "x"?`, or the list of what there is when nothing is near. */
export const suggest = (written: string, known: Iterable<string>, what = 'known'): string => {
  const names = [...known];
  const best = nearest(written, names);
  if (best !== undefined) return `Did you mean "${best}"?`;
  if (names.length === 0) return `There are none (${what}).`;
  const shown = names.slice(0, 12).join(', ');
  return `${what[0].toUpperCase()}${what.slice(1)}: ${shown}${names.length > 12 ? `, and ${names.length - 12} more` : ''}.`;
};
