// A store that looks at every row again for every cell, without any shortcut (V2).
import type { Lookup } from '../../basics/lookups.ts';
import type { Day } from '../../calendar/day.ts';
import type { OpenOptions, Store } from '../../engines/engine.ts';
import { DurchblickError } from '../../errors.ts';
import type { Cells, Cubes } from '../../evaluate/cubes.ts';
import type { Fact, Model } from '../../model/model.ts';
import type {
  AggregateRequest,
  Bounds,
  Events,
  EventsRequest,
  RowSet,
  RowValue,
  Segments,
  Tallies,
  TallyRequest,
} from '../../plan/request.ts';
import { ALL_TIME } from '../../plan/segments.ts';
import { scaledTogether } from './decimal.ts';
import { dimensionRows, type FactRows, factRows, type RateRows, type Row, rateRows } from './rows.ts';

/** Answers what the evaluation asks for by looking at every row again for every cell: no cube, no prefix sum, no events. */
export interface PlainStore {
  readonly store: Store;
  readonly cubes: Cubes;
}

/** Index of the segment that a day lies in, -1 where it lies in none. */
const segmentOf = ({ starts, ends }: Segments, day: Day): number => {
  const at = starts.findLastIndex((start) => start <= day);
  return at >= 0 && day <= ends[at] ? at : -1;
};

/** Rows of a request, with the segment that each lies in and the member that it belongs to. */
interface Placed {
  readonly rows: readonly Row[];
  readonly segment: Int32Array;
  readonly member: Int32Array;
  readonly tuples: readonly (readonly string[])[];
}

const keyOf = (tuple: readonly string[]): string => tuple.join('\u0000');

/** Every row becomes an object; more of them than this do not fit beside everything else. */
const MOST_ROWS = 2_000_000;

const countRows = async (facts: readonly Fact[], base: Store): Promise<number> => {
  const cubes = await base.cubes(
    facts.map((fact) => ({
      fact,
      role: undefined,
      attributes: [],
      filters: [],
      knownBy: undefined,
      segments: ALL_TIME,
      aggregates: [{ kind: 'rows' as const, where: [] }],
    })),
  );
  return cubes.reduce((sum, { columns }) => sum + columns[0].cells.reduce((all, rows) => all + rows, 0), 0);
};

/** Facts with all their rows, by name. */
type Opened = (fact: Fact) => FactRows;

const visible = (opened: Opened, set: Pick<RowSet, 'fact' | 'filters' | 'knownBy' | 'hidden' | 'heldOn'>): readonly Row[] => {
  const own = opened(set.fact);
  return own.known(set).filter((row) => set.filters.every((filter) => own.passes(row, filter, set.heldOn)));
};

const placed = (opened: Opened, request: RowSet, segments: Segments): Placed => {
  const own = opened(request.fact);
  const days = new Map<Day, number>();
  const place = (row: Row): number => {
    if (request.role === undefined) return 0;
    const day = row.days[request.role];
    if (day === undefined) return -1;
    let at = days.get(day);
    if (at === undefined) {
      at = segmentOf(segments, day);
      days.set(day, at);
    }
    return at;
  };
  const rows = visible(opened, request).filter((row) => place(row) >= 0);
  const tuples = rows.map((row) => request.attributes.map((attribute) => own.member(row, attribute, request.heldOn)));
  const distinct = [...new Map(tuples.map((tuple) => [keyOf(tuple), tuple])).entries()].sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
  const position = new Map(distinct.map(([key], m) => [key, m]));
  return {
    rows,
    segment: Int32Array.from(rows, place),
    member: Int32Array.from(tuples, (tuple) => position.get(keyOf(tuple)) as number),
    tuples: distinct.map(([, tuple]) => tuple),
  };
};

/** 1 on one row for each value and member, on the first day of the value of all rows (M15). */
const firstTimes = (
  opened: Opened,
  { rows, member }: Placed,
  request: RowSet & { readonly segments: Segments },
  { column, where }: Extract<AggregateRequest, { kind: 'first-time' }>,
): Float64Array => {
  const { fact, role, segments } = request;
  const own = opened(fact);
  const entered = request.filters.filter(({ why }) => why === 'entered');
  const counts = (row: Row): boolean => where.every((filter) => own.passes(row, filter, request.heldOn)) && own.present(row, column);
  const dayOf = (row: Row): Day | undefined => {
    const day = row.days[role as string];
    if (day === undefined || fact.grain === 'day') return day;
    const segment = segmentOf(segments, day);
    return segment < 0 ? undefined : segments.starts[segment];
  };
  const first = new Map<string, Day>();
  for (const row of visible(opened, { ...request, filters: entered }).filter(counts)) {
    const day = dayOf(row);
    const key = own.key(row, column);
    if (day !== undefined) first.set(key, Math.min(first.get(key) ?? day, day));
  }
  const done = new Set<string>();
  return Float64Array.from(rows, (row, k) => {
    if (!counts(row) || first.get(own.key(row, column)) !== dayOf(row)) return Number.NaN;
    const key = `${member[k]} ${own.key(row, column)}`;
    if (done.has(key)) return Number.NaN;
    done.add(key);
    return 1;
  });
};

