// What a question needs of the rows, as plain data: everything that must be known before rows are touched.

import type { Day } from '../calendar/day.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Measure } from '../model/model.ts';
import { COVERED, type Lay } from '../windows/lay.ts';
import type { Axis } from './axis.ts';
import type { Bound, DaysLeaf, Leaf } from './bind.ts';
import { layOnDays, segmentsOnDays } from './days.ts';
import { countedDays, measureOutline } from './measure.ts';
import type { View } from './places.ts';
import type {
  AskFrame,
  Combinations,
  MeasureOutline,
  PlanFrame,
  PlannedKind,
  PlannedMeasure,
  PlannedPart,
  PlannedView,
  Scope,
  Wanted,
} from './planned.ts';
import type { Asked, AskedFilter } from './question.ts';
import { type Reached, type Reads, reachedWith, readDays, readKey } from './reads.ts';
import type { Segments } from './request.ts';
import { memberBound } from './rows.ts';
import { frameSeeing, type Seen } from './seen.ts';
import { cutSegments } from './segments.ts';
import { daysShape, membersShapes } from './spread.ts';
import { stepsOf } from './steps.ts';
import { toldOf } from './told.ts';

/** A plan under way: its frame, and the days reached so far. */
export interface Planning {
  readonly frame: PlanFrame;
  readonly reached: Reads;
}

/** Says which days a measure is going to read; a level needs all that came before (M5). */
const reach = ({ leaf, lay, seen }: MeasureOutline, { frame: own, reached }: Planning): void => {
  const frame = frameSeeing(own, seen);
  const { fact, open } = leaf.measure;
  let [from, to] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (let row = 0; row < lay.state.length; row++) {
    if (lay.state[row] !== COVERED) continue;
    from = Math.min(from, lay.from[row]);
    to = Math.max(to, lay.to[row]);
  }
  if (from > to) return;
  const days = (role: string, first: Day, last: Day): void => {
    const key = readKey(fact, role);
    reached.set(key, reachedWith(reached.get(key), first, last, frame.bounds(fact, role)));
  };
  if (!open) {
    days(leaf.role.name, from, to);
    return;
  }
  for (const role of [open.from, open.until]) {
    const bounds = frame.bounds(fact, role);
    if (bounds) days(role, bounds.first, Math.max(to, bounds.first));
  }
};

/**
 * Cubes by single days serve every later question; where members are too many for that, all windows that this
 * view lays on a fact's role cut time into the fewest segments that serve them all.
 */
const segmentsFor = (own: MeasureOutline, all: readonly MeasureOutline[], mayBeCut: boolean, frame: AskFrame): Segments => {
  const { leaf, attributes } = own;
  const { fact } = leaf.measure;
  const daily = frame.read(fact, leaf.role.name);
  const days = daily.starts.length;
  if (!mayBeCut || own.fine || fact.grain !== 'day' || days === 0 || days * memberBound(attributes, frame.memberCounts) <= frame.dailyCells)
    return daily;
  const [first, last] = [daily.starts[0], daily.ends[days - 1]];
  const cuts = new Set<number>([first]);
  for (const { leaf: other, lay } of all) {
    if (other.measure.fact !== fact || other.role.name !== leaf.role.name) continue;
    lay.from.forEach((from, row) => {
      if (lay.state[row] !== COVERED) return;
      if (from > first && from <= last) cuts.add(from);
      if (lay.to[row] >= first && lay.to[row] < last) cuts.add(lay.to[row] + 1);
    });
  }
  return cutSegments(cuts, last);
};

const askFrame = ({ frame, reached }: Planning): AskFrame => {
  const { bounds, calendar, segments, reads } = frame;
  return {
    ...frame,
    read: (fact, role) => {
      const all = bounds(fact, role);
      return segments(fact, readDays(fact, reached.get(readKey(fact, role)), all, reads), calendar);
    },
    every: (fact, role) => segments(fact, bounds(fact, role), calendar),
  };
};

/** A measure on the days of each combination of calendar members (U12). */
const partsOf = (
  own: MeasureOutline & { readonly segments: Segments },
  asksOf: PlannedKind['asks'],
  how: 'counted by events' | 'from cubes',
  frame: AskFrame,
): readonly PlannedPart[] | undefined =>
  own.onDays?.groups.map((group) => {
    const on = segmentsOnDays(own.segments, group, own.onDays?.key ?? '');
    const lay = layOnDays(own.lay, group.days);
    const events = how === 'counted by events' ? asksOf({ ...own, lay, segments: on.segments }, frame).events : undefined;
    return { ...group, ...on, lay, events };
  });

const plannedMeasure = (outline: MeasureOutline, all: readonly MeasureOutline[], planning: Planning): PlannedMeasure => {
  const frame = askFrame({ ...planning, frame: frameSeeing(planning.frame, outline.seen) });
  const { nothing, asks: asksOf, mayBeCut = false } = frame.kindOf(outline.leaf.measure);
  // By days of their own, parts must be told day by day.
  const own = { ...outline, segments: segmentsFor(outline, all, mayBeCut && !outline.onDays, frame) };
  const { events, ...asks } = asksOf(own, frame);
  const plan = (wanted: Wanted, of: PlanFrame) => planViews([wanted], { ...planning, frame: of })[0];
  return {
    ...own,
    nothing,
    // One count of events does not serve parts of its days; cubes do.
    asks: outline.onDays || !events ? asks : { ...asks, events },
    told: toldOf(own, frame),
    days: asks.shared ? daysShape(own, frame, plan) : undefined,
    members: membersShapes(own, frame, plan),
    parts: partsOf(own, asksOf, events ? 'counted by events' : 'from cubes', frame),
  };
};

