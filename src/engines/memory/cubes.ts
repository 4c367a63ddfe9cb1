// Requests for day cubes as scans, those over the same rows together.
import { DurchblickError } from '../../errors.ts';
import type { AggregateRequest, Cube, CubeColumn, CubeRequest, Segments } from '../../plan/request.ts';
import type { DayColumn } from './columns.ts';
import { firstSightings } from './first-time.ts';
import { never } from './masks.ts';
import type { Opened } from './open-fact.ts';
import type { Layout, Scan, ScanCells, ScanColumn } from './scan.ts';
import { segmentTable } from './segment-table.ts';

/** More accumulators than this are refused with a message instead of exhausting memory. */
const MOST_CELLS = 1 << 27;

export type Scanner = (scans: readonly Scan[]) => Promise<ScanCells>;

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

/** Whether values of a count are blank matters, not what they are: texts count as well. */
const scanColumn = (aggregate: AggregateRequest, opened: Opened, request: CubeRequest): ScanColumn => {
  const { data, mask } = opened;
  const { knownBy, workingDays } = request;
  const own = aggregate.where.length > 0 ? mask(aggregate.where, knownBy) : undefined;
  if (aggregate.kind === 'rows') return { ...ROW_COUNT, mask: own };
  // One row for each value and member on the first day of the value: counting rows counts them.
  if (aggregate.kind === 'first-time') return { ...ROW_COUNT, mask: firstSightings(opened, request, aggregate) };
  const { kind, value } = aggregate;
  const column = kind === 'count' && value.kind === 'column' ? data.presence(value.column) : data.value(value, workingDays);
  const rows = kind === 'count' && !column.blanks;
  return { kind, values: rows ? undefined : column.values, full: !column.blanks, exact: column.scale >= 0, mask: own };
};

const ROW_COUNT: ScanColumn = { kind: 'rows', values: undefined, full: true, exact: true, mask: undefined };

export interface CubeTask {
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
  const columns = aggregates.map((aggregate) => scanColumn(aggregate, opened, request));
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
  const known = new Map<Float64Array, Float64Array>();
  const compact = (cells: Float64Array): Float64Array => {
    if (width === members) return cells;
    const before = known.get(cells);
    if (before) return before;
    const out = new Float64Array(segments * width);
    for (let s = 0; s < segments; s++) for (let m = 0; m < width; m++) out[s * width + m] = cells[s * members + kept[m]];
    known.set(cells, out);
    return out;
  };
  const { tuple } = opened.combine(request.attributes);
  const column = (aggregate: AggregateRequest, cells: Float64Array): CubeColumn => {
    if (!('value' in aggregate) || aggregate.kind === 'count') return { cells, scale: 0 };
    const { scale, long } = opened.data.value(aggregate.value, request.workingDays);
    return { cells, scale, ...(long && aggregate.kind !== 'sum' ? { long } : {}) };
  };
  return {
    segments: request.segments,
    tuples: kept.map(tuple),
    columns: request.aggregates.map((aggregate, k) => column(aggregate, compact(dense[k + 1]))),
  };
};

const emptyCube = ({ segments, aggregates }: CubeRequest): Cube => ({
  segments,
  tuples: [],
  columns: aggregates.map(() => ({ cells: new Float64Array(0), scale: 0 })),
});

/** Answers requests together: scans over the same rows and members share their reading. */
export const cubes = async (tasks: readonly CubeTask[], scan: Scanner): Promise<Cube[]> => {
  const live = tasks.filter(({ opened, request }) => !never(request.filters, opened.data));
  const scans = live.map(scanOf);
  const dense = await scan(scans);
  return tasks.map((task) => {
    const at = live.indexOf(task);
    return at < 0 ? emptyCube(task.request) : cubeOf(task, scans[at], dense[at]);
  });
};
