import { type Day, isoOf } from '../calendar/day.ts';
import type { Store } from '../engines/engine.ts';
import { monotoneRuns } from '../kernels/events.ts';
import { extremes } from '../kernels/lookups.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Fact } from '../model/model.ts';
import { horizonOf, type Leaf } from '../plan/bind.ts';
import { historyOf, type TimeFrame } from '../plan/places.ts';
import type { AggregateRequest, Cancellation, Filter, RowSet, RowValue, Segments } from '../plan/request.ts';
import { COVERED, EMPTY, type Lay } from '../windows/lay.ts';
import { BLANK, NOTHING, VALUE } from './column.ts';
import type { Cells, Cubes } from './cubes.ts';
import type { Notes } from './notes.ts';
import { lookupRuns, type Runs, runsOf, type Share, sharedSums } from './runs.ts';

/** One reading's values over the rows of a view and the members it has data for, row-major. */
export interface LeafData {
  readonly tuples: readonly (readonly string[])[];
  readonly values: Float64Array;
  readonly state: Uint8Array;
  /** 1 where a row of data stands behind the cell (R1). */
  readonly seen: Uint8Array;
  /** What a member without any data shows on each row. */
  readonly absent: { readonly values: Float64Array; readonly state: Uint8Array };
  readonly scale: number;
}

/** What every reading of one question shares. */
export interface Evaluation {
  readonly frame: TimeFrame;
  readonly store: Store;
  readonly cubes: Cubes;
  readonly notes: Notes;
  readonly knownBy: Day | undefined;
  /** The stretches of days a fact's cubes are cut into: single days, or the fact's own periods. */
  readonly segments: (fact: Fact, role: string) => Segments;
  /** Whether rows may have entered after their date in a role, so that `enters` must be looked at (A2). */
  readonly entersLate: (fact: Fact, role: string) => boolean;
  /** The weights by which a coarse amount lies on days (G3). */
  readonly shareOf: (leaf: Leaf, segments: Segments) => Promise<Share>;
  /** An upper bound of how many combinations of members some attributes have. */
  readonly memberCount: (attributes: readonly AttributeRef[]) => number;
  readonly signal: Cancellation | undefined;
}

/** A reading to be evaluated: where it lies in time, and which rows and members it sees. */
export interface LeafTask {
  readonly leaf: Leaf;
  readonly lay: Lay;
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly Filter[];
  readonly where: readonly Filter[];
  /** Coarser segments for a cube that would be too large by single days. */
  readonly segments: Segments | undefined;
}

/** What a cell shows when no row stands behind it, by the state of its window (M2, M5, A4). */
const nothingOf = (leaf: Leaf, state: number): readonly [number, number] => {
  const { measure } = leaf;
  if (state !== COVERED && state !== EMPTY) return [0, BLANK];
  if (measure.open) return state === EMPTY ? [0, BLANK] : [0, VALUE];
  if (measure.empty === 'zero') return [0, VALUE];
  const kind = measure.aggregate.kind;
  if (measure.empty === 'blank') return [0, kind === 'sum' ? NOTHING : BLANK];
  if (kind === 'count-distinct' || (kind === 'count' && measure.acrossTime === undefined)) return [0, VALUE];
  return [0, kind === 'sum' ? NOTHING : BLANK];
};

const finish = (
  task: LeafTask,
  tuples: LeafData['tuples'],
  raw: Float64Array,
  counted: ArrayLike<number>,
  seen: ArrayLike<number>,
  scale: number,
): LeafData => {
  const rows = task.lay.state.length;
  const width = tuples.length;
  const values = new Float64Array(rows * width);
  const state = new Uint8Array(rows * width);
  const mask = new Uint8Array(rows * width);
  const absent = { values: new Float64Array(rows), state: new Uint8Array(rows) };
  const factor = 10 ** Math.max(scale, 0);
  for (let row = 0; row < rows; row++) {
    const [value, kind] = nothingOf(task.leaf, task.lay.state[row]);
    absent.values[row] = value;
    absent.state[row] = kind;
    for (let k = row * width; k < (row + 1) * width; k++) {
      mask[k] = seen[k] > 0 ? 1 : 0;
      if (counted[k] > 0) values[k] = raw[k] / factor;
      else {
        values[k] = value;
        state[k] = kind;
      }
    }
  }
  return { tuples, values, state, seen: mask, absent, scale };
};

