// From calculated columns to the rows of an answer: members shown, ordered, limited, and totals (R1, R4, M9).
import { compareTexts } from '../basics/text.ts';
import { distinctTuples, tupleIndex, tupleKey } from '../basics/tuples.ts';
import { standingTable } from '../calendar/standing-table.ts';
import { type AttributeRef, NONE, OTHERS, TOTAL, UNKNOWN } from '../model/attributes.ts';
import type { Axis } from '../plan/axis.ts';
import { type Bound, hasPart, horizonOf, type Leaf, leavesOf } from '../plan/bind.ts';
import { isCalendar } from '../plan/days.ts';
import { planOf, planOthers } from '../plan/plan.ts';
import type { PlannedView } from '../plan/planned.ts';
import { type Asked, meets } from '../plan/question.ts';
import { type Split, type Spot, splitOthers } from '../plan/split.ts';
import type { Place } from '../windows/place.ts';
import { columnValue } from './column.ts';
import { type Evaluation, loadViews, type Values } from './evaluation.ts';
import type { Access } from './load.ts';
import type { ViewData } from './scope.ts';

/** What a row sums up: one cell of the result, the members left out by a limit, or a total. */
export type RowKind = 'cell' | 'others' | 'total';

export interface AnswerRow {
  readonly kind: RowKind;
  /** Index of the axis period; undefined in totals over the axis. */
  readonly period: number | undefined;
  /** One text an attribute; `Total` where it is summed up. */
  readonly members: readonly string[];
  /** Where its values are: a view, a row of it, and the place in its columns. */
  readonly data: ViewData;
  readonly row: number;
  readonly at: number;
}

/** Value of a reading on a row of the answer. */
export const readingOf = ({ data, at }: AnswerRow, reading: number): number | null => columnValue(data.columns[reading], at);

export interface Answer {
  readonly axis: Axis;
  readonly rows: readonly AnswerRow[];
  readonly totals: readonly AnswerRow[];
}

const specialRank = (text: string): number => (text === NONE ? 1 : text === UNKNOWN ? 2 : 0);

/** Sorts members by their attributes' order, `(none)` and `(unknown)` last (R1). */
const memberOrder = async (
  attributes: readonly AttributeRef[],
  { store, calendar }: Access,
): Promise<(a: readonly string[], b: readonly string[]) => number> => {
  const positions = await Promise.all(
    attributes.map(async (attribute) => {
      const members = isCalendar(attribute) ? standingTable(calendar, attribute.standing).members : await store.members(attribute);
      return new Map(members.map((text, i) => [text, i]));
    }),
  );
  return (a, b) => {
    // Of groups, the first of their texts.
    for (let k = 0; k < a.length; k++) {
      const special = specialRank(a[k]) - specialRank(b[k]);
      if (special !== 0) return special;
      const [x, y] = [positions[k].get(a[k]) ?? Number.MAX_SAFE_INTEGER, positions[k].get(b[k]) ?? Number.MAX_SAFE_INTEGER];
      if (x !== y) return x - y;
      const text = compareTexts(a[k], b[k]);
      if (text !== 0) return text;
    }
    return 0;
  };
};

/** A member of the answer: its texts, those of its period attributes (U13), and the index of the others in the data. */
interface ShownMember {
  readonly tuple: readonly string[];
  readonly period: readonly string[];
  readonly index: number;
}

/** Rows with the values of a member: in an axis row, and over the whole axis. */
interface Layout {
  /** Rows differ by the period of a member. */
  readonly isSplit: boolean;
  readonly cell: (row: number, period: readonly string[]) => Spot | undefined;
  readonly total: (period: readonly string[]) => Spot;
}

/** Rows of one view are the axis rows; those of a split are found by their members (U13). */
const layoutOf = (split: Split | undefined): Layout =>
  split
    ? { isSplit: true, cell: split.find, total: split.findMember }
    : { isSplit: false, cell: (row) => ({ view: 0, row }), total: () => ({ view: 0, row: 0 }) };

type Views = readonly ViewData[];

const rowAt = (
  views: Views,
  { view, row }: Spot,
  index: number,
  { kind, period, members }: Pick<AnswerRow, 'kind' | 'period' | 'members'>,
): AnswerRow => {
  const data = views[view];
  return { kind, period, members, data, row, at: row * data.tuples.length + index };
};

/** A value that members or periods are ordered and kept by. */
type Ranking<T> = (of: T, reading: number) => number | null;

