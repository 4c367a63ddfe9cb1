import type { Book, Question, Result } from 'durchblick';

/** A month, the year so far, and the year to its end: of one member, or of all. */
export interface Line {
  readonly name: string;
  readonly month: number | null;
  readonly monthBudget: number | null;
  readonly ytd: number | null;
  readonly ytdBudget: number | null;
  readonly yearBudget: number | null;
  /** What came in so far, and the budget of the days that are left. */
  readonly forecast: number | null;
}

/** A day of the year: what came in and what was budgeted from its first day to this one, both inclusive. */
export interface Point {
  readonly day: string;
  /** Null after the as-of date. */
  readonly actual: number | null;
  readonly budget: number | null;
}

export interface Review {
  readonly months: Result;
  readonly lines: readonly Line[];
  readonly whole: Line;
  readonly days: readonly Point[];
  readonly notes: readonly string[];
}

const number = (value: unknown): number | null => (typeof value === 'number' ? value : null);
const plus = (...values: readonly (number | null)[]): number | null =>
  values.every((value) => value === null) ? null : values.reduce<number>((sum, value) => sum + (value ?? 0), 0);

/**
 * Everything on the page, from four questions: the months and the days of the year, the windows at the as-of date, and
 * the whole year's budget. The forecast is what came in so far and the budget of the rest, so it meets the budget where they met.
 */
export const reviewOf = async (book: Book, asOf: string, per: string): Promise<Review> => {
  const year = asOf.slice(0, 4);
  const ask = (question: Question): Promise<Result> => book.ask(question as never) as Promise<Result>;
  const [months, daily, windows, wholeYear] = await Promise.all([
    // Both as far as the month has gone: half a month is not held against a whole one.
    ask({ show: ['revenue', { is: 'budget over so-far', label: 'budget' }], by: 'month', range: year, asOf }),
    ask({ show: ['revenue over ytd', 'budget over ytd'], by: 'day', range: year, asOf }),
    ask({ show: ['revenue', 'budget'], by: ['mtd', 'ytd'], per: [per], asOf, totals: ['members'] }),
    ask({ show: ['budget'], per: [per], range: year, asOf, totals: ['members'] }),
  ]);
  const cell = (result: Result, period: string, member: string, column: number): number | null => {
    const row = [...result.rows, ...result.totals].find((cells) => cells[0] === period && cells[1] === member);
    return number(row?.[column]);
  };
  const [range] = wholeYear.periods;
  const lineOf = (name: string): Line => {
    const ytd = cell(windows, 'ytd', name, 2);
    const ytdBudget = cell(windows, 'ytd', name, 3);
    const yearBudget = cell(wholeYear, range?.label ?? '', name, 2);
    return {
      name,
      month: cell(windows, 'mtd', name, 2),
      monthBudget: cell(windows, 'mtd', name, 3),
      ytd,
      ytdBudget,
      yearBudget,
      forecast: plus(ytd, yearBudget, ytdBudget === null ? null : -ytdBudget),
    };
  };
  const members = [...new Set(windows.rows.map((row) => String(row[1])))];
  const whole = lineOf('Total');
  const days = daily.rows.map((row, k): Point => {
    const day = daily.periods[k].start;
    return { day, actual: day <= asOf ? number(row[1]) : null, budget: number(row[2]) };
  });
  return {
    months,
    lines: members.map(lineOf),
    whole,
    days,
    notes: [...new Set([months, windows, wholeYear].flatMap(({ notes }) => notes.map(({ message }) => message)))],
  };
};
