// Faults of a model, gathered instead of thrown one by one, each with its place in the text.
import { allOf, DurchblickError, type TextPlace } from '../errors.ts';
import { kebab, type Locate, type Path, pathText } from './keys.ts';

/** Collects faults instead of stopping at the first, so that one look at a model tells them all. */
export interface Faults {
  readonly list: readonly DurchblickError[];
  readonly locate: Locate;
  readonly add: (path: Path, code: string, message: string, hint?: string) => void;
  /** Runs something that may fail; its error gets the place of the path. */
  readonly attempt: <T>(path: Path, run: () => T) => T | undefined;
  /** Throws the first fault, with all of them in `all`, where there are any. */
  readonly end: () => void;
}

/** Checks stop after this many faults. */
const MAX_FAULTS = 100;

/** Whether a path lies in one of some things. */
const isWithin = (path: Path, things: readonly Path[]): boolean =>
  things.some((thing) => thing.length > 0 && thing.every((step, k) => kebab(String(step)) === kebab(String(path[k]))));

/** `blamed`: things in which something else is wrong already; what is found in them may come of that, and is left out. */
export const collectFaults = (locate: Locate, blamed: readonly Path[] = []): Faults => {
  const list: DurchblickError[] = [];
  const placeOf = (path: Path): TextPlace => locate(path) ?? { path: pathText(path) };
  return {
    list,
    locate,
    add: (path, code, message, hint) => {
      if (!isWithin(path, blamed)) list.push(new DurchblickError(code, message, { place: placeOf(path), hint }));
    },
    attempt: (path, run) => {
      if (list.length >= MAX_FAULTS) return undefined;
      try {
        return run();
      } catch (error) {
        if (!(error instanceof DurchblickError)) throw error;
        if (!isWithin(path, blamed)) list.push(error.located(placeOf(path)));
        return undefined;
      }
    },
    end: () => {
      if (list.length > 0) throw allOf(list);
    },
  };
};