/** What each row adds: NaN where it adds nothing. */
const amounts = (
  opened: Opened,
  found: Placed,
  request: RowSet & { readonly segments: Segments },
  aggregate: AggregateRequest,
): { readonly numbers: Float64Array; readonly scale: number } => {
  const { rows } = found;
  const { fact, workingDays } = request;
  const own = opened(fact);
  const counts = (row: Row): boolean => aggregate.where.every((filter) => own.passes(row, filter, request.heldOn));
  if (aggregate.kind === 'first-time') return { numbers: firstTimes(opened, found, request, aggregate), scale: 0 };
  if (aggregate.kind === 'rows') return { numbers: Float64Array.from(rows, (row) => (counts(row) ? 1 : Number.NaN)), scale: 0 };
  const { value } = aggregate;
  if (aggregate.kind === 'count') {
    const there = (row: Row): boolean =>
      value.kind === 'column' ? own.present(row, value.column) : own.value(row, value, workingDays) !== undefined;
    return { numbers: Float64Array.from(rows, (row) => (counts(row) && there(row) ? 1 : Number.NaN)), scale: 0 };
  }
  return scaledTogether(rows.map((row) => (counts(row) ? own.value(row, value, workingDays) : undefined)));
};

/** Looks at every row for one run of segments. */
const everyRow = (
  { segment, member, tuples }: Placed,
  numbers: Float64Array,
  start: number,
  add: (so: number, more: number) => number,
): Lookup => ({
  run: (i, j, out, at) => {
    out.fill(start, at, at + tuples.length);
    for (let row = 0; row < segment.length; row++) {
      const more = numbers[row];
      if (segment[row] >= i && segment[row] <= j && more === more) out[at + member[row]] = add(out[at + member[row]], more);
    }
  },
});
const extreme = (which: 'min' | 'max') => (so: number, more: number) => (so === so ? Math[which](so, more) : more);
const plus = (so: number, more: number): number => so + more;

const cellsBy =
  (opened: Opened) =>
  (rows: RowSet, segments: Segments, aggregate: AggregateRequest): Cells => {
    const found = placed(opened, rows, segments);
    const { numbers, scale } = amounts(opened, found, { ...rows, segments }, aggregate);
    const width = found.tuples.length;
    const isExtreme = aggregate.kind === 'min' || aggregate.kind === 'max';
    const add = isExtreme ? extreme(aggregate.kind) : plus;
    const all = new Float64Array(segments.starts.length * width).fill(isExtreme ? Number.NaN : 0);
    numbers.forEach((more, row) => {
      const at = found.segment[row] * width + found.member[row];
      if (more === more) all[at] = add(all[at], more);
    });
    return {
      segments,
      tuples: found.tuples,
      cells: all,
      scale,
      sums: () => everyRow(found, numbers, 0, plus),
      extreme: (which) => everyRow(found, numbers, Number.NaN, extreme(which)),
    };
  };

/** Each row's value by itself (M14). */
const talliesBy =
  (opened: Opened) =>
  (request: TallyRequest): Tallies => {
    const own = opened(request.fact);
    const all = placed(opened, request, request.segments);
    const counts = (row: Row): boolean => request.where.every((filter) => own.passes(row, filter, request.heldOn));
    const { numbers, scale } = scaledTogether(
      all.rows.map((row) => (counts(row) ? own.value(row, request.value, request.workingDays) : undefined)),
    );
    const kept = Array.from(numbers.keys()).filter((row) => numbers[row] === numbers[row]);
    return {
      tuples: all.tuples,
      segment: Int32Array.from(kept, (row) => all.segment[row]),
      member: Int32Array.from(kept, (row) => all.member[row]),
      value: Float64Array.from(kept, (row) => numbers[row]),
      count: new Float64Array(kept.length).fill(1),
      scale,
    };
  };

