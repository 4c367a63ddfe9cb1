// Days as relations: a database makes the days itself, and a statement says no more than where something changes.
import type { Day } from '../../calendar/day.ts';
import type { WorkingDays } from '../../plan/request.ts';
import type { Dialect } from './dialect.ts';

/** Consecutive days along which every number grows evenly. */
interface Stretch {
  readonly first: Day;
  readonly last: Day;
  /** Of each column the number on the first day, and by how much it grows each day. */
  readonly numbers: readonly (readonly [start: number, step: number])[];
}

type Columns = Readonly<Record<string, ArrayLike<number>>>;

/** As few stretches as days in order and their numbers come down to. */
const stretchesOf = (days: ArrayLike<Day>, columns: readonly ArrayLike<number>[]): Stretch[] => {
  const found: Stretch[] = [];
  for (let from = 0; from < days.length; ) {
    const isNext = (k: number): boolean => k < days.length && days[k] === days[k - 1] + 1;
    const steps = columns.map((column) => (isNext(from + 1) ? column[from + 1] - column[from] : 0));
    let to = from;
    while (isNext(to + 1) && columns.every((column, c) => column[to + 1] - column[to] === steps[c])) to++;
    // A day on which another stretch begins belongs to that one: two days say nothing of how something grows.
    const isShort = to === from + 1 && isNext(to + 1) && steps.some((step) => step !== 0);
    const last = isShort ? from : to;
    found.push({ first: days[from], last: days[last], numbers: columns.map((column, c) => [column[from], last > from ? steps[c] : 0]) });
    from = last + 1;
  }
  return found;
};

/** Rows of values on lines that can be read. */
const valueLines = (rows: readonly string[]): string => {
  const lines: string[] = [];
  for (const row of rows) {
    const line = lines[lines.length - 1];
    if (line !== undefined && line.length + row.length < 140) lines[lines.length - 1] = `${line}, ${row}`;
    else lines.push(row);
  }
  return lines.join(',\n      ');
};

/** A relation with a row for each of some days, in order, and whole numbers beside it. */
const dayTable = ({ eachDay }: Dialect, name: string, days: ArrayLike<Day>, columns: Columns): string => {
  const names = Object.keys(columns);
  const stretches = stretchesOf(days, Object.values(columns));
  const grows = names.map((_, c) => stretches.some(({ numbers }) => numbers[c][1] !== 0));
  const fields = ['first', 'last', ...names.flatMap((own, c) => (grows[c] ? [own, `${own}_step`] : [own]))];
  const rows = stretches.map(({ first, last, numbers }) => {
    const own = numbers.flatMap(([start, step], c) => (grows[c] ? [start, step] : [start]));
    return `(${[first, last, ...own].join(', ')})`;
  });
  const values = names.map((own, c) => (grows[c] ? `s.${own} + s.${own}_step * (d.day - s.first) as ${own}` : `s.${own}`));
  return `(select ${['d.day', ...values].join(', ')}
    from (values ${valueLines(rows)}) as s (${fields.join(', ')}), ${eachDay('s.first', 's.last')} as d (day)) as ${name}`;
};

/** What stands beside the day of a row: as values by name, with what must be joined for them and what rows must meet. */
export interface BesideDay {
  readonly values: Readonly<Record<string, string>>;
  readonly join: string;
  readonly conditions: readonly string[];
}

/** Longer lists would make a statement longer than engines take: days are joined then. */
const LONGEST_LIST = 20_000;

/** Whole numbers beside days in order, for rows whose day is among them; others fall out. */
export const besideDay = (dialect: Dialect, name: string, days: ArrayLike<Day>, columns: Columns, day: string): BesideDay => {
  const { lookup } = dialect;
  const names = Object.keys(columns);
  const [first, last] = [days[0], days[days.length - 1]];
  if (!lookup || days.length === 0 || last - first >= LONGEST_LIST)
    return {
      values: Object.fromEntries(names.map((own) => [own, `${name}.${own}`])),
      join: `join ${dayTable(dialect, name, days, columns)} on ${name}.day = ${day}`,
      conditions: [],
    };
  const values = Object.fromEntries(
    Object.entries(columns).map(([own, column]) => {
      const list = new Array<number | null>(last - first + 1).fill(null);
      for (let k = 0; k < days.length; k++) list[days[k] - first] = column[k];
      return [own, lookup(list, `${day} - ${first} + 1`)];
    }),
  );
  const hasGaps = days.length < last - first + 1;
  return { values, join: '', conditions: [`${day} between ${first} and ${last}`, ...(hasGaps ? [`${values[names[0]]} is not null`] : [])] };
};

/** Stretches of days as they are, one row each with its number. */
export const stretchTable = (
  name: string,
  { starts, ends }: { readonly starts: ArrayLike<Day>; readonly ends: ArrayLike<Day> },
): string => {
  const rows = Array.from(starts, (start, k) => `(${start}, ${ends[k]}, ${k})`);
  return `(values ${valueLines(rows)}) as ${name} (first, last, segment)`;
};

const DAYS_OF_WEEK = 7;

/**
 * How many working days lie from a first day up to each day: by the days of the week that mostly are, and the days on which it is
 * otherwise.
 */
export const workedTable = ({ eachDay }: Dialect, name: string, first: Day, last: Day, workingDays: WorkingDays): string => {
  const days = Array.from({ length: last - first + 1 }, (_, k) => first + k);
  const isWorking = days.map((day) => workingDays(day - 1, day) > 0);
  // Counted from the first day: 0 is its own day of the week.
  const week = Array.from({ length: DAYS_OF_WEEK }, (_, at) => {
    const own = isWorking.filter((_working, k) => k % DAYS_OF_WEEK === at);
    return own.filter(Boolean).length * 2 > own.length;
  });
  const usual = week.flatMap((is, at) => (is ? [at] : []));
  const otherwise = days.filter((_, k) => isWorking[k] !== week[k % DAYS_OF_WEEK]);
  const inWeek = usual.length === 0 ? 'false' : `(day - ${first}) % ${DAYS_OF_WEEK} in (${usual.join(', ')})`;
  const works = otherwise.length === 0 ? inWeek : `(${inWeek}) <> (day in (${valueLines(otherwise.map(String))}))`;
  return `(select day, sum(case when ${works} then 1 else 0 end) over (order by day) as worked
    from ${eachDay(String(first), String(last))} as d (day)) as ${name}`;
};
