// Publishes again and again: each publication once an interval, spread over it, one at a time.
import { DurchblickError } from '../errors.ts';

const UNITS: Readonly<Record<string, number>> = { s: 1, m: 60, h: 3600, d: 86_400 };
const LONGEST_SECONDS = 7 * 86_400;

/** Seconds of an interval as it is written: `90s`, `15m`, `1h`, `1d`. */
export const intervalOf = (text: string): number => {
  const match = /^([0-9]{1,6})([smhd])$/.exec(text.trim());
  const seconds = match ? Number(match[1]) * UNITS[match[2]] : 0;
  if (seconds >= 1 && seconds <= LONGEST_SECONDS) return seconds;
  throw new DurchblickError('bad-option', `--every is "${text}"`, {
    hint: 'It takes a whole number with s, m, h or d, from 1s to 7d: --every 15m.',
  });
};

export interface Schedule<T> {
  readonly items: readonly T[];
  /** Milliseconds from one run of an item to the next. */
  readonly interval: number;
  readonly run: (item: T) => Promise<void>;
  /** Waits until a time, in milliseconds; true when it was told to end meanwhile. */
  readonly until: (time: number) => Promise<boolean>;
  readonly now: () => number;
}

/**
 * Runs all items at once, one after the other, then each once an interval: the second half an interval after the first where
 * there are two. What could not run in its time, because others took theirs, runs as soon as it can, and is not made up for.
 */
export const runEvery = async <T>({ items, interval, run, until, now }: Schedule<T>): Promise<void> => {
  const start = now();
  const due = items.map((item, k) => ({ item, time: start, next: start + interval + (k * interval) / items.length }));
  for (;;) {
    const first = due.reduce((best, one) => (one.time < best.time ? one : best));
    if (await until(first.time)) return;
    await run(first.item);
    const late = Math.max(0, Math.ceil((now() - first.next) / interval));
    first.time = first.next + late * interval;
    first.next = first.time + interval;
  }
};
