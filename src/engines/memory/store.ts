import { dateReader } from '../../calendar/dates.ts';
import { FIRST_DAY, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { DurchblickError, suggest } from '../../errors.ts';
import type { Files } from '../../files/files.ts';
import { countEvents, NEVER, type Sightings } from '../../kernels/events.ts';
import { prefixSums } from '../../kernels/lookups.ts';
import { compareTexts } from '../../kernels/text.ts';
import type { Expression } from '../../language/syntax.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../../model/attributes.ts';
import type { Fact, Model } from '../../model/model.ts';
import type {
  AggregateRequest,
  Bounds,
  Cube,
  CubeColumn,
  CubeRequest,
  Events,
  EventsRequest,
  RowSet,
  Segments,
} from '../../plan/request.ts';
import { filterKey } from '../../plan/request.ts';
import type { OpenOptions, Store } from '../engine.ts';
import { type Codes, type DayColumn, readDays } from './columns.ts';
import { type DimensionData, dimensionData, type FactData, factData, type MemberCodes } from './facts.ts';
import { masksOf, never } from './masks.ts';
import { scanAll } from './passes.ts';
import { type Lists, ownRoom, PLAIN_LISTS, sharedRoom } from './room.ts';
import type { Cells, Layout, Scan, ScanColumn } from './scan.ts';
import { type TableInput, tablesOf } from './tables.ts';
import { secondThread } from './threads.ts';

/** More accumulators than this are refused with a message instead of exhausting memory. */
const MOST_CELLS = 1 << 27;

type Scanner = (scans: readonly Scan[]) => Promise<Cells>;

/** Combined members of several attributes: one code a row. */
interface Members {
  readonly codes: Codes | undefined;
  readonly count: number;
  readonly tuple: (code: number) => readonly string[];
}

const membersOf = (columns: readonly MemberCodes[], rows: number, lists: Lists): Members => {
  if (columns.length === 0) return { codes: undefined, count: 1, tuple: () => [] };
  const count = columns.reduce((product, { texts }) => product * texts.length, 1);
  if (count > 2 ** 31 - 1)
    throw new DurchblickError('too-many-members', `the attributes combine to ${count} members`, {
      kind: 'engine',
      hint: 'Ask for fewer attributes at once, or filter them.',
    });
  const tuple = (code: number): string[] => {
    const texts: string[] = [];
    for (let k = columns.length - 1, rest = code; k >= 0; k--) {
      const size = columns[k].texts.length;
      texts.unshift(columns[k].texts[rest % size]);
      rest = Math.floor(rest / size);
    }
    return texts;
  };
  if (columns.length === 1) return { codes: columns[0].codes, count, tuple };
  const codes = lists.make(Int32Array, rows);
  for (const { codes: own, texts } of columns) {
    const size = texts.length;
    for (let i = 0; i < rows; i++) codes[i] = codes[i] * size + own[i];
  }
  return { codes, count, tuple };
};

/** Table from day to segment over the days of a role; -1 for days in no segment. */
const segmentTable = ({ starts, ends }: Segments, first: number, last: number): Int32Array => {
  const table = new Int32Array(Math.max(last - first + 1, 0)).fill(-1);
  for (let s = 0; s < starts.length; s++) {
    const [from, to] = [Math.max(starts[s], first), Math.min(ends[s], last)];
    if (from <= to) table.fill(s, from - first, to - first + 1);
  }
  return table;
};

/** Whether every day from the first to the last is a segment of its own. */
const isDaily = ({ starts, ends }: Segments): boolean => {
  const last = starts.length - 1;
  return last >= 0 && ends[last] - starts[0] === last;
};

/** First slots of the days' segments; those of days in none lie behind all cells. */
const slotsOf = (segments: Segments, role: DayColumn | undefined, members: number): Layout['slotOf'] => {
  if (isDaily(segments)) return 'daily';
  if (!role) return new Int32Array(0);
  const none = segments.starts.length;
  return segmentTable(segments, role.first, role.last).map((segment) => (segment < 0 ? none : segment) * members);
};

interface Opened {
  readonly data: FactData;
  readonly mask: ReturnType<typeof masksOf>;
  readonly combine: (attributes: readonly AttributeRef[]) => Members;
  readonly sightings: Map<
    string,
    { readonly sightings: Sightings; readonly tuples: readonly (readonly string[])[]; readonly scale: number }
  >;
}

/** Opens a model over tables and files in memory. */
export const openStore = async (
  model: Model,
  given: Readonly<Record<string, TableInput>>,
  files: Files | undefined,
  options: OpenOptions,
): Promise<Store> => {
  const table = tablesOf(model, given, files);
  const dimensions = new Map<string, DimensionData>();
  for (const dimension of model.dimensions.values()) {
    if (dimension.source === undefined) continue;
    const rows = await table(dimension.source);
    dimensions.set(
      dimension.name,
      located(model, ['dimensions', dimension.name], () => dimensionData(dimension, rows)),
    );
  }
  const facts = new Map<string, Opened>();
  let most = 0;
  for (const fact of model.facts.values()) most = Math.max(most, (await table(fact.source)).rows);
  const helper = await secondThread(most);
  const room = helper ? sharedRoom() : ownRoom();
  const scan: Scanner = (scans) => scanAll(scans, room, helper);
  for (const fact of model.facts.values()) facts.set(fact.name, openFact(fact, await table(fact.source), model, dimensions, options, room));
  const opened = (fact: Fact): Opened => facts.get(fact.name) as Opened;

  const bounds = async (fact: Fact, knownBy: number | undefined): Promise<ReadonlyMap<string, Bounds | undefined>> => {
    const { data, mask } = opened(fact);
    const seen = mask([], knownBy);
    const result = new Map<string, Bounds | undefined>();
    for (const [role, column] of data.roles) {
      let { first, last } = column;
      if (seen) {
        [first, last] = [LAST_DAY + 1, FIRST_DAY - 1];
        column.days.forEach((day, i) => {
          if (seen[i] === 0 || day === NO_DAY) return;
          if (day < first) first = day;
          if (day > last) last = day;
        });
      }
      result.set(role, first <= last ? { first, last } : undefined);
    }
    return result;
  };

  const members = async (attribute: AttributeRef): Promise<readonly string[]> => {
    const seen = new Set<string>();
    if (attribute.kind === 'attribute') {
      const dimension = dimensions.get(attribute.dimension.name);
      if (dimension) return dimension.members(attribute.attribute);
      for (const { data, mask } of facts.values()) {
        if (!data.fact.links.some((link) => link.part === attribute.part)) continue;
        const { codes, texts } = data.members(attribute);
        // Members that only unseen rows have are not there (V3).
        const visible = options.fixed.get(data.fact.name)?.length ? mask([], undefined) : undefined;
        if (!visible) for (const text of texts) seen.add(text);
        else visible.forEach((is, i) => is === 1 && seen.add(texts[codes[i]]));
      }
      return [...seen].filter((text) => text !== NONE && text !== UNKNOWN).sort(compareTexts);
    }
    for (const fact of model.facts.values()) for (const label of fact.bands.get(attribute.band)?.labels ?? []) seen.add(label);
    return [...seen];
  };

  return {
    engine: 'memory',
    notes: [...facts.values()].flatMap(({ data }) => data.notes),
    rows: async (name, columns) => {
      const found = await table(name);
      const lists = columns.map((column) => found.column(column));
      return Array.from({ length: found.rows }, (_, i) => Object.fromEntries(columns.map((column, k) => [column, lists[k][i]])));
    },
    holidays: async (file, timeZone, first, last) => {
      if (!files)
        throw new DurchblickError('no-files', `the holidays are in ${file}, but the engine was given no files`, {
          hint: 'Pass `files`, or list the holidays in the model.',
        });
      let bytes: Uint8Array;
      try {
        bytes = await files(file);
      } catch {
        throw new DurchblickError('no-file', `cannot read ${file}`, {
          place: model.locate(['calendar', 'workingDays', 'holidays']),
          hint: 'Paths are relative to the model file.',
        });
      }
      const { readHolidays } = await import('../../files/ics.ts');
      return readHolidays(new TextDecoder().decode(bytes), file, timeZone, first, last);
    },
    bounds,
    members,
    combinations: async (dimension, attributes) => {
      const data = dimensions.get(dimension.name);
      if (!data) return [];
      const lists = attributes.map((attribute) => data.texts(attribute));
      const found = new Map<string, readonly string[]>();
      for (let row = 0; row < data.rows; row++) {
        const tuple = lists.map((list) => list[row]);
        found.set(JSON.stringify(tuple), tuple);
      }
      return [...found.values()];
    },
    lateRoles: async (fact) => {
      const { data } = opened(fact);
      const entered = data.roles.get(fact.enters ?? '')?.days;
      if (!entered) return [];
      return [...data.roles.entries()]
        .filter(([role, { days }]) => role !== fact.enters && days.some((day, i) => day !== NO_DAY && entered[i] > day))
        .map(([role]) => role);
    },
    cubes: async (requests, signal) => {
      stopIfAborted(signal);
      const tasks = requests.map((request) => ({ opened: opened(request.fact), request }));
      return cubes(tasks, scan);
    },
    events: async (request, signal) => {
      stopIfAborted(signal);
      return events(opened(request.fact), request, scan);
    },
    close: async () => {
      helper?.forget(room);
      facts.clear();
      dimensions.clear();
    },
  };
};

/** Runs a step of opening; a fault in the model's columns is told with its line. */
const located = <T>(model: Model, path: readonly string[], run: () => T): T => {
  try {
    return run();
  } catch (error) {
    if (error instanceof DurchblickError && error.kind === 'request') throw error.located(model.locate(path));
    throw error;
  }
};

const stopIfAborted = (signal: { readonly aborted: boolean } | undefined): void => {
  if (signal?.aborted) throw new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });
};

