import { NO_DAY } from '../../calendar/day.ts';
import { type AttributeRef, NONE, reach, UNKNOWN } from '../../model/attributes.ts';
import type { Link } from '../../model/model.ts';
import { passes } from '../../plan/members.ts';
import type { AggregateRequest, Filter, RowValue, Segments } from '../../plan/request.ts';
import type { Database } from './database.ts';
import type { Dialect, Relation, SqlColumn } from './dialect.ts';
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
  readonly condition: (filter: Filter) => string;
  readonly value: (value: RowValue) => string;
  readonly aggregate: (request: AggregateRequest) => string;
  /** FROM with all joins so far. */
  readonly from: () => string;
}

const isAll = (conditions: readonly string[]): string => (conditions.length === 0 ? 'true' : conditions.join(' and '));

/** The texts of a dimension's attribute as SQL over its own rows, `d`. */
const attributeText = (dialect: Dialect, relation: Relation, column: string, alias: string): string => {
  const found = relation.columns.find(({ name }) => name === column) as SqlColumn;
  const raw = `${alias}.${dialect.identifier(column)}`;
  return `case when ${isBlankSql(dialect, raw, found)} then ${dialect.text(NONE)} else ${keySql(dialect, raw, found)} end`;
};

const comparable = (a: SqlColumn, b: SqlColumn): boolean => a.kind === b.kind && (a.kind === 'integer' || a.kind === 'text');

export const selectOf = (fact: SqlFact, world: SqlWorld, knownBy: number | undefined): Select => {
  const { dialect } = world;
  const joins = new Map<string, { readonly alias: string; readonly sql: string }>();
  const linkOf = (attribute: AttributeRef): Link => reach(fact.fact, attribute) as Link;

  /** Joins a dimension at its key, or the values of the attribute that a coarser fact links to; every attribute used is in it. */
  const dimensionJoin = (link: Link, relation: Relation): string => {
    const name = `${link.part}.${link.attribute ?? ''}`;
    const known = joins.get(name);
    if (known) return known.alias;
    const alias = `d${joins.size + 1}`;
    const { sql, column } = fact.link(link);
    const { dimension } = link;
    if (link.attribute !== undefined) {
      const text = attributeText(dialect, relation, dimension.attributes.get(link.attribute)?.column as string, 'd');
      joins.set(name, {
        alias,
        sql: `left join (select distinct ${text} as text from ${relation.from} as d) as ${alias} on ${alias}.text = ${keySql(dialect, sql, column)}`,
      });
      return alias;
    }
    const key = relation.columns.find(({ name: own }) => own === dimension.key) as SqlColumn;
    const rawKey = `d.${dialect.identifier(key.name)}`;
    const native = comparable(key, column);
    const attributes = [...dimension.attributes.values()].map(
      ({ name: own, column: of }) => `${attributeText(dialect, relation, of, 'd')} as ${dialect.identifier(own)}`,
    );
    joins.set(name, {
      alias,
      sql: `left join (select ${[`${native ? rawKey : keySql(dialect, rawKey, key)} as row_key`, ...attributes].join(', ')}
    from ${relation.from} as d) as ${alias} on ${alias}.row_key = ${native ? sql : keySql(dialect, sql, column)}`,
    });
    return alias;
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
    const alias = dimensionJoin(link, relation);
    if (link.attribute !== undefined) {
      const text = `${alias}.text`;
      return `case ${blank} when ${text} is null or ${text} in (${dialect.text(NONE)}, ${dialect.text(UNKNOWN)}) then ${dialect.text(UNKNOWN)} else ${text} end`;
    }
    return `case ${blank} when ${alias}.row_key is null then ${dialect.text(UNKNOWN)} else ${alias}.${dialect.identifier(attribute.attribute)} end`;
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
    joins.set(name, { alias, sql: `left join ${relation} on ${alias}.day = ${fact.day(role)}` });
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
    condition,
    value,
    aggregate,
    from: () => [versionedFrom(fact, knownBy), ...[...joins.values()].map(({ sql }) => sql)].join('\n  '),
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
