// The calendar, ranges and windows of a book.
import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import { rangeOf } from '../plan/axis.ts';
import { yearsIn } from '../plan/calendar.ts';
import { baseYears } from '../plan/extent.ts';
import { actualHistory, daysReached, type LaidSpan, modelReach, spansLaid } from '../plan/windows.ts';
import { anchorDays, asOfIn, type BookRecord, within } from './record.ts';
import type { WindowsOptions } from './types.ts';

/** The calendar over all data and what windows and comparisons reach from the as-of date (U8); or over a range. */
export const calendarOf = (book: BookRecord, own?: { readonly first: Day; readonly last: Day }): Promise<Calendar> => {
  const { states, model } = book;
  const given = own ?? book.range;
  if (given) return states.run((state) => state.calendarOver([given.first, given.last]));
  return states.run(async (state) => {
    const asOf = await asOfIn(book, state, model.asOf);
    const days = await anchorDays(book, state, asOf);
    const wide = await state.calendarOver([...days, ...baseYears(model)], (unitDays) => modelReach(model, unitDays));
    return state.calendarOver([...days, ...daysReached(model, wide, asOf)]);
  });
};

/** First and last day of a range (A5). */
export const rangeDays = (book: BookRecord, text: string, asOfText?: string): Promise<{ readonly first: Day; readonly last: Day }> =>
  within(book, asOfText, { days: yearsIn(text), reaching: (unitDays) => modelReach(book.model, unitDays) }, (asOf, calendar, bounds) =>
    rangeOf(text, book.model, calendar, asOf, actualHistory(book.model, bounds)),
  );

/** Windows and comparisons with the days they cover. */
export const windowsOf = (book: BookRecord, options: WindowsOptions = {}): Promise<readonly LaidSpan[]> =>
  spansLaid(book.model, options, (asOf, more, run) => within(book, asOf, more, run));