const openFact = (
  fact: Fact,
  table: Awaited<ReturnType<ReturnType<typeof tablesOf>>>,
  model: Model,
  dimensions: ReadonlyMap<string, DimensionData>,
  options: OpenOptions,
  lists: Lists,
): Opened => {
  const path = ['facts', fact.name];
  const data = located(model, [...path, 'dates'], () => factData(fact, table, model, dimensions, options.workingDays, lists));
  const known = new Set([...table.columnNames, ...fact.columns.keys()]);
  const demand = (column: string | undefined, at: readonly string[]): void => {
    if (column === undefined || known.has(column) || table.rows === 0) return;
    throw new DurchblickError('unknown-column', `${table.name} has no column "${column}"`, {
      place: model.locate([...path, ...at]),
      hint: suggest(column, known, 'columns'),
    });
  };
  for (const link of fact.links)
    demand(link.column, ['links', link.attribute === undefined ? link.part : `${link.part}.${link.attribute}`]);
  for (const [name, expression] of fact.columns) for (const used of namesIn(expression)) demand(used, ['columns', name]);
  for (const band of fact.bands.values()) demand(band.of, ['bands', band.name, 'of']);
  for (const measure of model.measures.values()) {
    if (measure.fact === fact && 'column' in measure.aggregate) demand(measure.aggregate.column, ['measures', measure.name]);
  }
  demand(fact.recorded, ['recorded']);
  for (const column of fact.versionKey) demand(column, ['versionKey']);
  // What measures sum and links point at is read now: a bad number is told before any answer, and no question pays for it.
  for (const measure of model.measures.values()) {
    const { aggregate } = measure;
    const reads = aggregate.kind === 'sum' || aggregate.kind === 'average' || aggregate.kind === 'min' || aggregate.kind === 'max';
    if (measure.fact === fact && reads) data.numbers(aggregate.column);
  }
  for (const link of fact.links) {
    const attribute = link.attribute ?? link.dimension.attributes.keys().next().value;
    if (attribute !== undefined)
      data.members({ kind: 'attribute', key: `${link.part}.${attribute}`, part: link.part, dimension: link.dimension, attribute });
  }
  let recorded: Int32Array | undefined;
  const recordedDays = (): Int32Array => {
    recorded ??= readDays(
      table.column(fact.recorded as string),
      dateReader({ timeZone: model.timeZone, grain: 'day' }),
      'error',
      table.name,
      fact.recorded as string,
      PLAIN_LISTS,
    ).days;
    return recorded;
  };
  const combined = new Map<string, Members>();
  return {
    data,
    mask: masksOf(data, options.fixed.get(fact.name) ?? [], recordedDays, lists),
    combine: (attributes) => {
      const key = attributes.map((attribute) => attribute.key).join('\n');
      let found = combined.get(key);
      if (!found) {
        found = membersOf(
          attributes.map((attribute) => data.members(attribute)),
          data.rows,
          lists,
        );
        combined.set(key, found);
      }
      return found;
    },
    sightings: new Map(),
  };
};

