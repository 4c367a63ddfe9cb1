// The calendar as a table, one row a day, and as SQL.
import { DurchblickError } from '../errors.ts';
import type { Calendar } from './calendar.ts';
import { civilOf, type Day, dayOf, isoOf, toDay, weekdayOf } from './day.ts';
import type { Unit } from './unit.ts';

export type ColumnType = 'date' | 'integer' | 'text' | 'boolean';

/** A column of the calendar as a table. Dates are day numbers (D1); null where a day has no period (U7). */
export interface CalendarColumn {
  readonly name: string;
  readonly type: ColumnType;
  /** What it says, for people who find it in their warehouse. */
  readonly comment: string;
  readonly values: readonly (number | string | boolean | null)[];
}

export interface CalendarTable {
  readonly rows: number;
  readonly columns: readonly CalendarColumn[];
}

export interface CalendarTableOptions {
  /** First and last row, inclusive. Default: the days requested from `calendar()`. */
  readonly from?: Day | string;
  readonly to?: Day | string;
  /** Adds offsets (0 = the period of this day, -1 = the one before) and to-date flags. */
  readonly asOf?: Day | string;
}

const snake = (name: string): string => name.replaceAll('-', '_');

/** Adds a column: its name, type, comment, and its value on a day. */
type Add = (name: string, type: ColumnType, comment: string, on: (day: Day) => number | string | boolean | null) => void;

const within = <T>(calendar: Calendar, unit: Unit, day: Day, value: (index: number) => T): T | null => {
  const index = calendar.indexOf(unit, day);
  return index < 0 ? null : value(index);
};

const inWords = ({ name }: Unit): string => name.replaceAll('-', ' ');

const addDays = (calendar: Calendar, add: Add): void => {
  add('date', 'date', 'Civil day; key of this table', (day) => day);
  add('date_key', 'integer', 'The day as yyyymmdd', (day) => {
    const { year, month, day: d } = civilOf(day);
    return year * 10000 + month * 100 + d;
  });
  add('iso_weekday', 'integer', '1 = Monday to 7 = Sunday (ISO 8601)', (day) => weekdayOf(day) + 1);
  add('weekday_long', 'text', `Name of the weekday (${calendar.locale})`, (day) => calendar.name('weekday-long', weekdayOf(day)));
  add('weekday_short', 'text', `Short name of the weekday (${calendar.locale})`, (day) => calendar.name('weekday-short', weekdayOf(day)));
  add('month_long', 'text', `Name of the month (${calendar.locale})`, (day) => calendar.name('month-long', civilOf(day).month - 1));
  add('month_short', 'text', `Short name of the month (${calendar.locale})`, (day) => calendar.name('month-short', civilOf(day).month - 1));
  add('day_of_month', 'integer', 'Day of the civil month, from 1', (day) => civilOf(day).day);
  add('day_of_year', 'integer', 'Day of the civil year, from 1', (day) => day - dayOf(civilOf(day).year, 1, 1) + 1);
  add('is_working_day', 'boolean', 'A weekday of the working week that is no holiday', (day) => calendar.isWorkingDay(day));
  add('holiday', 'text', 'Name of the holiday', (day) => calendar.holiday(day) ?? null);
  for (const name of ['month', 'year']) {
    const unit = calendar.unit(name);
    add(`working_day_of_${name}`, 'integer', `Working days of the civil ${name} up to and including this day`, (day) =>
      within(calendar, unit, day, (i) => calendar.workingDays(unit.starts[i], day)),
    );
  }
};

const addUnit = (calendar: Calendar, unit: Unit, add: Add): void => {
  const [name, what] = [snake(unit.name), inWords(unit)];
  const of = <T>(day: Day, value: (index: number) => T): T | null => within(calendar, unit, day, value);
  add(name, 'text', `Label of the ${what}`, (day) => of(day, unit.label));
  add(`${name}_start`, 'date', `First day of the ${what}`, (day) => of(day, (i) => unit.starts[i]));
  add(`${name}_end`, 'date', `Last day of the ${what}, inclusive`, (day) => of(day, (i) => unit.ends[i]));
  add(`${name}_ordinal`, 'integer', `Running number of the ${what}`, (day) => of(day, (i) => unit.origin + i));
  if (name !== 'year' && name !== 'month')
    add(`day_of_${name}`, 'integer', `Day of the ${what}, from 1`, (day) => of(day, (i) => day - unit.starts[i] + 1));
  const year = unit.yearUnit === undefined ? undefined : calendar.unit(unit.yearUnit);
  if (year && year !== unit) {
    const first = (day: Day): number => within(calendar, year, day, (i) => calendar.indexOf(unit, year.starts[i])) ?? 0;
    add(`${name}_number`, 'integer', `Number of the ${what} in its ${inWords(year)}, from 1`, (day) => of(day, (i) => i - first(day) + 1));
  }
};

