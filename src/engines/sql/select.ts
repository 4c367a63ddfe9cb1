import { NO_DAY } from '../../calendar/day.ts';
import { type AttributeRef, NONE, reach, UNKNOWN } from '../../model/attributes.ts';
import type { Link } from '../../model/model.ts';
import { passes } from '../../plan/members.ts';
import type { AggregateRequest, Filter, RowValue, Segments } from '../../plan/request.ts';
import type { Database } from './database.ts';
import type { Dialect, Relation, SqlColumn } from './dialect.ts';
import { textOf } from './dimensions.ts';
import { type SqlFact, versionedFrom } from './fact.ts';
import { scaled } from './numbers.ts';
import { isBlankSql, keySql } from './values.ts';

/** What statements are made of beside the fact itself. */
export interface SqlWorld {
  readonly dialect: Dialect;
  readonly state: Database['state'];
  readonly dimensions: ReadonlyMap<string, Relation>;
  /** Members of an attribute, for tests that are more than a list (M3). */
  readonly members: (attribute: AttributeRef) => readonly string[];
  readonly workingDays: (after: number, until: number) => number;
  /** Bounds of a role over all rows, for the days that working days are counted over. */
  readonly bounds: (role: string) => { readonly first: number; readonly last: number } | undefined;
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

/** Codes of the members that stand in no table; those that do are counted from 1. */
const [NONE_CODE, UNKNOWN_CODE] = [0, -1];
const codeName = (attribute: string): string => `${attribute} code`;
const codeOf = (dialect: Dialect, attribute: string): string => {
  const text = `t.${dialect.identifier(attribute)}`;
  const code = `case ${text} when ${dialect.text(NONE)} then ${NONE_CODE} when ${dialect.text(UNKNOWN)} then ${UNKNOWN_CODE} else dense_rank() over (order by ${text}) end`;
  return `${code} as ${dialect.identifier(codeName(attribute))}`;
};

/** A dimension's table as a statement joins it. */
interface Joined {
  readonly alias: string;
  readonly table: () => string;
  /** Attributes whose codes are asked for. */
  readonly coded: Set<string>;
}

const comparable = (a: SqlColumn, b: SqlColumn): boolean => a.kind === b.kind && (a.kind === 'integer' || a.kind === 'text');

export const selectOf = (fact: SqlFact, world: SqlWorld, knownBy: number | undefined): Select => {
  const { dialect } = world;
  const joins = new Map<string, { readonly alias: string; readonly sql: () => string }>();
  const joined = new Map<string, Joined>();
  const linkOf = (attribute: AttributeRef): Link => reach(fact.fact, attribute) as Link;

  /** A dimension's rows, or the values of the attribute that a coarser fact links to, with the texts of its attributes. */
  const tableOf = ({ dimension, attribute }: Link, relation: Relation, native: boolean, coded: ReadonlySet<string>): string => {
    const key = relation.columns.find(({ name: own }) => own === dimension.key) as SqlColumn;
    const rawKey = `d.${dialect.identifier(key.name)}`;
    const texts = [...dimension.attributes.values()]
      .filter(({ name }) => attribute === undefined || name === attribute)
      .map(({ name, column }) => ({ name, text: textOf(dialect, relation, column, 'd') }));
    const columns = texts.map(({ name, text }) => `${text} as ${dialect.identifier(name)}`);
    const rows =
      attribute === undefined
        ? `select ${[`${native ? rawKey : keySql(dialect, rawKey, key)} as row_key`, ...columns].join(', ')}
    from ${relation.from} as d`
        : `select distinct ${[`${texts[0].text} as row_key`, ...columns].join(', ')}
    from ${relation.from} as d where ${texts[0].text} not in (${dialect.text(NONE)}, ${dialect.text(UNKNOWN)})`;
    return coded.size === 0 ? rows : `select t.*, ${[...coded].map((name) => codeOf(dialect, name)).join(', ')}\n    from (${rows}) as t`;
  };

  /** Joins a dimension, once for all that is asked of it. */
  const dimensionJoin = (link: Link, relation: Relation): Joined => {
    const name = `${link.part}.${link.attribute ?? ''}`;
    const known = joined.get(name);
    if (known) return known;
    const { sql, column } = fact.link(link);
    const key = relation.columns.find(({ name: own }) => own === link.dimension.key);
    const native = link.attribute === undefined && key !== undefined && comparable(key, column);
    const coded = new Set<string>();
    const alias = `d${joins.size + 1}`;
    const table = (): string => tableOf(link, relation, native, coded);
    const own = { alias, table, coded };
    joined.set(name, own);
    joins.set(name, {
      alias,
      sql: () => `left join (${table()}) as ${alias} on ${alias}.row_key = ${native ? sql : keySql(dialect, sql, column)}`,
    });
    return own;
  };

  const bandMember = (name: string): string => {
    const band = fact.fact.bands.get(name);
    if (!band) throw new Error(`no band ${name}`);
    const { sql, scale } = fact.number(band.of);
    const starts = band.starts.map((start) => scaledStart(start, scale));
    const cases = starts.map((_, k) =>
      k + 1 < starts.length
        ? `when ${sql} < ${starts[k + 1]} then ${dialect.text(band.labels[k])}`
        : `else ${dialect.text(band.labels[k])}`,
    );
    return `case when ${sql} is null or ${sql} < ${starts[0]} then ${dialect.text(NONE)} ${cases.join(' ')} end`;
  };

  const member = (attribute: AttributeRef): string => {
    if (attribute.kind === 'band') return bandMember(attribute.band);
    const link = linkOf(attribute);
    const { sql, column } = fact.link(link);
    const relation = world.dimensions.get(link.dimension.name);
    const blank = `when ${isBlankSql(dialect, sql, column)} then ${dialect.text(NONE)}`;
    if (!relation) return `case ${blank} else ${keySql(dialect, sql, column)} end`;
    const { alias } = dimensionJoin(link, relation);
    return `case ${blank} when ${alias}.row_key is null then ${dialect.text(UNKNOWN)} else ${alias}.${dialect.identifier(attribute.attribute)} end`;
  };

  const coded = (attribute: AttributeRef): Coded => {
    const link = linkOf(attribute);
    const { sql, column } = fact.link(link);
    const { alias, table, coded: asked } = dimensionJoin(link, world.dimensions.get(link.dimension.name) as Relation);
    const name = attribute.kind === 'attribute' ? attribute.attribute : attribute.key;
    asked.add(name);
    const own = dialect.identifier(codeName(name));
    return {
      code: `case when ${isBlankSql(dialect, sql, column)} then ${NONE_CODE} when ${alias}.row_key is null then ${UNKNOWN_CODE} else ${alias}.${own} end`,
      texts: `(select distinct ${own} as code, ${dialect.identifier(name)} as text from (${table()}) as d)`,
      text: (code, texts) =>
        `case ${code} when ${NONE_CODE} then ${dialect.text(NONE)} when ${UNKNOWN_CODE} then ${dialect.text(UNKNOWN)} else ${texts}.text end`,
    };
  };

  const list = (texts: readonly string[]): string => texts.map(dialect.text).join(', ');
  const condition = (filter: Filter): string => {
    switch (filter.kind) {
      case 'members': {
        const { test, attribute } = filter;
        const text = member(attribute);
        if (test.from !== undefined || test.to !== undefined) {
          const texts = [...world.members(attribute), NONE, UNKNOWN].filter((candidate) => passes(candidate, test));
          return texts.length === 0 ? 'false' : `(${text}) in (${list(texts)})`;
        }
        return isAll([
          ...(test.values ? [`(${text}) in (${list(test.values)})`] : []),
          ...(test.not ? [`(${text}) not in (${list(test.not)})`] : []),
        ]);
      }
      case 'combinations': {
        const texts = filter.attributes.map((attribute) => `(${member(attribute)})`);
        const any = filter.list.map((tuple) => `(${tuple.map((text, k) => `${texts[k]} = ${dialect.text(text)}`).join(' and ')})`);
        const listed = any.length === 0 ? 'false' : `(${any.join(' or ')})`;
        return filter.keep === 'listed' ? listed : `not ${listed}`;
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

  const workJoin = (role: string, bounds: { readonly first: number; readonly last: number }): string => {
    const name = `work ${role}`;
    const known = joins.get(name);
    if (known) return known.alias;
    const alias = `w${joins.size + 1}`;
    const days = Array.from({ length: bounds.last - bounds.first + 1 }, (_, k) => bounds.first + k);
    const relation = dialect.integers(alias, { day: days, worked: days.map((day) => world.workingDays(bounds.first - 1, day)) });
    joins.set(name, { alias, sql: () => `left join ${relation} on ${alias}.day = ${fact.day(role)}` });
    return alias;
  };
  const value = (of: RowValue): string => {
    if (of.kind === 'column') return fact.number(of.column).sql;
    const [from, until] = [fact.day(of.from), fact.day(of.until)];
    if (of.days === 'all') return dialect.toDouble(`((${until}) - (${from}))`);
    const [a, b] = [world.bounds(of.from), world.bounds(of.until)];
    if (!a || !b) return 'null';
    const both = { first: Math.min(a.first, b.first), last: Math.max(a.last, b.last) };
    return dialect.toDouble(`(${workJoin(of.until, both)}.worked - ${workJoin(of.from, both)}.worked)`);
  };

  const aggregate = (request: AggregateRequest): string => {
    const where = request.where.length === 0 ? '' : ` filter (where ${request.where.map(condition).join(' and ')})`;
    if (request.kind === 'rows') return `count(*)${where}`;
    if (request.kind === 'count') {
      // Where no row is blank, all are counted already.
      if (world.state === 'still' && request.value.kind === 'column' && fact.numbers.get(request.value.column)?.full)
        return `count(*)${where}`;
      const counted = request.value.kind === 'column' ? fact.present(request.value.column) : value(request.value);
      return `count(${counted})${where}`;
    }
    const whole = request.kind === 'sum' && request.value.kind === 'column' ? fact.number(request.value.column) : undefined;
    if (whole?.whole !== undefined) return scaled(dialect.toDouble(`(sum(${whole.whole})${where})`), whole.scale);
    return `${request.kind}(${value(request.value)})${where}`;
  };

  return {
    member,
    coded,
    condition,
    value,
    aggregate,
    from: () => [versionedFrom(fact, knownBy), ...[...joins.values()].map(({ sql }) => sql())].join('\n  '),
  };
};

/** The least amount of a band in the scale of its column. */
const scaledStart = (start: number, scale: number): number => {
  if (scale <= 0) return start;
  const exact = start * 10 ** scale;
  return Math.abs(Math.round(exact) - exact) < 1e-6 ? Math.round(exact) : exact;
};

/** Number of a row's segment: counted from the first day where days are segments, else looked up in a small relation. */
export const segmentSql = (
  dialect: Dialect,
  day: string,
  { starts, ends }: Segments,
  bounds: { readonly first: number; readonly last: number } | undefined,
): { readonly segment: string; readonly join: string; readonly condition: string } => {
  const last = starts.length - 1;
  const condition = `${day} between ${starts[0]} and ${ends[last]}`;
  if (last === 0) return { segment: '0', join: '', condition };
  if (ends[last] - starts[0] === last) return { segment: `${day} - ${starts[0]}`, join: '', condition };
  const days: number[] = [];
  const segments: number[] = [];
  for (let s = 0; s < starts.length; s++)
    // The last period of a table may be endless; there are no rows behind the last one.
    for (let d = Math.max(starts[s], bounds?.first ?? starts[s]); d <= Math.min(ends[s], bounds?.last ?? ends[s]); d++) {
      days.push(d);
      segments.push(s);
    }
  return {
    segment: 'p.segment',
    join: `join ${dialect.integers('p', { day: days, segment: segments })} on p.day = ${day}`,
    condition,
  };
};
