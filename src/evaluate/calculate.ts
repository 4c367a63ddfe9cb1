// From what an engine answered to values: arithmetic on columns, step by step, over the rows and members of a view.

import { distinctTuples, tupleIndex } from '../basics/tuples.ts';
import type { Day } from '../calendar/day.ts';
import { countDays } from '../plan/days.ts';
import { checkCells } from '../plan/limits.ts';
import { type Notes, notes } from '../plan/notes.ts';
import { rowCount } from '../plan/places.ts';
import type { PlanFrame, PlannedMeasure, PlannedView, Step } from '../plan/planned.ts';

import { frameSeeing } from '../plan/seen.ts';
import { lastUses } from '../plan/steps.ts';
import { COVERED, FUTURE, type Lay } from '../windows/lay.ts';
import { cellsByDays, placesByKind, tupleMaker } from './by-days.ts';
import { applied, arithmetic, BLANK, blankColumn, type Column, constantColumn, formed, negated, VALUE } from './column.ts';
import type { Calculation, DayRange, LeafData, LoadedView, ViewData } from './scope.ts';
import type { Kinds } from './shapes/table.ts';
import { noteTold } from './shapes/told.ts';

type Tuples = readonly (readonly string[])[];

/** Combinations of calendar members of which some row covers a day (U12). */
const coveredDays = ({ measures, steps }: PlannedView): Tuples =>
  distinctTuples([
    ...measures.flatMap(({ parts = [], split }) =>
      split === 'own' ? parts.filter(({ lay }) => lay.state.includes(COVERED)).map(({ texts }) => texts) : [],
    ),
    ...steps.flatMap((step) => (step.kind === 'days' && step.onDays ? step.onDays.groups.map(({ texts }) => texts) : [])),
  ]);

/**
 * Members of the result: the combinations with a row of data behind any of their cells (R1). Each is shown on all calendar members
 * of which some row covers a day, with or without data there (U12).
 */
const tuplesShown = (view: PlannedView, data: readonly LeafData[]): Tuples => {
  const { attributes } = view;
  const { ofDays, ofRows } = placesByKind(attributes);
  const found = ofRows.length === 0 ? [[]] : distinctTuples(tuplesWithData(view, data).map((tuple) => ofRows.map((k) => tuple[k])));
  if (ofDays.length === 0) return found;
  const tupleOf = tupleMaker(attributes);
  return coveredDays(view).flatMap((days) => found.map((rows) => tupleOf(rows, days)));
};

const tuplesWithData = (view: PlannedView, data: readonly LeafData[]): Tuples => {
  return distinctTuples(
    data.flatMap(({ tuples, seen }, k) => {
      if (view.measures[k].split !== 'own') return [];
      const width = tuples.length;
      return tuples.filter((_, m) => {
        for (let at = m; at < seen.length; at += width) if (seen[at] === 1) return true;
        return false;
      });
    }),
  );
};

/** Spreads a measure's members over those of the result; members it has no data for show what nothing shows. */
const aligned = (data: LeafData, { kept, split }: PlannedMeasure, view: PlannedView, tuples: Tuples, seen: Uint8Array): Column => {
  const width = tuples.length;
  const own = data.tuples.length;
  const rows = rowCount(view.view);
  const places = kept.map(({ key }) => view.attributes.findIndex((attribute) => attribute.key === key));
  const position = tupleIndex(data.tuples);
  const source = tuples.map((tuple) => position(places.map((k) => tuple[k])));
  const { ofDays } = placesByKind(kept);
  const absent = tuples.map((tuple) => data.absentOn?.(ofDays.map((k) => tuple[places[k]])) ?? data.absent);
  if (own === width && source.every((from, m) => from === m)) {
    if (split === 'own') for (let k = 0; k < seen.length; k++) seen[k] |= data.seen[k];
    return data;
  }
  const values = new Float64Array(rows * width);
  const state = new Uint8Array(rows * width);
  for (let row = 0; row < rows; row++) {
    for (let m = 0; m < width; m++) {
      const from = source[m];
      const at = row * width + m;
      values[at] = from < 0 ? absent[m].values[row] : data.values[row * own + from];
      state[at] = from < 0 ? absent[m].state[row] : data.state[row * own + from];
      if (from >= 0 && split === 'own' && data.seen[row * own + from] === 1) seen[at] = 1;
    }
  }
  return { values, state, scale: data.scale };
};

type CountStep = Extract<Step, { kind: 'days' }>;

