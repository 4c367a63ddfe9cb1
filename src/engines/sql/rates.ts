// Tables of rates beside a fact's rows: each row with the factor that holds on its date (G10).
import { LAST_DAY } from '../../calendar/day.ts';
import { rateKey, type UsedRate } from '../../model/columns.ts';
import type { Model, Rate } from '../../model/model.ts';
import type { CalendarTables } from '../../plan/request.ts';
import { badDates, badNumber, unknownColumn } from '../shared/faults.ts';
import { doubledRates, ratePeriods } from '../shared/rates.ts';
import type { Session } from './database.ts';
import { stretchTable } from './day-table.ts';
import { columnNamed, type Dialect, freeName, type Relation, rawColumn, type SqlColumn } from './dialect.ts';
import { keyText, sideTable } from './side-table.ts';
import { counted, greatest, least, type Statistic } from './statistics.ts';
import { doubleSql, isBlankSql } from './values.ts';

/** A rate as a relation: keys as texts `k0`, `k1`, …, the days of a factor, and the factor. */
export interface RateTable {
  readonly sql: string;
  readonly factor: SqlColumn;
  /** The condition that a factor holds on a day; `rates` is the alias of the relation. */
  readonly holds: (rates: string, day: string) => string;
}

/** Rates that hold longer, in days, are joined by their first and last day: one row for each day would be too many. */
const LONGEST_HOLD = 4000;

export interface RateLook {
  readonly model: Model;
  readonly dialect: Dialect;
  readonly run: Session['run'];
  readonly relation: (source: string) => Promise<Relation>;
  /** Rows of a source as they stand there. */
  readonly rows: CalendarTables['rows'];
}

/** Rows of the table with their keys, day and factor; what is no date or no number is an error. */
const ratedRows = async (rate: Rate, relation: Relation, { model, dialect, run }: RateLook) => {
  const columnOf = (name: string): SqlColumn => {
    const found = columnNamed(relation, name);
    if (found) return found;
    throw unknownColumn(
      relation.name,
      name,
      relation.columns.map((known) => known.name),
    ).located(model.locate(['rates', rate.name]) ?? { path: `rates.${rate.name}` });
  };
  const rawOf = (name: string): string => rawColumn(dialect, 'd', columnOf(name));
  const table = sideTable(rate.name, relation, dialect, run, model.timeZone);
  const date = columnOf(rate.date);
  const { day, bad: noDay } = await table.date(date, rate.grain === 'day' ? 'day' : 'coarse');
  const factor = columnOf(rate.of);
  const noNumber = doubleSql(dialect, rawOf(rate.of), factor).bad ?? 'false';
  const [days, numbers, first, last] = await table.ask('dates and factors', [
    counted(noDay),
    counted(noNumber),
    least(`min(${day})`),
    greatest(`max(${day})`),
  ]);
  if ((days ?? 0) > 0) {
    const { row, value } = await table.firstBad(date, noDay);
    throw badDates(relation.name, row, rate.date, value, days as number);
  }
  if ((numbers ?? 0) > 0) {
    const { row, value } = await table.firstBad(factor, noNumber);
    throw badNumber(relation.name, row, rate.of, value, factor.numbers ?? 'plain');
  }
  const keys = rate.by.map(([, name], k) => `${keyText(dialect, rawOf(name), columnOf(name))} as k${k}`);
  // `offset 0` keeps a database from reading a date again for each day that it is compared with.
  const sql = `(select ${[...keys, `${day} as day`, `${rawOf(rate.of)} as factor`].join(', ')}
    from ${relation.from} as d where not ${isBlankSql(dialect, rawOf(rate.of), factor)} offset 0) as rates`;
  return { sql, factor, first, last };
};

