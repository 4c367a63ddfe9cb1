// The caption of a result in words (R2, C12).
import type { DayRange } from '../evaluate/scope.ts';
import { wordsOf } from '../words/words.ts';

const DAY_MS = 86_400_000;

/** Making a formatter costs a thousand times more than using it. */
const formats = new Map<string, Intl.DateTimeFormat>();
const formatIn = (locale: string): Intl.DateTimeFormat => {
  let format = formats.get(locale);
  if (!format) {
    format = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' });
    formats.set(locale, format);
  }
  return format;
};

/**
 * A stretch of days in words, in a locale: `1–15 Aug 2026`, `28 Jul – 15 Aug 2026`, `15 Aug 2026`. Spaces around the
 * dash vary between runtimes, and results must not (R3): there are none where only the days differ, else one each side.
 */
export const daysInWords = (range: DayRange, locale: string): string => {
  const format = formatIn(locale);
  const parts = format.formatRangeToParts(range.start * DAY_MS, range.end * DAY_MS);
  const single = (source: string) => parts.filter((part) => part.source === source && part.type !== 'literal').length === 1;
  const dash = single('startRange') && single('endRange') ? '–' : ' – ';
  return parts
    .map(({ type, value, source }) =>
      type === 'literal' && source === 'shared' ? value.replace(/[\s\u2009\u202f\u00a0]*–[\s\u2009\u202f\u00a0]*/, dash) : value,
    )
    .join('')
    .replace(/[\u2009\u202f\u00a0]/g, ' ');
};

export const spanRanges = (ranges: Iterable<DayRange | null>): DayRange | undefined => {
  let [start, end] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (const range of ranges) {
    if (!range) continue;
    if (range.start < start) start = range.start;
    if (range.end > end) end = range.end;
  }
  return start <= end ? { start, end } : undefined;
};

/** The days that a caption names. */
export interface CaptionDays {
  /** Days covered by the first actual reading; without one, by the first reading. */
  readonly own: DayRange | undefined;
  /** Days covered by the first reading of a plan, beside an actual one. */
  readonly plan: DayRange | undefined;
  /** Days of the periods shown. */
  readonly periods: DayRange | undefined;
  readonly compared: DayRange | undefined;
  /** As-of and known-by date of the days compared, if they are not those of the query (C12). */
  readonly seen: { readonly asOf?: number; readonly knownBy?: number };
}

/** What a result covers and compares, in words (R2, C12): `1–15 Aug 2026 against 1–15 Aug 2025 as it stood on 15 Aug 2025`. */
export const captionOf = ({ own, plan, periods, compared, seen: { asOf, knownBy } }: CaptionDays, locale: string): string => {
  const day = (one: number): string => daysInWords({ start: one, end: one }, locale);
  const { against, stoodOn, knownOn, actualsTo, notBegun } = wordsOf(locale);
  const covered = (): string => {
    if (!own) return plan ? daysInWords(plan, locale) : periods ? notBegun(daysInWords(periods, locale)) : '';
    const both = plan && spanRanges([own, plan]);
    return both && both.end > own.end ? actualsTo(daysInWords(both, locale), day(own.end)) : daysInWords(own, locale);
  };
  const days = covered();
  if (!compared) return days;
  const stood = `${asOf === undefined ? '' : stoodOn(day(asOf))}${knownBy === undefined ? '' : knownOn(day(knownBy))}`;
  const other = daysInWords(compared, locale);
  return `${days === '' ? other : against(days, other)}${stood}`;
};
