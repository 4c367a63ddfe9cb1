// Numbers about all rows of a relation: how they are asked for, and how those about more rows come of those about fewer.

/** A number about all rows, and how that of two sets of rows comes of those of each: added up, or the least or greatest of both. */
export interface Statistic {
  readonly sql: string;
  readonly of: 'sum' | 'least' | 'greatest';
}

/** Runs a statement; answers its columns. */
type RunStatement = (statement: {
  readonly about: string;
  readonly sql: string;
}) => Promise<{ readonly columns: readonly ArrayLike<unknown>[] }>;

/** Null where no row has anything to say. */
export type StatisticValue = number | null;

export type Ask = (statistics: readonly Statistic[]) => Promise<readonly StatisticValue[]>;

export const added = (sql: string): Statistic => ({ sql, of: 'sum' });
export const least = (sql: string): Statistic => ({ sql, of: 'least' });
export const greatest = (sql: string): Statistic => ({ sql, of: 'greatest' });
/** How many rows meet a condition. */
export const counted = (condition: string): Statistic => added(`sum(case when ${condition} then 1 else 0 end)`);
/** 1 where some row meets a condition, else 0. */
export const some = (condition: string): Statistic => greatest(`max(case when ${condition} then 1 else 0 end)`);
/** 1 where every row meets it. */
export const every = (condition: string): Statistic => least(`min(case when ${condition} then 1 else 0 end)`);
export const ALL_ROWS: Statistic = added('count(*)');
/** How many rows have a value, and how many have none. */
export const rowsWith = (value: string): Statistic => added(`count(${value})`);
export const rowsWithout = (value: string): Statistic => added(`count(*) - count(${value})`);
/** How a database says the day number of a date, and the double of a number. */
interface Numbering {
  readonly dayNumber: (date: string) => string;
  readonly toDouble: (value: string) => string;
}

/** First and last day of a column of dates. */
export const firstDay = ({ dayNumber }: Numbering, value: string): Statistic => least(dayNumber(`min(${value})`));
export const lastDay = ({ dayNumber }: Numbering, value: string): Statistic => greatest(dayNumber(`max(${value})`));
/** The largest of a column's numbers, whatever their sign. */
export const largest = ({ toDouble }: Numbering, value: string): Statistic => greatest(toDouble(`max(abs(${value}))`));
/** What need not be asked. */
export const NOTHING: Statistic = added('0');

const both = ({ of }: Statistic, a: StatisticValue, b: StatisticValue): StatisticValue => {
  if (a === null || b === null) return a ?? b;
  return of === 'sum' ? a + b : of === 'least' ? Math.min(a, b) : Math.max(a, b);
};

/**
 * What is known of the rows that a relation had in an earlier state, where since then there were only more of them (V6). Nothing else
 * that its statements touch has changed.
 */
export interface Grown {
  /** The relation itself, as its statements name it. */
  readonly base: string;
  /** The rows that came since, in the place of all; undefined where none did. */
  readonly gained: string | undefined;
  /** Statistics of the earlier rows, by {@link statisticKey}. */
  readonly before: ReadonlyMap<string, StatisticValue>;
}

/** What is known of rows without looking at them, by {@link statisticKey}. */
export type Stated = ReadonlyMap<string, StatisticValue>;

/** Rows that statistics are asked of, and what is known of them. */
export interface StatisticRows {
  /** What stands behind FROM. */
  readonly from: string;
  /** What a file says itself of its rows. */
  readonly stated?: Stated;
  /** Rows that cannot change: what statements about all of them found out may be kept. */
  readonly found?: {
    readonly recall: (sql: string) => readonly StatisticValue[] | undefined;
    readonly remember: (sql: string, values: readonly StatisticValue[]) => void;
  };
  /** Where more of them may come while a book is open: what is known from before, and where statistics are put down for the next time. */
  readonly grown?: Grown;
  readonly statistics?: Map<string, StatisticValue>;
}

