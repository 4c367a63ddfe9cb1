import { zoneStretches } from '../../calendar/dates.ts';
import { FIRST_DAY, isoOf, LAST_DAY } from '../../calendar/day.ts';
import { DurchblickError, suggest } from '../../errors.ts';
import { usedColumns } from '../../model/columns.ts';
import { NUMBER_HINT } from '../../model/decimal.ts';
import type { Fact, Link, Model, Role } from '../../model/model.ts';
import type { Bounds, DataNote } from '../../plan/request.ts';
import type { Session } from './database.ts';
import type { Dialect, Relation, SqlColumn } from './dialect.ts';
import { columnNumber, computedNumber, type NumberSql, together } from './numbers.ts';
import { COARSE_FORMS, type DateReading, daySql, doubleSql, isBlankSql, noDateSql, TEXT_FORMS, type TextForm } from './values.ts';

/** The rows of a fact are `r` in every statement. */
export const ROWS = 'r';

/** A fact's columns as expressions over its rows. */
export interface SqlFact {
  readonly fact: Fact;
  readonly relation: Relation;
  readonly rows: number;
  /** First and last day of every role over all rows, and the roles that no row left blank, when the model was opened. */
  readonly bounds: ReadonlyMap<string, Bounds | undefined>;
  readonly filled: ReadonlySet<string>;
  /** Roles in which some row had a date before it entered, when the model was opened. */
  readonly late: readonly string[];
  readonly notes: readonly DataNote[];
  /** Day number of a role, null where blank. */
  readonly day: (role: string) => string;
  /** What rows of one day in a role share and no others have: cheaper to group by than the day's number. */
  readonly sameDay: (role: string) => string;
  /** A condition that a database can use to skip rows outside two days, inclusive; empty where there is none. */
  readonly between: (role: string, first: number, last: number) => string | undefined;
  /** Columns that are counted by distinct values and were blank in no row when the model was opened. */
  readonly fullKeys: ReadonlySet<string>;
  readonly number: (column: string) => NumberSql;
  /** All numbers that measures, bands and computed columns use. */
  readonly numbers: ReadonlyMap<string, NumberSql>;
  /** A value that is null where the column is blank. */
  readonly present: (column: string) => string;
  readonly link: (link: Link) => { readonly sql: string; readonly column: SqlColumn };
  /** What rows of one version key share, and what puts them in order (G7). */
  readonly versions: { readonly key: readonly string[]; readonly day: string; readonly order: string } | undefined;
}

const missing = (relation: Relation, name: string, more: Iterable<string>): DurchblickError =>
  new DurchblickError('unknown-column', `${relation.name} has no column "${name}"`, {
    hint: suggest(name, [...relation.columns.map((column) => column.name), ...more], 'columns'),
  });

/** What is asked of each role when a fact is opened: bad dates, first and last day, rows with a date, rows before they entered. */
const FIGURES = 5;