/** Plans several views together, so that what one of them reads serves the others. */
export const planViews = (wanted: readonly Wanted[], planning: Planning): PlannedView[] => {
  const { frame } = planning;
  const where = new Map<Measure, readonly AskedFilter[]>();
  const outlines = wanted.map(({ readings, scope }) => {
    const stepped = stepsOf(
      readings,
      scope.view,
      frame,
      (leaf: Leaf, lay: Lay, seen: Seen) => measureOutline(leaf, lay, seen, scope, frame, where),
      (leaf: DaysLeaf, lay: Lay) => countedDays(leaf, lay, scope, frame),
    );
    for (const measure of stepped.measures) reach(measure, planning);
    return { ...stepped, view: scope.view, attributes: scope.attributes };
  });
  return outlines.map((outline) => ({
    ...outline,
    measures: outline.measures.map((measure) => plannedMeasure(measure, outline.measures, planning)),
  }));
};

/** A question's plan: its axis, the views it takes, and the days of facts that it reaches. */
export interface Plan {
  readonly axis: Axis;
  readonly cells: PlannedView;
  /** Readings for `order`, then for `keep`: per member over the whole axis, or per period if there are no members. */
  readonly ranking: PlannedView | undefined;
  readonly totals: {
    /** Over members, in each period. */
    readonly members: PlannedView | undefined;
    /** Over the axis, of each member. */
    readonly axis: PlannedView | undefined;
    readonly corner: PlannedView | undefined;
  };
  readonly reached: ReadonlyMap<string, Reached>;
}

const planning = (frame: PlanFrame): Planning => ({ frame, reached: new Map(frame.reached) });

/** Plans a question on its axis (R1, M9). */
export const planOf = (asked: Asked, axis: Axis, frame: PlanFrame): Plan => {
  const own = planning(frame);
  const readings = asked.columns.map(({ bound }) => bound);
  const attributes = asked.per.map(({ attribute }) => attribute);
  const { filters, totals } = asked;
  const wanted = new Map<string, Wanted>();
  const want = (name: string, bounds: readonly Bound[], rows: View['rows'], split: readonly AttributeRef[]): void =>
    void wanted.set(name, { readings: bounds, scope: { view: { axis, rows }, attributes: split, filters } });
  want('cells', readings, 'periods', attributes);
  // Members are chosen by what they are ordered by, and by what they must meet (R1, R4).
  const chosenBy = [...asked.order, ...asked.keep].map(({ bound }) => bound);
  if (chosenBy.length > 0) want('ranking', chosenBy, attributes.length === 0 || axis.windows ? 'periods' : 'total', attributes);
  if (totals.members) want('members', readings, 'periods', []);
  if (totals.axis && axis.places.length > 0) {
    want('axis', readings, 'total', attributes);
    if (totals.members) want('corner', readings, 'total', []);
  }
  const names = [...wanted.keys()];
  const views = planViews([...wanted.values()], own);
  const view = (name: string): PlannedView | undefined => views[names.indexOf(name)];
  return {
    axis,
    cells: views[0],
    ranking: view('ranking'),
    totals: { members: view('members'), axis: view('axis'), corner: view('corner') },
    reached: own.reached,
  };
};

/** The views of those left out by a limit, once it is known who is shown: in each period, and over the axis if wanted (R1). */
export const planOthers = (
  asked: Asked,
  axis: Axis,
  shown: readonly (readonly string[])[],
  frame: PlanFrame,
): { readonly periods: PlannedView; readonly total: PlannedView | undefined; readonly reached: ReadonlyMap<string, Reached> } => {
  const own = planning(frame);
  const combinations: Combinations = {
    kind: 'combinations',
    attributes: asked.per.map(({ attribute }) => attribute),
    list: shown,
    keep: 'others',
    why: 'members',
  };
  const { filters } = asked;
  const readings = asked.columns.map(({ bound }) => bound);
  // One row for each group that a limit counts in, or one for all.
  const groups = combinations.attributes.slice(0, asked.within);
  const rows: readonly View['rows'][] = asked.totals.axis && axis.places.length > 0 ? ['periods', 'total'] : ['periods'];
  const [periods, total] = planViews(
    rows.map((kind) => ({ readings, scope: { view: { axis, rows: kind }, attributes: groups, filters, combinations } })),
    own,
  );
  return { periods, total, reached: own.reached };
};

/** Plans some readings over one view. */
export const planView = (
  readings: readonly Bound[],
  scope: Scope,
  frame: PlanFrame,
): { readonly view: PlannedView; readonly reached: ReadonlyMap<string, Reached> } => {
  const own = planning(frame);
  const [view] = planViews([{ readings, scope }], own);
  return { view, reached: own.reached };
};
