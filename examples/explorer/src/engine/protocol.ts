import type { Explanation, FiredAlert, Question, ResultJson, TextTable } from 'durchblick';
import type { Charted } from 'durchblick/chart';

/** What the page must know of an opened model. */
export interface ModelFacts {
  readonly name: string;
  readonly locale: string;
  readonly text: string;
  readonly units: readonly string[];
  readonly roles: readonly string[];
  readonly rolesOf: Readonly<Record<string, readonly string[]>>;
  readonly measures: readonly string[];
  readonly formulas: readonly string[];
  readonly windows: readonly string[];
  readonly ownWindows: readonly string[];
  readonly comparisons: readonly string[];
  /** Questions that the model has names for. */
  readonly questions: readonly {
    readonly name: string;
    readonly label: string;
    readonly description?: string;
    readonly question: Question;
  }[];
  readonly attributes: readonly { readonly name: string; readonly members: readonly string[] }[];
  /** First and last day with data, and the model's own as-of day, `YYYY-MM-DD`. */
  readonly first: string;
  readonly last: string;
  readonly asOf: string;
  readonly rows: number;
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
  open: (model: string, base: string) => ModelFacts;
  openFiles: (model: string, files: readonly (readonly [string, Uint8Array])[]) => ModelFacts;
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
