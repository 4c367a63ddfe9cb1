// The engine of a report: answers from what it holds, as the engine that held the rows would.
import { countsFor, gatherSightings, seenIn } from '../basics/events.ts';
import { tupleIndex, tupleKey } from '../basics/tuples.ts';
import type { Engine, Store } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
import { passes } from '../plan/members/test.ts';
import type { Cube, CubeColumn, CubeRequest, Events, EventsRequest, RowSet, Segments, Tallies, TallyRequest } from '../plan/request.ts';
import { aggregateKey } from '../plan/request-keys.ts';
import type { CubeBase, ReportData } from './data.ts';
import {
  callKey,
  cubeKey,
  type FirstTime,
  filterAttributes,
  isFirstTime,
  isMemberFilter,
  type MemberFilter,
  type Summed,
  seenFor,
  seenKey,
  tallyKey,
} from './keys.ts';

const notHere = (): DurchblickError =>
  new DurchblickError('not-in-report', 'the report has no numbers for this', {
    hint: 'It holds what its questions need. Ask the model itself, or have a report made with this question.',
  });

interface WithMembers {
  readonly attributes: readonly string[];
  readonly tuples: readonly (readonly string[])[];
}

/** Which combination of the request each one of a base belongs to; -1 where filters leave it out. */
interface Members {
  readonly tuples: (readonly string[])[];
  readonly of: Int32Array;
}

const passesAll = (filters: readonly MemberFilter[], places: readonly (readonly number[])[], tuple: readonly string[]): boolean =>
  filters.every((filter, k) => {
    if (filter.kind === 'members') return passes(tuple[places[k][0]], filter.test);
    const key = tupleKey(places[k].map((at) => tuple[at]));
    return filter.list.some((listed) => tupleKey(listed) === key) === (filter.keep === 'listed');
  });

const membersOf = ({ attributes, tuples }: WithMembers, request: RowSet): Members => {
  const placeOf = (key: string): number => {
    const at = attributes.indexOf(key);
    if (at < 0) throw notHere();
    return at;
  };
  const filters = request.filters.filter(isMemberFilter);
  const places = filters.map((filter) => filterAttributes(filter).map(({ key }) => placeOf(key)));
  const wanted = request.attributes.map(({ key }) => placeOf(key));
  const known = new Map<string, number>();
  const own: (readonly string[])[] = [];
  const of = Int32Array.from(tuples, (tuple) => {
    if (!passesAll(filters, places, tuple)) return -1;
    const found = wanted.map((at) => tuple[at]);
    const key = tupleKey(found);
    const before = known.get(key);
    if (before !== undefined) return before;
    known.set(key, own.length);
    return own.push(found) - 1;
  });
  return { tuples: own, of };
};

/** Segment of each day; -1 for those in none. Segments are in order, and so are most days. */
const segmentFinder = ({ starts, ends }: Segments): ((day: number) => number) => {
  let last = 0;
  return (day) => {
    if (last < starts.length && day >= starts[last] && day <= ends[last]) return last;
    let [low, high] = [0, starts.length - 1];
    while (low <= high) {
      const middle = (low + high) >> 1;
      if (day < starts[middle]) high = middle - 1;
      else if (day > ends[middle]) low = middle + 1;
      else {
        last = middle;
        return middle;
      }
    }
    return -1;
  };
};

/** Segments by entry: without a role all rows are in the only one. */
const segmentsOf = ({ day }: Pick<CubeBase, 'day'>, { role, segments }: Pick<CubeRequest, 'role' | 'segments'>): Int32Array => {
  if (role === undefined) return new Int32Array(day.length);
  const find = segmentFinder(segments);
  return Int32Array.from(day, find);
};

type Merge = (so: number, value: number) => number;
const MERGES: Readonly<Record<string, Merge | undefined>> = {
  min: (so, value) => (so <= value ? so : value),
  max: (so, value) => (so >= value ? so : value),
};

/** Values on the first day of all on which they were seen, once for each member that has them then (M15). */
const firstTimes = (data: ReportData, request: CubeRequest, aggregate: FirstTime, tuples: Cube['tuples']): Float64Array => {
  const base = data.keys[seenKey(seenFor(request, aggregate))];
  if (!base) throw notHere();
  const { key, day, member } = base;
  const first = new Map<number, number>();
  key.forEach((own, k) => void first.set(own, Math.min(first.get(own) ?? day[k], day[k])));
  const members = membersOf(base, request);
  const [at, position, width] = [segmentsOf(base, request), tupleIndex(tuples), tuples.length];
  const places = members.tuples.map(position);
  const counted = new Set<string>();
  const cells = new Float64Array(request.segments.starts.length * width);
  key.forEach((own, k) => {
    const tuple = members.of[member[k]];
    if (day[k] !== first.get(own) || at[k] < 0 || tuple < 0 || places[tuple] < 0 || counted.has(`${own} ${tuple}`)) return;
    counted.add(`${own} ${tuple}`);
    cells[at[k] * width + places[tuple]]++;
  });
  return cells;
};

const summed = (base: CubeBase, aggregate: Summed, places: Int32Array, cells: number): CubeColumn => {
  const column = base.columns[aggregateKey(aggregate)];
  if (!column) throw notHere();
  const merge = MERGES[aggregate.kind];
  const out = new Float64Array(cells).fill(merge ? Number.NaN : 0);
  places.forEach((k, entry) => {
    const value = column.cells[entry];
    if (k < 0 || value === null) return;
    out[k] = !merge ? out[k] + value : Number.isNaN(out[k]) ? value : merge(out[k], value);
  });
  return { cells: out, scale: column.scale, ...(column.long ? { long: column.long } : {}) };
};