/** The same of the rows that came since alone; undefined where that cannot be said of these statements. */
export const gainedFrom = (from: string, { base, gained }: Pick<Grown, 'base' | 'gained'>): string | undefined => {
  const parts = from.split(base);
  // Named twice, it may be joined to itself.
  return parts.length === 2 && gained !== undefined ? parts.join(gained) : undefined;
};

/** A statistic of the rows of a relation, and of no others: not of those that a filter leaves. */
export const statisticKey = (from: string, { sql }: Statistic): string => `${sql}\n${from}`;

const readStatistics = async (
  statistics: readonly Statistic[],
  from: string,
  about: string,
  run: RunStatement,
): Promise<StatisticValue[]> => {
  if (statistics.length === 0) return [];
  const { columns } = await run({ about, sql: statisticsSql(statistics, from) });
  return columns.map((column) => (column[0] === null || column[0] === undefined ? null : Number(column[0])));
};

const statisticsSql = (statistics: readonly Statistic[], from: string): string =>
  `select ${statistics.map(({ sql }) => sql).join(',\n  ')}\nfrom ${from}`;

/** Statistics that are known of earlier rows are asked of those alone that came since. */
const sinceThen = async (
  statistics: readonly Statistic[],
  alias: string,
  { from, grown }: { readonly from: string; readonly grown: Grown },
  about: string,
  run: RunStatement,
): Promise<StatisticValue[]> => {
  const gained = gainedFrom(from, grown);
  const isKnown = (statistic: Statistic): boolean =>
    grown.before.has(statisticKey(from, statistic)) && (grown.gained === undefined || gained !== undefined);
  // Alone, what need not be asked would be answered once for every row.
  const wanted = statistics.filter((statistic) => statistic !== NOTHING);
  const [known, others] = [wanted.filter(isKnown), wanted.filter((statistic) => !isKnown(statistic))];
  const more = gained === undefined ? [] : await readStatistics(known, `${gained} as ${alias}`, `${about}, of rows that came since`, run);
  const rest = await readStatistics(others, `${from} as ${alias}`, about, run);
  return statistics.map((statistic) => {
    if (statistic === NOTHING) return 0;
    const at = known.indexOf(statistic);
    if (at < 0) return rest[others.indexOf(statistic)];
    const before = grown.before.get(statisticKey(from, statistic)) as StatisticValue;
    return gained === undefined ? before : both(statistic, before, more[at]);
  });
};

/** Statistics that a file states are not asked, nor what need not be. */
const unlessStated = async (
  statistics: readonly Statistic[],
  alias: string,
  { from, stated = new Map() }: Pick<StatisticRows, 'from' | 'stated'>,
  about: string,
  run: RunStatement,
): Promise<StatisticValue[]> => {
  const known = statistics.map((statistic) => (statistic === NOTHING ? 0 : stated.get(statisticKey(from, statistic))));
  const asked = statistics.filter((_, k) => known[k] === undefined);
  const values = await readStatistics(asked, `${from} as ${alias}`, about, run);
  let next = 0;
  return known.map((value) => (value === undefined ? values[next++] : value));
};

/** Statistics of a relation's rows, from what was found out about them before as far as that holds. */
export const statisticsOf = async (
  { from, stated, found, grown, statistics: kept }: StatisticRows,
  alias: string,
  statistics: readonly Statistic[],
  about: string,
  run: RunStatement,
): Promise<readonly StatisticValue[]> => {
  if (statistics.length === 0) return [];
  const sql = statisticsSql(statistics, `${from} as ${alias}`);
  const known = found?.recall(sql);
  if (known) return known;
  const values = grown
    ? await sinceThen(statistics, alias, { from, grown }, about, run)
    : await unlessStated(statistics, alias, { from, stated }, about, run);
  found?.remember(sql, values);
  statistics.forEach((statistic, k) => void kept?.set(statisticKey(from, statistic), values[k]));
  return values;
};