const namesIn = (node: Expression): string[] => {
  if (node.kind === 'name') return [node.name];
  if (node.kind === 'binary') return [...namesIn(node.left), ...namesIn(node.right)];
  if (node.kind === 'negate' || node.kind === 'modified') return namesIn(node.of);
  return [];
};

/** Whether values of a count are blank matters, not what they are: texts count as well. */
const scanColumn = (aggregate: AggregateRequest, { data, mask }: Opened, knownBy: number | undefined): ScanColumn => {
  const own = aggregate.where.length > 0 ? mask(aggregate.where, knownBy) : undefined;
  if (aggregate.kind === 'rows') return { ...ROW_COUNT, mask: own };
  const { kind, value } = aggregate;
  const column = kind === 'count' && value.kind === 'column' ? data.presence(value.column) : data.value(value);
  const rows = kind === 'count' && !column.blanks;
  return { kind, values: rows ? undefined : column.values, full: !column.blanks, mask: own };
};

const ROW_COUNT: ScanColumn = { kind: 'rows', values: undefined, full: true, mask: undefined };

interface CubeTask {
  readonly opened: Opened;
  readonly request: CubeRequest;
}

/** A request as a scan: its rows' layout, and a row count first, which tells the members that have rows. */
const scanOf = ({ opened, request }: CubeTask): Scan => {
  const { data, mask, combine } = opened;
  const { segments, aggregates } = request;
  const role = request.role === undefined ? undefined : data.roles.get(request.role);
  const members = combine(request.attributes);
  const count = segments.starts.length;
  if (count * members.count * (aggregates.length + 1) > MOST_CELLS) {
    throw new DurchblickError('too-many-cells', `the question needs ${count} x ${members.count} cells`, {
      kind: 'engine',
      hint: 'Ask by a coarser unit, for a shorter range, or for fewer members.',
    });
  }
  const layout = {
    rows: data.rows,
    days: role?.days,
    base: isDaily(segments) ? segments.starts[0] : (role?.first ?? 0),
    slotOf: slotsOf(segments, role, members.count),
    segments: count,
    codes: members.codes,
    members: members.count,
    mask: mask(request.filters, request.knownBy),
  };
  const columns = aggregates.map((aggregate) => scanColumn(aggregate, opened, request.knownBy));
  return { layout, columns: [ROW_COUNT, ...columns] };
};

