// Which periods get a label on an axis.
import type { PlainResult } from '../result/types.ts';

type Result = Pick<PlainResult, 'periods' | 'unit' | 'locale'>;

/** A period that gets a label on the axis. */
export interface Tick {
  readonly index: number;
  readonly label: string;
}

/** Pixels that a character of an axis label takes, and the least between two labels. */
const CHARACTER = 7;
const GAP = 12;

/** Whether any two labels would come too close: they stand in the middle of their periods. */
const collide = (ticks: readonly Tick[], count: number, width: number): boolean => {
  const step = width / count;
  return ticks.some(({ index, label }, k) => {
    const next = ticks[k + 1];
    return next !== undefined && (next.index - index) * step < ((label.length + next.label.length) / 2) * CHARACTER + GAP;
  });
};

const dated = (locale: string, options: Intl.DateTimeFormatOptions): ((iso: string) => string) => {
  const format = new Intl.DateTimeFormat(locale, { ...options, timeZone: 'UTC' });
  return (iso) => format.format(Date.parse(iso));
};

/**
 * Labels for the periods of an axis so many pixels long, as many as fit without touching: all, or the first of each
 * month, quarter or year, or every so many. Undefined where periods have names of their own that do not fit: those
 * want an axis that runs down the page.
 */
export const ticksOf = ({ periods, unit, locale }: Result, width: number): readonly Tick[] | undefined => {
  const day = dated(locale, { day: 'numeric', month: 'short' });
  const [month, monthOfYear] = [dated(locale, { month: 'short' }), dated(locale, { month: 'short', year: 'numeric' })];
  const all = periods.map((period, index) => ({ index, label: unit === 'day' ? day(period.start) : period.label }));
  if (!collide(all, periods.length, width)) return all;
  if (unit === null) return undefined;
  const part = (index: number, length: number): string => periods[index].start.slice(0, length);
  const starts = (length: number, every: number): Tick[] =>
    all.filter(({ index }) => {
      if ((Number(part(index, 7).slice(5)) - 1) % every !== 0 || (every === 12 && part(index, 7).slice(5) !== '01')) return false;
      return index === 0 ? periods[0].start.endsWith('-01') : part(index, length) !== part(index - 1, length);
    });
  // The year is said once, and again where it changes.
  const months = (ticks: readonly Tick[]): Tick[] =>
    ticks.map(({ index }, k) => {
      const again = k > 0 && part(ticks[k - 1].index, 4) === part(index, 4);
      return { index, label: (again ? month : monthOfYear)(periods[index].start) };
    });
  const years = (ticks: readonly Tick[]): Tick[] => ticks.map(({ index }) => ({ index, label: part(index, 4) }));
  const calendars = ['day', 'week', 'month'].includes(unit) ? [months(starts(7, 1)), months(starts(7, 3)), years(starts(7, 12))] : [];
  const steps = [2, 3, 4, 5, 6, 8, 10, 12, 15, 20, 25, 50, 100, 200, 500, 1000].map((step) =>
    all.filter(({ index }) => index % step === 0),
  );
  return [...calendars.filter((ticks) => ticks.length >= 3), ...steps].find((ticks) => !collide(ticks, periods.length, width)) ?? [all[0]];
};
