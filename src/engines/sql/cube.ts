// Statements for day cubes: aggregates by segment and members.
import { upperBound } from '../../basics/search.ts';
import { tupleKey } from '../../basics/tuples.ts';
import { DurchblickError } from '../../errors.ts';
import type { AttributeRef } from '../../model/attributes.ts';
import type { Link } from '../../model/model.ts';
import { rowMapOf } from '../../plan/members/kinds.ts';
import type { AggregateRequest, Cube, CubeColumn, CubeRequest, Filter, Segments } from '../../plan/request.ts';
import type { Rows, Statement } from './database.ts';
import type { Dialect } from './dialect.ts';
import { type KeyColumn, ROWS, type SqlFact } from './fact.ts';
import { type SqlWorld, segmentSql, selectOf } from './select.ts';

/** Dimensions up to this size are joined to what is left after adding up by key, larger ones to the rows. */
export const SMALL_DIMENSION = 4096;

export interface CubeStatement extends Statement {
  readonly cube: (rows: Rows) => Cube;
}

/** The link through which an attribute's text is found in a table. */
export const linkWithTable = (fact: SqlFact, attribute: AttributeRef, world: SqlWorld): Link | undefined => {
  const map = rowMapOf(fact.fact, attribute);
  return map?.kind === 'key' && world.dimensions.has(map.link.dimension.name) ? map.link : undefined;
};

const attributesOf = (filter: Filter): readonly AttributeRef[] =>
  filter.kind === 'members' ? [filter.attribute] : filter.kind === 'combinations' ? filter.attributes : [];

const again = (kind: AggregateRequest['kind'], column: string): string =>
  kind === 'min' || kind === 'max' ? `${kind}(${column})` : `sum(${column})`;

const aboutAggregate = (aggregate: AggregateRequest): string => {
  if (aggregate.kind === 'rows') return 'rows';
  if (aggregate.kind === 'first-time') return `first times of ${aggregate.column}`;
  const { value } = aggregate;
  return `${aggregate.kind} of ${value.kind === 'column' ? value.column : `days between ${value.from} and ${value.until}`}`;
};

const aboutCube = ({ fact, role, attributes, filters, aggregates }: CubeRequest): string => {
  const by = [role === undefined ? 'over all time' : `by ${role} day`, ...attributes.map(({ key }) => key)].join(', ');
  const what = aggregates.map((aggregate, k) => `a${k} ${aboutAggregate(aggregate)}`).join(', ');
  return `${fact.name} ${by}${filters.length === 0 ? '' : ', filtered'}: ${what}`;
};

/** More accumulators than this are refused with a message instead of exhausting memory. */
export const MOST_CELLS = 1 << 27;
/** Up to so many cells nobody needs to look first. */
const FEW_CELLS = 4_000_000;

export const tooManyCells = ({ segments }: CubeRequest, tuples: number): DurchblickError =>
  new DurchblickError('too-many-cells', `the question needs ${segments.starts.length} x ${tuples} cells`, {
    kind: 'engine',
    hint: 'Ask by a coarser unit, for a shorter range, or for fewer members.',
  });

/** Asks how many combinations of members there are, where they could be too many to fetch; undefined where they cannot. */
export const sizeStatement = (request: CubeRequest, fact: SqlFact, world: SqlWorld): Statement | undefined => {
  const { attributes, filters, segments, knownBy, memberBound = 0 } = request;
  if (attributes.length === 0 || memberBound * segments.starts.length <= FEW_CELLS) return undefined;
  const rows = selectOf(fact, world, knownBy);
  const members = attributes.map((attribute, k) => `${rows.member(attribute)} as m${k}`);
  const conditions = filters.map(rows.condition);
  const where = conditions.length > 0 ? `\nwhere ${conditions.join('\n  and ')}` : '';
  return {
    about: `how many ${attributes.map(({ key }) => key).join(' x ')} of ${request.fact.name}`,
    sql: `select count(*)\nfrom (select distinct ${members.join(', ')}\nfrom ${rows.from()}${where}) as tuples`,
  };
};

