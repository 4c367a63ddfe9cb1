// Stretches of days that cubes are cut into. Every list of them is made here, so that the same key is always the same days.
import type { Calendar } from '../calendar/calendar.ts';
import { type Day, FIRST_DAY, LAST_DAY } from '../calendar/day.ts';
import type { Fact } from '../model/model.ts';
import type { Bounds, Segments } from './request.ts';

const made = (key: readonly (string | number)[], starts: Int32Array, ends: Int32Array): Segments => ({ key: key.join(':'), starts, ends });

/** One stretch of days. */
export const oneSegment = (first: Day, last: Day): Segments => made(['days', first, last], Int32Array.of(first), Int32Array.of(last));

/** One segment for all days there are. */
export const ALL_TIME: Segments = oneSegment(FIRST_DAY, LAST_DAY);

const NONE: Segments = made(['none'], new Int32Array(0), new Int32Array(0));

/** Segments of as many days each from a first to a last day; the last may reach beyond it. */
export const equalSegments = ({ first, last }: Bounds, days: number): Segments => {
  const starts = Int32Array.from({ length: Math.ceil((last - first + 1) / days) }, (_, k) => first + k * days);
  return made(['each', days, first, last], starts, days === 1 ? starts : starts.map((start) => start + days - 1));
};

/** Segments from each cut to the next, the last of them up to a last day. */
export const cutSegments = (cuts: Iterable<Day>, last: Day): Segments => {
  const starts = Int32Array.from(cuts).sort();
  const ends = Int32Array.from(starts, (_, k) => (k + 1 < starts.length ? starts[k + 1] - 1 : last));
  return made(['cut', starts.join(), last], starts, ends);
};

/** Some of the segments there are, by their places; `key` tells them from every other choice. */
export const pickedSegments = ({ key: all, starts, ends }: Segments, places: Int32Array, key: string): Segments =>
  made(
    [all, 'on', key],
    places.map((s) => starts[s]),
    places.map((s) => ends[s]),
  );

/** Segments by fact and stretch, made once each: single days for daily facts, the fact's own periods for coarse ones. */
export type FactSegments = (fact: Fact, stretch: Bounds | undefined, calendar: Calendar) => Segments;

export const factSegments = (): FactSegments => {
  const known = new Map<string, Segments>();
  return (fact, stretch, calendar) => {
    if (!stretch || stretch.last < stretch.first) return NONE;
    const key = `${fact.grain}:${stretch.first}:${stretch.last}`;
    let segments = known.get(key);
    if (!segments) {
      const periods = fact.grain === 'day' ? undefined : calendar.range(fact.grain, stretch.first, stretch.last);
      segments = periods
        ? made(
            [key],
            Int32Array.from(periods, ({ start }) => start),
            Int32Array.from(periods, ({ end }) => end),
          )
        : equalSegments(stretch, 1);
      if (known.size > 200) known.clear();
      known.set(key, segments);
    }
    return segments;
  };
};
