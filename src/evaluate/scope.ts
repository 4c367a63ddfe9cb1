// What passes between the parts of the evaluation: what engines answered, and the values made from it.

import type { Day } from '../calendar/day.ts';
import type { Notes } from '../plan/notes.ts';
import type { PlanFrame, PlannedFine, PlannedKind, PlannedMeasure, PlannedView } from '../plan/planned.ts';

import type { Events, Tallies } from '../plan/request.ts';
import type { Seen } from '../plan/seen.ts';
import type { Column } from './column.ts';
import type { Cells } from './cubes.ts';

export interface DayRange {
  readonly start: Day;
  readonly end: Day;
}

/** Values of a view: over its rows and the members that it shows. */
export interface ViewData {
  readonly rows: number;
  readonly tuples: readonly (readonly string[])[];
  /** One for each reading, over rows x tuples. */
  readonly columns: readonly Column[];
  /** 1 where a row of data stands behind any reading's cell (R1). */
  readonly seen: Uint8Array;
  /** For each reading and row, whether it would have to read days after the as-of date. */
  readonly ahead: readonly (readonly boolean[])[];
  /** Days covered by each reading on each row, comparisons aside. */
  readonly covered: readonly (readonly (DayRange | null)[])[];
  /** Days compared, for readings with `vs` (C9). */
  readonly compared: readonly (readonly (DayRange | null)[] | undefined)[];
  /** What is seen at the days compared (C12). */
  readonly seenAt: readonly (Seen | undefined)[];
}

/** One measure's values over the rows of a view and the members it has data for, row-major. */
export interface LeafData {
  readonly tuples: readonly (readonly string[])[];
  readonly values: Float64Array;
  readonly state: Uint8Array;
  /** 1 where a row of data stands behind the cell (R1). */
  readonly seen: Uint8Array;
  /** What a member without any data shows on each row. */
  readonly absent: Absent;
  /** The same on the days of some calendar members, by their texts (U12). */
  readonly absentOn?: (texts: readonly string[]) => Absent;
  readonly scale: number;
}

/** What is shown on each row where no data are. */
export interface Absent {
  readonly values: Float64Array;
  readonly state: Uint8Array;
}

/** What an engine answered to all that a planned measure asks. */
export interface LoadedMeasure {
  readonly cubes: Readonly<Record<string, Cells>>;
  readonly events: Events | undefined;
  readonly tallies: Tallies | undefined;
  readonly told: Readonly<Record<string, Cells>>;
  /** Of the reading whose days are the weights of cut periods (G3). */
  readonly days: LoadedView | undefined;
  /** Of each reading by whose shape amounts lie on finer members, and which members there are (G6). */
  /** Of each part that asks for events of its own days (U12). */
  readonly parts: readonly (Events | undefined)[];
  readonly members: readonly { readonly shape: LoadedView; readonly combinations: readonly (readonly string[])[] }[];
}

/** In the order of the view's measures. */
export type LoadedView = readonly LoadedMeasure[];

/** What all calculations of one question share. */
export interface Calculation {
  readonly frame: PlanFrame;
  readonly notes: Notes;
  /** Values of a view of its own, whose notes are none of the answer: shapes in which amounts are spread (G3, G6). */
  readonly shape: (view: PlannedView, loaded: LoadedView) => ViewData;
  /** How amounts are spread; loaded where some are. */
  readonly spreads: Spreads | undefined;
  readonly cells: (measure: PlannedMeasure, loaded: LoadedMeasure) => LeafData;
}

/** What a kind of measure asks of an engine, and its cells from the answers and the days that its windows cover. */
export interface Kind {
  readonly mayBeCut?: true;
  readonly asks: PlannedKind['asks'];
  /** What it makes of its cubes before they are told apart by days. */
  readonly ready?: (measure: PlannedMeasure, loaded: LoadedMeasure, over: Calculation) => LoadedMeasure;
  /** It looks at all days up to the last one covered, whichever those are. */
  readonly upToLast?: true;
  readonly cells: (measure: PlannedMeasure, loaded: LoadedMeasure, over: Calculation) => LeafData;
}

/** What a reading adds up: its amounts, how many values stand behind them, and how many rows. */
export interface AdditiveCells {
  readonly rows: Cells;
  readonly count: Cells;
  readonly value: Cells;
}

/** The share of a cut period that a window covers: covered weight and weight of the whole period (G4). */
export type Share = (segment: number, from: Day, to: Day) => readonly [number, number];

export type FineMeasure = PlannedMeasure & { readonly fine: PlannedFine };

/** How coarse amounts lie on finer days and members (G3, G6). */
export interface Spreads {
  readonly shareOf: (measure: PlannedMeasure, loaded: LoadedView | undefined, over: Calculation) => Share;
  readonly spreadAcross: (measure: FineMeasure, base: AdditiveCells, loaded: LoadedMeasure['members'], over: Calculation) => AdditiveCells;
}
