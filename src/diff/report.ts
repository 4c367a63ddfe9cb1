// What a comparison of two models found, as plain data.
import type { DefinitionChange } from './definitions.ts';
import type { RowChange } from './rows.ts';

/** Why numbers of a reading differ. `together`: none of the changes alone does it. */
export type CauseCode =
  | 'definition'
  | 'calendar'
  | 'rows-added'
  | 'rows-removed'
  | 'rows-changed'
  | 'revision'
  | 'as-of'
  | 'data'
  | 'together';

export interface Cause {
  readonly code: CauseCode;
  /** Differing cells that this change alone makes differ. */
  readonly cells: number;
  readonly text: string;
}

export interface CellDifference {
  readonly period: string;
  readonly members: Readonly<Record<string, string>>;
  /** Null is a blank, or a row that is not there. */
  readonly was: number | null;
  readonly now: number | null;
}

export interface ReadingDifference {
  readonly reading: string;
  /** Cells of either answer. */
  readonly cells: number;
  /** Cells that differ, the largest difference first. */
  readonly differing: readonly CellDifference[];
  readonly why: readonly Cause[];
}

export interface QuestionDifference {
  /** The name of the question, or the readings that were asked. */
  readonly question: string;
  readonly readings: readonly ReadingDifference[];
  /** Readings that can be asked on one side alone, and why not on the other. */
  readonly oneSided: readonly { readonly reading: string; readonly only: 'old' | 'new'; readonly problem: string }[];
}

export interface DiffReport {
  readonly definitions: readonly DefinitionChange[];
  readonly rows: readonly RowChange[];
  readonly questions: readonly QuestionDifference[];
  /** Nothing is defined differently, and no number differs. */
  readonly same: boolean;
}
