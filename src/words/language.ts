// What every language says: one file a language (R5).
import type { Form } from '../language/syntax.ts';
import type { LimitKind, NoteTexts } from './notes.ts';
import type { Phrases } from './phrases.ts';

export interface Words {
  /** Heads the column of periods, and its tooltips. */
  readonly period: string;
  readonly total: string;
  readonly others: string;
  /** `against` holds days of two stretches beside each other. */
  readonly against: (own: string, other: string) => string;
  /** Days of plans, and the last day of actual figures. */
  readonly actualsTo: (days: string, last: string) => string;
  /** Days that lie after the as-of date. */
  readonly notBegun: (days: string) => string;
  /** How things stood on a day, and what was known on it, behind days in words. */
  readonly stoodOn: (day: string) => string;
  readonly knownOn: (day: string) => string;
  readonly asOf: (day: string) => string;
  readonly until: (day: string) => string;
  /** Heads of tooltips: of a reading's name, its value, the days it covers and those it is held against. */
  readonly reading: string;
  readonly value: string;
  readonly days: string;
  readonly compared: string;
  readonly limit: (kind: LimitKind, value: string) => string;
  /** A built-in window, by its name; undefined where it is none. */
  readonly window: (name: string) => string | undefined;
  /** A built-in comparison. */
  readonly comparison: (name: string) => string | undefined;
  /** A reading held against another time, in a form. */
  readonly form: (comparison: string, form: Form) => string;
  readonly acrossAll: string;
  readonly acrossTime: string;
  readonly across: (attributes: readonly string[]) => string;
  /** An attribute that every model has; undefined where it goes by its name. */
  readonly attribute: (name: string) => string | undefined;
  readonly phrases: Phrases;
  readonly notes: NoteTexts;
}