const memberRanking =
  (views: Views | undefined, layout: Layout): Ranking<ShownMember> =>
  ({ period, index }, k) => {
    if (!views) return null;
    const { view, row } = layout.total(period);
    const data = views[view];
    return row < data.rows ? columnValue(data.columns[k], row * data.tuples.length + index) : null;
  };

const periodRanking =
  (views: Views | undefined): Ranking<number> =>
  (row, k) =>
    views ? columnValue(views[0].columns[k], row) : null;

/** Members whose readings meet all conditions (R4). */
const keptMembers = (members: readonly ShownMember[], { keep, order }: Asked, value: Ranking<ShownMember>): readonly ShownMember[] =>
  keep.length === 0 ? members : members.filter((member) => keep.every((condition, k) => meets(value(member, order.length + k), condition)));

/** Compares by the values of readings; blanks sort last in both directions (R1). */
const byValues = <T>(a: T, b: T, order: Asked['order'], value: Ranking<T>): number => {
  for (let k = 0; k < order.length; k++) {
    const [x, y] = [value(a, k), value(b, k)];
    if (x === y) continue;
    if (x === null || y === null) return x === null ? 1 : -1;
    return order[k].descending ? y - x : x - y;
  }
  return 0;
};

/** Indexes of the shown periods. Without members, `order` and `limit` apply to periods (R1). */
const shownPeriods = (rows: number, { order, periods, limit, per }: Asked, value: Ranking<number>): readonly number[] => {
  const all = Array.from({ length: rows }, (_, row) => row);
  if (per.length > 0) return all;
  if (periods === 'descending') all.reverse();
  return all.sort((a, b) => byValues(a, b, order, value)).slice(0, limit);
};

/** Sorts by group, then by readings, then by the members' own order (R1). */
const ranked = (
  members: readonly ShownMember[],
  { order, within }: Asked,
  value: Ranking<ShownMember>,
  natural: (a: readonly string[], b: readonly string[]) => number,
): ShownMember[] => {
  if (order.length === 0) return [...members].sort((a, b) => natural(a.tuple, b.tuple));
  const group = (tuple: readonly string[]): readonly string[] => tuple.slice(0, within);
  return [...members].sort((a, b) => {
    const grouped = within === 0 ? 0 : natural(group(a.tuple), group(b.tuple));
    if (grouped !== 0) return grouped;
    return byValues(a, b, order, value) || natural(a.tuple, b.tuple);
  });
};

/** Members by the group that a limit counts in: all of them where it counts in no group. */
const groupsOf = (members: readonly ShownMember[], { within }: Asked): readonly (readonly ShownMember[])[] => {
  const groups = new Map<string, ShownMember[]>();
  for (const member of members) {
    const key = tupleKey(member.tuple.slice(0, within));
    const group = groups.get(key) ?? [];
    groups.set(key, group);
    group.push(member);
  }
  return [...groups.values()];
};

/** The first members of each group up to a limit (R1). */
const limited = (members: readonly ShownMember[], asked: Asked): readonly ShownMember[] => {
  const { limit } = asked;
  return limit === undefined ? members : groupsOf(members, asked).flatMap((group) => group.slice(0, limit));
};

type Tuples = readonly (readonly string[])[];

/** What a limit left out of groups of members (R1). */
interface Others {
  /** Groups some of whose members are left out, by their texts. */
  readonly cut: Tuples;
  readonly periods: Views;
  readonly total: Views | undefined;
  readonly layout: Layout;
}

/** The row with the others of a group, if it has some; `spot` finds a row by the group's period. */
const othersAt = (
  { cut, layout: { isSplit } }: Others,
  views: Views,
  group: readonly string[],
  spot: (period: readonly string[]) => Spot | undefined,
): { readonly spot: Spot; readonly index: number } | undefined => {
  if (tupleIndex(cut)(group) < 0) return undefined;
  const at = spot(group);
  const index = isSplit ? 0 : at ? tupleIndex(views[at.view].tuples)(group) : -1;
  return at && index >= 0 ? { spot: at, index } : undefined;
};

/** Members shown, by group; a group of which none is shown has its others alone. */
const shownGroups = (shown: readonly ShownMember[], cut: Tuples, asked: Asked) => {
  const groups = groupsOf(shown, asked).map((list) => ({ group: list[0].tuple.slice(0, asked.within), list }));
  const known = tupleIndex(groups.map(({ group }) => group));
  return [...groups, ...cut.filter((group) => known(group) < 0).map((group) => ({ group, list: [] }))];
};