/** Opens a fact over a relation: checks its columns, its dates and its numbers before any question is answered (D3, M10). */
export const openSqlFact = async (fact: Fact, relation: Relation, model: Model, dialect: Dialect, session: Session): Promise<SqlFact> => {
  const columnOf = (name: string): SqlColumn | undefined => relation.columns.find((column) => column.name === name);
  for (const { column, path } of usedColumns(fact, model)) {
    if (columnOf(column) || fact.columns.has(column)) continue;
    const error = missing(relation, column, fact.columns.keys());
    throw error.located(model.locate(['facts', fact.name, ...path]) ?? { path: ['facts', fact.name, ...path].join('.') });
  }
  const raw = (name: string): string => `${ROWS}.${dialect.identifier(name)}`;
  const from = `${relation.from} as ${ROWS}`;
  const about = (what: string): string => `${what} of ${fact.name}`;
  const numbers = async (what: string, expressions: readonly string[]): Promise<(number | null)[]> => {
    if (expressions.length === 0) return [];
    const { columns } = await session.run({ about: about(what), sql: `select ${expressions.join(',\n  ')}\nfrom ${from}` });
    return columns.map((column) => (column[0] === null || column[0] === undefined ? null : Number(column[0])));
  };

  const readings = new Map<string, DateReading>();
  for (const role of fact.roles.values()) {
    const rules = {
      format: role.format,
      blankDates: role.blankDates,
      grain: fact.grain === 'day' ? ('day' as const) : ('coarse' as const),
    };
    const column = columnOf(role.column) as SqlColumn;
    readings.set(role.name, await readingOf(role.name, column, rules, model.timeZone, raw(role.column), dialect, numbers));
  }
  const dayOf = ({ name, column }: Role): string =>
    daySql(dialect, raw(column), columnOf(column) as SqlColumn, readings.get(name) as DateReading);
  const badDate = (role: Role): string =>
    `${dayOf(role)} is null and not ${noDateSql(dialect, raw(role.column), columnOf(role.column) as SqlColumn, readings.get(role.name) as DateReading)}`;
  const roles = [...fact.roles.values()];
  const outside = (role: Role): string => `${dayOf(role)} not between ${FIRST_DAY} and ${LAST_DAY}`;
  const enters = fact.enters === undefined ? undefined : fact.roles.get(fact.enters);
  const keys = [...new Set(usedColumns(fact, model).flatMap(({ use, column }) => (use === 'key' ? [column] : [])))];
  const keyBlank = (name: string): string => isBlankSql(dialect, raw(name), columnOf(name) as SqlColumn);
  const ask = together((expressions) => numbers('dates and numbers', expressions));
  const first = ask([
    'count(*)',
    ...roles.flatMap((role) => [
      `sum(case when (${badDate(role)}) or ${outside(role)} then 1 else 0 end)`,
      `min(${dayOf(role)})`,
      `max(${dayOf(role)})`,
      `count(${dayOf(role)})`,
      enters === undefined || enters === role ? '0' : `max(case when (${dayOf(enters)}) > (${dayOf(role)}) then 1 else 0 end)`,
    ]),
    ...keys.map((name) => `sum(case when ${keyBlank(name)} then 1 else 0 end)`),
  ]);
  const count = first.then(([rows]) => rows ?? 0);
  // Where `first` fails, that is what is told, whether or not a number waits for the count.
  count.catch(() => undefined);

  const known = new Map<string, Promise<NumberSql>>();
  const numberOf = (name: string): Promise<NumberSql> => {
    let found = known.get(name);
    if (!found) {
      const expression = fact.columns.get(name);
      found = expression ? computedNumber(expression, numberOf, count, ask) : rawNumber(name);
      known.set(name, found);
    }
    return found;
  };
  const rawNumber = async (name: string): Promise<NumberSql> => {
    const column = columnOf(name);
    if (!column) throw missing(relation, name, fact.columns.keys());
    const { bad: wrong } = doubleSql(dialect, raw(name), column);
    const [[wrongs], number] = await Promise.all([
      ask(wrong === undefined ? [] : [`sum(case when ${wrong} then 1 else 0 end)`]),
      columnNumber(dialect, raw(name), column, count, ask),
    ]);
    if ((wrongs ?? 0) === 0) return number;
    const { columns } = await session.run({
      about: about(`the first bad value of ${name}`),
      sql: `select n, v from (select row_number() over () as n, ${dialect.toText(raw(name))} as v, ${wrong} as bad from ${from}) as numbers\nwhere bad order by n limit 1`,
    });
    throw new DurchblickError(
      'bad-number',
      `${relation.name}, row ${Number(columns[0][0])}, column ${name}: ${JSON.stringify(columns[1][0])} is not a number`,
      { kind: 'data', hint: NUMBER_HINT[column.numbers ?? 'plain'] },
    );
  };

  const numberColumns = [...new Set(usedColumns(fact, model).flatMap(({ column, use }) => (use === 'number' ? [column] : [])))];
  // Both at once, so that rows are read together; dates are told first where both are bad.
  const [dates, ...read] = await Promise.allSettled([first, ...numberColumns.map(numberOf)] as const);
  if (dates.status === 'rejected') throw dates.reason;
  const [rows, ...found] = dates.value;
  const ofRole = (k: number) => found.slice(FIGURES * k, FIGURES * (k + 1));
  const fullKeys = new Set(keys.filter((_, k) => (found[FIGURES * roles.length + k] ?? 0) === 0));
  const notes: DataNote[] = [];
  for (const [k, role] of roles.entries()) {
    const bad = ofRole(k)[0] ?? 0;
    if (bad === 0) continue;
    if (role.onBadDate === 'error') {
      const { columns } = await session.run({
        about: about(`the first bad ${role.name} date`),
        sql: `select n, v from (select row_number() over () as n, ${dialect.toText(raw(role.column))} as v, ${badDate(role)} or ${outside(role)} as bad
  from ${from}) as dates\nwhere bad order by n limit 1`,
      });
      throw new DurchblickError(
        'bad-dates',
        `${relation.name}, row ${Number(columns[0][0])}, column ${role.column}: ${JSON.stringify(columns[1][0])} is not a date (${bad} bad ${bad === 1 ? 'value' : 'values'})`,
        {
          kind: 'data',
          hint: 'Dates are YYYY-MM-DD, ISO 8601 timestamps or yyyymmdd keys; other texts need a `format`; `on-bad-date: blank` and `blank-dates` let some pass.',
        },
      );
    }
    notes.push({
      code: 'bad-dates',
      fact: fact.name,
      role: role.name,
      count: bad,
      message: `${fact.name}: ${bad} ${bad === 1 ? 'value' : 'values'} of ${role.name} (${role.column}) ${bad === 1 ? 'is' : 'are'} no date and taken as blank`,
    });
  }

  const values = new Map<string, NumberSql>();
  for (const [k, one] of read.entries()) {
    if (one.status === 'rejected') throw one.reason;
    values.set(numberColumns[k], one.value as NumberSql);
  }
  const bounds = new Map(
    roles.map((role, k) => {
      const [, from, to] = ofRole(k);
      return [role.name, from === null || to === null ? undefined : { first: from, last: to }] as const;
    }),
  );

  const versions = await versionsOf(fact, relation, model, columnOf, raw, dialect, session, numbers);
  return {
    fact,
    relation,
    rows: rows ?? 0,
    bounds,
    late: roles.flatMap(({ name }, k) => (ofRole(k)[4] === 1 ? [name] : [])),
    filled: new Set(roles.flatMap(({ name }, k) => (ofRole(k)[3] === rows ? [name] : []))),
    notes,
    fullKeys,
    day: (role) => dayOf(fact.roles.get(role) as Role),
    sameDay: (role) => {
      const own = fact.roles.get(role) as Role;
      return columnOf(own.column)?.kind === 'date' && own.blankDates.length === 0 ? raw(own.column) : dayOf(own);
    },
    between: (role, first, last) => {
      const { column } = fact.roles.get(role) as Role;
      const { kind } = columnOf(column) as SqlColumn;
      if (kind !== 'date' && kind !== 'timestamp') return undefined;
      const end = last + 1 > LAST_DAY ? undefined : `${raw(column)} < date '${isoOf(last + 1)}'`;
      return [`${raw(column)} >= date '${isoOf(first)}'`, ...(end ? [end] : [])].join(' and ');
    },
    number: (column) => values.get(column) as NumberSql,
    numbers: values,
    present: (name) => {
      const computed = values.get(name);
      if (fact.columns.has(name) && computed) return computed.sql;
      const column = columnOf(name) as SqlColumn;
      if (column.kind !== 'text' && column.kind !== 'double') return raw(name);
      return `case when not ${isBlankSql(dialect, raw(name), column)} then ${raw(name)} end`;
    },
    link: ({ column }) => ({ sql: raw(column), column: columnOf(column) as SqlColumn }),
    versions,
  };
};

