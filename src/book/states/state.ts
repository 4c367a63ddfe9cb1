// A state of the data: everything that is known of it is kept with it, and nothing is taken for another (V6).

import { once } from '../../basics/kept-promises.ts';
import type { Day } from '../../calendar/day.ts';
import type { DataState, RowsOf, Store } from '../../engines/engine.ts';
import type { CubeCounts, Cubes } from '../../evaluate/cubes.ts';
import type { Fact, Model } from '../../model/model.ts';
import type { FactBounds } from '../../plan/axis.ts';
import { calendarRules } from '../../plan/calendar.ts';
import { type CalendarOver, calendarsOf } from '../../plan/extent.ts';
import type { Reads } from '../../plan/reads.ts';
import type { Bounds, Cancellation } from '../../plan/request.ts';

/** Everything fetched from a store at one moment; nothing from two moments is ever put together. */
export interface State {
  readonly store: Store;
  readonly cubes: Cubes;
  readonly bounds: (knownBy: Day | undefined, rows?: RowsOf) => Promise<FactBounds>;
  readonly lateRoles: (fact: Fact) => Promise<ReadonlySet<string>>;
  /** A calendar over some days by the rules, and by the tables of periods and holidays as this state has them. */
  readonly calendarOver: CalendarOver;
  /** Days read so far, by fact and role (Store.reads). */
  readonly reached: Reads;
  /** Which state it is; undefined where a program gave the rows. */
  readonly seen: DataState | undefined;
  /** What is wrong with the data as they are now, where this is the last state that could be opened. */
  readonly turnedBad?: string;
}

/** A state over a store, with what serves its aggregates. */
export const stateOf = (model: Model, store: Store, cubes: Cubes): State => {
  const boundsKnown = new Map<string, Promise<ReadonlyMap<string, Bounds | undefined>>>();
  const boundsOf = (fact: Fact, knownBy: Day | undefined, rows: RowsOf) => {
    const key = JSON.stringify([fact.name, fact.recorded === undefined ? null : (knownBy ?? null), rows]);
    return once(boundsKnown, key, () => store.bounds(fact, knownBy, rows));
  };
  const late = new Map<string, Promise<ReadonlySet<string>>>();
  const calendars = new Map<string, Promise<CalendarOver>>();
  return {
    store,
    cubes,
    bounds: async (knownBy, rows = 'seen') => {
      const table = new Map<string, ReadonlyMap<string, Bounds | undefined>>();
      for (const fact of model.facts.values()) table.set(fact.name, await boundsOf(fact, knownBy, rows));
      return (fact, role) => table.get(fact.name)?.get(role);
    },
    lateRoles: (fact) => once(late, fact.name, async () => new Set(fact.enters === undefined ? [] : await store.lateRoles(fact))),
    calendarOver: async (days, reaching) => {
      const over = await once(calendars, '', async () => calendarsOf(await calendarRules(model, store)));
      return over(days, reaching);
    },
    reached: new Map(),
    seen: store.sees ?? store.opened,
  };
};

export interface StatesOptions {
  /** Opens the engine; once more whenever files have changed. */
  readonly openStore: () => Promise<Store>;
  /** What must hold of a state before anything is answered from it. */
  readonly check: (state: State) => Promise<void>;
  readonly cacheBytes: number;
  /** Files that have turned bad leave the last good state in use. */
  readonly keepsGood: boolean;
  /** Milliseconds for which a state is taken for the present one without looking. */
  readonly refresh: number;
}

/** Runs questions, each over one state of the data. */
export interface States {
  readonly run: <T>(ask: (state: State) => Promise<T>, signal?: Cancellation) => Promise<T>;
  /** Looks at the data now, and answers which state they are in. */
  readonly refresh: () => Promise<Pick<State, 'seen' | 'turnedBad'>>;
  readonly notes: () => Store['notes'];
  readonly cost: () => Readonly<CubeCounts> & { readonly fetched?: number };
  readonly close: () => Promise<void>;
}
