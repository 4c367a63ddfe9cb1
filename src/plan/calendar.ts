// The model's calendar made of its rules and tables (U6, U7, U10).
import { type Calendar, type CalendarOptions, calendar, type Holiday, type NameSet, type YearSystem } from '../calendar/calendar.ts';
import { dateReader } from '../calendar/dates.ts';
import { type Day, dayOf, FIRST_DAY, LAST_DAY, NO_DAY, parseIsoDay, type Weekday } from '../calendar/day.ts';
import type { PeriodRow } from '../calendar/systems.ts';
import { DurchblickError } from '../errors.ts';
import type { Model } from '../model/model.ts';
import { isList } from '../model/schema.ts';
import type { CalendarTables } from './request.ts';

/** The calendar rules of a model with their tables read; a calendar is built from them for any range. */
export type CalendarRules = Omit<CalendarOptions, 'from' | 'to'> & {
  readonly holidaysBetween: (first: Day, last: Day) => Promise<readonly Holiday[]>;
};

const fail = (path: string, message: string, hint: string, kind: 'request' | 'data' = 'data'): never => {
  throw new DurchblickError('bad-calendar', `${path}: ${message}`, { hint, kind });
};

const isoDay = (text: string, path: string): Day =>
  parseIsoDay(text) ?? fail(path, `"${text}" is not a date`, 'Write YYYY-MM-DD.', 'request');

type Listed = Readonly<Record<string, string | { readonly starts: string; readonly ends?: string }>>;

const listedRows = (rows: Listed, path: string): PeriodRow[] =>
  Object.entries(rows).map(([label, row]) => {
    const { starts, ends } = typeof row === 'string' ? { starts: row, ends: undefined } : row;
    return { label, start: isoDay(starts, path), ...(ends === undefined ? {} : { end: isoDay(ends, path) }) };
  });

/** Reads the tables that a model's calendar names: years, custom periods, holidays (U6, U7, U10). */
export const calendarRules = async (model: Model, tables: CalendarTables): Promise<CalendarRules> => {
  const input = model.input.calendar ?? {};
  const reader = dateReader({ timeZone: model.timeZone, grain: 'day' });
  const dayIn = (value: unknown, path: string, column: string, row: number): Day | undefined => {
    const day = reader(value);
    if (day === undefined)
      fail(path, `row ${row + 1}, column ${column}: "${String(value)}" is not a date`, 'Dates are written YYYY-MM-DD.');
    return day === NO_DAY ? undefined : day;
  };
  const tableRows = async (path: string, table: string, columns: { start: string; end?: string; label: string }): Promise<PeriodRow[]> => {
    if (!model.sources.has(table))
      fail(path, `there is no source "${table}"`, `Sources: ${[...model.sources.keys()].join(', ')}.`, 'request');
    const rows = await tables.rows(table, [columns.start, columns.label, ...(columns.end ? [columns.end] : [])]);
    return rows.map((row, i) => {
      const start = dayIn(row[columns.start], path, columns.start, i);
      const end = columns.end === undefined ? undefined : dayIn(row[columns.end], path, columns.end, i);
      if (start === undefined) return fail(path, `row ${i + 1} of ${table} has no start`, 'Every period needs a start date.');
      return { label: String(row[columns.label]), start, ...(end === undefined ? {} : { end }) };
    });
  };
  const yearSystems: Record<string, YearSystem> = {};
  for (const [name, system] of Object.entries(input.yearSystems ?? {})) {
    const path = `calendar.year-systems.${name}`;
    const { pattern, ends, starts, numberBy, label } = system;
    if (system.table !== undefined)
      yearSystems[name] = {
        rows: await tableRows(path, system.table, { start: system.start as string, end: system.end, label: system.label as string }),
      };
    else if (system.years !== undefined) yearSystems[name] = { rows: listedRows(system.years, path) };
    else if (pattern !== undefined && ends !== undefined) yearSystems[name] = { pattern, ends, numberBy, label };
    else yearSystems[name] = { starts: starts as string, numberBy, label };
  }
  const periods: Record<string, readonly PeriodRow[]> = {};
  for (const [name, unit] of Object.entries(input.periods ?? {})) {
    const path = `calendar.periods.${name}`;
    if (unit.rows !== undefined) periods[name] = listedRows(unit.rows, path);
    else if (unit.table === undefined || unit.start === undefined || unit.label === undefined)
      fail(
        path,
        'it needs a table with the columns of start and label, or rows',
        'For example `{ table: seasons, start: starts_on, label: name }`.',
        'request',
      );
    else periods[name] = await tableRows(path, unit.table, { start: unit.start, end: unit.end, label: unit.label });
  }
  const listed = input.workingDays?.holidays;
  const holidaysBetween = async (first: Day, last: Day): Promise<readonly Holiday[]> => {
    if (listed === undefined) return [];
    if (typeof listed === 'string') return tables.holidays(listed, model.timeZone, first, last);
    if (isList(listed)) return listed.map((text) => ({ day: isoDay(text, 'calendar.working-days.holidays'), name: 'holiday' }));
    const rows = await tables.rows(listed.table, [listed.date, ...(listed.name ? [listed.name] : [])]);
    return rows.flatMap((row, i) => {
      const day = dayIn(row[listed.date], 'calendar.working-days.holidays', listed.date, i);
      return day === undefined ? [] : [{ day, name: listed.name ? String(row[listed.name]) : 'holiday' }];
    });
  };
  const week = typeof input.week === 'object' ? { starts: input.week.starts as Weekday, minDays: input.week.minDays } : input.week;
  return {
    week,
    locale: model.locale,
    yearSystems,
    periods,
    workingDays: { week: input.workingDays?.week },
    names: input.names as Partial<Record<NameSet, Record<string, string>>> | undefined,
    holidaysBetween,
  };
};

/** Builds a model's calendar around some days, with a margin of days on both sides. */
export const buildCalendar = async (rules: CalendarRules, first: Day, last: Day, margin: number): Promise<Calendar> => {
  const from = Math.max(first - margin, FIRST_DAY);
  const to = Math.min(last + margin, LAST_DAY);
  // A calendar reaches from whole years to whole years of every system.
  const holidays = await rules.holidaysBetween(Math.max(from - 400, FIRST_DAY), Math.min(to + 400, LAST_DAY));
  return calendar({ ...rules, workingDays: { ...rules.workingDays, holidays }, from, to });
};

/** Days of any four-digit year in a text, so that periods of far years are found (U9). */
export const yearsIn = (text: string): Day[] =>
  [...text.matchAll(/(?<!\d)\d{4}(?!\d)/g)]
    .map(([year]) => Number(year))
    .filter((year) => year >= 1)
    .flatMap((year) => [dayOf(year, 1, 1), dayOf(year, 12, 31)]);
