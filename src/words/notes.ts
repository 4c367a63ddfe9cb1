// What notes on a result hold, by code; the languages say it in words.

/** Details of each kind of note. */
export interface NoteDetails {
  /** Periods of a comparison that have nothing to be held against (C5). */
  readonly 'no-counterpart': { readonly comparison: string; readonly rows: number };
  /** A window reaches before a fact's first day, `first` (W8). */
  readonly 'short-history': { readonly measure: string; readonly window: string; readonly rows: number; readonly first?: string };
  /** A window reaches past the as-of date (W7). */
  readonly 'cut-at-as-of': { readonly window: string; readonly asOf: string; readonly rows: number };
  readonly overflow: { readonly measure: string; readonly cells: number };
  /** `sum`: added up in double precision; `digits`: values have more digits than a double is sure of, `digits` of them (M10). */
  readonly inexact: { readonly measure: string; readonly why: 'sum' | 'digits'; readonly digits?: number };
  readonly 'reversed-dates': { readonly measure: string; readonly rows: number; readonly from: string; readonly until: string };
  /** What a spread leans on says nothing: a shape of time or of members of `dimension`, or working days (G3, G6). */
  readonly 'spread-fallback': {
    readonly measure: string;
    readonly why: 'shape' | 'working-days' | 'members';
    readonly dimension?: string;
  };
  readonly 'coarse-grain': { readonly measure: string; readonly grain: string; readonly rows: number };
  readonly 'unfinished-period': {
    readonly fact: string;
    readonly grain: string;
    readonly start: string;
    readonly end: string;
    readonly asOf: string;
  };
  readonly 'unknown-members': { readonly fact: string; readonly attribute: string; readonly dimension: string; readonly rows: number };
  /** Rows after the default as-of date (D5), with the amount of the first shown sum. */
  readonly 'after-as-of': {
    readonly fact: string;
    readonly role: string;
    readonly asOf: string;
    readonly rows: number;
    readonly measure?: string;
    readonly amount?: number;
  };
  readonly 'unused-range': { readonly names: readonly string[] };
  readonly 'partial-against-whole': { readonly reading: string; readonly rows: number };
  /** Rows without a date (D4); with `grain`, rows whose date is in no period of it (G2, U7). */
  readonly 'unplaced-dates': {
    readonly measure: string;
    readonly role: string;
    readonly rows: number;
    readonly amount?: number;
    readonly grain?: string;
  };
  readonly alert: {
    readonly alert: string;
    readonly label: string;
    readonly column: string;
    readonly heading: string;
    readonly limits: readonly { readonly kind: LimitKind; readonly value: number }[];
    readonly cells: number;
  };
  readonly 'bad-dates': { readonly fact: string; readonly role: string; readonly column: string; readonly count: number };
  readonly 'missing-rates': {
    readonly fact: string;
    readonly role: string;
    readonly rate: string;
    readonly first: string;
    readonly count: number;
  };
  readonly 'turned-bad': { readonly reason: string; readonly time: number };
  /** The database keeps no states of a fact's table: what is written while a question runs may be seen in part (V6). */
  readonly 'unpinned-state': { readonly fact: string; readonly count: number };
  readonly 'unreadable-fact': { readonly fact: string; readonly count: number };
}

export type LimitKind = 'below' | 'at-most' | 'above' | 'at-least';
export type NoteCode = keyof NoteDetails;
/** A note before it is said: its code and what it counts. */
export type NoteOf = { readonly [C in NoteCode]: { readonly code: C } & NoteDetails[C] }[NoteCode];
/** Says each kind of note in a language. */
export type NoteTexts = { readonly [C in NoteCode]: (details: NoteDetails[C]) => string };
