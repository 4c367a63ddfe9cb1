// How a column's dates are read: looked up in the data of one state.
import { zoneStretches } from '../../calendar/dates.ts';
import type { Dialect, SqlColumn } from './dialect.ts';
import { counted, greatest, least, type Statistic, type StatisticValue } from './statistics.ts';
import { COARSE_FORMS, type DateReading, daySql, TEXT_FORMS, type TextForm, trimmedSql } from './values.ts';

export type { DateReading } from './values.ts';

export interface DateColumnRules {
  readonly format: string | undefined;
  readonly blankDates: readonly string[];
  readonly grain: 'day' | 'coarse';
}

const DAY_MS = 86_400_000;
const UTC = zoneStretches('UTC', 0, 0);

/** The forms that a column's texts have, and the time zone's offsets over the stretch that it covers. */
export const readingOf = async (
  about: string,
  column: SqlColumn,
  rules: DateColumnRules,
  sql: string,
  dialect: Dialect,
  timeZone: string,
  numbers: (what: string, figures: readonly Statistic[]) => Promise<readonly StatisticValue[]>,
): Promise<DateReading> => {
  const plain = { format: rules.format, blankDates: rules.blankDates, forms: [], uniform: false, zone: UTC };
  let forms: readonly TextForm[] = [];
  let uniform = false;
  if (column.kind === 'text' && rules.format === undefined) {
    const possible = (Object.keys(TEXT_FORMS) as TextForm[]).filter((form) => rules.grain === 'coarse' || !COARSE_FORMS.includes(form));
    const [texts, ...found] = await numbers(`forms of ${about}`, [
      counted(`${sql} <> ''`),
      ...possible.map((form) => counted(dialect.matches(trimmedSql(sql), TEXT_FORMS[form]))),
    ]);
    forms = possible.filter((_, k) => (found[k] ?? 0) > 0);
    uniform = found.some((count) => count === texts);
  }
  if (timeZone === 'UTC' || !(column.kind === 'instant' || forms.includes('zoned') || rules.format === 'unix'))
    return { ...plain, forms, uniform };
  // In UTC the days are off by one at most.
  const rough = daySql(dialect, sql, column, { ...plain, forms, uniform });
  const [first, last] = await numbers(`the span of ${about}`, [least(`min(${rough})`), greatest(`max(${rough})`)]);
  const zone =
    first === null || last === null ? UTC : zoneStretches(timeZone, Math.max(first - 3, -1e6) * DAY_MS, Math.min(last + 3, 3e6) * DAY_MS);
  return { ...plain, forms, uniform, zone };
};