/** The statement that answers a request for a day cube: as many rows as the cube has cells, never those of the fact. */
export const cubeStatement = (
  request: CubeRequest,
  fact: SqlFact,
  world: SqlWorld,
  dimensionRows: (name: string) => number,
): CubeStatement => {
  const { role, attributes, filters, aggregates, segments, knownBy } = request;
  const { dialect } = world;
  const links = [
    ...new Set([...attributes, ...filters.flatMap(attributesOf)].flatMap((attribute) => linkWithTable(fact, attribute, world) ?? [])),
  ];
  const asked = aggregates.flatMap(({ where }) => where.flatMap(attributesOf));
  const byKeyFirst =
    links.length > 0 &&
    links.every((link) => dimensionRows(link.dimension.name) <= SMALL_DIMENSION) &&
    // A filter on members of tables and on what rows say themselves meets them in one place alone.
    filters.every((filter) => new Set(attributesOf(filter).map((one) => linkWithTable(fact, one, world) === undefined)).size < 2) &&
    asked.every((attribute) => linkWithTable(fact, attribute, world) === undefined);
  const later = (filter: Filter): boolean =>
    byKeyFirst && attributesOf(filter).some((attribute) => linkWithTable(fact, attribute, world) !== undefined);

  const rows = selectOf(fact, world, knownBy);
  const day = role === undefined ? '0' : fact.day(role);
  // Few days stand for many: periods of coarse facts come back as their days, and are told apart here.
  const asDays = role !== undefined && request.fact.grain !== 'day';
  const { segment, join, condition, within, byDay } =
    role === undefined
      ? { segment: '0', join: '', condition: '', within: [], byDay: undefined }
      : asDays
        ? {
            segment: byName(day),
            join: '',
            condition: `${byName(day)} between ${segments.starts[0]} and ${segments.ends[segments.ends.length - 1]}`,
            within: [],
            byDay: true,
          }
        : segmentSql(dialect, byName(day), segments, fact.bounds.get(role));
  const prune = role === undefined ? undefined : fact.between(role, segments.starts[0], segments.ends[segments.ends.length - 1]);
  const conditions = [
    // What skips rows outside the days says the same as the condition on their numbers.
    ...(prune ? [prune] : condition ? [condition] : []),
    ...within,
    ...filters.filter((filter) => !later(filter)).map(rows.condition),
  ];
  const inner = byKeyFirst ? attributes.filter((attribute) => linkWithTable(fact, attribute, world) === undefined) : attributes;
  const groups = [
    `${segment} as s`,
    ...inner.map((attribute, k) => `${rows.member(attribute)} as m${k}`),
    ...(byKeyFirst ? links.map((link, k) => `${fact.link(link).sql} as l${k}`) : []),
  ];
  // Numbers leave as doubles, which drivers hand over as they are; where they are added up again, at the end.
  const out = byKeyFirst ? (sql: string): string => sql : dialect.toDouble;
  const measures = aggregates.map((aggregate, k) => `${out(`(${rows.aggregate(aggregate)})`)} as a${k}`);
  const bySegment = role === undefined || !byDay ? '1' : fact.sameDay(role);
  const numbers = groups.map((_, k) => (k === 0 ? bySegment : String(k + 1))).join(', ');
  const grouped = (columns: readonly string[], by: string): string =>
    [
      `select ${columns.join(',\n  ')}`,
      `from ${rows.from()}${join ? `\n  ${join}` : ''}`,
      ...(conditions.length > 0 ? [`where ${conditions.join('\n  and ')}`] : []),
      `group by ${by}`,
    ].join('\n');
  // By single days there are many groups; of few of them two values cost no more than one.
  const packed =
    dialect.packs && byDay && byKeyFirst && inner.length === 0 && links.length === 1 ? packing(dialect, fact.link(links[0])) : undefined;
  const first = packed
    ? `select ${[packed.both, ...aggregates.map((_, k) => `a${k}`)].join(', ')}\nfrom (${grouped([`${packed.one(segment)} as g`, ...measures], '1')}) as packed`
    : grouped([...groups, ...measures], numbers);
  const sql = byKeyFirst ? joinedLater(first, request, fact, world, links, inner, later) : first;
  return {
    about: aboutCube(request),
    sql,
    cube: (found) => cubeOf(found, request, fact, asDays ? (day) => segmentAt(segments, day) : (segment) => segment),
  };
};

/** More than days before 1970 (D1), and so many keys that each with a day is a number of 63 bits. */
const [DAYS_BEFORE, MOST_KEYS] = [1_000_000, 2 ** 40];

/** A segment or day and a key as one number, from zero on, and both again of sums by it; a blank key counts as none. Undefined where there are too many keys. */
const packing = (
  { toInteger }: Dialect,
  { sql, range }: KeyColumn,
): { readonly one: (segment: string) => string; readonly both: string } | undefined => {
  if (!range || range.greatest - range.least >= MOST_KEYS || !Number.isSafeInteger(range.least) || !Number.isSafeInteger(range.greatest))
    return undefined;
  const [keys, before] = [range.greatest - range.least + 2, range.least - 1];
  return {
    one: (segment) => `((${segment}) + ${DAYS_BEFORE}) * ${keys} + coalesce(${toInteger(sql)} - (${before}), 0)`,
    both: `g / ${keys} - ${DAYS_BEFORE} as s, nullif(g % ${keys}, 0) + (${before}) as l0`,
  };
};

