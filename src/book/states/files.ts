// States of data in files: looked at for each question, opened anew when they are others than before (V6).

import { once } from '../../basics/kept-promises.ts';
import type { Store } from '../../engines/engine.ts';
import { sourceChanged } from '../../engines/shared/states.ts';
import { type CubeCounts, cubesOf } from '../../evaluate/cubes.ts';
import type { Model } from '../../model/model.ts';
import { type State, type States, type StatesOptions, stateOf } from './state.ts';

/** A store over files: they are looked at for each question, and opened anew when they are others than before. */
export const fileStates = async (model: Model, first: Store, { openStore, check, cacheBytes, refresh }: StatesOptions): Promise<States> => {
  const counts: CubeCounts = { scans: 0, cached: 0, cells: 0 };
  interface Opened {
    readonly state: State;
    users: number;
    /** Others are in use; it is closed when nobody asks it any more. */
    replaced: boolean;
  }
  const opened = async (store: Store): Promise<Opened> => {
    const state = stateOf(model, store, cubesOf(store, cacheBytes, counts));
    try {
      await check(state);
    } catch (error) {
      await store.close();
      throw error;
    }
    return { state, users: 0, replaced: false };
  };
  let latest = await opened(first);
  let looked = Date.now();
  const inUse = new Set<Opened>([latest]);
  const drop = async (one: Opened): Promise<void> => {
    if (one.users > 0 || !inUse.delete(one)) return;
    await one.state.store.close();
  };
  const open = async (): Promise<Opened> => {
    const next = await opened(await openStore());
    const before = latest;
    before.replaced = true;
    latest = next;
    inUse.add(next);
    await drop(before);
    return next;
  };
  const token = (one: Opened): string | undefined => one.state.store.opened?.token;
  const opening = new Map<string, Promise<Opened>>();
  /** The latest state, opened anew where files are others than they were. */
  const present = async (): Promise<Opened> => {
    const { state: look } = latest.state.store;
    if (!look) return latest;
    if (Date.now() - looked < refresh) return latest;
    const now = Date.now();
    const found = await look();
    looked = now;
    return found === token(latest) ? latest : once(opening, found, () => open().finally(() => opening.delete(found)));
  };
  /** Where rows are read while a question runs: what its files are now, if that is not what they were. */
  const changed = async (one: Opened): Promise<string | undefined> => {
    const { store } = one.state;
    if (store.readsFiles === undefined || !store.state) return undefined;
    const after = await store.state();
    return after === token(one) ? undefined : after;
  };
  /** An answer, or what went wrong; `after` when files changed meanwhile, which makes either worth nothing. */
  const askOf = async <T>(
    one: Opened,
    ask: (state: State) => Promise<T>,
  ): Promise<{ readonly give: () => T; readonly after: string | undefined }> => {
    one.users++;
    try {
      const give = await ask(one.state).then(
        (answer) => () => answer,
        (error: unknown) => () => {
          throw error;
        },
      );
      return { give, after: await changed(one) };
    } finally {
      one.users--;
      if (one.replaced) await drop(one);
    }
  };
  return {
    run: async (ask) => {
      const before = looked;
      const one = await present();
      const { give, after } = await askOf(one, ask);
      if (after === undefined) return give();
      if (looked !== before) throw sourceChanged('while a question was answered', token(one) ?? '', after);
      // A state that was taken for the present one without looking gives way to the present one.
      looked = Number.NEGATIVE_INFINITY;
      const next = await present();
      const again = await askOf(next, ask);
      if (again.after !== undefined) throw sourceChanged('while a question was answered', token(next) ?? '', again.after);
      return again.give();
    },
    refresh: async () => {
      looked = Number.NEGATIVE_INFINITY;
      return (await present()).state.seen;
    },
    notes: () => latest.state.store.notes,
    cost: () => {
      const { fetched } = latest.state.store;
      return { ...counts, ...(fetched ? { fetched: fetched() } : {}) };
    },
    close: async () => {
      for (const one of inUse) await one.state.store.close();
      inUse.clear();
    },
  };
};