const cubeFrom = (data: ReportData, request: CubeRequest): Cube => {
  const { segments, aggregates } = request;
  const base = data.cubes[cubeKey(request)];
  if (!base) throw notHere();
  const members = membersOf(base, request);
  const at = segmentsOf(base, request);
  // Only members that have rows in the segments are part of the answer.
  const present = new Map<number, number>();
  base.member.forEach((own, entry) => {
    const member = members.of[own];
    if (member >= 0 && at[entry] >= 0 && !present.has(member)) present.set(member, present.size);
  });
  const tuples = [...present.keys()].map((member) => members.tuples[member]);
  const width = tuples.length;
  const places = Int32Array.from(base.member, (own, entry) => {
    const member = present.get(members.of[own]);
    return member === undefined || at[entry] < 0 ? -1 : at[entry] * width + member;
  });
  const cells = segments.starts.length * width;
  return {
    segments,
    tuples,
    columns: aggregates.map((aggregate) =>
      isFirstTime(aggregate) ? { cells: firstTimes(data, request, aggregate, tuples), scale: 0 } : summed(base, aggregate, places, cells),
    ),
  };
};

const eventsFrom = (data: ReportData, request: EventsRequest): Events => {
  const { segments, windows } = request;
  const rows = cubeFrom(data, { ...request, aggregates: [{ kind: 'rows', where: request.where }] });
  const base = data.keys[seenKey(request)];
  if (!base) throw notHere();
  if (windows.every(({ from }) => from.length === 0) || segments.starts.length === 0) {
    const none = windows.map(() => new Float64Array(0));
    return { tuples: rows.tuples, values: none, seen: none.map(() => new Uint8Array(0)), scale: 0 };
  }
  const [first, last] = [segments.starts[0], segments.ends[segments.ends.length - 1]];
  const members = membersOf(base, request);
  const sightings = gatherSightings({
    keys: Int32Array.from(base.key),
    keyCount: base.key.reduce((most, key) => Math.max(most, key + 1), 1),
    codes: Int32Array.from(base.member, (member) => Math.max(members.of[member], 0)),
    members: Math.max(members.tuples.length, 1),
    days: Int32Array.from(base.day),
    first,
    last,
    stands: Int32Array.from({ length: last - first + 1 }, (_, k) => k),
    mask: Uint8Array.from(base.member, (member) => (members.of[member] < 0 ? 0 : 1)),
    weights: base.weight && Float64Array.from(base.weight),
  });
  const places = rows.tuples.map(tupleIndex(members.tuples));
  const values = windows.map((own) => countsFor(sightings, own, places));
  const seen = seenIn(windows, segments, rows.columns[0].cells, places.length);
  return { tuples: rows.tuples, values, seen, scale: base.scale };
};

const talliesFrom = (data: ReportData, request: TallyRequest): Tallies => {
  const base = data.tallies[tallyKey(request)];
  if (!base) throw notHere();
  const members = membersOf(base, request);
  const at = segmentsOf(base, request);
  const counts = new Map<string, { readonly segment: number; readonly member: number; readonly value: number; count: number }>();
  base.member.forEach((own, entry) => {
    const [segment, member, value] = [at[entry], members.of[own], base.value[entry]];
    if (segment < 0 || member < 0) return;
    const key = `${segment} ${member} ${value}`;
    const found = counts.get(key) ?? { segment, member, value, count: 0 };
    counts.set(key, found);
    found.count += base.count[entry];
  });
  const all = [...counts.values()];
  return {
    tuples: members.tuples,
    segment: Int32Array.from(all, ({ segment }) => segment),
    member: Int32Array.from(all, ({ member }) => member),
    value: Float64Array.from(all, ({ value }) => value),
    count: Float64Array.from(all, ({ count }) => count),
    scale: base.scale,
  };
};

const storeOf = (data: ReportData): Store => {
  const recall = async <T>(...call: Parameters<typeof callKey>): Promise<T> => {
    const key = callKey(...call);
    if (!Object.hasOwn(data.called, key)) throw notHere();
    return data.called[key] as T;
  };
  const never = async (): Promise<never> => {
    throw notHere();
  };
  return {
    engine: 'report',
    scans: 'alone',
    notes: data.notes,
    opened: { token: data.state.data ?? '', time: Date.parse(data.state.time ?? data.made) },
    bounds: async (fact, knownBy, rows = 'seen') => {
      const found = await recall<[string, { first: number; last: number } | null][]>('bounds', fact.name, knownBy ?? null, rows);
      return new Map(found.map(([role, own]) => [role, own ?? undefined]));
    },
    members: (attribute) => recall('members', attribute.key),
    combinations: (dimension, attributes) => recall('combinations', dimension.name, attributes),
    lateRoles: (fact) => recall('lateRoles', fact.name),
    rows: (source, columns) => recall('rows', source, columns),
    kind: (source, column) => recall('kind', source, column),
    holidays: async (_, __, first, last) => data.holidays.filter(({ day }) => day >= first && day <= last),
    textDates: async () => [],
    // No row is in a report.
    sample: async () => ({ columns: [], first: [] }),
    factRows: never,
    cubes: async (requests) => requests.map((request) => cubeFrom(data, request)),
    events: async (request) => eventsFrom(data, request),
    tallies: async (request) => talliesFrom(data, request),
    close: async () => undefined,
  };
};

/** Answers questions from what a report holds. */
export const reportEngine = (data: ReportData): Engine => ({ name: 'report', open: async () => storeOf(data) });