/** Only members that have rows are part of the answer. */
const cubeOf = ({ opened, request }: CubeTask, { layout }: Scan, dense: readonly Float64Array[]): Cube => {
  const { segments, members } = layout;
  const present = new Uint8Array(members);
  const rows = dense[0];
  for (let s = 0, k = 0; s < segments; s++) for (let m = 0; m < members; m++, k++) if (rows[k] > 0) present[m] = 1;
  const kept = Array.from(present.keys()).filter((m) => present[m] === 1);
  const width = kept.length;
  const compact = (cells: Float64Array): Float64Array => {
    if (width === members) return cells;
    const out = new Float64Array(segments * width);
    for (let s = 0; s < segments; s++) for (let m = 0; m < width; m++) out[s * width + m] = cells[s * members + kept[m]];
    return out;
  };
  const { tuple } = opened.combine(request.attributes);
  const scaleOf = (aggregate: AggregateRequest): number =>
    aggregate.kind === 'rows' || aggregate.kind === 'count' ? 0 : opened.data.value(aggregate.value).scale;
  return {
    segments: request.segments,
    tuples: kept.map(tuple),
    columns: request.aggregates.map((aggregate, k): CubeColumn => ({ cells: compact(dense[k + 1]), scale: scaleOf(aggregate) })),
  };
};

const emptyCube = ({ segments, aggregates }: CubeRequest): Cube => ({
  segments,
  tuples: [],
  columns: aggregates.map(() => ({ cells: new Float64Array(0), scale: 0 })),
});

/** Answers requests together: scans over the same rows and members share their reading. */
const cubes = async (tasks: readonly CubeTask[], scan: Scanner): Promise<Cube[]> => {
  const live = tasks.filter(({ opened, request }) => !never(request.filters, opened.data));
  const scans = live.map(scanOf);
  const dense = await scan(scans);
  return tasks.map((task) => {
    const at = live.indexOf(task);
    return at < 0 ? emptyCube(task.request) : cubeOf(task, scans[at], dense[at]);
  });
};

/** Rows in order of their day, blanks and masked rows left out: a counting sort, or nothing when they are in order. */
const byDay = (days: Int32Array, mask: Uint8Array | undefined, where: Uint8Array | undefined, first: number, last: number): Int32Array => {
  const counts = new Int32Array(Math.max(last - first + 2, 1));
  const usable = (i: number) => days[i] !== NO_DAY && (!mask || mask[i] === 1) && (!where || where[i] === 1);
  let total = 0;
  for (let i = 0; i < days.length; i++) {
    if (!usable(i)) continue;
    counts[days[i] - first + 1]++;
    total++;
  }
  for (let d = 1; d < counts.length; d++) counts[d] += counts[d - 1];
  const order = new Int32Array(total);
  for (let i = 0; i < days.length; i++) if (usable(i)) order[counts[days[i] - first]++] = i;
  return order;
};

/**
 * Every key's sightings by member, each with the day of the next: rows are taken by day, and for every key and
 * member the last sighting is remembered until a later one comes.
 */
