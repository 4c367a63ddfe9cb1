import type { Events, EventsRequest } from '../../plan/request.ts';
import type { Rows, Statement } from './database.ts';
import type { SqlFact } from './fact.ts';
import { type SqlWorld, segmentSql, selectOf } from './select.ts';

export interface EventsStatement extends Statement {
  /** Index of the request's window list that it answers. */
  readonly window: number;
}

/**
 * Distinct counts by events, one statement a list of windows (see docs/architecture.md): every sighting of a key by a
 * member on a day, with the day of the next, is +1 on the first anchor whose window reaches it and -1 behind the last
 * one for which it is the latest. Both are looked up by day; what comes back has a row for each anchor and member.
 */
export const eventsStatements = (request: EventsRequest, fact: SqlFact, world: SqlWorld): EventsStatement[] =>
  request.windows.flatMap((windows, window) => {
    if (windows.from.length === 0) return [];
    const { role, attributes, filters, where, count, segments, knownBy } = request;
    const { dialect } = world;
    const rows = selectOf(fact, world, knownBy);
    const [first, last] = [windows.from[0], windows.to[windows.to.length - 1]];
    const day = `(${fact.day(role as string)})`;
    const { segment, join } = segmentSql(dialect, day, segments, world.bounds(role as string));
    // Coarse rows stand on the first day of their period.
    const daily = join === '';
    const stand = daily ? day : standOf(segment, segments.starts);
    const prune = fact.between(role as string, first, last);
    const key =
      count.kind === 'distinct'
        ? fact.present(count.column)
        : `concat(${fact.fact.links.map((link) => `coalesce(${dialect.toText(fact.link(link).sql)}, ''), chr(1)`).join(', ') || "''"})`;
    const value = count.kind === 'latest' && count.value ? `coalesce(${rows.value(count.value)}, 0)` : '1';
    const members = attributes.map((attribute, k) => `${rows.member(attribute)} as m${k}`);
    const names = attributes.map((_, k) => `m${k}`);
    const conditions = [
      ...(prune ? [prune] : []),
      `${day} between ${first} and ${last}`,
      ...[...filters, ...where].map(rows.condition),
      ...(count.kind === 'distinct' ? [`${key} is not null`] : []),
    ];
    const days = Array.from({ length: last - first + 1 }, (_, k) => first + k);
    const anchors = windows.from.length;
    const [reached, passed] = [new Int32Array(days.length), new Int32Array(days.length)];
    for (let k = 0, a = 0, b = 0; k < days.length; k++) {
      while (a < anchors && windows.to[a] < days[k]) a++;
      while (b < anchors && windows.from[b] <= days[k]) b++;
      reached[k] = a;
      passed[k] = b;
    }
    const split = names.map((name) => `${name}, `).join('');
    const sql = `with seen as (
  select ${[...members, `${key} as k`, `${stand} as d`, `${dialect.toDouble(`sum(${value})`)} as w`].join(',\n    ')}
  from ${rows.from().replaceAll('\n', '\n  ')}${join ? `\n    ${join}` : ''}
  where ${conditions.join('\n    and ')}
  group by ${[...members, 'k', 'd'].map((_, k) => k + 1).join(', ')}
), latest as (
  select ${split}d, ${count.kind === 'distinct' ? '1.0' : 'w'} as w, lead(d) over (partition by ${split}k order by d) as n
  from seen
), anchors as (
  select * from ${dialect.integers('days', { day: days, reached, passed })}
), runs as (
  select ${split}w, a.reached as start, least(a.passed, coalesce(b.reached, ${anchors})) as stop
  from latest
  join anchors as a on a.day = latest.d
  left join anchors as b on b.day = latest.n
), steps as (
  select ${split}start as anchor, w from runs where start < stop
  union all
  select ${split}stop, -w from runs where start < stop
)
select anchor, ${split}sum(w) as step
from steps
group by anchor${names.map((name) => `, ${name}`).join('')}`;
    return [
      {
        about: `${count.kind === 'distinct' ? `distinct ${count.column}` : 'latest levels'} of ${fact.fact.name} by ${role} day`,
        sql,
        window,
      },
    ];
  });

const standOf = (segment: string, starts: ArrayLike<number>): string =>
  `case ${segment} ${Array.from(starts)
    .map((start, s) => `when ${s} then ${start}`)
    .join(' ')} end`;

/** Adds the steps up along the anchors, for the members that the cube of the same rows has. */
export const eventValues = (found: Rows, anchors: number, tuples: Events['tuples']): Float64Array => {
  const width = tuples.length;
  const position = new Map(tuples.map((tuple, m) => [JSON.stringify(tuple), m]));
  const steps = new Float64Array((anchors + 1) * width);
  const attributes = tuples[0]?.length ?? 0;
  const values = found.columns[1 + attributes];
  for (let row = 0; row < found.count; row++) {
    const member = position.get(JSON.stringify(Array.from({ length: attributes }, (_, k) => String(found.columns[1 + k][row]))));
    if (member !== undefined) steps[Number(found.columns[0][row]) * width + member] += Number(values[row]);
  }
  for (let k = width; k < anchors * width; k++) steps[k] += steps[k - width];
  return steps.subarray(0, anchors * width);
};
