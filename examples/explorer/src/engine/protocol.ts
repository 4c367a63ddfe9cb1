import type { Explanation, FiredAlert, ModelFacts, Question, ResultJson, TextTable } from 'durchblick';
import type { Charted } from 'durchblick/chart';

/** What the page must know of an opened model, and the model's own text where the page has it. */
export interface OpenedModel extends ModelFacts {
  readonly text: string;
}

/** A result as plain data, with its formatted texts. */
export type Answered = ResultJson & Charted & { readonly table: TextTable; readonly milliseconds: number };

/** An error as plain data. */
export interface Fault {
  readonly code: string;
  readonly message: string;
  readonly hint?: string;
  readonly text?: string;
  readonly at?: number;
}

/** A fault in words: what is wrong, then what would be right, each a sentence. */
export const faultWords = ({ message, hint }: Pick<Fault, 'message' | 'hint'>): string =>
  hint === undefined ? message : `${message}${/[.!?:]$/.test(message) ? '' : '.'} ${hint}`;

export interface Draft {
  readonly yaml: string;
  readonly guesses: readonly string[];
}

/** What the worker can be asked, and what it answers. */
export interface Calls {
  open: (model: string, base: string) => OpenedModel;
  openFiles: (model: string, files: readonly (readonly [string, Uint8Array])[]) => OpenedModel;
  draft: (files: readonly (readonly [string, Uint8Array])[]) => Draft;
  ask: (question: Question) => Answered;
  csv: (question: Question) => string;
  alerts: (asOf: string | undefined) => readonly FiredAlert[];
  explain: (request: {
    readonly reading: string;
    readonly at: string;
    readonly by?: string;
    readonly members: Readonly<Record<string, string>>;
    readonly where?: Question['where'];
    readonly asOf?: string;
    readonly knownBy?: string;
  }) => { readonly found: Explanation; readonly words: readonly (readonly string[])[] };
  sql: (question: Question) => string;
  /** The question as `questions:` of a model takes it. */
  yaml: (name: string, question: Question) => string;
}
