// What a question needs of the rows, as plain data: everything that must be known before rows are touched.

import type { Day } from '../calendar/day.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Measure } from '../model/model.ts';
import { COVERED, type Lay } from '../windows/lay.ts';
import type { Axis } from './axis.ts';
import type { Bound, DaysLeaf, Leaf } from './bind.ts';
import { layOnDays, segmentsOnDays } from './days.ts';
import { countedDays, measureOutline } from './measure.ts';
import { totalOf, type View } from './places.ts';
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
import { groupMembers, type Split } from './split.ts';
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

/** A question's plan: its views, and the days of facts that it reaches. */
export interface Plan {
  /** One view, or one for each view of the split (U13). */
  readonly cells: readonly PlannedView[];
  /** Readings for `order`, then for `keep`: per member over the whole axis, or per period if there are no members. */
  readonly ranking: readonly PlannedView[] | undefined;
  readonly totals: {
    /** Over members, in each period. */
    readonly members: PlannedView | undefined;
    /** Over the axis, of each member. */
    readonly axis: readonly PlannedView[] | undefined;
    readonly corner: PlannedView | undefined;
  };
  readonly reached: ReadonlyMap<string, Reached>;
}

const planning = (frame: PlanFrame): Planning => ({ frame, reached: new Map(frame.reached) });

/** Attributes that split rows of data; period attributes split the axis. */
export const listRowAttributes = ({ per }: Asked, split: Split | undefined): readonly AttributeRef[] =>
  per.map(({ attribute }) => attribute).filter((attribute) => !split?.attributes.some(({ key }) => key === attribute.key));

/** Plans a question on its axis (R1, M9). */
export const planOf = (asked: Asked, axis: Axis, split: Split | undefined, frame: PlanFrame): Plan => {
  const own = planning(frame);
  const readings = asked.columns.map(({ bound }) => bound);
  const attributes = listRowAttributes(asked, split);
  const { filters, totals } = asked;
  const wanted: Wanted[] = [];
  /** Wants some views, and takes them when they are planned. */
  const want = (bounds: readonly Bound[], views: readonly View[], by: readonly AttributeRef[]) => {
    const first = wanted.length;
    for (const view of views) wanted.push({ readings: bounds, scope: { view, attributes: by, filters } });
    return (planned: readonly PlannedView[]) => planned.slice(first, first + views.length);
  };
  const parts = split?.views ?? [{ axis }];
  const members = split ? split.views.map((view) => groupMembers(view).view) : [totalOf(axis)];
  const cells = want(readings, parts, attributes);
  // Members are chosen by what they are ordered by, and by what they must meet (R1, R4).
  const chosenBy = [...asked.order, ...asked.keep].map(({ bound }) => bound);
  const ranking = chosenBy.length > 0 && want(chosenBy, asked.per.length === 0 || axis.windows ? parts : members, attributes);
  const ofMembers = totals.members && want(readings, [{ axis }], []);
  const hasAxis = totals.axis && axis.places.length > 0;
  const ofAxis = hasAxis && want(readings, members, attributes);
  const corner = hasAxis && totals.members && want(readings, [totalOf(axis)], []);
  const planned = planViews(wanted, own);
  return {
    cells: cells(planned),
    ranking: ranking ? ranking(planned) : undefined,
    totals: {
      members: ofMembers ? ofMembers(planned)[0] : undefined,
      axis: ofAxis ? ofAxis(planned) : undefined,
      corner: corner ? corner(planned)[0] : undefined,
    },
    reached: own.reached,
  };
};

/** The views of those left out by a limit: in each period, and over the axis if wanted (R1). */
export interface OthersPlan {
  readonly periods: readonly PlannedView[];
  readonly total: readonly PlannedView[] | undefined;
  readonly reached: ReadonlyMap<string, Reached>;
}

/** Plans those left out by a limit, once it is known who is shown. Left-out periods are a split of their own (U13). */
export const planOthers = (
  asked: Asked,
  axis: Axis,
  split: Split | undefined,
  shown: readonly (readonly string[])[],
  frame: PlanFrame,
): OthersPlan => {
  const own = planning(frame);
  const readings = asked.columns.map(({ bound }) => bound);
  const combinations: Combinations = {
    kind: 'combinations',
    attributes: asked.per.map(({ attribute }) => attribute),
    list: shown,
    keep: 'others',
    why: 'members',
  };
  // One row for each group that a limit counts in, or one for all.
  const groups = combinations.attributes.slice(0, asked.within);
  const scope = split ? { attributes: [], filters: asked.filters } : { attributes: groups, filters: asked.filters, combinations };
  const parts = split?.views ?? [{ axis }];
  const totals = split ? split.views.map((view) => groupMembers(view).view) : [totalOf(axis)];
  const isTotal = asked.totals.axis && axis.places.length > 0;
  const planned = planViews(
    [...parts, ...(isTotal ? totals : [])].map((view) => ({ readings, scope: { ...scope, view } })),
    own,
  );
  return { periods: planned.slice(0, parts.length), total: isTotal ? planned.slice(parts.length) : undefined, reached: own.reached };
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
