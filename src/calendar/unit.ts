// A unit: one sorted list of period starts (U1).
import type { Day } from './day.ts';

/** What a unit is made of; decides which shifts it can take (C3, C4). */
export type Basis = 'day' | 'week' | 'month' | 'own';

/**
 * A calendar unit: one sorted list of period starts (U1). Periods are addressed by their index in that list.
 * `ends` are inclusive; between `ends[i]` and `starts[i + 1]` lie only days without a period (U7).
 */
export interface Unit {
  readonly name: string;
  readonly starts: Int32Array;
  readonly ends: Int32Array;
  readonly basis: Basis;
  /** Months in a period of a month-based unit; 0 for all others. */
  readonly months: number;
  /** The year unit of the same family: what `year-earlier` steps by (C5); undefined for custom units. */
  readonly yearUnit: string | undefined;
  /** A number for `starts[0]` that does not depend on where the calendar begins. */
  readonly origin: number;
  readonly label: (index: number) => string;
}

/** An index lookup by day: `>= 0` is the period of the day; `~i` says no period, the next one is `i`. */
export type Ordinals = Int32Array;

/** One entry a day from `first` to `last`: the period each day lies in, so that every later lookup is an array read. */
export const ordinalsOf = (unit: Unit, first: Day, last: Day): Ordinals => {
  const { starts, ends } = unit;
  const table = new Int32Array(last - first + 1);
  let from = first;
  for (let i = 0; i < starts.length && from <= last; i++) {
    const start = Math.min(Math.max(starts[i], first), last + 1);
    if (start > from) table.fill(~i, from - first, start - first);
    const stop = Math.min(ends[i], last) + 1;
    if (stop > start) table.fill(i, start - first, stop - first);
    from = Math.max(from, start, stop);
  }
  if (from <= last) table.fill(~starts.length, from - first);
  return table;
};

export interface UnitParts {
  readonly name: string;
  /** Starts of the periods; for a gapless unit one more, which ends the last period. */
  readonly starts: readonly number[] | Int32Array;
  readonly ends?: readonly number[] | Int32Array;
  readonly basis: Basis;
  readonly months?: number;
  readonly yearUnit?: string;
  readonly origin?: number;
  readonly label: (index: number) => string;
}

/** Makes a unit from its list. Labels are made once each, on demand. */
export const unitOf = (parts: UnitParts): Unit => {
  const gapless = parts.ends === undefined;
  const count = gapless ? parts.starts.length - 1 : parts.starts.length;
  const all = Int32Array.from(parts.starts);
  const starts = all.subarray(0, count);
  const ends = gapless ? all.slice(1) : Int32Array.from(parts.ends as ArrayLike<number>);
  // In a gapless unit every period ends the day before the next begins.
  if (gapless) for (let i = 0; i < count; i++) ends[i]--;
  const labels: (string | undefined)[] = [];
  return {
    name: parts.name,
    starts,
    ends,
    basis: parts.basis,
    months: parts.months ?? 0,
    yearUnit: parts.yearUnit,
    origin: parts.origin ?? 0,
    label: (index) => {
      const known = labels[index];
      if (known !== undefined) return known;
      const made = parts.label(index);
      labels[index] = made;
      return made;
    },
  };
};
