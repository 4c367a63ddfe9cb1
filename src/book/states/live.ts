// States of data that others write to: every question sees one moment (V6).

import { once } from '../../basics/kept-promises.ts';
import type { Store, WholeStore } from '../../engines/engine.ts';
import { DurchblickError } from '../../errors.ts';
import { type CubeCounts, cubesOf } from '../../evaluate/cubes.ts';
import { earlierCells } from '../../evaluate/grown.ts';
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

const throughSessions = (first: Store, sessions: ReadonlySet<Store>): WholeStore => {
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
  const { engine, notes, unreadable, scans, reads, since, sees, state, opened, readsFiles, fetched } = first;
  return {
    engine,
    notes,
    unreadable,
    scans,
    reads,
    since,
    sees,
    state,
    opened,
    readsFiles,
    fetched,
    begin: undefined,
    // The callers close their sessions.
    close: async () => undefined,
    rows: kept(
      (store) => store.rows,
      (source, columns) => JSON.stringify([source, columns]),
    ),
    holidays: through((store) => store.holidays),
    bounds: through((store) => store.bounds),
    members: kept(
      (store) => store.members,
      ({ key }, rows) => `${rows} ${key}`,
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
    seenKeys: first.seenKeys && through((store) => store.seenKeys as NonNullable<Store['seenKeys']>),
    tallies: through((store) => store.tallies),
    sample: through((store) => store.sample),
    lateRoles: through((store) => store.lateRoles),
  };
};

/** A session of one or several questions. */
interface View {
  readonly begun: Promise<{ readonly session: Store; readonly seen: Seen }>;
  readonly work: Shared;
  users: number;
}

/** What is known of a book's database. */
interface Live extends StatesOptions {
  readonly model: Model;
  readonly base: Store;
  readonly counts: CubeCounts;
  /** A view whose moment is not fixed yet: whoever asks now sees it too. */
  coming: View | undefined;
  latest: Seen | undefined;
  looked: number;
}

const seenBy = async (live: Live, session: Store): Promise<Seen> => {
  const { model, latest, cacheBytes, counts, check } = live;
  const token = session.sees?.token ?? '';
  if (latest?.token === token) {
    latest.sessions.add(session);
    return latest;
  }
  const sessions = new Set([session]);
  const store = throughSessions(session, sessions);
  // Where the database can tell what became of the state before.
  const earlier = store.since && latest?.token === store.since.token ? earlierCells(latest.state.cubes.kept(), store.since.of) : undefined;
  const seen: Seen = { token, sessions, state: stateOf(model, store, cubesOf(store, cacheBytes, counts, earlier)) };
  await check(seen.state);
  live.latest = seen;
  return seen;
};

const beginView = (live: Live): View => {
  const begin = live.base.begin as NonNullable<Store['begin']>;
  const work = sharedWork();
  const own: { view?: View } = {};
  const begun = (async () => {
    const fixed = (): void => {
      if (live.coming === own.view) live.coming = undefined;
    };
    const session = await begin(work.signal, fixed).finally(fixed);
    try {
      const seen = await seenBy(live, session);
      live.looked = session.sees?.time ?? Date.now();
      return { session, seen };
    } catch (error) {
      await session.close();
      throw error;
    }
  })();
  begun.catch(() => undefined);
  const view: View = { begun, work, users: 0 };
  own.view = view;
  live.coming = view;
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

const inView = async <T>(live: Live, ask: (state: State) => Promise<T>, signal: Cancellation | undefined): Promise<T> => {
  const view = live.coming && !live.coming.work.signal.aborted ? live.coming : beginView(live);
  view.users++;
  view.work.join(signal);
  try {
    const { seen } = await view.begun;
    return await ask(seen.state);
  } finally {
    await leave(view);
  }
};

/**
 * A store that others write to: every question has a session that sees one moment. Questions that come before that moment
 * is fixed share the session. What is known of a state serves every session that sees the very same one.
 */
export const liveStates = async (model: Model, base: Store, options: StatesOptions): Promise<States> => {
  const counts: CubeCounts = { scans: 0, cached: 0, cells: 0 };
  const live: Live = { ...options, model, base, counts, coming: undefined, latest: undefined, looked: Number.NEGATIVE_INFINITY };
  return {
    run: async (ask, signal) => {
      if (live.latest && Date.now() - live.looked < live.refresh) {
        try {
          return await ask(live.latest.state);
        } catch (error) {
          // What the state has not is asked of a new one.
          if (error !== NOT_FETCHED) throw error;
        }
      }
      return inView(live, ask, signal);
    },
    refresh: () => inView(live, async ({ seen }) => ({ seen }), undefined),
    notes: () => live.latest?.state.store.notes ?? base.notes,
    cost: () => ({ ...counts, ...(base.fetched ? { fetched: base.fetched() } : {}) }),
    close: base.close,
  };
};