/** The rows of a fact that a question may see in a role, versions and `enters` included (A2, G7). */
const rowsOf = (task: LeafTask, role: string | undefined, evaluation: Evaluation, more: readonly Filter[] = []): RowSet => {
  const { fact } = task.leaf.measure;
  const entered: Filter[] =
    fact.enters !== undefined && role !== fact.enters && (role === undefined || evaluation.entersLate(fact, role))
      ? [{ kind: 'entered', role: fact.enters, by: evaluation.frame.asOf }]
      : [];
  return { fact, role, attributes: task.attributes, filters: [...task.filters, ...entered, ...more], knownBy: evaluation.knownBy };
};

const rowValueOf = (leaf: Leaf): RowValue | undefined => {
  const { aggregate } = leaf.measure;
  if (aggregate.kind === 'days-between') return aggregate;
  return aggregate.column === undefined ? undefined : { kind: 'column', column: aggregate.column };
};

/** Sum or count of the measure's value: what adds up over days and members. */
const additive = (leaf: Leaf, where: readonly Filter[]): AggregateRequest => {
  const value = rowValueOf(leaf);
  const { kind } = leaf.measure.aggregate;
  return value === undefined ? { kind: 'rows', where } : { kind: kind === 'count' ? 'count' : 'sum', value, where };
};

/** How many rows had something to aggregate; decides between a value and a blank (M2). */
const counting = (leaf: Leaf, where: readonly Filter[]): AggregateRequest => {
  const value = rowValueOf(leaf);
  return value === undefined ? { kind: 'rows', where } : { kind: 'count', value, where };
};

const noteInexact = (cells: Cells, task: LeafTask, { notes }: Evaluation): void => {
  if (cells.scale >= 0) return;
  const { name } = task.leaf.measure;
  notes.add(`inexact ${name}`, {
    code: 'inexact',
    measure: name,
    message: `${name} is summed in double precision: its column has more than 6 decimals or too large amounts`,
  });
};

const simple = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { measure } = leaf;
  const { fact } = measure;
  const { kind } = measure.aggregate;
  const rowSet = rowsOf(task, leaf.role.name, evaluation);
  const segments = task.segments ?? evaluation.segments(fact, leaf.role.name);
  const ask = (aggregate: AggregateRequest) => evaluation.cubes.cells(rowSet, segments, aggregate, evaluation.signal);
  const extreme = kind === 'min' || kind === 'max';
  const [rows, count, cells] = await Promise.all([
    ask({ kind: 'rows', where }),
    ask(counting(leaf, where)),
    ask(extreme ? { kind, value: rowValueOf(leaf) as RowValue, where } : additive(leaf, where)),
  ]);
  const width = cells.tuples.length;
  const unseen = fact.grain !== 'day' && leaf.role.horizon === 'actual' ? evaluation.frame.asOf : undefined;
  const runs = runsOf(lay, segments, unseen);
  const seen = lookupRuns(rows.sums(), runs, width);
  const counted = lookupRuns(count.sums(), runs, width);
  if (unseen !== undefined) noteUnfinished(task, segments, evaluation);
  if (extreme) return finish(task, cells.tuples, lookupRuns(cells.extreme(kind), runs, width), counted, seen, cells.scale);
  noteInexact(cells, task, evaluation);
  if (kind === 'average') {
    const sums = lookupRuns(cells.sums(), runs, width);
    const factor = 10 ** Math.max(cells.scale, 0);
    return finish(
      task,
      cells.tuples,
      sums.map((sum, k) => sum / factor / counted[k]),
      counted,
      seen,
      -1,
    );
  }
  const cut = runs.i.some((_, row) => runs.i[row] <= runs.j[row] && (runs.left[row] === 1 || runs.right[row] === 1));
  if (!cut) return finish(task, cells.tuples, lookupRuns(cells.sums(), runs, width), counted, seen, cells.scale);
  if (measure.spread === 'none') return withoutSpread(task, cells, runs, counted, seen, evaluation);
  const share = await evaluation.shareOf(leaf, segments);
  const sums = sharedSums(cells.sums(), cells.cells, runs, lay, segments, width, share);
  const data = finish(task, cells.tuples, sums, counted, seen, Math.max(cells.scale, 0));
  return { ...data, scale: -1 };
};

