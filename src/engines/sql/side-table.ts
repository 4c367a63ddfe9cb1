// Tables beside facts, such as dimensions and rates: figures over all their rows, and dates read as strictly as those of facts.
import type { Session } from './database.ts';
import { readingOf } from './dates.ts';
import { type Dialect, type Relation, rawColumn, type SqlColumn } from './dialect.ts';
import { type Statistic, type StatisticValue, statisticsOf } from './statistics.ts';
import { daySql, isBlankSql, keySql, noDateSql } from './values.ts';

/** What is asked of such a table while it is opened. Its rows are `d`. */
export interface SideTable {
  /** Figures over all rows; null where there is none. */
  readonly ask: (what: string, figures: readonly Statistic[]) => Promise<readonly StatisticValue[]>;
  /** The first row that meets a condition, from 1, and its value of a column. */
  readonly firstBad: (column: SqlColumn, bad: string) => Promise<{ readonly row: number; readonly value: unknown }>;
  /** A column's days, and the condition of a value that is no date (D2). */
  readonly date: (column: SqlColumn, grain: 'day' | 'coarse') => Promise<{ readonly day: string; readonly bad: string }>;
}

export const sideTable = (name: string, relation: Relation, dialect: Dialect, run: Session['run'], timeZone: string): SideTable => {
  const from = `${relation.from} as d`;
  const ask: SideTable['ask'] = (what, figures) => statisticsOf(relation, 'd', figures, `${what} of ${name}`, run);
  return {
    ask,
    firstBad: async (column, bad) => {
      const { columns } = await run({
        about: `the first bad ${column.name} of ${name}`,
        sql: `select n, v from (select row_number() over () as n, ${dialect.toText(rawColumn(dialect, 'd', column))} as v, ${bad} as bad
  from ${from}) as looked\nwhere bad order by n limit 1`,
      });
      return { row: Number(columns[0][0]), value: columns[1][0] };
    },
    date: async (column, grain) => {
      const raw = rawColumn(dialect, 'd', column);
      const rules = { format: undefined, blankDates: [], grain };
      const reading = await readingOf(column.name, column, rules, raw, dialect, timeZone, ask);
      const day = daySql(dialect, raw, column, reading);
      return { day, bad: `((${day}) is null and not ${noDateSql(dialect, raw, column, reading)})` };
    },
  };
};

/** A key as a text, a blank as an empty one. */
export const keyText = (dialect: Dialect, raw: string, column: SqlColumn): string =>
  `case when ${isBlankSql(dialect, raw, column)} then '' else ${keySql(dialect, raw, column)} end`;
