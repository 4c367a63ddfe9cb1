// A fact opened in one state of the data: what was found out about its rows, and its columns as expressions.
import { FIRST_DAY, isoOf, LAST_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import { rateKey, type UsedRate, usedColumns, usedRates } from '../../model/columns.ts';
import type { Fact, Link, Model, Rate, Role } from '../../model/model.ts';
import type { Bounds, DataNote } from '../../plan/request.ts';
import { badDates, badDatesNote, badNumber, unknownColumn, unusableColumn } from '../shared/faults.ts';
import { missingRates } from '../shared/rates.ts';
import type { Session } from './database.ts';
import { type DateReading, readingOf } from './dates.ts';
import { columnNamed, type Dialect, freeName, type Relation, rawColumn, type SqlColumn } from './dialect.ts';
import { columnNumber, computedNumber, type NumberRows, type NumberSql, together } from './numbers.ts';
import { missingFigures, type RateTable, withRates } from './rates.ts';
import {
  ALL_ROWS,
  type Ask,
  counted,
  firstDay,
  greatest,
  lastDay,
  least,
  NOTHING,
  rowsWith,
  rowsWithout,
  type Statistic,
  some,
  statisticsOf,
} from './statistics.ts';
import { daySql, doubleSql, isBlankSql, keySql, looksSpecial, noDateSql } from './values.ts';

/** The rows of a fact are `r` in every statement. */
export const ROWS = 'r';

/** A column that rows are linked by, counted by, or told apart by. */
export interface KeyColumn {
  readonly sql: string;
  readonly column: SqlColumn;
  /** Some text of it looks like one of the members that stand for rows without one (G8). */
  readonly special: boolean;
  /** Of whole numbers, the least and the greatest, where a database has use for them (`Dialect.packs`). */
  readonly range?: { readonly least: number; readonly greatest: number };
}

/** A fact's columns as expressions over its rows, in one state of the data. */
export interface SqlFact {
  readonly fact: Fact;
  readonly relation: Relation;
  readonly rows: number;
  /** First and last day of every role over all rows, and the roles that no row left blank. */
  readonly bounds: ReadonlyMap<string, Bounds | undefined>;
  readonly filled: ReadonlySet<string>;
  /** Roles in which some row had a date before it entered. */
  readonly late: readonly string[];
  readonly notes: readonly DataNote[];
  /** Day number of a role, null where blank. */
  readonly day: (role: string) => string;
  /** What rows of one day in a role share and no others have: cheaper to group by than the day's number. */
  readonly sameDay: (role: string) => string;
  /** A condition that a database can use to skip rows outside two days, inclusive; empty where there is none. */
  readonly between: (role: string, first: number, last: number) => string | undefined;
  /** Columns that are counted by distinct values and are blank in no row. */
  readonly fullKeys: ReadonlySet<string>;
  readonly number: (column: string) => NumberSql;
  /** All numbers that measures, bands and computed columns use. */
  readonly numbers: ReadonlyMap<string, NumberSql>;
  /** A value that is null where the column is blank. */
  readonly present: (column: string) => string;
  readonly link: (link: Link) => KeyColumn;
  /** What rows of one version key share, and what puts them in order (G7). */
  readonly versions: { readonly key: readonly string[]; readonly day: string; readonly order: string } | undefined;
}

/** What opening a fact is done with. */
interface Opening {
  readonly fact: Fact;
  readonly relation: Relation;
  readonly model: Model;
  readonly dialect: Dialect;
  readonly run: Session['run'];
  /** Rows are hidden: messages then say nothing of where a row stands among all (V3). */
  readonly hidden: boolean;
  /** Tables of rates, which columns may take (G10). */
  readonly rateTable: (rate: Rate) => Promise<RateTable>;
}

const about = (what: string, { fact }: Pick<Opening, 'fact'>): string => `${what} of ${fact.name}`;
const from = ({ relation }: Pick<Opening, 'relation'>): string => `${relation.from} as ${ROWS}`;
const columnOf = ({ relation }: Pick<Opening, 'relation'>, name: string): SqlColumn => columnNamed(relation, name) as SqlColumn;
const rawOf = (opening: Pick<Opening, 'relation' | 'dialect'>, name: string): string =>
  rawColumn(opening.dialect, ROWS, columnOf(opening, name));

/** Columns that the model uses are there, and of use. */
export const checkColumns = ({ fact, relation, model }: Pick<Opening, 'fact' | 'relation' | 'model'>): void => {
  for (const { column, path } of usedColumns(fact, model)) {
    if (fact.columns.has(column)) continue;
    const found = columnNamed(relation, column);
    const known = [...relation.columns.map(({ name }) => name), ...fact.columns.keys()];
    const fault = !found
      ? unknownColumn(relation.name, column, known)
      : found.kind === 'unusable'
        ? unusableColumn(relation.name, column, found.holds ?? 'values of an unknown type')
        : undefined;
    if (fault) throw fault.located(model.locate(['facts', fact.name, ...path]) ?? { path: ['facts', fact.name, ...path].join('.') });
  }
};

/** One row of numbers about all rows. */
const askOnce =
  (opening: Opening, what: string): Ask =>
  (statistics) =>
    statisticsOf(opening.relation, ROWS, statistics, about(what, opening), opening.run);

/** The first row that meets a condition, and the text of a value in it. */
const firstBad = async (
  opening: Opening,
  what: string,
  value: string,
  bad: string,
): Promise<{ readonly row: number; readonly value: unknown }> => {
  const { columns } = await opening.run({
    about: about(what, opening),
    sql: `select n, v from (select row_number() over () as n, ${opening.dialect.toText(value)} as v, ${bad} as bad
  from ${from(opening)}) as looked\nwhere bad order by n limit 1`,
  });
  return { row: Number(columns[0][0]), value: columns[1][0] };
};

/** How a role's dates are read, and which of its values are none. */
interface RoleDates {
  readonly role: Role;
  /** The day number, null where there is none. */
  readonly day: string;
  /** Whether a value is none of a date and a blank. */
  readonly bad: string;
  /** The same in the rows as they stand in their source, where the first such row is looked for. */
  readonly first: { readonly opening: Opening; readonly bad: string };
}

/** Days of a column of dates come one for one with them, so that the first and last of them say whether any is out of bounds. */
const isPlainDates = (column: SqlColumn, role: Role): boolean => column.kind === 'date' && role.blankDates.length === 0;

/** How a column's values are read as days, and which of them are none although their day is null. */
interface DateSql {
  readonly day: (raw: string) => string;
  readonly bad: (raw: string, day: string) => string;
}

/** How a role's dates are read; what must be known of them is looked up in rows that have them as `raw`. */
const readDates = async (opening: Opening, role: Role, raw: string): Promise<DateSql> => {
  const { fact, dialect, model } = opening;
  const column = columnOf(opening, role.column);
  const rules = {
    format: role.format,
    blankDates: role.blankDates,
    grain: fact.grain === 'day' ? ('day' as const) : ('coarse' as const),
  };
  const reading = await readingOf(role.name, column, rules, raw, dialect, model.timeZone, (what, list) => askOnce(opening, what)(list));
  return {
    day: (value) => daySql(dialect, value, column, reading),
    bad: (value, day) =>
      `((${day}) is null and not ${noDateSql(dialect, value, column, reading)} or (${day}) not between ${FIRST_DAY} and ${LAST_DAY})`,
  };
};

/**
 * The dates of all roles, and the rows that they are read in. Texts are read once for each text there is, in a table beside the
 * rows: there are fewer of them than rows, and far fewer than uses.
 */
const roleDates = async (opening: Opening): Promise<{ readonly dates: RoleDates[]; readonly opening: Opening }> => {
  const { fact, relation, dialect } = opening;
  const dates: RoleDates[] = [];
  const [columns, joins]: [string[], string[]] = [[], []];
  for (const role of fact.roles.values()) {
    const raw = rawOf(opening, role.column);
    // Texts of a file are read once and kept.
    if (relation.texts || columnOf(opening, role.column).kind !== 'text') {
      const read = await readDates(opening, role, raw);
      const day = read.day(raw);
      const bad = read.bad(raw, day);
      dates.push({ role, day, bad, first: { opening, bad } });
      continue;
    }
    const k = joins.length;
    const texts = `select ${raw} as v from ${from(opening)} group by ${raw}`;
    const read = await readDates({ ...opening, relation: { ...relation, from: `(${texts})` } }, role, `${ROWS}.v`);
    const [dateName, badName] = [freeName(`date_${k}`, relation), freeName(`bad_${k}`, relation)];
    columns.push(`t${k}.day as ${dateName}`, `coalesce(t${k}.bad, false) as ${badName}`);
    // `offset 0` keeps a database from reading each row's text after all, to compare its day before the texts are brought together.
    joins.push(`left join (select texts.v, texts.day, ${read.bad('texts.v', 'texts.day')} as bad
    from (select ${raw} as v, ${read.day(raw)} as day from ${from(opening)} group by ${raw} offset 0) as texts) as t${k} on t${k}.v = ${raw}`);
    dates.push({
      role,
      day: `${ROWS}.${dialect.identifier(dateName)}`,
      bad: `${ROWS}.${dialect.identifier(badName)}`,
      first: { opening, bad: read.bad(raw, read.day(raw)) },
    });
  }
  if (joins.length === 0) return { dates, opening };
  const read = `(select ${ROWS}.*, ${columns.join(', ')}\n  from ${[from(opening), ...joins].join('\n    ')})`;
  return { dates, opening: { ...opening, relation: { ...relation, from: read } } };
};

/** What is asked of each role: bad dates, first and last day, rows with a date, rows before they entered. */
const FIGURES = 5;

interface DateFigures {
  readonly rows: number;
  readonly bounds: SqlFact['bounds'];
  readonly filled: SqlFact['filled'];
  readonly late: SqlFact['late'];
  readonly fullKeys: SqlFact['fullKeys'];
  readonly special: ReadonlySet<string>;
  readonly ranges: ReadonlyMap<string, NonNullable<KeyColumn['range']>>;
  readonly notes: readonly DataNote[];
}

/** The figures of a role without what is no day of D1. */
const insideFigures = ({ bad, day }: RoleDates): Statistic[] => [
  counted(bad),
  least(`min(${day})`),
  greatest(`max(${day})`),
  rowsWith(day),
];

/** Everything about dates, keys and links that one look at all rows tells. */
const dateFigures = async (opening: Opening, dates: readonly RoleDates[], ask: Ask) => {
  const { fact, model, dialect } = opening;
  const enters = dates.find(({ role }) => role.name === fact.enters);
  const keys = [
    ...new Set(usedColumns(fact, model).flatMap(({ use, column }) => (use === 'key' && !fact.columns.has(column) ? [column] : []))),
  ];
  const linked = [...new Set(fact.links.map(({ column }) => column))];
  const links = linked.filter((name) => columnOf(opening, name).kind === 'text');
  const whole = dialect.packs ? linked.filter((name) => columnOf(opening, name).kind === 'integer') : [];
  const raw = (name: string): string => rawOf(opening, name);
  const [rows, ...found] = await ask([
    ALL_ROWS,
    ...dates.flatMap((own) => {
      const late = enters === undefined || enters === own ? NOTHING : some(`(${enters.day}) > (${own.day})`);
      const column = columnOf(opening, own.role.column);
      const value = raw(own.role.column);
      if (isPlainDates(column, own.role)) {
        return [NOTHING, firstDay(dialect, value), lastDay(dialect, value), rowsWith(value), late];
      }
      return [...insideFigures(own), late];
    }),
    ...keys.map((name) => {
      const column = columnOf(opening, name);
      const blank = isBlankSql(dialect, raw(name), column);
      return column.kind === 'text' || column.kind === 'double' ? counted(blank) : rowsWithout(raw(name));
    }),
    ...links.map((name) => some(looksSpecial(raw(name)))),
    ...whole.flatMap((name) => [least(`min(${raw(name)})`), greatest(`max(${raw(name)})`)]),
  ]);
  const behind = FIGURES * dates.length;
  // Dates beyond all days are counted where there are some.
  const isBeyond = (k: number): boolean => {
    const [first, last] = found.slice(FIGURES * k + 1, FIGURES * k + 3);
    return isPlainDates(columnOf(opening, dates[k].role.column), dates[k].role) && ((first ?? 0) < FIRST_DAY || (last ?? 0) > LAST_DAY);
  };
  const beyond = dates.flatMap((_, k) => (isBeyond(k) ? [k] : []));
  const [, ...inside] = beyond.length === 0 ? [] : await ask([ALL_ROWS, ...beyond.flatMap((k) => insideFigures(dates[k]))]);
  beyond.forEach((k, at) => void found.splice(FIGURES * k, 4, ...inside.slice(4 * at, 4 * at + 4)));
  return {
    rows: rows ?? 0,
    ofRole: (k: number) => found.slice(FIGURES * k, FIGURES * (k + 1)),
    fullKeys: new Set(keys.filter((_, k) => (found[behind + k] ?? 0) === 0)),
    special: new Set(links.filter((_, k) => found[behind + keys.length + k] === 1)),
    ranges: new Map(
      whole.flatMap((name, k) => {
        const [first, last] = found.slice(behind + keys.length + links.length + 2 * k);
        return first === null || last === null ? [] : [[name, { least: first, greatest: last }] as const];
      }),
    ),
  };
};

/** Bad dates are an error, or a note where the model lets them pass (D3). */
const judged = async (
  opening: Opening,
  dates: readonly RoleDates[],
  figures: Awaited<ReturnType<typeof dateFigures>>,
): Promise<DateFigures> => {
  const { fact, relation, hidden } = opening;
  const notes: DataNote[] = [];
  for (const [k, { role, first: looked }] of dates.entries()) {
    const count = figures.ofRole(k)[0] ?? 0;
    if (count === 0) continue;
    if (role.onBadDate === 'blank') {
      notes.push(badDatesNote(fact.name, role.name, role.column, count));
      continue;
    }
    const first = await firstBad(looked.opening, `the first bad ${role.name} date`, rawOf(looked.opening, role.column), looked.bad);
    throw badDates(relation.name, hidden ? undefined : first.row, role.column, first.value, count);
  }
  const bounds = dates.map(({ role }, k) => {
    const [, first, last] = figures.ofRole(k);
    return [role.name, first === null || last === null ? undefined : { first, last }] as const;
  });
  return {
    rows: figures.rows,
    bounds: new Map(bounds),
    late: dates.flatMap(({ role }, k) => (figures.ofRole(k)[4] === 1 ? [role.name] : [])),
    filled: new Set(dates.flatMap(({ role }, k) => (figures.ofRole(k)[3] === figures.rows ? [role.name] : []))),
    fullKeys: figures.fullKeys,
    special: figures.special,
    ranges: figures.ranges,
    notes,
  };
};

/** Every number that the model uses of a fact; what is no number is an error, looked for in the rows as they were given. */
const numbersOf = (opening: Opening, given: Opening, rates: ReadonlyMap<string, string>, rows: Promise<number>, ask: NumberRows['ask']) => {
  const { fact, relation, model, dialect, run, hidden } = opening;
  const texts: NumberRows['texts'] = async (expression, condition) => {
    const sql = `select ${expression}\nfrom ${from(opening)}\nwhere ${condition}`;
    const { count, columns } = await run({ about: about('long numbers', opening), sql });
    return Array.from({ length: count }, (_, k) => String(columns[0][k]));
  };
  const raw = async (name: string): Promise<NumberSql> => {
    const column = columnNamed(relation, name);
    if (!column) throw unknownColumn(relation.name, name, [...relation.columns.map((known) => known.name), ...fact.columns.keys()]);
    const { bad } = doubleSql(dialect, rawColumn(dialect, ROWS, column), column);
    const [[wrongs], number] = await Promise.all([
      ask(bad === undefined ? [] : [counted(bad)]),
      columnNumber(column, { dialect, alias: ROWS, rows, ask, texts }),
    ]);
    if (bad === undefined || (wrongs ?? 0) === 0) return number;
    const first = await firstBad(given, `the first bad value of ${name}`, rawColumn(dialect, ROWS, column), bad);
    const value = column.kind === 'double' ? String(first.value).replace(/^(-?)inf.*$/i, '$1Infinity') : first.value;
    throw badNumber(relation.name, hidden ? undefined : first.row, name, value, column.numbers ?? 'plain');
  };
  const known = new Map<string, Promise<NumberSql>>();
  const numberOf = (name: string): Promise<NumberSql> => {
    let found = known.get(name);
    if (!found) {
      const expression = fact.columns.get(name);
      found = expression ? computedNumber(expression, numberOf, rows, ask) : raw(rates.get(name) ?? name);
      known.set(name, found);
    }
    return found;
  };
  const columns = usedColumns(fact, model).flatMap(({ column, use }) => (use === 'number' ? [column] : []));
  const names = [...new Set([...columns, ...rates.keys()])];
  return { names, all: names.map(numberOf) };
};

/** Rows that have a date and no rate on it (G10). */
const missingNotes = async (
  opening: Opening,
  used: readonly UsedRate[],
  columns: ReadonlyMap<string, string>,
  dayOf: (role: string) => string,
): Promise<readonly DataNote[]> => {
  const figures = used.flatMap(({ rate, role }) => {
    const name = columns.get(rateKey(rate.name, role)) as string;
    return missingFigures(`${ROWS}.${opening.dialect.identifier(name)}`, dayOf(role));
  });
  const found = await askOnce(opening, 'rates')(figures);
  return used.flatMap(({ rate, role }, k) => {
    const [rows, first] = [found[2 * k] ?? 0, found[2 * k + 1]];
    return rows > 0 && first !== null ? [missingRates(opening.fact, rate, role, rows, first)] : [];
  });
};

/** Opens a fact over a relation: checks its columns, its dates and its numbers before any question is answered (D3, M10). */
export const openSqlFact = async (given: Opening): Promise<SqlFact> => {
  checkColumns(given);
  const read = await roleDates(given);
  let { dates } = read;
  const { fact, dialect, model } = given;
  const used = usedRates(fact, model);
  const dayOf = (role: string): string => dates.find((own) => own.role.name === role)?.day as string;
  const rated = await withRates(read.opening.relation, ROWS, used, given.rateTable, dayOf, dialect);
  const opening = { ...read.opening, relation: rated.relation };
  const { relation } = opening;
  const ask = together(askOnce(opening, 'dates and numbers'));
  const figures = dateFigures(opening, dates, ask);
  const rows = figures.then((found) => found.rows);
  // Where the figures fail, that is what is told, whether or not a number waits for the count.
  rows.catch(() => undefined);
  const { names, all } = numbersOf(opening, given, rated.columns, rows, ask);
  // Both at once, so that rows are read together; dates are told first where both are bad.
  const [looked, ...counted] = await Promise.allSettled([figures, ...all] as const);
  if (looked.status === 'rejected') throw looked.reason;
  let found = await judged(opening, dates, looked.value);
  if (found.notes.length > 0) {
    // What is no day of D1 is a blank from here on.
    dates = dates.map((own) => ({ ...own, day: `case when (${own.day}) between ${FIRST_DAY} and ${LAST_DAY} then (${own.day}) end` }));
    found = { ...(await judged(opening, dates, await dateFigures(opening, dates, ask))), notes: found.notes };
  }
  const numbers = new Map<string, NumberSql>();
  for (const [k, one] of counted.entries()) {
    if (one.status === 'rejected') throw one.reason;
    numbers.set(names[k], one.value as NumberSql);
  }
  const missing = await missingNotes(opening, used, rated.columns, dayOf);
  found = { ...found, notes: [...found.notes, ...missing] };
  const byRole = new Map(dates.map((own) => [own.role.name, own]));
  const day = (role: string): string => byRole.get(role)?.day as string;
  const roleColumn = (role: string): SqlColumn => columnOf(opening, (fact.roles.get(role) as Role).column);
  return {
    fact,
    // Factors stand beside the columns, and are none of them.
    relation: { ...relation, columns: read.opening.relation.columns },
    ...found,
    day,
    sameDay: (role) => {
      const { kind } = roleColumn(role);
      const plain = kind === 'date' && fact.roles.get(role)?.blankDates.length === 0;
      return plain ? rawColumn(dialect, ROWS, roleColumn(role)) : day(role);
    },
    between: (role, first, last) => {
      const { kind } = roleColumn(role);
      if (kind !== 'date' && kind !== 'timestamp') return undefined;
      const raw = rawColumn(dialect, ROWS, roleColumn(role));
      const end = last + 1 > LAST_DAY ? undefined : `${raw} < date '${isoOf(last + 1)}'`;
      return [`${raw} >= date '${isoOf(first)}'`, ...(end ? [end] : [])].join(' and ');
    },
    number: (column) => numbers.get(column) as NumberSql,
    numbers,
    present: (name) => {
      const computed = numbers.get(name);
      if ((fact.columns.has(name) || rated.columns.has(name)) && computed) return computed.sql;
      const column = columnOf(opening, name);
      const raw = rawColumn(dialect, ROWS, column);
      return column.kind === 'text' || column.kind === 'double' ? `case when not ${isBlankSql(dialect, raw, column)} then ${raw} end` : raw;
    },
    link: ({ column }) => ({
      sql: rawOf(opening, column),
      column: columnOf(opening, column),
      special: found.special.has(column),
      range: found.ranges.get(column),
    }),
    versions: await versionsOf(opening),
  };
};

/** Revisions of a fact (G7); two recorded at the same time for one key are an error. */
const versionsOf = async (opening: Opening): Promise<SqlFact['versions']> => {
  const { fact, relation, dialect, model, run } = opening;
  if (fact.recorded === undefined) return undefined;
  const recorded = columnOf(opening, fact.recorded);
  const raw = rawOf(opening, fact.recorded);
  const rules = { format: undefined, blankDates: [], grain: 'day' as const };
  const reading: DateReading = await readingOf('recorded', recorded, rules, raw, dialect, model.timeZone, (what, list) =>
    askOnce(opening, what)(list),
  );
  const key = fact.versionKey.map((name) => `coalesce(${keySql(dialect, rawOf(opening, name), columnOf(opening, name))}, '')`);
  const order = recorded.kind === 'text' ? dialect.byCodePoint(raw) : raw;
  const numbers = [...key, ''].map((_, k) => String(k + 1)).join(', ');
  const { count, columns } = await run({
    about: `revisions of ${fact.name} recorded at the same time`,
    sql: `select ${[...key, dialect.toText(raw)].map((sql, k) => `${sql} as c${k}`).join(', ')}
from ${relation.from} as ${ROWS}
group by ${numbers}
having count(*) > 1
order by ${numbers} limit 1`,
  });
  if (count > 0) {
    const texts = columns.map((column) => String(column[0] ?? ''));
    throw new DurchblickError(
      'doubled-version',
      `${relation.name}: several rows were recorded at ${texts.at(-1)} for ${fact.versionKey.map((name, k) => `${name} = ${texts[k]}`).join(', ')}`,
      { kind: 'data', hint: 'For every key there is one row at a time (G7).' },
    );
  }
  return { key, day: daySql(dialect, raw, recorded, reading), order };
};

/** The condition that rows are the last revision of their key recorded on or before a day, and the rows they are taken from. */
export const versionedFrom = ({ relation, versions }: SqlFact, knownBy: number | undefined): string => {
  if (!versions) return `${relation.from} as ${ROWS}`;
  const rank = freeName('revision_rank', relation);
  const seen = knownBy === undefined ? '' : `\n      where ${versions.day} <= ${knownBy}`;
  // A day before the moment within it: texts of several forms are in order of time by their days.
  return `(select * from (
      select ${ROWS}.*, row_number() over (partition by ${versions.key.join(', ')} order by ${versions.day} desc nulls last, ${versions.order} desc nulls last) as ${rank}
      from ${relation.from} as ${ROWS}${seen}) as revisions
    where ${rank} = 1) as ${ROWS}`;
};
