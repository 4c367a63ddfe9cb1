// Selects over a fact's rows: members, conditions, values and aggregates as expressions, with the joins they need.

import { isoOf, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import { type AttributeRef, NONE, SPECIAL_TEXT, UNKNOWN } from '../../model/attributes.ts';
import { type Link, NOW } from '../../model/model.ts';
import { rowMapOf } from '../../plan/members/kinds.ts';
import type { KeyMap, RowMap, ThresholdMap } from '../../plan/members/map.ts';
import { passes } from '../../plan/members/test.ts';
import type { AggregateRequest, Filter, RowValue, Segments, WorkingDays } from '../../plan/request.ts';
import { besideDay, stretchTable, workedTable } from './day-table.ts';
import { columnNamed, type Dialect, type Relation, rawColumn, readable, type SqlColumn } from './dialect.ts';
import { type KeyColumn, type SqlFact, versionedFrom } from './fact.ts';
import { isBlankSql, keySql, looksSpecial } from './values.ts';

/** What statements are made of beside the fact itself. */
export interface SqlWorld {
  readonly dialect: Dialect;
  readonly dimensions: ReadonlyMap<string, Relation>;
  /** Members of an attribute, for tests that are more than a list (M3). */
  readonly members: (attribute: AttributeRef) => readonly string[];
  /** Undefined where nothing asks for working days. */
  readonly workingDays: WorkingDays | undefined;
  /** Rows with a later day in a role do not count, by role. */
  readonly latest?: ReadonlyMap<string, number>;
  /** The day that selects versions for links with `at: now` (G9); `any` joins every version of a key. */
  readonly heldOn?: number | 'any';
}

/** A select over a fact's rows under way: joins and conditions are added as they are needed. */
export interface Select {
  readonly member: (attribute: AttributeRef) => string;
  /** A whole number in place of the text of an attribute in a table. */
  readonly coded: (attribute: AttributeRef) => Coded;
  readonly condition: (filter: Filter) => string;
  readonly value: (value: RowValue) => string;
  readonly aggregate: (request: AggregateRequest) => string;
  /** FROM with all joins so far. */
  readonly from: () => string;
}

/** A member as a whole number: sorting and grouping by it is faster than by text. */
export interface Coded {
  readonly code: string;
  /** A relation that has the `text` of each `code`. */
  readonly texts: string;
  /** Turns a code back, where `texts` is joined under an alias. */
  readonly text: (code: string, texts: string) => string;
}

const isAll = (conditions: readonly string[]): string => (conditions.length === 0 ? 'true' : conditions.join(' and '));

/** A text of the data as a member: memberText of model/attributes.ts. */
const memberSql = (dialect: Dialect, text: string): string =>
  `case when (${looksSpecial(text)}) and ${dialect.matches(text, SPECIAL_TEXT)} then '"' || ${text} || '"' else ${text} end`;

/** Text of an attribute in a dimension's rows. */
export const attributeText = (dialect: Dialect, relation: Relation, name: string, alias: string): string => {
  const column = columnNamed(relation, name) as SqlColumn;
  const raw = rawColumn(dialect, alias, column);
  const key = keySql(dialect, raw, column);
  const text = column.special ? memberSql(dialect, key) : key;
  return `case when ${isBlankSql(dialect, raw, column)} then ${dialect.text(NONE)} else ${text} end`;
};

/** Codes of the members that stand in no table; those that do are counted from 1. */
const [NONE_CODE, UNKNOWN_CODE] = [0, -1];

/** A dimension's table as a statement joins it; its columns have names of ours, which no name of a model can meet. */
interface Joined {
  readonly alias: string;
  readonly table: () => string;
  /** The name of an attribute's text, and of its code, which is made when it is asked for. */
  readonly text: (attribute: string) => string;
  readonly code: (attribute: string) => string;
}

const comparable = (a: SqlColumn, b: SqlColumn): boolean => a.kind === b.kind && (a.kind === 'integer' || a.kind === 'text');

/** A dimension's rows, or the values of the attribute that a coarser fact links to, with the texts of its attributes. */
const dimensionTable = (
  dialect: Dialect,
  { dimension, attribute }: Link,
  relation: Relation,
  native: boolean,
  coded: ReadonlySet<string>,
): string => {
  const names = [...dimension.attributes.keys()];
  const key = columnNamed(relation, dimension.key as string) as SqlColumn;
  const rawKey = rawColumn(dialect, 'd', key);
  const wanted = [...dimension.attributes.values()].filter(({ name }) => attribute === undefined || name === attribute);
  const texts = wanted.map(({ name, column }) => ({ at: names.indexOf(name), text: attributeText(dialect, relation, column, 'd') }));
  const { held } = relation;
  const columns = [
    ...texts.map(({ at, text }) => `${text} as text_${at}`),
    ...(held && attribute === undefined ? [`${held.from} as held_from`, `${held.until} as held_until`] : []),
  ];
  const rows =
    attribute === undefined
      ? `select ${[`${native ? rawKey : keySql(dialect, rawKey, key)} as row_key`, ...columns].join(', ')}
    from ${relation.from} as d`
      : `select distinct ${[`${texts[0].text} as row_key`, ...columns].join(', ')}
    from ${relation.from} as d where ${texts[0].text} not in (${dialect.text(NONE)}, ${dialect.text(UNKNOWN)})`;
  if (coded.size === 0) return rows;
  const codes = Array.from(coded, (name) => {
    const text = `t.text_${names.indexOf(name)}`;
    return `case ${text} when ${dialect.text(NONE)} then ${NONE_CODE} when ${dialect.text(UNKNOWN)} then ${UNKNOWN_CODE} else dense_rank() over (order by ${text}) end as code_${names.indexOf(name)}`;
  });
  return `select t.*, ${codes.join(', ')}\n    from (${rows}) as t`;
};

const bandMember = ({ number }: SqlFact, { band }: ThresholdMap, dialect: Dialect): string => {
  const { sql, scale } = number(band.of);
  const starts = band.starts.map((start) => scaledStart(start, scale));
  const cases = starts.map((_, k) =>
    k + 1 < starts.length ? `when ${sql} < ${starts[k + 1]} then ${dialect.text(band.labels[k])}` : `else ${dialect.text(band.labels[k])}`,
  );
  return `case when ${sql} is null or ${sql} < ${starts[0]} then ${dialect.text(NONE)} ${cases.join(' ')} end`;
};

/** How a select finds the members of rows, joining each dimension once for all that is asked of it. */
const memberFinder = (fact: SqlFact, { dialect, dimensions, heldOn }: SqlWorld, joins: Map<string, () => string>) => {
  const joined = new Map<string, Joined>();
  const map = (attribute: AttributeRef): RowMap => rowMapOf(fact.fact, attribute) as RowMap;
  const linkText = ({ sql, column, special }: KeyColumn): string => {
    const text = keySql(dialect, sql, column);
    return special ? memberSql(dialect, text) : text;
  };
  const dimensionJoin = (link: Link, relation: Relation): Joined => {
    const name = JSON.stringify([link.part, link.attribute ?? null]);
    const known = joined.get(name);
    if (known) return known;
    const own = fact.link(link);
    const key = columnNamed(relation, link.dimension.key as string) as SqlColumn;
    const native = link.attribute === undefined && comparable(key, own.column);
    const coded = new Set<string>();
    const alias = `d${joins.size + 1}`;
    const names = [...link.dimension.attributes.keys()];
    const table = (): string => dimensionTable(dialect, link, relation, native, coded);
    const linked = native ? own.sql : link.attribute === undefined ? keySql(dialect, own.sql, own.column) : linkText(own);
    const day = link.at === NOW ? String(heldOn ?? LAST_DAY) : link.at === undefined ? undefined : `(${fact.day(link.at)})`;
    const holds = day === undefined || day === 'any' ? '' : ` and ${day} >= ${alias}.held_from and ${day} < ${alias}.held_until`;
    joins.set(name, () => `left join (${table()}) as ${alias} on ${alias}.row_key = ${linked}${holds}`);
    const made: Joined = {
      alias,
      table,
      text: (attribute) => `text_${names.indexOf(attribute)}`,
      code: (attribute) => {
        coded.add(attribute);
        return `code_${names.indexOf(attribute)}`;
      },
    };
    joined.set(name, made);
    return made;
  };
  const member = (attribute: AttributeRef): string => {
    const found = map(attribute);
    if (found.kind === 'thresholds') return bandMember(fact, found, dialect);
    const { link } = found;
    const own = fact.link(link);
    const table = dimensions.get(link.dimension.name);
    const relation = table && readable(table);
    const blank = `when ${isBlankSql(dialect, own.sql, own.column)} then ${dialect.text(NONE)}`;
    if (!relation) return `case ${blank} else ${linkText(own)} end`;
    const { alias, text } = dimensionJoin(link, relation);
    return `case ${blank} when ${alias}.row_key is null then ${dialect.text(UNKNOWN)} else ${alias}.${text(found.attribute)} end`;
  };
  const coded = (attribute: AttributeRef): Coded => {
    const { link, attribute: name } = map(attribute) as KeyMap;
    const { sql, column } = fact.link(link);
    const found = dimensionJoin(link, readable(dimensions.get(link.dimension.name) as Relation));
    const code = found.code(name);
    return {
      code: `case when ${isBlankSql(dialect, sql, column)} then ${NONE_CODE} when ${found.alias}.row_key is null then ${UNKNOWN_CODE} else ${found.alias}.${code} end`,
      texts: `(select distinct ${code} as code, ${found.text(name)} as text from (${found.table()}) as d)`,
      text: (own, texts) =>
        `case ${own} when ${NONE_CODE} then ${dialect.text(NONE)} when ${UNKNOWN_CODE} then ${dialect.text(UNKNOWN)} else ${texts}.text end`,
    };
  };
  return { member, coded };
};

/** A filter as a condition on rows. */
const conditionOf = (
  filter: Filter,
  fact: SqlFact,
  member: (attribute: AttributeRef) => string,
  { dialect, members }: SqlWorld,
): string => {
  const list = (texts: readonly string[]): string => texts.map(dialect.text).join(', ');
  switch (filter.kind) {
    case 'members': {
      const { test, attribute } = filter;
      const text = member(attribute);
      if (test.from !== undefined || test.to !== undefined) {
        const texts = members(attribute).filter((candidate) => passes(candidate, test));
        return texts.length === 0 ? 'false' : `(${text}) in (${list(texts)})`;
      }
      return isAll([
        ...(test.values ? [test.values.length === 0 ? 'false' : `(${text}) in (${list(test.values)})`] : []),
        ...(test.not && test.not.length > 0 ? [`(${text}) not in (${list(test.not)})`] : []),
      ]);
    }
    case 'combinations': {
      if (filter.list.length === 0) return filter.keep === 'listed' ? 'false' : 'true';
      const row = (texts: readonly string[]): string => (texts.length === 1 ? texts[0] : `(${texts.join(', ')})`);
      const tuples = filter.list.map((tuple) => row(tuple.map(dialect.text)));
      return `${row(filter.attributes.map(member))} ${filter.keep === 'listed' ? 'in' : 'not in'} (${tuples.join(', ')})`;
    }
    case 'days': {
      const day = `(${fact.day(filter.role)})`;
      const single = filter.stretches.filter(([first, last]) => first === last).map(([first]) => first);
      const longer = filter.stretches.filter(([first, last]) => first < last).map(([first, last]) => `${day} between ${first} and ${last}`);
      const any = [...(single.length > 0 ? [`${day} in (${single.join(', ')})`] : []), ...longer];
      return any.length === 0 ? 'false' : `(${any.join(' or ')})`;
    }
    case 'date':
      return `(${fact.day(filter.role)}) is ${filter.is === 'blank' ? 'null' : 'not null'}`;
    case 'entered':
      return `coalesce(${fact.day(filter.role)}, ${NO_DAY}) <= ${filter.by}`;
    case 'by':
      return `(${fact.day(filter.role)}) <= ${filter.day}`;
    default: {
      const reversed = `coalesce((${fact.day(filter.until)}) < (${fact.day(filter.from)}), false)`;
      return filter.is === 'reversed' ? reversed : `not ${reversed}`;
    }
  }
};

/** Days of more years than this are too many to be counted one by one in a statement. */
const MOST_DAYS = 150_000;

/** How many working days lie up to each day of two roles, counted from one day; undefined where a role has no days. */
const workedDays = (
  fact: SqlFact,
  roles: readonly [string, string],
  { dialect, workingDays, latest }: SqlWorld,
  joins: Map<string, () => string>,
) => {
  const [a, b] = roles.map((role) => fact.bounds.get(role));
  if (!a || !b || !workingDays) return undefined;
  const until = roles.map((role, k) => Math.min((k === 0 ? a : b).last, latest?.get(role) ?? LAST_DAY));
  const [first, last] = [Math.min(a.first, b.first), Math.max(...until)];
  if (last - first > MOST_DAYS)
    throw new DurchblickError(
      'far-date',
      `${fact.fact.name} has dates from ${isoOf(first)} to ${isoOf(last)}: too many days to count working days in`,
      {
        kind: 'data',
        hint: 'If one of them stands for "none", list it in blank-dates.',
      },
    );
  const order = [...fact.fact.roles.keys()];
  return roles.map((role, k) => {
    const alias = `w${order.indexOf(roles[0])}_${order.indexOf(roles[1])}_${k}`;
    joins.set(alias, () => `left join ${workedTable(dialect, alias, first, last, workingDays)} on ${alias}.day = ${fact.day(role)}`);
    return `${alias}.worked`;
  });
};

export const selectOf = (fact: SqlFact, world: SqlWorld, knownBy: number | undefined): Select => {
  const { dialect } = world;
  const joins = new Map<string, () => string>();
  const { member, coded } = memberFinder(fact, world, joins);
  const condition = (filter: Filter): string => conditionOf(filter, fact, member, world);
  const value = (of: RowValue): string => {
    if (of.kind === 'column') return fact.number(of.column).sql;
    const [from, until] = [fact.day(of.from), fact.day(of.until)];
    if (of.days === 'all') return dialect.toDouble(`((${until}) - (${from}))`);
    const worked = workedDays(fact, [of.from, of.until], world, joins);
    return dialect.toDouble(worked ? `(${worked[1]} - ${worked[0]})` : 'null');
  };
  const aggregate = (request: AggregateRequest): string => {
    const where = request.where.length === 0 ? '' : ` filter (where ${request.where.map(condition).join(' and ')})`;
    if (request.kind === 'rows') return `count(*)${where}`;
    if (request.kind === 'first-time') throw new Error('first times have a statement of their own');
    if (request.kind === 'count') {
      // Where no row is blank, all are counted already.
      if (request.value.kind === 'column' && fact.numbers.get(request.value.column)?.full) return `count(*)${where}`;
      const counted = request.value.kind === 'column' ? fact.present(request.value.column) : value(request.value);
      return `count(${counted})${where}`;
    }
    const whole = request.kind === 'sum' && request.value.kind === 'column' ? fact.number(request.value.column).sum : undefined;
    return whole ? whole(where) : `${request.kind}(${value(request.value)})${where}`;
  };
  return {
    member,
    coded,
    condition,
    value,
    aggregate,
    from: () => [versionedFrom(fact, knownBy), ...[...joins.values()].map((sql) => sql())].join('\n  '),
  };
};

/** The least amount of a band in the scale of its column. */
const scaledStart = (start: number, scale: number): number => {
  if (scale <= 0) return start;
  const exact = start * 10 ** scale;
  return Math.abs(Math.round(exact) - exact) < 1e-6 ? Math.round(exact) : exact;
};

/** How rows are told their segments. */
export interface SegmentSql {
  readonly segment: string;
  readonly stand: string;
  readonly join: string;
  /** The days that are asked for; what skips rows by their dates may say it in its place. */
  readonly condition: string;
  /** What rows must meet besides, where nothing is joined that they would fall out of. */
  readonly within: readonly string[];
  /** Days are segments: rows of one day are of one segment. */
  readonly byDay?: true;
}

/** Number of a row's segment, and the day it stands on, the first of its segment: counted from the first day where days are segments, else looked up in a small relation. */
export const segmentSql = (
  dialect: Dialect,
  day: string,
  { starts, ends }: Segments,
  bounds: { readonly first: number; readonly last: number } | undefined,
): SegmentSql => {
  const last = starts.length - 1;
  // Databases take bounds of a computed day to leave few rows: where they leave all, they are not said.
  const covers = bounds !== undefined && starts[0] <= bounds.first && bounds.last <= ends[last];
  const condition = covers ? `${day} is not null` : `${day} between ${starts[0]} and ${ends[last]}`;
  if (last === 0) return { segment: '0', stand: day, join: '', condition, within: [] };
  if (ends[last] - starts[0] === last)
    return { segment: `${day} - ${starts[0]}`, stand: day, join: '', condition, within: [], byDay: true };
  if (bounds && bounds.last - bounds.first > MOST_DAYS) {
    // A far date: stretches instead of days, which are slower to look up.
    return {
      segment: 'p.segment',
      stand: 'p.first',
      join: `join ${stretchTable('p', { starts, ends })} on ${day} between p.first and p.last`,
      condition,
      within: [],
    };
  }
  const days: number[] = [];
  const [segments, stands]: [number[], number[]] = [[], []];
  for (let s = 0; s < starts.length; s++)
    // The last period of a table may be endless; there are no rows behind the last one.
    for (let d = Math.max(starts[s], bounds?.first ?? starts[s]); d <= Math.min(ends[s], bounds?.last ?? ends[s]); d++) {
      days.push(d);
      segments.push(s);
      stands.push(starts[s]);
    }
  const { values, join, conditions } = besideDay(dialect, 'p', days, { segment: segments, stand: stands }, day);
  return { segment: values.segment, stand: values.stand, join, condition, within: conditions };
};
