// Statements about single values: how often each stands in each cell (M14), and which stand there for the first time of all (M15).
import { tupleIndex, tupleKey } from '../../basics/tuples.ts';
import { type AggregateRequest, type CubeRequest, type Filter, MOST_TALLIES, type Tallies, type TallyRequest } from '../../plan/request.ts';
import { tooManyTallies } from '../shared/faults.ts';
import type { Rows, Statement } from './database.ts';
import type { SqlFact } from './fact.ts';
import { type SqlWorld, segmentSql, selectOf } from './select.ts';

/** What places rows of a request: the number of their segment, the day they stand on, and the conditions that they meet. */
const placing = (
  { role, segments, filters, knownBy, attributes }: Pick<CubeRequest, 'role' | 'segments' | 'filters' | 'knownBy' | 'attributes'>,
  where: readonly Filter[],
  fact: SqlFact,
  world: SqlWorld,
) => {
  const rows = selectOf(fact, world, knownBy);
  const day = `(${fact.day(role as string)})`;
  const { segment, stand, join, condition, within } = segmentSql(world.dialect, day, segments, fact.bounds.get(role as string));
  const prune = fact.between(role as string, segments.starts[0], segments.ends[segments.ends.length - 1]);
  const conditions = [prune ?? condition, ...within, ...[...filters, ...where].map(rows.condition)];
  const members = attributes.map((attribute, k) => `${rows.member(attribute)} as m${k}`);
  return { rows, segment, stand, conditions, members, from: () => `${rows.from()}${join ? `\n  ${join}` : ''}` };
};

const numbered = (count: number): string => Array.from({ length: count }, (_, k) => String(k + 1)).join(', ');

/** How often each value stands in each segment for each member; one entry more than may be tells that there are too many. */
export const tallyStatement = (request: TallyRequest, fact: SqlFact, world: SqlWorld): Statement => {
  const { rows, segment, conditions, members, from } = placing(request, request.where, fact, world);
  const value = world.dialect.toDouble(`(${rows.value(request.value)})`);
  const groups = [`${segment} as s`, ...members, `${value} as v`];
  const what = request.value.kind === 'column' ? request.value.column : `days between ${request.value.from} and ${request.value.until}`;
  return {
    about: `how often ${what} of ${request.fact.name} stands on each ${request.role} day`,
    sql: `select ${groups.join(', ')}, count(*) as n
from ${from()}
where ${[...conditions, `${value} is not null`].join('\n  and ')}
group by ${numbered(groups.length)}
limit ${MOST_TALLIES + 1}`,
  };
};

export const talliesOf = ({ count, columns }: Rows, { attributes, value }: TallyRequest, fact: SqlFact): Tallies => {
  if (count > MOST_TALLIES) throw tooManyTallies();
  const known = new Map<string, number>();
  const tuples: string[][] = [];
  const member = new Int32Array(count);
  for (let row = 0; row < count; row++) {
    const tuple = attributes.map((_, k) => String(columns[1 + k][row]));
    const key = tupleKey(tuple);
    const at = known.get(key) ?? tuples.push(tuple) - 1;
    known.set(key, at);
    member[row] = at;
  }
  const [values, counts] = [columns[1 + attributes.length], columns[2 + attributes.length]];
  return {
    tuples,
    segment: Int32Array.from({ length: count }, (_, row) => Number(columns[0][row])),
    member,
    value: Float64Array.from({ length: count }, (_, row) => Number(values[row])),
    count: Float64Array.from({ length: count }, (_, row) => Number(counts[row])),
    scale: value.kind === 'column' ? fact.number(value.column).scale : 0,
  };
};

type FirstTime = Extract<AggregateRequest, { kind: 'first-time' }>;

/** Values by the segment of their first day: found over all rows that have entered, counted in those that meet the filters. */
export const firstTimeStatement = (request: CubeRequest, { column, where }: FirstTime, fact: SqlFact, world: SqlWorld): Statement => {
  const key = fact.present(column);
  const entered = request.filters.filter(({ why }) => why === 'entered');
  const counted = placing(request, where, fact, world);
  const all = placing({ ...request, filters: entered, attributes: [] }, where, fact, world);
  const names = request.attributes.map((_, k) => `c.m${k}`);
  const groups = ['c.s', ...names];
  return {
    about: `${column} of ${request.fact.name} by their first ${request.role} day`,
    sql: `select ${groups.join(', ')}, count(distinct c.k) as n
from (
  select ${[`${counted.segment} as s`, ...counted.members, `${key} as k`, `${counted.stand} as d`].join(', ')}
  from ${counted.from()}
  where ${[...counted.conditions, `${key} is not null`].join('\n    and ')}
) as c join (
  select ${key} as k, min(${all.stand}) as d
  from ${all.from()}
  where ${[...all.conditions.slice(1), `${key} is not null`].join('\n    and ')}
  group by 1
) as f on f.k = c.k and f.d = c.d
group by ${numbered(groups.length)}`,
  };
};

/** Counts of an answer in the places of some segments and members. */
export const placedCounts = ({ count, columns }: Rows, segments: number, tuples: readonly (readonly string[])[]): Float64Array => {
  const width = tuples.length;
  const cells = new Float64Array(segments * width);
  const position = tupleIndex(tuples);
  const attributes = tuples[0]?.length ?? 0;
  for (let row = 0; row < count; row++) {
    const member = position(Array.from({ length: attributes }, (_, k) => String(columns[1 + k][row])));
    cells[Number(columns[0][row]) * width + member] += Number(columns[1 + attributes][row]);
  }
  return cells;
};
