// Sightings of keys by member and day, for distinct counts and first times (M1, M4, M15).
import { countsFor, gatherSightings, seenIn } from '../../basics/events.ts';
import { tupleIndex } from '../../basics/tuples.ts';
import { DurchblickError } from '../../errors.ts';
import { type Events, type EventsRequest, filterKey, type SeenKeys } from '../../plan/request.ts';
import { cubes, type Scanner } from './cubes.ts';
import type { Opened, Sighted } from './open-fact.ts';
import { segmentTable } from './segment-table.ts';
import { withoutIdle } from './tallies.ts';

const MOST_SIGHTINGS = 8;

/** Both masks at once; undefined where all rows count. */
const bothMasks = (a: Uint8Array | undefined, b: Uint8Array | undefined): Uint8Array | undefined =>
  a && b ? a.map((is, row) => is & b[row]) : (a ?? b);

/** Combinations of all linked columns, for levels that are known by their own last day (M4). */
const linkKeys = ({ data }: Opened): { codes: Int32Array; count: number } => {
  const columns = data.fact.links.map((link) => data.keys(link.column).codes);
  const known = new Map<string, number>();
  const codes = new Int32Array(data.rows);
  for (let i = 0; i < data.rows; i++) {
    const key = columns.map((column) => column[i]).join();
    let code = known.get(key);
    if (code === undefined) {
      code = known.size;
      known.set(key, code);
    }
    codes[i] = code;
  }
  return { codes, count: Math.max(known.size, 1) };
};

/** Gathers every key's sightings by member over a stretch of days. */
const sight = (opened: Opened, request: EventsRequest, first: number, last: number): Sighted => {
  const { data, mask, combine } = opened;
  const role = data.roles.get(request.role as string);
  if (!role) throw new Error('events need a role');
  const members = combine(request.attributes);
  const wanted = request.count;
  const keys = wanted.kind === 'distinct' ? data.keys(wanted.column) : linkKeys(opened);
  const column = wanted.kind === 'latest' && wanted.value ? data.value(wanted.value) : undefined;
  const where = request.where.length > 0 ? mask(request.where, request.knownBy) : undefined;
  const { starts } = request.segments;
  // A coarse row stands on the first day of its period.
  const stands = segmentTable(request.segments, first, last).map((segment) => (segment < 0 ? -1 : Math.max(starts[segment] - first, 0)));
  if (members.count * stands.length >= 2 ** 31)
    throw new DurchblickError('too-many-members', `the attributes combine to ${members.count} members`, {
      kind: 'engine',
      hint: 'Ask for fewer attributes at once, or filter them.',
    });
  return {
    sightings: gatherSightings({
      keys: keys.codes,
      keyCount: keys.count,
      codes: members.codes,
      members: members.count,
      days: role.days,
      first,
      last,
      stands,
      mask: bothMasks(mask(request.filters, request.knownBy), where),
      weights: wanted.kind === 'distinct' ? undefined : (column?.values ?? 'ones'),
    }),
    first,
    last,
    tuples: Array.from({ length: members.count }, (_, m) => members.tuple(m)),
    scale: column?.scale ?? 0,
  };
};

/**
 * Sightings over the days that a question's windows cover, kept for later ones. The first question reads no more days
 * than it needs; one that needs others reads all of them, once and for all.
 */
const sighted = (opened: Opened, request: EventsRequest): Sighted => {
  const { role, attributes, filters, knownBy, where, count, segments } = request;
  const key = JSON.stringify([
    role,
    attributes.map((attribute) => attribute.key),
    filters.map(filterKey),
    where.map(filterKey),
    knownBy ?? null,
    count,
    segments.key,
  ]);
  const [all, end] = [segments.starts[0] ?? 0, segments.ends[segments.ends.length - 1] ?? -1];
  let [first, last] = [end, all];
  for (const { from, to } of request.windows) {
    if (from.length === 0) continue;
    first = Math.min(first, from[0]);
    last = Math.max(last, to[to.length - 1]);
  }
  const before = opened.sightings.get(key);
  if (before && before.first <= first && before.last >= last) return before;
  const found = before ? sight(opened, request, all, end) : sight(opened, request, Math.min(first, last), last);
  opened.sightings.delete(key);
  if (opened.sightings.size >= MOST_SIGHTINGS) opened.sightings.delete(opened.sightings.keys().next().value as string);
  opened.sightings.set(key, found);
  return found;
};

/** Distinct counts, and levels by their own last day, for every anchor of every window (M4, M9). */
export const events = async (opened: Opened, request: EventsRequest, scan: Scanner): Promise<Events> => {
  const { segments } = request;
  const [rows] = await cubes([{ opened, request: { ...request, aggregates: [{ kind: 'rows', where: request.where }] } }], scan);
  if (request.windows.every(({ from }) => from.length === 0) || segments.starts.length === 0) {
    const none = request.windows.map(() => new Float64Array(0));
    return { tuples: rows.tuples, values: none, seen: none.map(() => new Uint8Array(0)), scale: 0 };
  }
  const { sightings, tuples, scale } = sighted(opened, request);
  const places = rows.tuples.map(tupleIndex(tuples));
  const values = request.windows.map((windows) => countsFor(sightings, windows, places));
  const seen = seenIn(request.windows, segments, rows.columns[0].cells, places.length);
  return { tuples: rows.tuples, values, seen, scale };
};

/** Every sighting as an entry of its own. */
export const seenKeys = (opened: Opened, request: EventsRequest): SeenKeys => {
  const { sightings, tuples, scale } = sighted(opened, request);
  const { starts, entries, bucketOf, base, span, members, weights } = sightings;
  const [key, member, day] = [0, 0, 0].map(() => new Int32Array(entries.length));
  for (let bucket = 0; bucket + 1 < starts.length; bucket++)
    for (let s = starts[bucket]; s < starts[bucket + 1]; s++) {
      key[s] = bucketOf === 'pair' ? Math.floor(bucket / members) : bucket;
      member[s] = bucketOf === 'pair' ? bucket % members : Math.floor(entries[s] / span);
      day[s] = base + (entries[s] % span);
    }
  return withoutIdle({ tuples, key, member, day, ...(weights ? { weight: weights } : {}), scale });
};