/** How a column's dates are read: the forms its texts have, and the time zone's offsets over the stretch that it covers. */
const readingOf = async (
  about: string,
  column: SqlColumn,
  rules: { readonly format: string | undefined; readonly blankDates: readonly string[]; readonly grain: 'day' | 'coarse' },
  timeZone: string,
  sql: string,
  dialect: Dialect,
  numbers: (what: string, expressions: readonly string[]) => Promise<readonly (number | null)[]>,
): Promise<DateReading> => {
  const utc = zoneStretches('UTC', 0, 0);
  const plain = { format: rules.format, blankDates: rules.blankDates, forms: [], uniform: false, zone: utc };
  let forms: readonly TextForm[] = [];
  let uniform = false;
  if (column.kind === 'text' && rules.format === undefined) {
    const possible = (Object.keys(TEXT_FORMS) as TextForm[]).filter((form) => rules.grain === 'coarse' || !COARSE_FORMS.includes(form));
    const [texts, ...found] = await numbers(`forms of ${about}`, [
      `sum(case when ${sql} <> '' then 1 else 0 end)`,
      ...possible.map((form) => `sum(case when ${dialect.matches(`trim(${sql})`, TEXT_FORMS[form])} then 1 else 0 end)`),
    ]);
    forms = possible.filter((_, k) => (found[k] ?? 0) > 0);
    uniform = found.some((count) => count === texts);
  }
  if (timeZone === 'UTC' || !(column.kind === 'instant' || forms.includes('zoned'))) return { ...plain, forms, uniform };
  // In UTC the days are off by one at most.
  const rough = daySql(dialect, sql, column, { ...plain, forms, uniform });
  const [first, last] = await numbers(`the span of ${about}`, [`min(${rough})`, `max(${rough})`]);
  const DAY = 86_400_000;
  return {
    ...plain,
    forms,
    uniform,
    zone: first === null || last === null ? utc : zoneStretches(timeZone, (first - 3) * DAY, (last + 3) * DAY),
  };
};