/** A period that a window cuts says nothing about its part: blank, and noted (G4). */
const withoutSpread = (
  task: LeafTask,
  cells: Cells,
  runs: Runs,
  counted: Float64Array,
  seen: Float64Array,
  { notes }: Evaluation,
): LeafData => {
  const { measure } = task.leaf;
  const data = finish(task, cells.tuples, lookupRuns(cells.sums(), runs, cells.tuples.length), counted, seen, cells.scale);
  const width = cells.tuples.length;
  let rows = 0;
  for (let row = 0; row < runs.i.length; row++) {
    if (runs.i[row] > runs.j[row] || (runs.left[row] === 0 && runs.right[row] === 0)) continue;
    rows++;
    data.values.fill(0, row * width, (row + 1) * width);
    data.state.fill(BLANK, row * width, (row + 1) * width);
    data.absent.state[row] = BLANK;
  }
  const grain = measure.fact.grain;
  notes.add(`coarse-grain ${measure.name}`, {
    code: 'coarse-grain',
    measure: measure.name,
    grain,
    rows,
    message: `${measure.name} is kept by ${grain} and not spread: blank where a window cuts a ${grain} (${rows} ${rows === 1 ? 'row' : 'rows'})`,
  });
  return data;
};

const noteUnfinished = (task: LeafTask, segments: Segments, { frame, notes }: Evaluation): void => {
  const { starts, ends } = segments;
  const at = ends.findIndex((end, k) => end > frame.asOf && starts[k] <= frame.asOf);
  if (at < 0) return;
  const { fact } = task.leaf.measure;
  notes.add(`unfinished ${fact.name}`, {
    code: 'unfinished-period',
    fact: fact.name,
    start: isoOf(starts[at]),
    end: isoOf(ends[at]),
    message: `${fact.name} is kept by ${fact.grain}; the ${fact.grain} from ${isoOf(starts[at])} to ${isoOf(ends[at])} is not over on ${isoOf(frame.asOf)} and not seen`,
  });
};

/** Distinct counts and `last-known`, by events: one pass over the sightings for all rows of the axis. */
const byEvents = async (task: LeafTask, evaluation: Evaluation, count: 'distinct' | 'latest'): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { fact, aggregate } = leaf.measure;
  const rowSet = rowsOf(task, leaf.role.name, evaluation);
  const segments = evaluation.segments(fact, leaf.role.name);
  const unseen = fact.grain !== 'day' && leaf.role.horizon === 'actual' ? evaluation.frame.asOf : undefined;
  const runs = runsOf(lay, segments, unseen);
  const covered = Array.from(runs.i.keys()).filter((row) => runs.i[row] <= runs.j[row]);
  const groups = monotoneRuns(runs.i, runs.j, covered);
  const windows = groups.map((rows) => ({
    from: Int32Array.from(rows, (row) => segments.starts[runs.i[row]]),
    to: Int32Array.from(rows, (row) => segments.ends[runs.j[row]]),
  }));
  const counted: Parameters<Store['events']>[0]['count'] =
    count === 'distinct' && aggregate.kind === 'count-distinct'
      ? { kind: 'distinct', column: aggregate.column }
      : { kind: 'latest', value: rowValueOf(leaf) };
  const events = await evaluation.store.events({ ...rowSet, segments, where, count: counted, windows }, evaluation.signal);
  const width = events.tuples.length;
  const raw = new Float64Array(lay.from.length * width);
  const seen = new Uint8Array(raw.length);
  groups.forEach((rows, g) => {
    rows.forEach((row, anchor) => {
      raw.set(events.values[g].subarray(anchor * width, (anchor + 1) * width), row * width);
      seen.set(events.seen[g].subarray(anchor * width, (anchor + 1) * width), row * width);
    });
  });
  return finish(task, events.tuples, raw, seen, seen, events.scale);
};

