// A measure by members of the calendar: the same cells of its cubes, told apart by the day they stand on (U12).
import { tupleKey } from '../basics/tuples.ts';
import type { AttributeRef } from '../model/attributes.ts';
import { isCalendar, layOnDays } from '../plan/days.ts';
import type { PlannedMeasure, PlannedPart } from '../plan/planned.ts';
import type { Tallies } from '../plan/request.ts';
import { type Cells, cellsFrom } from './cubes.ts';
import type { Absent, Calculation, Kind, LeafData, LoadedMeasure } from './scope.ts';
import { absentIn } from './shapes/measure-cells.ts';

/** Cells of some segments of a cube. */
const pickedCells = ({ tuples, cells, scale, long }: Cells, { segments, places }: PlannedPart): Cells => {
  const width = tuples.length;
  const own = new Float64Array(places.length * width);
  places.forEach((from, s) => void own.set(cells.subarray(from * width, (from + 1) * width), s * width));
  return { ...cellsFrom(segments, tuples, own, scale), ...(long ? { long } : {}) };
};

/** Tallies of some segments. */
const pickedTallies = (all: Tallies, segments: number, { places }: PlannedPart): Tallies => {
  const place = new Int32Array(segments).fill(-1);
  places.forEach((from, s) => void (place[from] = s));
  const kept = Int32Array.from(all.segment.keys()).filter((k) => place[all.segment[k]] >= 0);
  return {
    ...all,
    segment: kept.map((k) => place[all.segment[k]]),
    member: kept.map((k) => all.member[k]),
    value: Float64Array.from(kept, (k) => all.value[k]),
    count: Float64Array.from(kept, (k) => all.count[k]),
  };
};

/** Where texts of two kinds stand in one list: those of the calendar, and all others. */
export const placesByKind = (attributes: readonly AttributeRef[]) => {
  const places = Array.from(attributes.keys());
  return { ofDays: places.filter((k) => isCalendar(attributes[k])), ofRows: places.filter((k) => !isCalendar(attributes[k])) };
};

/** Texts of rows and of days put together in the order of some attributes. */
export const tupleMaker = (attributes: readonly AttributeRef[]): ((rows: readonly string[], days: readonly string[]) => string[]) => {
  const { ofDays, ofRows } = placesByKind(attributes);
  return (rows, days) => {
    const tuple = new Array<string>(attributes.length);
    ofRows.forEach((place, k) => void (tuple[place] = rows[k]));
    ofDays.forEach((place, k) => void (tuple[place] = days[k]));
    return tuple;
  };
};

/** Values on all parts beside each other, part by part. */
const together = (
  parts: readonly { readonly part: PlannedPart; readonly data: LeafData }[],
  measure: PlannedMeasure,
  none: Absent,
): LeafData => {
  const { lay, kept } = measure;
  const rows = lay.state.length;
  const width = parts.reduce((sum, { data }) => sum + data.tuples.length, 0);
  const [values, state, seen] = [new Float64Array(rows * width), new Uint8Array(rows * width), new Uint8Array(rows * width)];
  let before = 0;
  for (const { data } of parts) {
    const own = data.tuples.length;
    for (let row = 0; row < rows; row++) {
      const [from, to] = [row * own, row * width + before];
      values.set(data.values.subarray(from, from + own), to);
      state.set(data.state.subarray(from, from + own), to);
      seen.set(data.seen.subarray(from, from + own), to);
    }
    before += own;
  }
  const tupleOf = tupleMaker(kept);
  const absent = new Map(parts.map(({ part, data }) => [tupleKey(part.texts), data.absent]));
  return {
    tuples: parts.flatMap(({ part, data }) => data.tuples.map((tuple) => tupleOf(tuple, part.texts))),
    values,
    state,
    seen,
    absent: none,
    absentOn: (texts) => absent.get(tupleKey(texts)) ?? none,
    scale: parts.some(({ data }) => data.scale < 0) ? -1 : Math.max(0, ...parts.map(({ data }) => data.scale)),
  };
};

/** Cells of a kind on the days of each combination of calendar members. */
export const cellsByDays = (kind: Kind, measure: PlannedMeasure, loaded: LoadedMeasure, over: Calculation): LeafData => {
  const { segments } = measure;
  const isOwn = (cells: Cells): boolean => !kind.upToLast && cells.segments.key === segments.key;
  const on = (part: PlannedPart, events: LoadedMeasure['events']): LeafData => {
    const cubes = Object.fromEntries(
      Object.entries(loaded.cubes).map(([name, cells]) => [name, isOwn(cells) ? pickedCells(cells, part) : cells]),
    );
    const tallies = loaded.tallies && pickedTallies(loaded.tallies, segments.starts.length, part);
    return kind.cells({ ...measure, part, lay: part.lay, segments: part.segments }, { ...loaded, cubes, events, tallies }, over);
  };
  const found = (measure.parts ?? []).map((part, k) => ({ part, data: on(part, loaded.parts[k]) }));
  // What a member shows that no window covers a day of: as if the window were empty (W5).
  return together(found, measure, absentIn(measure, layOnDays(measure.lay, NO_DAYS).state));
};

const NO_DAYS = new Int32Array(0);
