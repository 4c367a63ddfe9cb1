// Statements for distinct counts and sightings (M1, M4, M15): the next sighting of a key by `lead`.
import { distinctTuples, tupleIndex } from '../../basics/tuples.ts';
import type { Link } from '../../model/model.ts';
import type { Events, EventsRequest, SeenKeys } from '../../plan/request.ts';
import { linkWithTable, summedFact } from './cube.ts';
import type { Rows, Statement } from './database.ts';
import { besideDay } from './day-table.ts';
import { ROWS, type SqlFact } from './fact.ts';
import { type SqlWorld, segmentSql, selectOf } from './select.ts';

export interface EventsStatement extends Statement {
  /** Index of the request's window list that it answers. */
  readonly window: number;
}

/** Along the anchors of a list of windows: for each day the first that reaches it, and the first whose window has passed it. */
const reachOf = ({ from, to }: EventsRequest['windows'][number]) => {
  const [earliest, latest] = [from[0], to[to.length - 1]];
  const days = Array.from({ length: latest - earliest + 1 }, (_, k) => earliest + k);
  const [reached, passed] = [new Int32Array(days.length), new Int32Array(days.length)];
  for (let k = 0, a = 0, b = 0; k < days.length; k++) {
    while (a < from.length && to[a] < days[k]) a++;
    while (b < from.length && from[b] <= days[k]) b++;
    reached[k] = a;
    passed[k] = b;
  }
  return { days, reached, passed };
};

/** Rows of a fact with members that the rows themselves have, keys of links to tables, the key that is counted, and the day. */
interface Sighted {
  readonly sql: string;
  /** Links whose tables have members, and which attributes have theirs in the rows. */
  readonly links: readonly Link[];
  readonly inRows: readonly boolean[];
}

const sightings = (request: EventsRequest, window: number, fact: SqlFact, world: SqlWorld): Sighted => {
  const { windows, role, attributes, filters, where, count, segments, knownBy } = request;
  const { dialect } = world;
  const { from, to } = windows[window];
  const rows = selectOf(fact, world, knownBy);
  const day = `(${fact.day(role as string)})`;
  // Coarse rows stand on the first day of their period.
  const { stand, join, within } = segmentSql(dialect, day, segments, fact.bounds.get(role as string));
  const daily = stand === day;
  const prune = fact.between(role as string, from[0], to[to.length - 1]);
  const distinct = count.kind === 'distinct';
  const key = distinct
    ? fact.present(count.column)
    : `concat(${fact.fact.links.map((link) => `coalesce(${dialect.toText(fact.link(link).sql)}, ''), chr(1)`).join(', ') || "''"})`;
  const value = count.kind === 'latest' && count.value ? `coalesce(${rows.value(count.value)}, 0)` : '1';
  // Keys are told apart by what the rows themselves have; members of tables are joined to what is left.
  const links = [...new Set(attributes.flatMap((attribute) => linkWithTable(fact, attribute, world) ?? []))];
  const inRows = attributes.map((attribute) => linkWithTable(fact, attribute, world) === undefined);
  const conditions = [
    ...(prune ? [prune] : []),
    ...within,
    ...[...filters, ...where].map(rows.condition),
    ...(distinct ? [`${key} is not null`] : []),
  ];
  const own = [
    ...attributes.flatMap((attribute, k) => (inRows[k] ? [`${rows.member(attribute)} as m${k}`] : [])),
    ...links.map((link, k) => `${fact.link(link).sql} as l${k}`),
    `${key} as k`,
  ];
  const sql = [
    `select ${[...own, `${stand} as d`, ...(distinct ? [] : [`${dialect.toDouble(`sum(${value})`)} as w`])].join(',\n  ')}`,
    `from ${rows.from()}${join ? `\n  ${join}` : ''}`,
    `where ${conditions.length > 0 ? conditions.join('\n  and ') : 'true'}`,
    `group by ${[...own.map((_, k) => String(k + 1)), daily ? fact.sameDay(role as string) : String(own.length + 1)].join(', ')}`,
  ].join('\n');
  return { sql, links, inRows };
};

/** Sightings with members by number where tables have them, and what it takes to say those in texts. */
const namedSightings = (request: EventsRequest, window: number, fact: SqlFact, world: SqlWorld) => {
  const { attributes } = request;
  const { sql: first, links, inRows } = sightings(request, window, fact, world);
  const named = selectOf(summedFact(fact, first, links), world, undefined);
  const codes = attributes.map((attribute, k) => (inRows[k] ? undefined : named.coded(attribute)));
  return {
    body: named.from(),
    members: codes.map((coded, k) => `${coded ? coded.code : `${ROWS}.m${k}`} as m${k}`),
    texts: codes.map((coded, k) => `${coded ? coded.text(`s.m${k}`, `n${k}`) : `s.m${k}`} as m${k}`),
    joins: codes.map((coded, k) => (coded ? `\n  left join ${coded.texts} as n${k} on n${k}.code = s.m${k}` : '')).join(''),
  };
};