/** The segment that a day lies in, -1 where it lies between two. */
const segmentAt = ({ starts, ends }: Segments, day: number): number => {
  const at = upperBound(starts, day) - 1;
  return at >= 0 && day <= ends[at] ? at : -1;
};

/** Where the day of a row is needed twice, it is written twice: databases find that out themselves. */
const byName = (day: string): string => `(${day})`;

/** What was added up by the keys of links (`l0`, `l1`, …), as rows of a fact whose dimensions can be joined. */
export const summedFact = (fact: SqlFact, statement: string, links: readonly Link[]): SqlFact => ({
  ...fact,
  versions: undefined,
  // Not indented: line breaks inside of literals are part of them.
  relation: { ...fact.relation, from: `(${statement})` },
  link: (link) => {
    const at = links.indexOf(link);
    return at < 0 ? fact.link(link) : { ...fact.link(link), sql: `${ROWS}.l${at}` };
  },
});

/** Puts the names of members to sums by key, and adds up what has the same names. */
const joinedLater = (
  first: string,
  { attributes, filters, aggregates }: CubeRequest,
  fact: SqlFact,
  world: SqlWorld,
  links: readonly Link[],
  inner: readonly AttributeRef[],
  later: (filter: Filter) => boolean,
): string => {
  const { dialect } = world;
  const outer = selectOf(summedFact(fact, first, links), world, undefined);
  const members = attributes.map((attribute, k) => {
    const at = inner.indexOf(attribute);
    return `${at < 0 ? outer.member(attribute) : `${ROWS}.m${at}`} as m${k}`;
  });
  const conditions = filters.filter(later).map(outer.condition);
  const measures = aggregates.map(({ kind }, k) => `${dialect.toDouble(`(${again(kind, `a${k}`)})`)} as a${k}`);
  return [
    `select ${['s', ...members, ...measures].join(',\n  ')}`,
    `from ${outer.from()}`,
    ...(conditions.length > 0 ? [`where ${conditions.join('\n  and ')}`] : []),
    `group by ${['1', ...members.map((_, k) => String(k + 2))].join(', ')}`,
  ].join('\n');
};

/** Reads cells into their places; blanks of sums and counts are 0, of extremes NaN. */
const cubeOf = (
  { count, columns }: Rows,
  { attributes, aggregates, segments }: CubeRequest,
  fact: SqlFact,
  segmentOf: (written: number) => number,
): Cube => {
  const known = new Map<string, number>();
  const tuples: string[][] = [];
  const place = new Int32Array(count);
  const segment = Int32Array.from({ length: count }, (_, row) => segmentOf(Number(columns[0][row])));
  for (let row = 0; row < count; row++) {
    if (segment[row] < 0) continue;
    const tuple = attributes.map((_, k) => String(columns[k + 1][row]));
    const key = attributes.length === 1 ? tuple[0] : tupleKey(tuple);
    let at = known.get(key);
    if (at === undefined) {
      at = tuples.push(tuple) - 1;
      known.set(key, at);
    }
    place[row] = at;
  }
  const width = tuples.length;
  const offset = 1 + attributes.length;
  return {
    segments,
    tuples,
    columns: aggregates.map((aggregate, k): CubeColumn => {
      const extreme = aggregate.kind === 'min' || aggregate.kind === 'max';
      const cells = new Float64Array(segments.starts.length * width);
      if (extreme) cells.fill(Number.NaN);
      const list = columns[offset + k];
      for (let row = 0; row < count; row++) {
        const value = list[row];
        if (value === null || value === undefined || segment[row] < 0) continue;
        const at = segment[row] * width + place[row];
        const more = Number(value);
        if (!extreme) cells[at] += more;
        else if (cells[at] !== cells[at]) cells[at] = more;
        else cells[at] = aggregate.kind === 'min' ? Math.min(cells[at], more) : Math.max(cells[at], more);
      }
      if (!('value' in aggregate) || aggregate.kind === 'count' || aggregate.value.kind === 'days-between') return { cells, scale: 0 };
      const { scale, long } = fact.number(aggregate.value.column);
      return { cells, scale, ...(extreme && long ? { long } : {}) };
    }),
  };
};