/** All that the rows of an answer are put together from. */
interface Parts {
  readonly cells: Views;
  readonly layout: Layout;
  readonly shown: readonly ShownMember[];
  readonly others: Others | undefined;
  readonly members: ViewData | undefined;
  /** Indexes of axis rows, in output order. */
  readonly periods: readonly number[];
}

const othersTexts = (group: readonly string[], { per, within }: Asked): readonly string[] => [
  ...group,
  ...per.slice(within).map(() => OTHERS),
];

/** Rows by period: members shown, the others, and the total over members. */
const periodRows = (asked: Asked, { cells, layout, shown, others, members, periods }: Parts): Pick<Answer, 'rows' | 'totals'> => {
  const { gaps, per } = asked;
  const [rows, totals]: [AnswerRow[], AnswerRow[]] = [[], []];
  const isShown = ({ data, at }: AnswerRow): boolean => gaps === 'show' || data.seen[at] === 1;
  const add = (list: AnswerRow[], row: AnswerRow): void => void (isShown(row) && list.push(row));
  const groups = shownGroups(shown, others?.cut ?? [], asked);
  for (const period of periods) {
    const same = layout.isSplit ? undefined : layout.cell(period, []);
    for (const { group, list } of groups) {
      for (const { tuple, period: own, index } of list) {
        const spot = same ?? layout.cell(period, own);
        if (spot) add(rows, rowAt(cells, spot, index, { kind: 'cell', period, members: tuple }));
      }
      const left = others && othersAt(others, others.periods, group, (own) => others.layout.cell(period, own));
      if (others && left)
        add(rows, rowAt(others.periods, left.spot, left.index, { kind: 'others', period, members: othersTexts(group, asked) }));
    }
    if (members) add(totals, rowAt([members], { view: 0, row: period }, 0, { kind: 'total', period, members: per.map(() => TOTAL) }));
  }
  return { rows, totals };
};

/** Totals over the axis: of the members shown, of the others, and of all (M9). */
const axisTotals = (
  asked: Asked,
  { shown, layout, others }: Parts,
  axis: Views | undefined,
  tuples: Tuples,
  corner: ViewData | undefined,
): AnswerRow[] => {
  if (!axis) return [];
  const total = (members: readonly string[]) => ({ kind: 'total' as const, period: undefined, members });
  const place = tupleIndex(axis[0]?.tuples ?? []);
  return [
    ...shownGroups(shown, others?.cut ?? [], asked).flatMap(({ group, list }) => {
      const left = others?.total && othersAt(others, others.total, group, others.layout.total);
      return [
        ...list.map(({ tuple, period, index }) => rowAt(axis, layout.total(period), place(tuples[index]), total(tuple))),
        ...(others?.total && left ? [rowAt(others.total, left.spot, left.index, total(othersTexts(group, asked)))] : []),
      ];
    }),
    ...(corner ? [rowAt([corner], { view: 0, row: 0 }, 0, total(asked.per.map(() => TOTAL)))] : []),
  ];
};

/** Values of views of one split, over the same members of rows. */
const valuesOver = (views: readonly PlannedView[], values: Values): Views => {
  const own = views.map((view) => values(view) as ViewData);
  const tuples = distinctTuples(own.flatMap((data) => data.tuples));
  return views.length < 2 ? own : views.map((view) => values(view, tuples) as ViewData);
};

const valuesFor = (views: readonly PlannedView[] | undefined, values: Values, tuples: Tuples): Views | undefined =>
  views?.map((view) => values(view, tuples) as ViewData);

/** Members of the answer: those of rows, in each part of the axis. */
const membersOf = ({ per }: Asked, split: Split | undefined, tuples: Tuples): readonly ShownMember[] => {
  if (!split) return tuples.map((tuple, index) => ({ tuple, period: [], index }));
  const places = per.map(({ attribute }) => split.attributes.findIndex(({ key }) => key === attribute.key));
  return split.members.flatMap((period) =>
    tuples.map((own, index): ShownMember => {
      let next = 0;
      return { tuple: places.map((k) => (k < 0 ? own[next++] : period[k])), period, index };
    }),
  );
};

const loadOthers = async (
  asked: Asked,
  axis: Axis,
  split: Split | undefined,
  shown: Tuples,
  cut: Tuples,
  evaluation: Evaluation,
): Promise<Others> => {
  const { frame } = evaluation;
  const own = split && splitOthers(split, shown, asked.within, axis, frame.calendar, frame.asOf);
  const plan = planOthers(asked, axis, own, shown, frame);
  evaluation.reached(plan.reached);
  const values = await loadViews([...plan.periods, ...(plan.total ?? [])], evaluation);
  const tuples = split ? [[]] : cut;
  const periods = valuesFor(plan.periods, values, tuples) ?? [];
  return { cut, periods, total: valuesFor(plan.total, values, tuples), layout: layoutOf(own) };
};