/** The steps of one list of windows. */
const stepsSql = (request: EventsRequest, window: number, fact: SqlFact, world: SqlWorld): string => {
  const { windows, attributes, count } = request;
  const { dialect } = world;
  const distinct = count.kind === 'distinct';
  const { body, members, texts, joins } = namedSightings(request, window, fact, world);
  const { days, reached, passed } = reachOf(windows[window]);
  const { values, join, conditions } = besideDay(dialect, 'a', days, { reached, passed }, `${ROWS}.d`);
  const names = attributes.map((_, k) => `m${k}`);
  const split = names.map((name) => `${name}, `).join('');
  // Names of ours that no table of a model can meet.
  const [seen, runs, steps] = ['seen', 'runs', 'steps'].map((name) => unmet(name, `${body}${joins}`));
  // Each run is read once for both of its ends: what is named in two places some engines work out twice.
  // Sightings that the same anchors reach are one: all but the last of them end where they begin, and fall out.
  return `with ${seen} as (
  select ${[...members, `${ROWS}.k`, `${values.reached} as reached`, `${values.passed} as passed`, ...(distinct ? [] : [`${ROWS}.d`, `${ROWS}.w`])].join(', ')}
  from ${body}${join === '' ? '' : `\n    ${join}`}${conditions.length === 0 ? '' : `\n  where ${conditions.join('\n    and ')}`}
), ${runs} as (
  select ${split}${distinct ? '1 as w' : 'w'}, reached as start,
    least(passed, coalesce(lead(reached) over (partition by k${names.map((name) => `, ${name}`).join('')} order by ${distinct ? 'reached, passed' : 'd'}), ${windows[window].from.length})) as stop
  from ${seen}
), ${steps} as (
  select ${split}case when e.side = 0 then start else stop end as anchor, case when e.side = 0 then w else -w end as w
  from ${runs} cross join (values (0), (1)) as e (side)
  where start < stop
)
select s.anchor${texts.map((text) => `, ${text}`).join('')}, s.step
from (select anchor, ${split}sum(w) as step from ${steps} group by anchor${names.map((name) => `, ${name}`).join('')}) as s${joins}`;
};

/**
 * Distinct counts by events, one statement a list of windows (see docs/architecture.md): every sighting of a key by a
 * member on a day, with the day of the next, is +1 on the first anchor whose window reaches it and -1 behind the last
 * one for which it is the latest. Both are looked up by day; what comes back has a row for each anchor and member.
 * Until then members of tables are whole numbers, which sort faster than their texts.
 */
export const eventsStatements = (request: EventsRequest, fact: SqlFact, world: SqlWorld): EventsStatement[] => {
  const { count, role, windows } = request;
  const what = count.kind === 'distinct' ? `distinct ${count.column}` : 'latest levels';
  return windows.flatMap(({ from }, window) =>
    from.length === 0
      ? []
      : [{ about: `${what} of ${fact.fact.name} by ${role} day`, sql: stepsSql(request, window, fact, world), window }],
  );
};

/** Every sighting in the windows of a request, keys numbered. */
export const seenKeysStatement = (request: EventsRequest, fact: SqlFact, world: SqlWorld): Statement => {
  const { body, members, texts, joins } = namedSightings(request, 0, fact, world);
  const weight = request.count.kind === 'distinct' ? '' : ', s.w';
  return {
    about: `days on which keys of ${fact.fact.name} were seen by ${request.role} day`,
    sql: `select dense_rank() over (order by s.k) as k, s.d${texts.map((text) => `, ${text}`).join('')}${weight}
from (
  select ${[...members, `${ROWS}.k`, `${ROWS}.d`, ...(weight ? [`${ROWS}.w`] : [])].join(', ')}
  from ${body}
) as s${joins}`,
  };
};

/** The answer to it. */
export const seenKeysOf = ({ count, columns }: Rows, { attributes, count: what }: EventsRequest, scale: number): SeenKeys => {
  const width = attributes.length;
  const texts = (row: number): string[] => Array.from({ length: width }, (_, k) => String(columns[2 + k][row]));
  const tuples = distinctTuples(Array.from({ length: count }, (_, row) => texts(row)));
  const position = tupleIndex(tuples);
  const numbers = (column: number): Int32Array => Int32Array.from({ length: count }, (_, row) => Number(columns[column][row]));
  return {
    tuples,
    key: numbers(0).map((key) => key - 1),
    member: Int32Array.from({ length: count }, (_, row) => position(texts(row))),
    day: numbers(1),
    ...(what.kind === 'distinct' ? {} : { weight: Float64Array.from({ length: count }, (_, row) => Number(columns[2 + width][row])) }),
    scale,
  };
};

/** A name that stands nowhere in a text. */
const unmet = (wanted: string, text: string): string => {
  let name = wanted;
  while (text.includes(name)) name = `${name}_`;
  return name;
};

/** The members that events say something of, in order. */
export const eventTuples = (found: readonly Rows[], attributes: number): readonly (readonly string[])[] => {
  const tuples = new Map<string, readonly string[]>();
  for (const { count, columns } of found)
    for (let row = 0; row < count; row++) {
      const tuple = Array.from({ length: attributes }, (_, k) => String(columns[1 + k][row]));
      tuples.set(tuple.join('\u0000'), tuple);
    }
  return [...tuples].sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0)).map(([, tuple]) => tuple);
};

/** Adds the steps up along the anchors, for the members given. */
export const eventValues = (found: Rows, anchors: number, tuples: Events['tuples']): Float64Array => {
  const width = tuples.length;
  const position = tupleIndex(tuples);
  const steps = new Float64Array((anchors + 1) * width);
  const attributes = tuples[0]?.length ?? 0;
  const values = found.columns[1 + attributes];
  for (let row = 0; row < found.count; row++) {
    const member = position(Array.from({ length: attributes }, (_, k) => String(found.columns[1 + k][row])));
    if (member >= 0) steps[Number(found.columns[0][row]) * width + member] += Number(values[row]);
  }
  for (let k = width; k < anchors * width; k++) steps[k] += steps[k - width];
  return steps.subarray(0, anchors * width);
};
