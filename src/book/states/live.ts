// States of data that others write to: every question sees one moment (V6).

import { once } from '../../basics/kept-promises.ts';
import type { Store } from '../../engines/engine.ts';
import { DurchblickError } from '../../errors.ts';
import { type CubeCounts, cubesOf } from '../../evaluate/cubes.ts';
import type { Model } from '../../model/model.ts';
import { type Shared, sharedWork } from '../../plan/cancel.ts';
import type { Cancellation } from '../../plan/request.ts';
import { type State, type States, type StatesOptions, stateOf } from './state.ts';

/** What a state that is over says when something is wanted that it has not: this very error, and no other one. */
const NOT_FETCHED = new DurchblickError('not-fetched', 'this state of the data is over', { kind: 'engine' });

/** A state that several sessions see, one after the other or at once. What it has not yet is fetched through one of them. */
interface Seen {
  readonly token: string;
  readonly state: State;
  readonly sessions: Set<Store>;
}

const throughSessions = (first: Store, sessions: ReadonlySet<Store>): Store => {
  const through =
    <A extends unknown[], T>(call: (store: Store) => (...args: A) => Promise<T>) =>
    async (...args: A): Promise<T> => {
      const session = [...sessions].at(-1);
      if (!session) throw NOT_FETCHED;
      return call(session)(...args);
    };
  /** Asked once, and kept: a state does not change. */
  const kept = <A extends unknown[], T>(call: (store: Store) => (...args: A) => Promise<T>, key: (...args: A) => string) => {
    const known = new Map<string, Promise<T>>();
    const fetch = through(call);
    return (...args: A): Promise<T> => once(known, key(...args), () => fetch(...args));
  };
  return {
    ...first,
    rows: kept(
      (store) => store.rows,
      (source, columns) => JSON.stringify([source, columns]),
    ),
    holidays: through((store) => store.holidays),
    bounds: through((store) => store.bounds),
    members: kept(
      (store) => store.members,
      ({ key }) => key,
    ),
    combinations: kept(
      (store) => store.combinations,
      ({ name }, attributes) => JSON.stringify([name, attributes]),
    ),
    kind: through((store) => store.kind),
    factRows: through((store) => store.factRows),
    textDates: through((store) => store.textDates),
    cubes: through((store) => store.cubes),
    events: through((store) => store.events),
    sample: through((store) => store.sample),
    lateRoles: through((store) => store.lateRoles),
  };
};

/**
 * A store that others write to: every question has a session that sees one moment. Questions that come before that moment
 * is fixed share the session. What is known of a state serves every session that sees the very same one.
 */
export const liveStates = async (model: Model, base: Store, { check, cacheBytes, refresh }: StatesOptions): Promise<States> => {
  const begin = base.begin as NonNullable<Store['begin']>;
  const counts: CubeCounts = { scans: 0, cached: 0, cells: 0 };
  interface View {
    readonly begun: Promise<{ readonly session: Store; readonly seen: Seen }>;
    readonly work: Shared;
    users: number;
  }
  /** A view whose moment is not fixed yet: whoever asks now sees it too. */
  let coming: View | undefined;
  let latest: Seen | undefined;
  let looked = Number.NEGATIVE_INFINITY;
  const seenBy = async (session: Store): Promise<Seen> => {
    const token = session.sees?.token ?? '';
    if (latest?.token === token) {
      latest.sessions.add(session);
      return latest;
    }
    const sessions = new Set([session]);
    const store = throughSessions(session, sessions);
    const seen: Seen = { token, sessions, state: stateOf(model, store, cubesOf(store, cacheBytes, counts)) };
    await check(seen.state);
    latest = seen;
    return seen;
  };
  const beginView = (): View => {
    const work = sharedWork();
    const own: { view?: View } = {};
    const begun = (async () => {
      const fixed = (): void => {
        if (coming === own.view) coming = undefined;
      };
      const session = await begin(work.signal, fixed).finally(fixed);
      try {
        const seen = await seenBy(session);
        looked = session.sees?.time ?? Date.now();
        return { session, seen };
      } catch (error) {
        await session.close();
        throw error;
      }
    })();
    begun.catch(() => undefined);
    const view: View = { begun, work, users: 0 };
    own.view = view;
    coming = view;
    return view;
  };
  const leave = async (view: View): Promise<void> => {
    if (--view.users > 0) return;
    view.work.end();
    const found = await view.begun.catch(() => undefined);
    if (!found) return;
    found.seen.sessions.delete(found.session);
    await found.session.close().catch(() => undefined);
  };
  const inView = async <T>(ask: (state: State) => Promise<T>, signal: Cancellation | undefined): Promise<T> => {
    const view = coming && !coming.work.signal.aborted ? coming : beginView();
    view.users++;
    view.work.join(signal);
    try {
      const { seen } = await view.begun;
      return await ask(seen.state);
    } finally {
      await leave(view);
    }
  };
  const run: States['run'] = async (ask, signal) => {
    if (latest && Date.now() - looked < refresh) {
      try {
        return await ask(latest.state);
      } catch (error) {
        // What the state has not is asked of a new one.
        if (error !== NOT_FETCHED) throw error;
      }
    }
    return inView(ask, signal);
  };
  return {
    run,
    refresh: () => inView(async ({ seen }) => seen, undefined),
    notes: () => latest?.state.store.notes ?? base.notes,
    cost: () => ({ ...counts, ...(base.fetched ? { fetched: base.fetched() } : {}) }),
    close: base.close,
  };
};
