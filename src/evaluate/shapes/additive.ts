// Shape of sums, counts, averages and extremes (M1), with the shares of cut coarse periods (G4).
import { isoOf } from '../../calendar/day.ts';
import type { AskFrame, CubeAsk, PlannedMeasure } from '../../plan/planned.ts';

import type { AggregateRequest, RowValue } from '../../plan/request.ts';
import { additive, counting, rowsOf, rowValueOf } from '../../plan/rows.ts';
import { isCut, isCutIn, type Runs, runsOf } from '../../plan/runs.ts';
import { unseenAfter } from '../../plan/spread.ts';
import { BLANK } from '../column.ts';
import type { Cells } from '../cubes.ts';
import type { Calculation, Kind, LeafData, LoadedMeasure, Spreads } from '../scope.ts';
import { lookupRuns, sharedSums } from './lookups.ts';
import { finish, noteInexact, noteUnsure } from './measure-cells.ts';

const isExtreme = (kind: string): kind is 'min' | 'max' => kind === 'min' || kind === 'max';

const asks: Kind['asks'] = (measure, frame: AskFrame) => {
  const { leaf, where, segments, fine, attributes } = measure;
  const { kind } = leaf.measure.aggregate;
  const counted = rowsOf({ ...measure, attributes: fine ? fine.by : attributes }, leaf.role.name, frame);
  const ask = (aggregate: AggregateRequest): CubeAsk => ({ rows: counted, segments, aggregate });
  const value = isExtreme(kind) ? { kind, value: rowValueOf(leaf) as RowValue, where } : additive(leaf, where);
  return {
    counted,
    cubes: { rows: ask({ kind: 'rows', where }), count: ask(counting(leaf, where)), value: ask(value) },
    ...(isExtreme(kind) || kind === 'average' ? {} : { shared: true }),
  };
};

/** Sums, counts, averages and extremes: lookups on a day cube, with the share of cut periods of coarse facts (G4). */
const cells = (measure: PlannedMeasure, loaded: LoadedMeasure, over: Calculation): LeafData => {
  const { leaf, lay, segments, part } = measure;
  const { fact, spread, aggregate } = leaf.measure;
  const { kind } = aggregate;
  const { rows, count, value } = loaded.cubes;
  // Few models spread (G3, G6), and what does it is loaded for them.
  const spreads = over.spreads as Spreads;
  const width = value.tuples.length;
  const unseen = unseenAfter(measure, over.frame);
  const runs = runsOf(lay, segments, unseen);
  const seen = lookupRuns(rows.sums(), runs, width);
  const counted = lookupRuns(count.sums(), runs, width);
  const finished = (raw: Float64Array, scale: number): LeafData => finish(measure, value.tuples, raw, counted, seen, scale, over);
  if (unseen !== undefined) noteUnfinished(measure, over);
  if (isExtreme(kind)) {
    const data = finished(lookupRuns(value.extreme(kind), runs, width), value.scale);
    noteUnsure(value, data, measure, over);
    return data;
  }
  const factor = 10 ** Math.max(value.scale, 0);
  if (kind === 'average') {
    const average = lookupRuns(value.sums(), runs, width).map((sum, k) => sum / factor / counted[k]);
    return finished(average, -1);
  }
  if (fact.grain === 'day' || !isCut(runs, part)) return finished(lookupRuns(value.sums(), runs, width), value.scale);
  if (spread === 'none') return withoutSpread(measure, value, runs, finished(lookupRuns(value.sums(), runs, width), value.scale), over);
  const share = spreads.shareOf(measure, loaded.days, over);
  const sums = sharedSums(value.sums(), value.cells, runs, lay, segments, width, share, part?.whole);
  return { ...finished(sums, Math.max(value.scale, 0)), scale: -1 };
};

/** Amounts laid on finer members, where there are such (G6). */
const ready: Kind['ready'] = (measure, loaded, over) => {
  const { fine, leaf } = measure;
  const { rows, count, value } = loaded.cubes;
  if (!isExtreme(leaf.measure.aggregate.kind)) noteInexact(value, measure, over);
  if (!fine) return loaded;
  const { spreadAcross } = over.spreads as Spreads;
  return { ...loaded, cubes: { ...spreadAcross({ ...measure, fine }, { rows, count, value }, loaded.members, over) } };
};

export const additiveKind: Kind = { asks, ready, cells, mayBeCut: true };

/** A period that a window cuts says nothing about its part: blank, and noted (G4). */
const withoutSpread = ({ leaf, part }: PlannedMeasure, cells: Cells, runs: Runs, data: LeafData, { notes }: Calculation): LeafData => {
  const { name, fact } = leaf.measure;
  const width = cells.tuples.length;
  let rows = 0;
  for (let row = 0; row < runs.i.length; row++) {
    if (!isCutIn(runs, row, part)) continue;
    rows++;
    data.values.fill(0, row * width, (row + 1) * width);
    data.state.fill(BLANK, row * width, (row + 1) * width);
    data.absent.state[row] = BLANK;
  }
  const { grain } = fact;
  notes.add(`coarse-grain ${name}`, {
    code: 'coarse-grain',
    measure: name,
    grain,
    rows,
  });
  return data;
};

const noteUnfinished = ({ leaf, segments }: PlannedMeasure, { frame, notes }: Calculation): void => {
  const { starts, ends } = segments;
  const at = ends.findIndex((end, k) => end > frame.asOf && starts[k] <= frame.asOf);
  if (at < 0) return;
  const { fact } = leaf.measure;
  notes.add(`unfinished ${fact.name}`, {
    code: 'unfinished-period',
    fact: fact.name,
    grain: fact.grain,
    start: isoOf(starts[at]),
    end: isoOf(ends[at]),
    asOf: isoOf(frame.asOf),
  });
};