/** Revisions of a fact (G7); two recorded at the same time for one key are an error. */
const versionsOf = async (
  fact: Fact,
  relation: Relation,
  model: Model,
  columnOf: (name: string) => SqlColumn | undefined,
  raw: (name: string) => string,
  dialect: Dialect,
  session: Session,
  numbers: (what: string, expressions: readonly string[]) => Promise<readonly (number | null)[]>,
): Promise<SqlFact['versions']> => {
  if (fact.recorded === undefined) return undefined;
  const recorded = columnOf(fact.recorded) as SqlColumn;
  const rules = { format: undefined, blankDates: [], grain: 'day' as const };
  const reading = await readingOf('recorded', recorded, rules, model.timeZone, raw(fact.recorded), dialect, numbers);
  const key = fact.versionKey.map((name) => `coalesce(${dialect.toText(raw(name))}, '')`);
  const order = recorded.kind === 'text' ? dialect.byCodePoint(raw(fact.recorded)) : raw(fact.recorded);
  const names = key.map((_, k) => `k${k}`);
  const { count, columns } = await session.run({
    about: `revisions of ${fact.name} recorded at the same time`,
    sql: `select ${[...key.map((sql, k) => `${sql} as k${k}`), `${dialect.toText(raw(fact.recorded))} as t`].join(', ')}
from ${relation.from} as ${ROWS}
group by ${[...names, 't'].join(', ')}
having count(*) > 1
order by ${[...names, 't'].join(', ')} limit 1`,
  });
  if (count > 0) {
    const texts = columns.map((column) => String(column[0] ?? ''));
    throw new DurchblickError(
      'doubled-version',
      `${relation.name}: several rows were recorded at ${texts.at(-1)} for ${fact.versionKey.map((name, k) => `${name} = ${texts[k]}`).join(', ')}`,
      { kind: 'data', hint: 'For every key there is one row at a time (G7).' },
    );
  }
  return { key, day: daySql(dialect, raw(fact.recorded), recorded, reading), order };
};

/** The condition that rows are the last revision of their key recorded on or before a day, and the rows they are taken from. */
export const versionedFrom = ({ relation, versions }: SqlFact, knownBy: number | undefined): string => {
  if (!versions) return `${relation.from} as ${ROWS}`;
  const seen = knownBy === undefined ? '' : `\n      where ${versions.day} <= ${knownBy}`;
  return `(select * from (
      select ${ROWS}.*, row_number() over (partition by ${versions.key.join(', ')} order by ${versions.order} desc nulls last) as revision_rank
      from ${relation.from} as ${ROWS}${seen}) as revisions
    where revision_rank = 1) as ${ROWS}`;
};
