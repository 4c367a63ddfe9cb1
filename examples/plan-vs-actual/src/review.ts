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

export interface Point {
  readonly month: string;
  readonly actual: number | null;
  readonly forecast: number | null;
  readonly budget: number | null;
}

export interface Review {
  readonly months: Result;
  readonly lines: readonly Line[];
  readonly whole: Line;
  readonly points: readonly Point[];
  readonly notes: readonly string[];
}

const number = (value: unknown): number | null => (typeof value === 'number' ? value : null);
const plus = (...values: readonly (number | null)[]): number | null =>
  values.every((value) => value === null) ? null : values.reduce<number>((sum, value) => sum + (value ?? 0), 0);

/**
 * Everything on the page, from three questions: the months of the year, the windows at the as-of date, and the whole
 * year's budget. The forecast is what came in so far and the budget of the rest, so it meets the budget where they met.
 */
export const reviewOf = async (book: Book, asOf: string, per: string): Promise<Review> => {
  const year = asOf.slice(0, 4);
  const ask = (question: Question): Promise<Result> => book.ask(question as never) as Promise<Result>;
  const [months, windows, wholeYear] = await Promise.all([
    ask({ show: ['revenue', 'budget'], by: 'month', range: year, asOf }),
    ask({ show: ['revenue', 'budget'], by: ['mtd', 'ytd'], per: [per], asOf, totals: ['members'] }),
    ask({ show: ['budget'], per: [per], range: year, asOf, totals: ['members'] }),
  ]);
  const cumulative = await ask({ show: ['revenue over ytd', 'budget over ytd'], by: 'month', range: year, asOf });
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
  const points = cumulative.rows.map((row, k): Point => {
    const period = cumulative.periods[k];
    const budget = number(row[2]);
    const open = period.end >= asOf;
    return {
      month: period.label,
      actual: period.start <= asOf ? number(row[1]) : null,
      // From the month of the as-of date on: what came in, and the budget from there to the end of each month.
      forecast: open ? plus(whole.ytd, monthEnd(k), whole.ytdBudget === null ? null : -whole.ytdBudget) : null,
      budget: monthEnd(k),
    };
    function monthEnd(index: number): number | null {
      // `over ytd` is cut at the as-of date in the month that is not over; the sum of whole months is not.
      return months.rows.slice(0, index + 1).reduce<number | null>((sum, cells) => plus(sum, number(cells[2])), null) ?? budget;
    }
  });
  return {
    months,
    lines: members.map(lineOf),
    whole,
    points,
    notes: [...new Set([months, windows, wholeYear].flatMap(({ notes }) => notes.map(({ message }) => message)))],
  };
};