/** A level between two roles: what has come in minus what has gone out by the last covered day (M5). */
const level = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { fact, open } = leaf.measure;
  if (!open) throw new Error('not an open measure');
  const forward: Filter = { kind: 'order', from: open.from, until: open.until, is: 'forward' };
  const at = async (role: string, more: readonly Filter[], latest: Day) => {
    const segments = evaluation.segments(fact, role);
    const rowSet = rowsOf(task, role, evaluation, more);
    const [rows, cells] = await Promise.all([
      evaluation.cubes.cells(rowSet, segments, { kind: 'rows', where }, evaluation.signal),
      evaluation.cubes.cells(rowSet, segments, additive(leaf, where), evaluation.signal),
    ]);
    const days: Lay = { ...lay, from: lay.to.map(() => segments.starts[0] ?? 0), to: lay.to.map((to) => Math.min(to, latest)) };
    const runs = runsOf(days, segments, undefined);
    const width = cells.tuples.length;
    return { cells, rows: lookupRuns(rows.sums(), runs, width), values: lookupRuns(cells.sums(), runs, width) };
  };
  const untilActual = fact.roles.get(open.until)?.horizon === 'actual';
  const [came, went] = await Promise.all([
    at(open.from, [forward], Number.POSITIVE_INFINITY),
    at(
      open.until,
      [forward, { kind: 'date', role: open.from, is: 'present' }],
      untilActual ? evaluation.frame.asOf : Number.POSITIVE_INFINITY,
    ),
  ]);
  noteInexact(came.cells, task, evaluation);
  await noteReversed(task, open, evaluation);
  // What went out came in before, so its members are among those that came in.
  const width = came.cells.tuples.length;
  const position = new Map(came.cells.tuples.map((tuple, m) => [JSON.stringify(tuple), m]));
  const gone = went.cells.tuples.map((tuple) => position.get(JSON.stringify(tuple)) ?? -1);
  const rows = came.rows.slice();
  const values = came.values.slice();
  for (let row = 0; row < lay.to.length; row++) {
    gone.forEach((m, k) => {
      if (m < 0) return;
      rows[row * width + m] -= went.rows[row * gone.length + k];
      values[row * width + m] -= went.values[row * gone.length + k];
    });
  }
  return finish(task, came.cells.tuples, values, rows, rows, came.cells.scale);
};

const noteReversed = async (task: LeafTask, { from, until }: { from: string; until: string }, evaluation: Evaluation): Promise<void> => {
  const { fact, name } = task.leaf.measure;
  const rowSet = rowsOf(task, from, evaluation, [{ kind: 'order', from, until, is: 'reversed' }]);
  const cells = await evaluation.cubes.cells(
    { ...rowSet, attributes: [] },
    evaluation.segments(fact, from),
    { kind: 'rows', where: task.where },
    evaluation.signal,
  );
  const count = cells.cells.reduce((sum, rows) => sum + rows, 0);
  if (count > 0) {
    evaluation.notes.add(`reversed ${name}`, {
      code: 'reversed-dates',
      measure: name,
      rows: count,
      message: `${name}: ${count} ${count === 1 ? 'row has' : 'rows have'} ${until} before ${from} and ${count === 1 ? 'is' : 'are'} left out`,
    });
  }
};

/** Average of the days between two dates over the rows that have both in order (M6). */
const between = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { fact, aggregate } = leaf.measure;
  if (aggregate.kind !== 'days-between') throw new Error('not days between');
  const { from, until } = aggregate;
  const both: Filter[] = [
    { kind: 'date', role: from, is: 'present' },
    { kind: 'date', role: until, is: 'present' },
  ];
  const { asOf } = evaluation.frame;
  // A date after the as-of date is not known yet (A2); asked only where one can be.
  const known: Filter[] = [from, until]
    .filter(
      (role) =>
        role !== leaf.role.name && fact.roles.get(role)?.horizon === 'actual' && (evaluation.frame.bounds(fact, role)?.last ?? asOf) > asOf,
    )
    .map((role) => ({ kind: 'by', role, day: asOf }));
  const rowSet = rowsOf(task, leaf.role.name, evaluation, [...both, { kind: 'order', from, until, is: 'forward' }, ...known]);
  const segments = evaluation.segments(fact, leaf.role.name);
  const value = aggregate;
  const [rows, sums] = await Promise.all([
    evaluation.cubes.cells(rowSet, segments, { kind: 'rows', where }, evaluation.signal),
    evaluation.cubes.cells(rowSet, segments, { kind: 'sum', value, where }, evaluation.signal),
    noteReversed(task, aggregate, evaluation),
  ]);
  const runs = runsOf(lay, segments, undefined);
  const width = rows.tuples.length;
  const counted = lookupRuns(rows.sums(), runs, width);
  const total = lookupRuns(sums.sums(), runs, width);
  return finish(
    task,
    rows.tuples,
    total.map((sum, k) => sum / counted[k]),
    counted,
    counted,
    -1,
  );
};

