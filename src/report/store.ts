// The engine of a report: answers from what it holds, as the engine that held the rows would.
import { countEvents, gatherSightings } from '../basics/events.ts';
import { prefixSums } from '../basics/lookups.ts';
import { tupleIndex, tupleKey } from '../basics/tuples.ts';
import type { Engine, Store } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
import { passes } from '../plan/members/test.ts';
import type { Cube, CubeRequest, Events, EventsRequest, RowSet, Segments, Tallies, TallyRequest } from '../plan/request.ts';
import type { CubeBase, ReportData } from './data.ts';
import {
  aggregateKey,
  callKey,
  cubeKey,
  eventsKey,
  filterAttributes,
  isMemberFilter,
  isSummed,
  type MemberFilter,
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

const membersOf = ({ attributes, tuples }: WithMembers, request: RowSet, keeps: boolean): Members => {
  const placeOf = (key: string): number => {
    const at = attributes.indexOf(key);
    if (at < 0) throw notHere();
    return at;
  };
  const filters = keeps ? [] : request.filters.filter(isMemberFilter);
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

const cubeFrom = (data: ReportData, request: CubeRequest): Cube => {
  const { segments, aggregates } = request;
  const found = aggregates.map((aggregate) => {
    const base = data.cubes[cubeKey(request, aggregate)];
    const column = base?.columns[aggregateKey(aggregate)];
    if (!base || !column) throw notHere();
    return { aggregate, base, column, members: membersOf(base, request, !isSummed(aggregate)), at: segmentsOf(base, request) };
  });
  // Only members that have rows in the segments are part of the answer, whichever aggregate knows of them.
  const present = new Map<string, readonly string[]>();
  for (const { base, members, at } of found)
    base.member.forEach((member, entry) => {
      const tuple = members.of[member] < 0 || at[entry] < 0 ? undefined : members.tuples[members.of[member]];
      if (tuple) present.set(tupleKey(tuple), tuple);
    });
  const tuples = [...present.values()];
  const position = tupleIndex(tuples);
  const width = tuples.length;
  return {
    segments,
    tuples,
    columns: found.map(({ aggregate, base, column, members, at }) => {
      const places = members.tuples.map(position);
      const merge = MERGES[aggregate.kind];
      const cells = new Float64Array(segments.starts.length * width).fill(merge ? Number.NaN : 0);
      base.member.forEach((member, entry) => {
        const [tuple, value] = [members.of[member], column.cells[entry]];
        if (tuple < 0 || at[entry] < 0 || value === null) return;
        const k = at[entry] * width + places[tuple];
        cells[k] = !merge ? cells[k] + value : Number.isNaN(cells[k]) ? value : merge(cells[k], value);
      });
      return { cells, scale: column.scale, ...(column.long ? { long: column.long } : {}) };
    }),
  };
};

const eventsFrom = (data: ReportData, request: EventsRequest): Events => {
  const { segments, windows } = request;
  const rows = cubeFrom(data, { ...request, aggregates: [{ kind: 'rows', where: request.where }] });
  const base = data.keys[eventsKey(request)];
  if (!base) throw notHere();
  if (windows.every(({ from }) => from.length === 0) || segments.starts.length === 0) {
    const none = windows.map(() => new Float64Array(0));
    return { tuples: rows.tuples, values: none, seen: none.map(() => new Uint8Array(0)), scale: 0 };
  }
  const [first, last] = [segments.starts[0], segments.ends[segments.ends.length - 1]];
  const members = membersOf(base, request, false);
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
  const width = rows.tuples.length;
  const kept = rows.tuples.map(tupleIndex(members.tuples));
  const lookup = prefixSums(rows.columns[0].cells, width);
  const segmentOf = new Map(Array.from(segments.starts, (start, s) => [start, s]));
  const endOf = new Map(Array.from(segments.ends, (end, s) => [end, s]));
  const values: Float64Array[] = [];
  const seen: Uint8Array[] = [];
  for (const own of windows) {
    const anchors = own.from.length;
    const counted = countEvents(sightings, own);
    const behind = new Float64Array(anchors * width);
    for (let a = 0; a < anchors; a++) lookup.run(segmentOf.get(own.from[a]) as number, endOf.get(own.to[a]) as number, behind, a * width);
    values.push(
      Float64Array.from({ length: anchors * width }, (_, k) => {
        const member = kept[k % width];
        return member < 0 ? 0 : counted[Math.floor(k / width) * sightings.members + member];
      }),
    );
    seen.push(Uint8Array.from(behind, (count) => (count > 0 ? 1 : 0)));
  }
  return { tuples: rows.tuples, values, seen, scale: base.scale };
};

const talliesFrom = (data: ReportData, request: TallyRequest): Tallies => {
  const base = data.tallies[tallyKey(request)];
  if (!base) throw notHere();
  const members = membersOf(base, request, false);
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
