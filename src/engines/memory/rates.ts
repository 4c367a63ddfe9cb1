// Factors of tables of rates, one for each row of a fact (G10).
import { NO_DAY } from '../../calendar/day.ts';
import type { Fact, Model, Rate } from '../../model/model.ts';
import type { CalendarTables, DataNote } from '../../plan/request.ts';
import { missingRates, ratePeriods, ratesByKey } from '../shared/rates.ts';
import type { Table } from '../shared/table.ts';
import { isBlank, keyReader } from '../shared/values.ts';
import { type Held, versionAt } from '../shared/versions.ts';
import { type NumberColumn, readDays, readNumbers } from './columns.ts';
import { PLAIN_LISTS } from './lists.ts';

/** A table of rates: of each key the rates with the days on which they hold, and the factors of its rows. */
export interface RateData {
  readonly rate: Rate;
  readonly versions: ReadonlyMap<string, readonly (Held & { readonly row: number })[]>;
  readonly factors: NumberColumn;
}

const textAt = (table: Table, column: string, timeZone: string): ((row: number) => string) => {
  const [values, text] = [table.column(column), keyReader(table.kind(column), timeZone)];
  return (row) => (isBlank(values[row]) || values[row] === NO_DAY ? '' : text(values[row]));
};

export const rateData = async (rate: Rate, table: Table, model: Model, rows: CalendarTables['rows']): Promise<RateData> => {
  const { timeZone } = model;
  const rules = { timeZone, grain: rate.grain === 'day' ? ('day' as const) : ('coarse' as const) };
  const { days, first, last } = readDays(
    table.column(rate.date),
    table.kind(rate.date),
    rules,
    'error',
    { table, column: rate.date },
    PLAIN_LISTS,
  );
  const { numbers: form = 'plain' } = model.sources.get(rate.source) ?? {};
  const factors = readNumbers(table.column(rate.of), table.kind(rate.of), { table, column: rate.of }, form, PLAIN_LISTS);
  const texts = rate.by.map(([, column]) => textAt(table, column, timeZone));
  const periods = rate.grain === 'day' || first > last ? [] : await ratePeriods(model, rows, rate, first, last);
  const dated = Array.from(days.keys())
    .filter((row) => days[row] !== NO_DAY && factors.values[row] === factors.values[row])
    .map((row) => ({ key: texts.map((text) => text(row)), day: days[row], row }));
  return { rate, versions: ratesByKey(dated, rate, periods, table.name), factors };
};

/** The factor of each row by its date in a role, blank where there is none. */
export const factorColumn = ({ rate, versions, factors }: RateData, days: Int32Array, table: Table, timeZone: string): NumberColumn => {
  const texts = rate.by.map(([own]) => textAt(table, own, timeZone));
  const values = new Float64Array(table.rows).fill(Number.NaN);
  let blanks = false;
  for (let row = 0; row < values.length; row++) {
    const key = JSON.stringify(texts.map((text) => text(row)));
    const held = days[row] === NO_DAY ? undefined : versionAt(versions.get(key), days[row]);
    if (held) values[row] = factors.values[held.row];
    else blanks = true;
  }
  return { values, blanks, scale: factors.scale };
};

/** How many dated rows have no factor, and the first day of them; undefined where all have one. */
export const missingIn = (fact: Fact, rate: Rate, role: string, days: Int32Array, { values }: NumberColumn): DataNote | undefined => {
  let [rows, first] = [0, Number.POSITIVE_INFINITY];
  for (let row = 0; row < days.length; row++) {
    if (days[row] === NO_DAY || values[row] === values[row]) continue;
    rows++;
    first = Math.min(first, days[row]);
  }
  return rows === 0 ? undefined : missingRates(fact, rate, role, rows, first);
};