/** Levels that add up over members but not over time (M4). */
const acrossTime = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { leaf, lay, where } = task;
  const { measure } = leaf;
  const { fact } = measure;
  const way = measure.acrossTime;
  const rowSet = rowsOf(task, leaf.role.name, evaluation);
  const segments = evaluation.segments(fact, leaf.role.name);
  const ask = (rows: RowSet, aggregate: AggregateRequest) => evaluation.cubes.cells(rows, segments, aggregate, evaluation.signal);
  const [any, rows, cells] = await Promise.all([
    // The days on which the fact has any row at all: before the question's filters and splits.
    ask({ ...rowsOf({ ...task, filters: [] }, leaf.role.name, evaluation), attributes: [] }, { kind: 'rows', where: [] }),
    ask(rowSet, { kind: 'rows', where }),
    ask(rowSet, additive(leaf, where)),
  ]);
  const width = cells.tuples.length;
  const unseen = fact.grain !== 'day' && leaf.role.horizon === 'actual' ? evaluation.frame.asOf : undefined;
  const runs = runsOf(lay, segments, unseen);
  const seen = lookupRuns(rows.sums(), runs, width);
  noteInexact(cells, task, evaluation);
  const has = Array.from(segments.starts, (_, s) => any.tuples.length > 0 && any.cells[s] > 0);
  if (way === 'last' || way === 'first') {
    const raw = new Float64Array(seen.length);
    const picked = new Uint8Array(seen.length);
    for (let row = 0; row < lay.from.length; row++) {
      const [i, j] = [runs.i[row], runs.j[row]];
      let s = way === 'last' ? j : i;
      while (s >= i && s <= j && !has[s]) s += way === 'last' ? -1 : 1;
      if (i > j || s < i || s > j) continue;
      for (let m = 0; m < width; m++) {
        raw[row * width + m] = cells.cells[s * width + m];
        // On the day picked a member counts 0 if it has rows elsewhere in the window.
        picked[row * width + m] = seen[row * width + m] > 0 ? 1 : 0;
      }
    }
    return finish(task, cells.tuples, raw, picked, seen, cells.scale);
  }
  if (way === 'average') {
    const days = new Float64Array(has.length + 1);
    has.forEach((present, s) => {
      days[s + 1] = days[s] + (present ? 1 : 0);
    });
    const sums = lookupRuns(cells.sums(), runs, width);
    const factor = 10 ** Math.max(cells.scale, 0);
    const raw = sums.map((sum, k) => {
      const row = Math.floor(k / width);
      return sum / factor / (days[runs.j[row] + 1] - days[runs.i[row]]);
    });
    return finish(task, cells.tuples, raw, seen, seen, -1);
  }
  const daily = cells.cells.map((value, k) => (has[Math.floor(k / width)] ? value : Number.NaN));
  return finish(
    task,
    cells.tuples,
    lookupRuns(extremes(daily, width, way === 'min' ? 'min' : 'max'), runs, width),
    seen,
    seen,
    cells.scale,
  );
};

