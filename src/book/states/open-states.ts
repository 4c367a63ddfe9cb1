// Runs questions, each over one state of the data (V6).
import { DurchblickError } from '../../errors.ts';
import type { Model } from '../../model/model.ts';
import { fileStates } from './files.ts';
import type { States, StatesOptions } from './state.ts';

/** What is asked after the book was closed is an error; what is under way then comes to its end first. */
const untilClosed = (states: States): States => {
  const running = new Set<Promise<unknown>>();
  let closed: Promise<void> | undefined;
  const open = async <T>(work: () => Promise<T>): Promise<T> => {
    if (closed) throw new DurchblickError('closed', 'the book is closed', { kind: 'engine', hint: 'Open the model again to ask more.' });
    const mine = work();
    running.add(mine);
    try {
      return await mine;
    } finally {
      running.delete(mine);
    }
  };
  return {
    ...states,
    run: (ask, signal) => open(() => states.run(ask, signal)),
    refresh: () => open(states.refresh),
    close: () => {
      closed ??= Promise.allSettled(running).then(() => states.close());
      return closed;
    },
  };
};

/** Opens a model over an engine, and runs questions over the states of its data. */
export const statesOf = async (model: Model, options: StatesOptions): Promise<States> => {
  const store = await options.openStore();
  // What databases alone need is loaded for them.
  const states = store.begin ? (await import('./live.ts')).liveStates(model, store, options) : fileStates(model, store, options);
  return untilClosed(await states);
};
