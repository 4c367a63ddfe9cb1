import { DurchblickError, type TextPlace } from '../errors.ts';
import { type Locate, type Path, pathText } from './keys.ts';

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

export const collectFaults = (locate: Locate): Faults => {
  const list: DurchblickError[] = [];
  const placeOf = (path: Path): TextPlace => locate(path) ?? { path: pathText(path) };
  return {
    list,
    locate,
    add: (path, code, message, hint) => void list.push(new DurchblickError(code, message, { place: placeOf(path), hint })),
    attempt: (path, run) => {
      try {
        return run();
      } catch (error) {
        if (!(error instanceof DurchblickError)) throw error;
        list.push(error.located(placeOf(path)));
        return undefined;
      }
    },
    end: () => {
      if (list.length === 0) return;
      const { code, message, kind, place, hint, text, at } = list[0];
      throw new DurchblickError(code, message, { kind, place, hint, text, at, all: list });
    },
  };
};
