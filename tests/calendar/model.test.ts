import { beforeAll, expect, test } from 'vitest';
import { loadZones } from '../../src/calendar/dates.ts';
import { readHolidays } from '../../src/files/ics.ts';
import { defineModel, isoOf, open, toDay } from '../../src/index.ts';
import { engineOver, openBook, table } from '../setup/builders.ts';

beforeAll(() => loadZones('Europe/Berlin'));

test('U6, U7, U10: years, seasons and holidays from tables of the model', async () => {
  const model = defineModel({
    calendar: {
      yearSystems: { own: { table: 'years', start: 'starts', end: 'ends', label: 'name' } },
      periods: { season: { table: 'seasons', start: 'starts', label: 'name' } },
      workingDays: { holidays: { table: 'free', date: 'day', name: 'name' } },
    },
    sources: { rows: {}, years: {}, seasons: {}, free: {} },
    facts: { f: { source: 'rows', dates: { on: 'day' }, measures: { n: { sum: 'n' } } } },
  });
  const tables = {
    rows: [
      { day: '2026-06-30', n: 1 },
      { day: '2026-07-01', n: 2 },
      { day: 20260801, n: 4 },
    ],
    years: [
      { starts: '2025-07-03', ends: null, name: 'Y1' },
      { starts: '2026-07-01', ends: '2027-06-30', name: 'Y2' },
    ],
    seasons: [
      { starts: '2026-02-20', name: 'Spring' },
      { starts: '2026-07-15', name: 'Summer' },
    ],
    free: [{ day: '2026-07-02', name: 'Garden day' }],
  };
  const book = await openBook(model, engineOver(tables));
  expect((await book.ask({ show: ['n', 'working-days'], by: 'own-year' })).rows).toEqual(table('Y1 1 259 | Y2 6 22'));
  expect((await book.ask({ show: ['n over season-to-date'], range: 'Summer' })).rows).toEqual([['2026-07-15/2026-08-01', 4]]);
  expect((await book.calendar()).holiday(toDay('2026-07-02'))).toBe('Garden day');
  const wrong = { ...tables, years: [...tables.years].reverse() };
  await expect(open(model, engineOver(wrong))).rejects.toMatchObject({ code: 'bad-periods', kind: 'data' });
});

test('U10: recurring, several-day and timed events, each on every civil day it touches in the time zone', async () => {
  const event = (...lines: readonly string[]) => ['BEGIN:VEVENT', `UID:${lines.join()}`, ...lines, 'END:VEVENT'];
  const text = [
    'BEGIN:VCALENDAR',
    'VERSION:2.0',
    ...event('SUMMARY:Yearly', 'DTSTART;VALUE=DATE:20200501', 'RRULE:FREQ=YEARLY', 'EXDATE;VALUE=DATE:20250501'),
    ...event('SUMMARY:Fair', 'DTSTART;VALUE=DATE:20260910', 'DTEND;VALUE=DATE:20260913'),
    ...event('SUMMARY:Night', 'DTSTART:20260620T213000Z', 'DTEND:20260620T223000Z'),
    ...event('SUMMARY:Evening', 'DTSTART:20260621T180000Z', 'DTEND:20260621T220000Z'),
    'END:VCALENDAR',
  ].join('\r\n');
  const found = (await readHolidays(text, 'free.ics', 'Europe/Berlin', toDay('2025-01-01'), toDay('2026-12-31'))).map(
    ({ day, name }) => `${isoOf(day)} ${name}`,
  );
  expect(found.sort()).toEqual([
    '2026-05-01 Yearly',
    '2026-06-20 Night',
    '2026-06-21 Evening',
    '2026-06-21 Night',
    '2026-09-10 Fair',
    '2026-09-11 Fair',
    '2026-09-12 Fair',
  ]);
  await expect(readHolidays('BEGIN:VCALENDAR\r\nBEGIN:VEVENT', 'x.ics', 'UTC', 0, 1)).rejects.toThrow(/x\.ics/);
});