export const openRate = async (rate: Rate, look: RateLook): Promise<RateTable> => {
  const { model, dialect, run } = look;
  const relation = await look.relation(rate.source);
  const { sql: rows, factor, first, last } = await ratedRows(rate, relation, look);
  const keys = rate.by.map((_, k) => `k${k}`);
  const own = keys.map((key) => `rates.${key}, `).join('');
  const held = async (): Promise<string> => {
    if (rate.grain === 'day') {
      const next = `lead(rates.day) over (${keys.length > 0 ? `partition by ${keys.map((key) => `rates.${key}`).join(', ')} ` : ''}order by rates.day)`;
      return `select ${own}rates.day as held_from, least(coalesce(${next}, ${LAST_DAY + 1}), rates.day + ${rate.hold + 1}) as held_until, rates.factor
    from ${rows} where rates.day is not null`;
    }
    const none = { starts: [0], ends: [-1] };
    const periods = first === null || last === null ? [] : await ratePeriods(model, look.rows, rate, first, last);
    const stretches = periods.length === 0 ? none : { starts: periods.map(({ start }) => start), ends: periods.map(({ end }) => end) };
    return `select ${own}p.first as held_from, p.last + 1 as held_until, rates.factor
    from ${rows}
    join ${stretchTable('p', stretches)} on rates.day between p.first and p.last`;
  };
  const sql = await held();
  const groups = [...keys, 'held_from'];
  const { count, columns } = await run({
    about: `two rates of ${rate.name} for one day`,
    sql: `select ${groups.join(', ')}\nfrom (${sql}) as held\ngroup by ${groups.map((_, k) => String(k + 1)).join(', ')}
having count(*) > 1 order by ${groups.map((_, k) => String(k + 1)).join(', ')} limit 1`,
  });
  if (count > 0)
    throw doubledRates(
      relation.name,
      rate,
      keys.map((_, k) => String(columns[k][0])),
      Number(columns[keys.length][0]),
    );
  // An equal day is found by a hash; a first and a last day are compared with every rate of the key.
  if (rate.grain === 'day' && rate.hold > LONGEST_HOLD)
    return { sql, factor, holds: (rates, day) => `${day} >= ${rates}.held_from and ${day} < ${rates}.held_until` };
  const days = `select ${keys.map((key) => `held.${key}, `).join('')}each_day.day, held.factor
    from (${sql}) as held, ${dialect.eachDay('held.held_from', 'held.held_until - 1')} as each_day (day)`;
  return { sql: days, factor, holds: (rates, day) => `${day} = ${rates}.day` };
};

/** A role's date of rows, and the rates that are taken by it. */
export interface Rated {
  readonly relation: Relation;
  /** Columns with factors, by rate and role. */
  readonly columns: ReadonlyMap<string, string>;
}

/** A fact's rows with their factors beside them; dates are those of rows as `rows`. */
export const withRates = async (
  relation: Relation,
  rows: string,
  used: readonly UsedRate[],
  tableOf: (rate: Rate) => Promise<RateTable>,
  dayOf: (role: string) => string,
  dialect: Dialect,
): Promise<Rated> => {
  if (used.length === 0) return { relation, columns: new Map() };
  const columns = new Map<string, string>();
  const [selected, joins, added]: [string[], string[], SqlColumn[]] = [[], [], []];
  for (const [k, { rate, role }] of used.entries()) {
    const { sql, factor, holds } = await tableOf(rate);
    const name = freeName(`rate_${k}`, relation);
    const keys = rate.by.map(([own], at) => {
      const column = columnNamed(relation, own) as SqlColumn;
      return `f${k}.k${at} = ${keyText(dialect, rawColumn(dialect, rows, column), column)} and `;
    });
    joins.push(`left join (${sql}) as f${k} on ${keys.join('')}${holds(`f${k}`, `(${dayOf(role)})`)}`);
    selected.push(`f${k}.factor as ${dialect.identifier(name)}`);
    columns.set(rateKey(rate.name, role), name);
    added.push({ ...factor, name, as: name });
  }
  const from = `(select ${rows}.*, ${selected.join(', ')}\n  from ${[`${relation.from} as ${rows}`, ...joins].join('\n    ')})`;
  // What is found out of these rows depends on the rates as well: it is no finding about the rows' own source.
  const { found: _, ...own } = relation;
  return { relation: { ...own, from, columns: [...relation.columns, ...added] }, columns };
};

/** What is asked of a rate: dated rows without a factor, and the first day of them. */
export const missingFigures = (factor: string, day: string): readonly Statistic[] => [
  counted(`${factor} is null and (${day}) is not null`),
  least(`min(case when ${factor} is null then (${day}) end)`),
];
