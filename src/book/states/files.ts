// States of data in files: looked at for each question, opened anew when they are others than before (V6).

import { once } from '../../basics/kept-promises.ts';
import type { Store } from '../../engines/engine.ts';
import { sourceChanged } from '../../engines/shared/states.ts';
import { type CubeCounts, cubesOf } from '../../evaluate/cubes.ts';
import type { Model } from '../../model/model.ts';
import { type State, type States, type StatesOptions, stateOf } from './state.ts';

/** A state that is open. */
interface Opened {
  readonly state: State;
  users: number;
  /** Others are in use; it is closed when nobody asks it any more. */
  replaced: boolean;
}

/** What is known of a book's files: the state in use, when they were looked at last, and who still uses an older one. */
interface Files extends StatesOptions {
  readonly model: Model;
  readonly counts: CubeCounts;
  readonly inUse: Set<Opened>;
  readonly opening: Map<string, Promise<Opened>>;
  latest: Opened;
  looked: number;
  /** Why the data as they are now could not be opened, and which they were; undefined where the latest state is theirs. */
  bad: { readonly found: string | undefined; readonly message: string } | undefined;
}

const openedOf = async (
  store: Store,
  { model, check, cacheBytes, counts }: Pick<Files, 'model' | 'check' | 'cacheBytes' | 'counts'>,
): Promise<Opened> => {
  const state = stateOf(model, store, cubesOf(store, cacheBytes, counts));
  try {
    await check(state);
  } catch (error) {
    await store.close();
    throw error;
  }
  return { state, users: 0, replaced: false };
};

const drop = async ({ inUse }: Files, one: Opened): Promise<void> => {
  if (one.users > 0 || !inUse.delete(one)) return;
  await one.state.store.close();
};

const openAnew = async (files: Files): Promise<Opened> => {
  const next = await openedOf(await files.openStore(), files);
  const before = files.latest;
  before.replaced = true;
  files.latest = next;
  files.inUse.add(next);
  await drop(files, before);
  return next;
};

const token = (one: Opened): string | undefined => one.state.store.opened?.token;

/** The latest state, opened anew where files are others than they were. */
const present = async (files: Files): Promise<Opened> => {
  const { latest, opening, refresh } = files;
  const { state: look } = latest.state.store;
  if (!look) return latest;
  if (Date.now() - files.looked < refresh) return latest;
  const now = Date.now();
  let found: string | undefined;
  try {
    found = await look();
    const other = found;
    files.looked = now;
    if (other !== token(files.latest)) {
      // What could not be opened is not tried again before it changes.
      if (files.bad && files.bad.found === other) return files.latest;
      await once(opening, other, () => openAnew(files).finally(() => opening.delete(other)));
    }
    files.bad = undefined;
  } catch (error) {
    if (!files.keepsGood) throw error;
    files.bad = { found, message: (error as Error).message };
  }
  return files.latest;
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
  files: Files,
  one: Opened,
  ask: (state: State) => Promise<T>,
): Promise<{ readonly give: () => T; readonly after: string | undefined }> => {
  one.users++;
  try {
    const { bad } = files;
    const give = await ask(bad ? { ...one.state, turnedBad: bad.message } : one.state).then(
      (answer) => () => answer,
      (error: unknown) => () => {
        throw error;
      },
    );
    return { give, after: await changed(one) };
  } finally {
    one.users--;
    if (one.replaced) await drop(files, one);
  }
};

const run = async <T>(files: Files, ask: (state: State) => Promise<T>): Promise<T> => {
  const before = files.looked;
  const one = await present(files);
  const { give, after } = await askOf(files, one, ask);
  if (after === undefined) return give();
  if (files.looked !== before) throw sourceChanged('while a question was answered', token(one) ?? '', after);
  // A state that was taken for the present one without looking gives way to the present one.
  files.looked = Number.NEGATIVE_INFINITY;
  const next = await present(files);
  const again = await askOf(files, next, ask);
  if (again.after !== undefined) throw sourceChanged('while a question was answered', token(next) ?? '', again.after);
  return again.give();
};

/** A store over files: they are looked at for each question, and opened anew when they are others than before. */
export const fileStates = async (model: Model, first: Store, options: StatesOptions): Promise<States> => {
  const counts: CubeCounts = { scans: 0, cached: 0, cells: 0 };
  const latest = await openedOf(first, { ...options, model, counts });
  const files: Files = {
    ...options,
    model,
    counts,
    latest,
    looked: Date.now(),
    bad: undefined,
    inUse: new Set([latest]),
    opening: new Map(),
  };
  return {
    run: (ask) => run(files, ask),
    refresh: async () => {
      files.looked = Number.NEGATIVE_INFINITY;
      const { seen } = (await present(files)).state;
      return { seen, ...(files.bad ? { turnedBad: files.bad.message } : {}) };
    },
    notes: () => files.latest.state.store.notes,
    cost: () => {
      const { fetched } = files.latest.state.store;
      return { ...counts, ...(fetched ? { fetched: fetched() } : {}) };
    },
    close: async () => {
      for (const one of files.inUse) await one.state.store.close();
      files.inUse.clear();
    },
  };
};
