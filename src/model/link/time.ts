// Links windows and comparisons: those that are built in, and the model's own.
import { suggest } from '../../errors.ts';
import { parseSeenAs, parseShift, parseWindow, type Shift } from '../../windows/syntax.ts';
import { builtInWindows } from '../builtin.ts';
import type { Faults } from '../faults.ts';
import type { Path } from '../keys.ts';
import type { Comparison, NamedWindow } from '../model.ts';
import type { ModelInput } from '../schema.ts';
import type { LinkedCalendar } from './calendar.ts';

export const linkWindows = (input: ModelInput, { units, systems, custom }: LinkedCalendar, faults: Faults): Map<string, NamedWindow> => {
  const windows = new Map<string, NamedWindow>();
  const addWindow = (
    name: string,
    text: string,
    path: Path,
    parts: Pick<NamedWindow, 'label' | 'full' | 'builtIn'>,
    previousText?: string,
  ): void => {
    const window = faults.attempt(path, () => parseWindow(text, units));
    const previous = previousText === undefined ? undefined : faults.attempt([...path, 'previous'], () => parseShift(previousText, units));
    if (window) windows.set(name, { name, text, window, previous, ...parts });
  };
  for (const [name, text, previous] of builtInWindows(systems, custom))
    addWindow(name, text, ['windows', name], { label: undefined, full: false, builtIn: true }, previous);
  for (const [name, window] of Object.entries(input.windows ?? {})) {
    if (window === false) {
      if (!windows.delete(name))
        faults.add(
          ['windows', name],
          'unknown-window',
          `there is no built-in window "${name}" to hide`,
          suggest(name, windows.keys(), 'windows'),
        );
      continue;
    }
    const path = ['windows', name];
    const made = typeof window === 'string' ? { is: window } : window;
    addWindow(name, made.is, path, { label: made.label, full: made.full ?? false, builtIn: false }, made.previous);
  }
  return windows;
};

/** A shift by name or text: `previous`, `year-earlier`, `-P1Y`, `-1 week-year`. */
const namedShift = (text: string, units: readonly string[]): Shift =>
  text === 'previous' || text === 'year-earlier' ? { kind: text } : parseShift(text, units);

const PLAIN = { match: 'elapsed', asOf: undefined, knownBy: undefined, label: undefined } as const;

export const linkComparisons = (input: ModelInput, { units }: LinkedCalendar, faults: Faults): Map<string, Comparison> => {
  const comparisons = new Map<string, Comparison>([
    ['previous', { name: 'previous', shift: { kind: 'previous' }, ...PLAIN }],
    ['year-earlier', { name: 'year-earlier', shift: { kind: 'year-earlier' }, ...PLAIN }],
  ]);
  for (const [name, comparison] of Object.entries(input.comparisons ?? {})) {
    const path = ['comparisons', name];
    const made: Exclude<typeof comparison, string> = typeof comparison === 'string' ? { shift: comparison } : comparison;
    const seen = made.asOf !== undefined || made.knownBy !== undefined;
    if (made.shift !== undefined ? made.base !== undefined : made.base === undefined && !seen) {
      faults.add(
        path,
        'bad-comparison',
        `comparison "${name}" needs either a shift or a base, or a day that it is seen as of`,
        'For example `{ shift: -P1Y }`, `{ base: 2026-01 }` or `{ as-of: -P1W }`.',
      );
      continue;
    }
    const shiftPath = [...path, ...(typeof comparison === 'string' ? [] : ['shift'])];
    const shift = ((): Shift | undefined => {
      if (made.base !== undefined) return { kind: 'base', period: String(made.base) };
      if (made.shift === undefined) return { kind: 'stay' };
      const text = made.shift;
      return faults.attempt(shiftPath, () => namedShift(text, units));
    })();
    const seenAs = (text: string | undefined, key: string, what: 'as-of' | 'known-by') =>
      text === undefined ? undefined : faults.attempt([...path, key], () => parseSeenAs(text, what));
    const [asOf, knownBy] = [seenAs(made.asOf, 'asOf', 'as-of'), seenAs(made.knownBy, 'knownBy', 'known-by')];
    if (shift) comparisons.set(name, { name, shift, match: made.match ?? 'elapsed', asOf, knownBy, label: made.label });
  }
  return comparisons;
};