/** Rows whose date is blank are on no period; the result says how many, and how much they amount to (D4). */
const noteUnplaced = async (task: LeafTask, evaluation: Evaluation): Promise<void> => {
  const { leaf, where } = task;
  const { measure } = leaf;
  const { fact } = measure;
  const role = measure.open?.from ?? leaf.role.name;
  const blank: Filter = { kind: 'date', role, is: 'blank' };
  const { enters } = fact;
  const { asOf } = evaluation.frame;
  const sums = measure.aggregate.kind === 'sum';
  const count = async (by: string | undefined, more: readonly Filter[]): Promise<readonly [number, number]> => {
    const rowSet: RowSet = { fact, role: by, attributes: [], filters: [...task.filters, blank, ...more], knownBy: evaluation.knownBy };
    const segments = by === undefined ? ALL_TIME : evaluation.segments(fact, by);
    const [rows, cells] = await Promise.all([
      evaluation.cubes.cells(rowSet, segments, { kind: 'rows', where }, evaluation.signal),
      evaluation.cubes.cells(rowSet, segments, sums ? additive(leaf, where) : { kind: 'rows', where }, evaluation.signal),
    ]);
    let [number, amount] = [0, 0];
    rows.cells.forEach((value, s) => {
      if (segments.starts[s] > asOf && by !== undefined) return;
      number += value;
      amount += cells.cells[s];
    });
    return [number, amount / 10 ** Math.max(cells.scale, 0)];
  };
  // Rows that entered after the as-of date do not exist yet; counting by that date keeps the cube for any as-of date.
  const late = enters !== undefined && enters !== role && (evaluation.frame.bounds(fact, enters)?.last ?? asOf) > asOf;
  const parts = late
    ? await Promise.all([count(enters, []), count(undefined, [{ kind: 'date', role: enters, is: 'blank' }])])
    : [await count(undefined, [])];
  const rows = parts.reduce((sum, part) => sum + part[0], 0);
  const amount = parts.reduce((sum, part) => sum + part[1], 0);
  if (rows === 0) return;
  evaluation.notes.add(`unplaced ${measure.name} ${role}`, {
    code: 'unplaced-dates',
    measure: measure.name,
    role,
    rows,
    ...(sums ? { amount } : {}),
    message: `${measure.name} on ${role}: ${rows} ${rows === 1 ? 'row has' : 'rows have'} no ${role} date and ${rows === 1 ? 'is' : 'are'} in no period${sums ? ` (${measure.name} ${amount})` : ''}`,
  });
};

const ALL_TIME: Segments = { key: 'all', starts: Int32Array.of(-800000), ends: Int32Array.of(3000000) };

/** Evaluates one reading: chooses among the few shapes that all come down to lookups on day cubes. */
export const evaluateLeaf = async (task: LeafTask, evaluation: Evaluation): Promise<LeafData> => {
  const { measure } = task.leaf;
  const shape = measure.open
    ? level
    : measure.acrossTime === 'last-known'
      ? (t: LeafTask, e: Evaluation) => byEvents(t, e, 'latest')
      : measure.acrossTime
        ? acrossTime
        : measure.aggregate.kind === 'count-distinct'
          ? (t: LeafTask, e: Evaluation) => byEvents(t, e, 'distinct')
          : measure.aggregate.kind === 'days-between'
            ? between
            : simple;
  const [data] = await Promise.all([shape(task, evaluation), noteUnplaced(task, evaluation)]);
  noteHistory(task, evaluation);
  return data;
};

const noteHistory = (task: LeafTask, { frame, notes }: Evaluation): void => {
  const { leaf, lay } = task;
  const rows = lay.short.reduce((sum, short) => sum + short, 0);
  if (rows === 0) return;
  const { measure } = leaf;
  const { first } = historyOf(measure.fact, leaf.role.name, frame);
  const window = leaf.window?.name ?? 'the window';
  notes.add(`short ${measure.name} ${leaf.role.name} ${window}`, {
    code: 'short-history',
    measure: measure.name,
    window,
    rows,
    first: first === undefined ? undefined : isoOf(first),
    message: `${measure.name} over ${window} reaches before the first day${first === undefined ? '' : `, ${isoOf(first)},`} on ${rows} ${rows === 1 ? 'row' : 'rows'}: computed on what there is`,
  });
};

/** Horizon and history by which a leaf is laid. */
export const layingOf = (leaf: Leaf, frame: TimeFrame) => ({
  horizon: horizonOf(leaf),
  history: historyOf(leaf.measure.fact, leaf.measure.open?.from ?? leaf.role.name, frame),
});