/** Answers a resolved question on its axis: rows by period and member, ordered and limited, with totals (R1, M9). */
export const answer = async (asked: Asked, axis: Axis, split: Split | undefined, evaluation: Evaluation): Promise<Answer> => {
  const { frame } = evaluation;
  const plan = planOf(asked, axis, split, frame);
  const { totals: ofTotals } = plan;
  evaluation.reached(plan.reached);
  const [values, natural] = await Promise.all([
    loadViews([...plan.cells, ...(plan.ranking ?? []), ofTotals.members, ...(ofTotals.axis ?? []), ofTotals.corner], evaluation),
    memberOrder(
      asked.per.map(({ attribute }) => attribute),
      evaluation.access,
    ),
  ]);
  const layout = layoutOf(split);
  const cells = valuesOver(plan.cells, values);
  const own = cells[0]?.tuples ?? [];
  const members = membersOf(asked, split, own);
  const ranking = valuesFor(plan.ranking, values, own);
  const value = memberRanking(ranking, layout);
  const ordered = asked.per.length === 0 ? members : ranked(members, asked, value, natural);
  const shown = asked.per.length === 0 ? members : limited(keptMembers(ordered, asked, value), asked);
  const tuples = shown.map(({ tuple }) => tuple);
  const isShown = tupleIndex(tuples);
  const out = ordered.filter(({ tuple }) => isShown(tuple) < 0);
  const cut = distinctTuples(out.map(({ tuple }) => tuple.slice(0, asked.within)));
  const others = asked.rest && cut.length > 0 ? await loadOthers(asked, axis, split, tuples, cut, evaluation) : undefined;
  const periods = shownPeriods(axis.places.length, asked, periodRanking(ranking));
  const parts: Parts = { cells, layout, shown, others, members: values(ofTotals.members), periods };
  const { rows, totals } = periodRows(asked, parts);
  const shownRows = distinctTuples(shown.map(({ index }) => own[index]));
  const ofAxis = axisTotals(asked, parts, valuesFor(ofTotals.axis, values, shownRows), own, values(ofTotals.corner));
  const { dates, asOf } = frame;
  const isAhead = ({ measure, role }: Leaf): boolean => (dates(measure.fact, measure.open?.from ?? role.name)?.last ?? asOf) > asOf;
  // Lazy: most answers need none of these notes.
  if (
    tuples.some((tuple) => tuple.includes(UNKNOWN)) ||
    evaluation.access.store.notes.some(({ code }) => code === 'missing-rates') ||
    (!asked.isAsOfGiven && asked.columns.some(({ bound }) => leavesOf(bound).some(isAhead)))
  )
    await (await import('./row-notes.ts')).addRowNotes(asked, tuples, evaluation);
  notePartial(asked, split?.views.flatMap((view) => view.axis.places) ?? axis.places, axis, evaluation);
  return { axis, rows, totals: [...totals, ...ofAxis] };
};

/** Whether a reading without a window is compared with a fixed base (C6). */
const hasWholeBase = (bound: Bound): boolean =>
  hasPart(
    bound,
    (part) => part.kind === 'vs' && part.comparison.shift.kind === 'base' && leavesOf(part.of).some(({ window }) => window === undefined),
  );

/** Notes rows that compare part of a period with a whole one: of a plan (W6) or a base (C6). */
const notePartial = (asked: Asked, places: readonly Place[], axis: Axis, { over: { notes } }: Evaluation): void => {
  if (axis.kind.kind === 'windows') return;
  const count = (isPart: (place: Place) => boolean): number => places.filter(isPart).length;
  const isCut = ({ cutStart, cutEnd }: Place): boolean => cutStart || cutEnd;
  const plain = (leaf: Leaf) => leaf.window === undefined;
  for (const { reading, bound } of asked.columns) {
    const leaves = leavesOf(bound).filter(plain);
    const mixed =
      bound.kind !== 'leaf' && leaves.some((leaf) => horizonOf(leaf) === 'actual') && leaves.some((leaf) => horizonOf(leaf) === 'plan');
    const isActual = leaves.some((leaf) => horizonOf(leaf) === 'actual');
    const rows = count((place) => (hasWholeBase(bound) && isCut(place)) || (place.partial && (mixed || (isActual && hasWholeBase(bound)))));
    if (rows > 0) notes.add(`partial ${reading}`, { code: 'partial-against-whole', reading, rows });
  }
};