const sight = (opened: Opened, request: EventsRequest): { sightings: Sightings; tuples: readonly (readonly string[])[]; scale: number } => {
  const { data, mask, combine } = opened;
  const role = data.roles.get(request.role as string);
  if (!role) throw new Error('events need a role');
  const members = combine(request.attributes);
  const wanted = request.count;
  const keys = wanted.kind === 'distinct' ? data.keys(wanted.column) : linkKeys(opened);
  const column = wanted.kind === 'latest' && wanted.value ? data.value(wanted.value) : undefined;
  const where = request.where.length > 0 ? mask(request.where, request.knownBy) : undefined;
  const order = byDay(role.days, mask(request.filters, request.knownBy), where, role.first, role.last);
  const segmentOf = segmentTable(request.segments, role.first, role.last);
  const { starts } = request.segments;
  const day = new Int32Array(order.length);
  const next = new Int32Array(order.length).fill(NEVER);
  const member = new Int32Array(order.length);
  const weight = wanted.kind === 'latest' ? new Float64Array(order.length) : undefined;
  const dense = keys.count * members.count <= 1 << 26;
  const table = dense ? new Int32Array(keys.count * members.count).fill(-1) : undefined;
  const map = new Map<number, number>();
  let size = 0;
  for (const i of order) {
    const key = keys.codes[i];
    const segment = segmentOf[role.days[i] - role.first];
    if (key < 0 || segment < 0) continue;
    const m = members.codes ? members.codes[i] : 0;
    const on = starts[segment];
    const slot = key * members.count + m;
    const before = table ? table[slot] : (map.get(slot) ?? -1);
    const amount = column ? (Number.isNaN(column.values[i]) ? 0 : column.values[i]) : 1;
    if (before >= 0 && day[before] === on) {
      if (weight) weight[before] += amount;
      continue;
    }
    if (before >= 0) next[before] = on;
    day[size] = on;
    member[size] = m;
    if (weight) weight[size] = amount;
    if (table) table[slot] = size;
    else map.set(slot, size);
    size++;
  }
  return {
    sightings: {
      day: day.slice(0, size),
      next: next.slice(0, size),
      member: member.slice(0, size),
      weight: weight?.slice(0, size),
      members: members.count,
    },
    tuples: Array.from({ length: members.count }, (_, m) => members.tuple(m)),
    scale: column?.scale ?? 0,
  };
};

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

const MOST_SIGHTINGS = 8;

const events = async (opened: Opened, request: EventsRequest, scan: Scanner): Promise<Events> => {
  const rowSet: RowSet = request;
  const { role, attributes, filters, knownBy } = request;
  const identity = [
    role,
    attributes.map((attribute) => attribute.key),
    filters.map(filterKey),
    request.where.map(filterKey),
    knownBy ?? null,
  ];
  const key = JSON.stringify([...identity, request.count, request.segments.key]);
  let found = opened.sightings.get(key);
  if (!found) {
    found = sight(opened, request);
    if (opened.sightings.size >= MOST_SIGHTINGS) opened.sightings.delete(opened.sightings.keys().next().value as string);
    opened.sightings.set(key, found);
  }
  const { segments } = request;
  const [rows] = await cubes([{ opened, request: { ...rowSet, segments, aggregates: [{ kind: 'rows', where: request.where }] } }], scan);
  const lookup = prefixSums(rows.columns[0].cells, rows.tuples.length);
  const position = new Map(found.tuples.map((tuple, m) => [JSON.stringify(tuple), m]));
  const kept = rows.tuples.map((tuple) => position.get(JSON.stringify(tuple)) as number);
  const width = kept.length;
  const last = segments.starts.length - 1;
  const segmentOf = new Map(Array.from(segments.starts, (start, s) => [start, s]));
  const endOf = new Map(Array.from(segments.ends, (end, s) => [end, s]));
  const members = found.sightings.members;
  const values: Float64Array[] = [];
  const seen: Uint8Array[] = [];
  for (const windows of request.windows) {
    const anchors = windows.from.length;
    const counted =
      last < 0 ? new Float64Array(anchors * members) : countEvents(found.sightings, windows, segments.starts[0], segments.starts[last]);
    const own = new Float64Array(anchors * width);
    const behind = new Float64Array(anchors * width);
    for (let a = 0; a < anchors; a++) {
      for (let m = 0; m < width; m++) own[a * width + m] = counted[a * members + kept[m]];
      lookup.run(segmentOf.get(windows.from[a]) as number, endOf.get(windows.to[a]) as number, behind, a * width);
    }
    values.push(own);
    seen.push(Uint8Array.from(behind, (count) => (count > 0 ? 1 : 0)));
  }
  return { tuples: rows.tuples, values, seen, scale: found.scale };
};
