// Holidays of iCalendar files (U10).
import type ICAL from 'ical.js';
import type { Holiday } from '../calendar/calendar.ts';
import { zoneDays } from '../calendar/dates.ts';
import { type Day, dayOf } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';

const DAY_MS = 86_400_000;
/** No calendar of holidays repeats more often than this within its range. */
const MOST = 100_000;

/**
 * The holidays of an iCalendar file between two days, inclusive: recurring and several-day events for every day
 * they touch; timed events for every civil day they touch in the time zone (U10).
 */
export const readHolidays = async (
  text: string,
  name: string,
  timeZone: string,
  first: Day,
  last: Day,
): Promise<(Holiday & { readonly day: Day })[]> => {
  const fail = (message: string): never => {
    throw new DurchblickError('bad-holidays', `${name} ${message}`, {
      kind: 'data',
      hint: 'It must be an iCalendar file (RFC 5545) with VEVENT entries.',
    });
  };
  if (!/^\uFEFF?\s*BEGIN:VCALENDAR/i.test(text)) return fail('is not an iCalendar file');
  const { default: library } = await import('ical.js');
  let root: ICAL.Component;
  try {
    root = new library.Component(library.parse(text.replace(/^\uFEFF/, '')));
  } catch (error) {
    return fail(`cannot be read: ${(error as Error).message}`);
  }
  const inZone = zoneDays(timeZone);
  const civil = (time: ICAL.Time): Day => {
    if (time.isDate) return dayOf(time.year, time.month, time.day);
    // A floating time means the same wall clock everywhere.
    if (time.zone === library.Timezone.localTimezone) return dayOf(time.year, time.month, time.day);
    return inZone(time.toUnixTime() * 1000);
  };
  const found: (Holiday & { readonly day: Day })[] = [];
  const add = (start: ICAL.Time, end: ICAL.Time, title: string): void => {
    const from = civil(start);
    let to = civil(end);
    // Ends are exclusive: an all-day event ends the day before, a timed one that ends at midnight too.
    const atMidnight =
      end.isDate ||
      (to > from &&
        (end.zone === library.Timezone.localTimezone
          ? end.hour + end.minute + end.second === 0
          : inZone(end.toUnixTime() * 1000 - 1) < to));
    if (atMidnight && to > from) to -= 1;
    for (let day = Math.max(from, first); day <= Math.min(to, last); day++) found.push({ day, name: title });
  };
  try {
    for (const zone of root.getAllSubcomponents('vtimezone')) library.TimezoneService.register(zone);
    for (const component of root.getAllSubcomponents('vevent')) {
      const event = new library.Event(component);
      const title = event.summary ?? 'holiday';
      if (!event.startDate) return fail(`has an event "${title}" without a start`);
      if (!event.isRecurring()) {
        add(event.startDate, event.endDate, title);
        continue;
      }
      const times = event.iterator();
      for (let k = 0, time = times.next(); time && k < MOST; k++, time = times.next()) {
        if (Date.UTC(time.year, time.month - 1, time.day) / DAY_MS > last) break;
        const { startDate, endDate } = event.getOccurrenceDetails(time);
        add(startDate, endDate, title);
      }
    }
  } catch (error) {
    if (error instanceof DurchblickError) throw error;
    return fail(`cannot be read: ${(error as Error).message}`);
  }
  return found;
};