/** How many days, or working days, each row covers (M12); of a calendar member those that are its own (U12). */
const dayCounts = ({ count, lay, onDays }: CountStep, { attributes }: PlannedView, tuples: Tuples, { frame }: Calculation): Column => {
  const rows = lay.from.length;
  const width = tuples.length;
  const column: Column = { values: new Float64Array(rows * width), state: new Uint8Array(rows * width), scale: 0 };
  const { calendar } = frame;
  const groups = onDays?.groups.map(({ days }) => (count === 'days' ? days : days.filter((day) => calendar.isWorkingDay(day))));
  const places = onDays?.attributes.map(({ key }) => attributes.findIndex((attribute) => attribute.key === key)) ?? [];
  const groupAt = tupleIndex(onDays?.groups.map(({ texts }) => texts) ?? []);
  const groupOf = tuples.map((tuple) => groupAt(places.map((k) => tuple[k])));
  const daysIn = (from: Day, to: Day, m: number): number => {
    if (groups) return groupOf[m] < 0 ? 0 : countDays(groups[groupOf[m]], from, to);
    return count === 'days' ? to - from + 1 : calendar.workingDays(from, to);
  };
  for (let row = 0; row < rows; row++) {
    const [from, to] = [lay.from[row], lay.to[row]];
    const isCovered = lay.state[row] === COVERED;
    for (let m = 0; m < width; m++) column.values[row * width + m] = isCovered ? daysIn(from, to, m) : 0;
    column.state.fill(lay.state[row] >= FUTURE ? BLANK : VALUE, row * width, (row + 1) * width);
  }
  return column;
};

/** Values of every reading: each step from those before it, and each forgotten after its last use. */
const columnsOf = (view: PlannedView, measures: readonly Column[], tuples: Tuples, over: Calculation): readonly Column[] => {
  const size = rowCount(view.view) * tuples.length;
  const columns: (Column | undefined)[] = [];
  const at = (number: number): Column => columns[number] as Column;
  const columnOf = (step: Step): Column => {
    switch (step.kind) {
      case 'measure':
        return measures[step.measure];
      case 'blank':
        return blankColumn(size);
      case 'days':
        return dayCounts(step, view, tuples, over);
      case 'number':
        return constantColumn(step.value, size);
      case 'negate':
        return negated(at(step.of));
      case 'binary':
        return arithmetic(step.operator, at(step.left), at(step.right));
      case 'call':
        return applied(step.name, step.args.map(at), step.digits);
      case 'held':
        return formed(step.form, at(step.own), at(step.other));
    }
  };
  const last = lastUses(view.steps);
  for (const { step } of view.readings) last[step] = view.steps.length;
  const ending = new Map<number, number[]>();
  last.forEach((use, k) => void ending.set(use, [...(ending.get(use) ?? []), k]));
  view.steps.forEach((step, k) => {
    columns[k] = columnOf(step);
    for (const done of ending.get(k) ?? []) if (done !== k) columns[done] = undefined;
  });
  return view.readings.map(({ step }) => at(step));
};

/** First and last day that some lays cover on a row. */
const extent = (lays: readonly Lay[], row: number): DayRange | null => {
  let range: DayRange | null = null;
  for (const lay of lays) {
    if (lay.state[row] !== COVERED) continue;
    const [start, end] = [lay.from[row], lay.to[row]];
    range = range === null ? { start, end } : { start: Math.min(range.start, start), end: Math.max(range.end, end) };
  }
  return range;
};

/** Values of a planned view over the members with data, or over those that are known to be shown. */
export const calculate = (view: PlannedView, loaded: LoadedView, over: Calculation, known?: Tuples): ViewData => {
  for (const [key, note] of view.notes) over.notes.add(key, note);
  const data = view.measures.map((measure, k) => over.cells(measure, loaded[k]));
  const tuples = known ?? tuplesShown(view, data);
  const rows = rowCount(view.view);
  const size = rows * tuples.length;
  const { readings } = view;
  checkCells(size * readings.length);
  const seen = new Uint8Array(size);
  const measures = data.map((own, k) => aligned(own, view.measures[k], view, tuples, seen));
  const perRow = <T>(make: (row: number) => T): T[] => Array.from({ length: rows }, (_, row) => make(row));
  return {
    rows,
    tuples,
    columns: columnsOf(view, measures, tuples, over),
    seen,
    ahead: readings.map(({ read }) => perRow((row) => read.some((lay) => lay.ahead[row] === 1))),
    covered: readings.map(({ own }) => perRow((row) => extent(own, row))),
    seenAt: readings.map(({ seen: at }) => at),
    compared: readings.map(({ others }) => others && perRow((row) => extent(others, row))),
  };
};

/** What all calculations of a question share. */
export const calculationOf = (frame: PlanFrame, { kindOf, spreads }: Pick<Kinds, 'kindOf' | 'spreads'>, found: Notes): Calculation => {
  const over: Calculation = {
    frame,
    notes: found,
    spreads,
    // What must be known about a shape is no note of the answer: its rows are not shown.
    shape: (view, loaded) => calculate(view, loaded, calculationOf(frame, { kindOf, spreads }, notes())),
    cells: (measure, loaded) => {
      const seeing = frameSeeing(frame, measure.seen);
      const at = seeing === frame ? over : calculationOf(seeing, { kindOf, spreads }, found);
      noteTold(measure, loaded, at);
      const kind = kindOf(measure.leaf.measure);
      const ready = kind.ready?.(measure, loaded, at) ?? loaded;
      return measure.parts ? cellsByDays(kind, measure, ready, at) : kind.cells(measure, ready, at);
    },
  };
  return over;
};
