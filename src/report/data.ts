// What a report holds: plain data, made where the rows are and read where they are not.
import type { ModelInput, Question } from '../model/schema.ts';
import type { DataNote } from '../plan/request.ts';

/** Entries of a day cube, sparse: entry k is of `day[k]`, the first of its segment, and the combination `member[k]`. */
export interface CubeBase {
  readonly attributes: readonly string[];
  readonly tuples: readonly (readonly string[])[];
  readonly day: readonly number[];
  readonly member: readonly number[];
  /** By aggregate: one value an entry; null is blank. */
  readonly columns: Readonly<Record<string, { readonly scale: number; readonly long?: true; readonly cells: readonly (number | null)[] }>>;
}

/** Days on which keys were seen; keys are numbers that say nothing of what they stand for. */
export interface KeysBase {
  readonly attributes: readonly string[];
  readonly tuples: readonly (readonly string[])[];
  readonly key: readonly number[];
  readonly member: readonly number[];
  readonly day: readonly number[];
  readonly weight?: readonly number[];
  readonly scale: number;
}

/** How often values stand on days (M14). */
export interface TallyBase {
  readonly attributes: readonly string[];
  readonly tuples: readonly (readonly string[])[];
  readonly day: readonly number[];
  readonly member: readonly number[];
  readonly value: readonly number[];
  readonly count: readonly number[];
  readonly scale: number;
}

/** What may be switched in a question: each is one of the list, or as the question says. */
export interface Offers {
  readonly units: readonly string[];
  readonly windows: readonly string[];
  readonly comparisons: readonly string[];
  /** Attributes with the members that may be chosen. */
  readonly filters: Readonly<Record<string, readonly string[]>>;
  /** As-of dates from a first to a last, both inclusive; or, where numbers hang on them, some alone. */
  readonly asOf: { readonly first: string; readonly last: string } | readonly string[];
}

export interface ReportQuestion {
  readonly name: string;
  readonly question: Question;
  readonly offers: Offers;
}

export interface ReportData {
  /** When it was made (ISO 8601, UTC), and the state of the data. */
  readonly made: string;
  readonly state: { readonly model: string; readonly data?: string; readonly time?: string };
  readonly model: ModelInput;
  /** The instant that `today` is taken from, in milliseconds. */
  readonly now: number;
  readonly questions: readonly ReportQuestion[];
  readonly locales: readonly string[];
  /** Faults in the data that do not stop answers. */
  readonly notes: readonly DataNote[];
  /** Answers to small calls, by `callKey`. */
  readonly called: Readonly<Record<string, unknown>>;
  readonly holidays: readonly { readonly day: number; readonly name: string }[];
  readonly cubes: Readonly<Record<string, CubeBase>>;
  readonly keys: Readonly<Record<string, KeysBase>>;
  readonly tallies: Readonly<Record<string, TallyBase>>;
}
