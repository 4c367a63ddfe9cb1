import type { Day } from './calendar/day.ts';
import type { Store } from './engines/engine.ts';
import { DurchblickError } from './errors.ts';
import { type Cubes, cubesOf } from './evaluate/cubes.ts';
import { once } from './kernels/once.ts';
import type { Fact, Model } from './model/model.ts';
import type { FactBounds } from './plan/axis.ts';
import { type Shared, sharedWork } from './plan/cancel.ts';
import type { Bounds, Cancellation } from './plan/request.ts';

/** A fetch whose answers are kept, so that a state that is over still has them. */
const kept = <A extends unknown[], T>(fetch: (...args: A) => Promise<T>, key: (...args: A) => string): ((...args: A) => Promise<T>) => {
  const known = new Map<string, Promise<T>>();
  return (...args) => once(known, key(...args), () => fetch(...args));
};

/** Everything fetched from a store at one moment; nothing from two moments is ever put together. */
export interface State {
  readonly store: Store;
  readonly cubes: Cubes;
  readonly bounds: (knownBy: Day | undefined) => Promise<FactBounds>;
  readonly lateRoles: (fact: Fact) => Promise<ReadonlySet<string>>;
  /** Days read so far, by fact and role (Store.reads). */
  readonly reached: Map<string, { from: Day; to: Day; times: number }>;
}

/** What a state that is over says when something is wanted that it has not. */
const NOT_FETCHED = 'not-fetched';
const notFetched = (): never => {
  throw new DurchblickError(NOT_FETCHED, 'this state of the data is over', { kind: 'engine' });
};

/** A state over a store, with what serves its aggregates. */
export const stateOf = (model: Model, store: Store, cubes: Cubes): State => {
  const boundsKnown = new Map<string, Promise<ReadonlyMap<string, Bounds | undefined>>>();
  const boundsOf = (fact: Fact, knownBy: Day | undefined) => {
    const key = JSON.stringify([fact.name, fact.recorded === undefined ? null : (knownBy ?? null)]);
    return once(boundsKnown, key, () => store.bounds(fact, knownBy));
  };
  const late = new Map<string, Promise<ReadonlySet<string>>>();
  return {
    store,
    cubes,
    bounds: async (knownBy) => {
      const table = new Map<string, ReadonlyMap<string, Bounds | undefined>>();
      for (const fact of model.facts.values()) table.set(fact.name, await boundsOf(fact, knownBy));
      return (fact, role) => table.get(fact.name)?.get(role);
    },
    lateRoles: (fact) => once(late, fact.name, async () => new Set(fact.enters === undefined ? [] : await store.lateRoles(fact))),
    reached: new Map(),
  };
};

/** Runs questions, each over one state of the data. */
export interface States {
  readonly run: <T>(ask: (state: State) => Promise<T>, signal?: Cancellation) => Promise<T>;
  readonly cost: () => { readonly scans: number; readonly cached: number; readonly cells: number };
}

/** Questions that come this soon after a view was begun, in milliseconds, join it. */
const JOINABLE = 1000;

/**
 * Over a store that nobody writes to there is one state, for good. Over a live one a question is answered from the last
 * state as long as that has all it needs; else it begins a new view and fetches everything there. Questions that run at
 * the same time share a view, and what they fetch in it.
 */
export const statesOf = (model: Model, base: Store, cacheBytes: number): States => {
  const spent = { scans: 0, cached: 0, cells: 0 };
  const { begin } = base;
  if (!begin) {
    const only = stateOf(model, base, cubesOf(base, cacheBytes));
    return { run: (ask) => ask(only), cost: () => ({ ...only.cubes.counts }) };
  }

  interface View {
    readonly state: Promise<State>;
    readonly begun: number;
    readonly work: Shared;
    users: number;
    /** The view has ended; only what was fetched is left. */
    over: boolean;
    broken: boolean;
  }
  let latest: View | undefined;

  const beginView = (): View => {
    const work = sharedWork();
    const own: { view?: View } = {};
    const state = begin(work.signal).then((store) => {
      // Fetching goes through the view until it ends; afterwards it is an error that starts a new one.
      const fetch =
        <A extends unknown[], T>(run: (...args: A) => Promise<T>) =>
        async (...args: A): Promise<T> =>
          own.view?.over ? notFetched() : run(...args);
      const guarded: Store = {
        ...store,
        rows: fetch(store.rows),
        bounds: fetch(store.bounds),
        members: kept(fetch(store.members), ({ key }) => key),
        combinations: kept(fetch(store.combinations), ({ name }, attributes) => JSON.stringify([name, attributes])),
        cubes: fetch(store.cubes),
        events: fetch(store.events),
        sample: fetch(store.sample),
        lateRoles: fetch(store.lateRoles),
      };
      return stateOf(model, guarded, cubesOf(guarded, cacheBytes));
    });
    const view: View = { state, begun: Date.now(), work, users: 0, over: false, broken: false };
    own.view = view;
    latest = view;
    return view;
  };

  const leave = async (view: View): Promise<void> => {
    if (--view.users > 0 || view.over) return;
    view.over = true;
    const state = await view.state.catch(() => undefined);
    await state?.store.close().catch(() => undefined);
  };

  const runIn = async <T>(view: View, ask: (state: State) => Promise<T>, signal: Cancellation | undefined): Promise<T> => {
    if (!view.over) view.users++;
    const counted = !view.over;
    view.work.join(signal);
    try {
      const state = await view.state;
      const before = { ...state.cubes.counts };
      const answer = await ask(state);
      const { scans, cached, cells } = state.cubes.counts;
      spent.scans += scans - before.scans;
      spent.cached += cached - before.cached;
      spent.cells += cells - before.cells;
      return answer;
    } catch (error) {
      if (!(error instanceof DurchblickError) || (error.kind === 'engine' && error.code !== NOT_FETCHED)) {
        // A transaction that failed once answers nothing more.
        view.broken = true;
        if (latest === view) latest = undefined;
      }
      throw error;
    } finally {
      if (counted) await leave(view);
    }
  };

  return {
    cost: () => ({ ...spent }),
    run: async (ask, signal) => {
      const view = latest && !latest.broken && (latest.over || Date.now() - latest.begun < JOINABLE) ? latest : beginView();
      const joined = view.users > 0 || view.over;
      try {
        return await runIn(view, ask, signal);
      } catch (error) {
        // What another question broke, or a state that is over has not, is asked anew once.
        const again =
          error instanceof DurchblickError && (error.code === NOT_FETCHED || (joined && view.broken && error.code !== 'aborted'));
        if (!again || signal?.aborted) throw error;
        const next =
          latest && latest !== view && !latest.over && !latest.broken && Date.now() - latest.begun < JOINABLE ? latest : beginView();
        return runIn(next, ask, signal);
      }
    },
  };
};