/** Distinct values, or the amounts of each key's last day, of the rows inside one window (M1, M4). */
const eventsBy =
  (opened: Opened) =>
  (request: EventsRequest): Events => {
    const { fact, segments, where, count, windows } = request;
    const own = opened(fact);
    const all = placed(opened, request, segments);
    const wanted = all.rows.map((row) => where.every((filter) => own.passes(row, filter, request.heldOn)));
    const links = [...new Set(fact.links.map(({ column }) => column))];
    const keys = all.rows.map((row) => {
      if (count.kind === 'distinct') return own.present(row, count.column) ? own.key(row, count.column) : '';
      return JSON.stringify(links.map((column) => own.key(row, column)));
    });
    const value: RowValue | undefined = count.kind === 'latest' ? count.value : undefined;
    const { numbers, scale } = value
      ? scaledTogether(all.rows.map((row) => own.value(row, value, request.workingDays)))
      : { numbers: new Float64Array(all.rows.length).fill(1), scale: 0 };
    const width = all.tuples.length;
    const counted = (inside: readonly number[], values: Float64Array, at: number): void => {
      if (count.kind === 'distinct') {
        const distinct = new Set(inside.filter((row) => keys[row] !== '').map((row) => `${all.member[row]} ${keys[row]}`));
        for (const key of distinct) values[at + Number(key.slice(0, key.indexOf(' ')))]++;
        return;
      }
      const last = new Map<string, number>();
      const keyIn = (row: number): string => `${all.member[row]} ${keys[row]}`;
      for (const row of inside) last.set(keyIn(row), Math.max(last.get(keyIn(row)) ?? -1, all.segment[row]));
      for (const row of inside)
        if (last.get(keyIn(row)) === all.segment[row] && numbers[row] === numbers[row]) values[at + all.member[row]] += numbers[row];
    };
    const answers = windows.map(({ from, to }) => {
      const values = new Float64Array(from.length * width);
      const seen = new Uint8Array(values.length);
      from.forEach((start, anchor) => {
        const inside = Array.from(all.rows.keys()).filter((row) => {
          const s = all.segment[row];
          return wanted[row] && segments.starts[s] >= start && segments.ends[s] <= to[anchor];
        });
        for (const row of inside) seen[anchor * width + all.member[row]] = 1;
        counted(inside, values, anchor * width);
      });
      return { values, seen };
    });
    return { tuples: all.tuples, values: answers.map((answer) => answer.values), seen: answers.map((answer) => answer.seen), scale };
  };

const boundsOf = (rows: readonly Row[], role: string): Bounds | undefined => {
  let found: Bounds | undefined;
  for (const { days } of rows) {
    const day = days[role];
    if (day !== undefined) found = { first: Math.min(found?.first ?? day, day), last: Math.max(found?.last ?? day, day) };
  }
  return found;
};

/** A store that has all rows of an engine and takes no short cut. */
export const plainStore = async (model: Model, base: Store, { fixed }: OpenOptions): Promise<PlainStore> => {
  const readable = (source: string | undefined): boolean => source === undefined || base.unreadable?.has(source) !== true;
  const ownFacts = [...model.facts.values()].filter(({ source }) => readable(source));
  const rows = await countRows(ownFacts, base);
  if (rows > MOST_ROWS)
    throw new DurchblickError('too-large', `${rows} rows are too many to look at one by one (${MOST_ROWS} are not)`, {
      kind: 'data',
      hint: 'Verify on a part of them: a smaller file or table.',
    });
  const dimensions = new Map<string, Awaited<ReturnType<typeof dimensionRows>>>();
  for (const dimension of model.dimensions.values())
    if (readable(dimension.source)) dimensions.set(dimension.name, await dimensionRows(dimension, model, base));
  const rates = new Map<string, RateRows>();
  for (const rate of model.rates.values()) if (readable(rate.source)) rates.set(rate.name, await rateRows(rate, model, base));
  const facts = new Map<string, FactRows>();
  for (const fact of ownFacts) facts.set(fact.name, await factRows(fact, model, base, { dimensions, rates }, fixed.get(fact.name) ?? []));
  const opened: Opened = (fact) => facts.get(fact.name) as FactRows;
  const cells = cellsBy(opened);
  const events = eventsBy(opened);
  const tallies = talliesBy(opened);
  return {
    store: {
      ...base,
      engine: 'row by row',
      reads: 'all',
      begin: undefined,
      bounds: async (fact, knownBy, which) => {
        if (!readable(fact.source)) return new Map();
        const seen = visible(opened, { fact, filters: [], knownBy, ...(which === 'all' ? { hidden: 'counted' } : {}) });
        return new Map([...fact.roles.keys()].map((role) => [role, boundsOf(seen, role)]));
      },
      cubes: () => Promise.reject(new Error('rows are looked at one by one')),
      events: async (request) => events(request),
      tallies: async (request) => tallies(request),
    },
    cubes: {
      counts: { scans: 0, cached: 0, cells: 0 },
      cells: async (set, segments, aggregate) => cells(set, segments, aggregate),
      tallies: async (request) => tallies(request),
      kept: () => [],
    },
  };
};