/** Offsets from the as-of date, and what lies in its periods up to it. */
const addAsOf = (calendar: Calendar, units: readonly Unit[], asOf: Day, add: Add): void => {
  add('day_offset', 'integer', `Days from ${isoOf(asOf)}; 0 = that day, -1 = the day before`, (day) => day - asOf);
  for (const unit of units) {
    const current = calendar.indexOf(unit, asOf);
    // On a day without a period the next one counts as +1 and the previous as -1.
    const offset = (i: number): number => (current >= 0 ? i - current : i >= ~current ? i - ~current + 1 : i - ~current);
    const what = inWords(unit);
    add(`${snake(unit.name)}_offset`, 'integer', `The ${what} relative to the one of ${isoOf(asOf)}: 0 = current, -1 = last`, (day) =>
      within(calendar, unit, day, offset),
    );
    add(
      `${snake(unit.name)}_to_date`,
      'boolean',
      `In the ${what} of ${isoOf(asOf)}, up to that day`,
      (day) => day <= asOf && calendar.indexOf(unit, day) === current && current >= 0,
    );
  }
};

/** A calendar as a table, one row a day, for those who keep it in their warehouse; it is checked before it is handed out. */
export const calendarTable = (calendar: Calendar, options: CalendarTableOptions = {}): CalendarTable => {
  const [from, to] = [toDay(options.from ?? calendar.from, 'first day'), toDay(options.to ?? calendar.to, 'last day')];
  if (to < from)
    throw new DurchblickError('bad-range', `the table's range runs backwards: ${isoOf(from)} to ${isoOf(to)}`, {
      hint: 'The first day comes first.',
    });
  const rows = to - from + 1;
  const columns: CalendarColumn[] = [];
  const add: Add = (name, type, comment, on) => {
    columns.push({ name, type, comment, values: Array.from({ length: rows }, (_, i) => on(from + i)) });
  };
  const units = [...calendar.units.values()].filter((unit) => unit.basis !== 'day');
  addDays(calendar, add);
  for (const unit of units) addUnit(calendar, unit, add);
  if (options.asOf !== undefined) addAsOf(calendar, units, toDay(options.asOf, 'as-of date'), add);
  const table = { rows, columns };
  checkTable(table, units);
  return table;
};

const broken = (message: string): never => {
  throw new DurchblickError('broken-calendar', message, {
    kind: 'data',
    hint: 'A calendar has every day once, and every unit cuts the days into periods without overlap.',
  });
};

/** Every day once and none missing; every unit a partition of the days, gaps of custom units aside (U1). */
const checkTable = ({ columns }: CalendarTable, units: readonly Unit[]): void => {
  const byName = new Map(columns.map((column) => [column.name, column.values]));
  const values = (name: string) => byName.get(name) as readonly (number | string | null)[];
  const dates = values('date') as readonly number[];
  dates.forEach((day, i) => {
    if (i > 0 && day !== dates[i - 1] + 1) broken(`${isoOf(day)} follows ${isoOf(dates[i - 1])}`);
  });
  for (const unit of units) {
    const name = snake(unit.name);
    const [labels, starts, ends] = [values(name), values(`${name}_start`), values(`${name}_end`)];
    const seen = new Map<string, number>();
    dates.forEach((day, i) => {
      const [start, end, label] = [starts[i] as number | null, ends[i] as number | null, labels[i] as string];
      if (start === null || end === null) {
        if (unit.basis !== 'own') broken(`${isoOf(day)} lies in no ${unit.name}`);
        return;
      }
      if (day < start || day > end) broken(`${isoOf(day)} lies outside its ${unit.name} ${label}`);
      const known = seen.get(label);
      if (known !== undefined && known !== start) broken(`two periods of ${unit.name} are called ${label}`);
      seen.set(label, start);
    });
  }
};

/** A cell as people and files write it: dates `YYYY-MM-DD`. */
export const cellText = (type: ColumnType, value: number | string | boolean | null): string =>
  value === null ? '' : type === 'date' ? isoOf(value as number) : String(value);

const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;
const literal = (type: ColumnType, value: number | string | boolean | null): string => {
  if (value === null) return 'null';
  if (type === 'date') return `date '${isoOf(value as number)}'`;
  return type === 'text' ? `'${String(value).replaceAll("'", "''")}'` : String(value);
};

const BATCH = 500;

/** The table as SQL: `create table` with comments and key, then inserts in batches. Standard enough for any database. */
export const calendarSql = ({ rows, columns }: CalendarTable, name: string): string => {
  const table = name.split('.').map(quoted).join('.');
  const definitions = columns.map((column) => `  ${quoted(column.name)} ${column.type}${column.name === 'date' ? ' primary key' : ''}`);
  const comments = columns.map(
    (column) => `comment on column ${table}.${quoted(column.name)} is '${column.comment.replaceAll("'", "''")}';`,
  );
  const lines = [
    `create table ${table} (`,
    definitions.join(',\n'),
    ');',
    `comment on table ${table} is 'Calendar, one row a day';`,
    ...comments,
  ];
  for (let start = 0; start < rows; start += BATCH) {
    const values: string[] = [];
    for (let i = start; i < Math.min(start + BATCH, rows); i++) {
      values.push(`  (${columns.map((column) => literal(column.type, column.values[i])).join(', ')})`);
    }
    lines.push(`insert into ${table} values\n${values.join(',\n')};`);
  }
  return `${lines.join('\n')}\n`;
};
