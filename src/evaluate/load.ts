// Asks an engine for all that a plan needs. Nothing is decided here, and nothing calculated.

import { sortTuples } from '../basics/tuples.ts';
import type { Calendar } from '../calendar/calendar.ts';
import type { Store } from '../engines/engine.ts';
import type { CubeAsk, PlannedMeasure, PlannedShare, PlannedView } from '../plan/planned.ts';

import type { Cancellation, RowSet } from '../plan/request.ts';
import type { Cells, Cubes } from './cubes.ts';
import type { LoadedMeasure, LoadedView } from './scope.ts';

/** Where rows are asked for: one state of the data, and the calendar by which it counts working days. */
export interface Access {
  readonly store: Store;
  readonly cubes: Cubes;
  readonly calendar: Calendar;
  readonly signal: Cancellation | undefined;
}

const withDays = <T extends RowSet>(rows: T, { calendar }: Access): T => ({
  ...rows,
  workingDays: (after: number, until: number) => calendar.workingDays(after + 1, until),
});

/** Cells of one aggregate, from the day cubes that there are. */
export const cellsOf = ({ rows, segments, aggregate }: CubeAsk, access: Access): Promise<Cells> =>
  access.cubes.cells(withDays(rows, access), segments, aggregate, access.signal);

/** All of them at once, so that one scan answers them together. */
const loadCubes = async (asks: Readonly<Record<string, CubeAsk>>, access: Access): Promise<Record<string, Cells>> => {
  const found = await Promise.all(Object.entries(asks).map(async ([name, ask]) => [name, await cellsOf(ask, access)] as const));
  return Object.fromEntries(found);
};

const loadShare = async ({ shape, dimension, above, below }: PlannedShare, access: Access): Promise<LoadedMeasure['members'][number]> => {
  const names = [...above, ...below].flatMap((attribute) => (attribute.kind === 'attribute' ? [attribute.attribute] : []));
  const [loaded, combinations] = await Promise.all([load(shape, access), access.store.combinations(dimension, names)]);
  return { shape: loaded, combinations: sortTuples(combinations) };
};

const loadMeasure = async ({ asks, told, days, members, parts = [] }: PlannedMeasure, access: Access): Promise<LoadedMeasure> => {
  const [cubes, events, tallies, toldCubes, daysLoaded, membersLoaded, partsLoaded] = await Promise.all([
    loadCubes(asks.cubes, access),
    asks.events && access.store.events(withDays(asks.events, access), access.signal),
    asks.tallies && access.cubes.tallies(withDays(asks.tallies, access), access.signal),
    loadCubes(told, access),
    days && load(days, access),
    Promise.all(members.map((share) => loadShare(share, access))),
    Promise.all(parts.map((part) => part.events && access.store.events(withDays(part.events, access), access.signal))),
  ]);
  return { cubes, events, tallies, told: toldCubes, days: daysLoaded, members: membersLoaded, parts: partsLoaded };
};

/** What an engine answers to a planned view. */
export const load = (view: PlannedView, access: Access): Promise<LoadedView> =>
  Promise.all(view.measures.map((measure) => loadMeasure(measure, access)));
