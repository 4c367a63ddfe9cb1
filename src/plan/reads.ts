// Which days of a fact are read: all that there are, or those that questions reach, where reading more costs more.
import type { Day } from '../calendar/day.ts';
import type { Fact } from '../model/model.ts';
import type { Bounds } from './request.ts';

/** Days that questions have reached so far, and how often they reached further than before. */
export interface Reached {
  readonly from: Day;
  readonly to: Day;
  readonly times: number;
}

/** What has been reached of each fact and role. */
export type Reads = Map<string, Reached>;

export const readKey = (fact: Fact, role: string): string => `${fact.name} ${role}`;

/** What is reached once more days are. Days that have no rows need not be reached. */
export const reachedWith = (before: Reached | undefined, from: Day, to: Day, all: Bounds | undefined): Reached => {
  const [first, last] = [Math.max(from, all?.first ?? from), Math.min(to, all?.last ?? to)];
  if (!before) return { from: first, to: last, times: 1 };
  if (first >= before.from && last <= before.to) return before;
  return { from: Math.min(first, before.from), to: Math.max(last, before.to), times: before.times + 1 };
};

/** Data over more days than this are read no further than questions reach: a far date must not cost what it spans. */
const MOST_DAYS = 150_000;

/** Days of a fact that scans read. Where only what is asked for is read, all are the second time that is not enough. */
export const readDays = (fact: Fact, reached: Reached | undefined, all: Bounds | undefined, reads: 'all' | 'asked'): Bounds | undefined => {
  if (fact.grain !== 'day' || !all) return all;
  const isLong = all.last - all.first > MOST_DAYS;
  if (reads === 'all' && !isLong) return all;
  if (!reached) return undefined;
  if (reached.times > 1 && !isLong) return all;
  return { first: Math.max(reached.from, all.first), last: Math.min(reached.to, all.last) };
};

/** Takes over what a plan has reached, beside what others have reached meanwhile. */
export const addReads = (known: Reads, plan: ReadonlyMap<string, Reached>): void => {
  for (const [key, { from, to, times }] of plan) {
    const before = known.get(key);
    if (!before) known.set(key, { from, to, times });
    else if (from < before.from || to > before.to)
      known.set(key, { from: Math.min(from, before.from), to: Math.max(to, before.to), times: Math.max(times, before.times + 1) });
  }
};
