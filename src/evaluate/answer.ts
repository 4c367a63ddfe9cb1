// From calculated columns to the rows of an answer: members shown, ordered, limited, and totals (R1, R4, M9).
import { compareTexts } from '../basics/text.ts';
import { distinctTuples, tupleIndex, tupleKey } from '../basics/tuples.ts';
import { standingTable } from '../calendar/standing-table.ts';
import { type AttributeRef, NONE, OTHERS, TOTAL, UNKNOWN } from '../model/attributes.ts';
import type { Axis } from '../plan/axis.ts';
import { type Bound, hasPart, horizonOf, type Leaf, leavesOf } from '../plan/bind.ts';
import { isCalendar } from '../plan/days.ts';
import { planOf, planOthers } from '../plan/plan.ts';
import { type Asked, meets } from '../plan/question.ts';
import type { Place } from '../windows/place.ts';
import { type Column, VALUE } from './column.ts';
import { type Evaluation, loadViews } from './evaluation.ts';
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
export const readingOf = ({ data, at }: AnswerRow, reading: number): number | null => cell(data.columns[reading], at);

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

const cell = (column: Column, at: number): number | null => (column.state[at] === VALUE ? column.values[at] : null);

type RowMaker = (row: number, tuple: number, kind: RowKind, period: number | undefined, members: readonly string[]) => AnswerRow;

const rowsOf =
  (data: ViewData): RowMaker =>
  (row, tuple, kind, period, members) => ({ kind, period, members, data, row, at: row * data.tuples.length + tuple });

/** A member of the answer: its texts, and where it stands in the data. */
interface ShownMember {
  readonly tuple: readonly string[];
  readonly index: number;
}

/** What a member is ordered and kept by, over the whole axis. */
const rankedBy =
  (ranking: ViewData | undefined) =>
  (index: number, k: number): number | null =>
    !ranking || ranking.rows === 0 ? null : cell(ranking.columns[k], index);

/** Members whose readings meet all conditions (R4). */
const keptMembers = (
  members: readonly ShownMember[],
  { keep, order }: Asked,
  value: ReturnType<typeof rankedBy>,
): readonly ShownMember[] =>
  keep.length === 0
    ? members
    : members.filter(({ index }) => keep.every((condition, k) => meets(value(index, order.length + k), condition)));

/** Compares two rows by the values of readings; blanks sort last in both directions (R1). */
const byValues = (a: number, b: number, order: Asked['order'], value: ReturnType<typeof rankedBy>): number => {
  for (let k = 0; k < order.length; k++) {
    const [x, y] = [value(a, k), value(b, k)];
    if (x === y) continue;
    if (x === null || y === null) return x === null ? 1 : -1;
    return order[k].descending ? y - x : x - y;
  }
  return 0;
};

/** Indexes of the shown periods. Without members, `order` and `limit` apply to periods (R1). */
const shownPeriods = (rows: number, { order, periods, limit, per }: Asked, value: ReturnType<typeof rankedBy>): readonly number[] => {
  const all = Array.from({ length: rows }, (_, row) => row);
  if (per.length > 0) return all;
  if (periods === 'descending') all.reverse();
  return all.sort((a, b) => byValues(a, b, order, value)).slice(0, limit);
};

/** Sorts by group, then by readings, then by the members' own order (R1). */
const ranked = (
  members: readonly ShownMember[],
  { order, within }: Asked,
  value: ReturnType<typeof rankedBy>,
  natural: (a: readonly string[], b: readonly string[]) => number,
): ShownMember[] => {
  if (order.length === 0) return [...members].sort((a, b) => natural(a.tuple, b.tuple));
  const group = (tuple: readonly string[]): readonly string[] => tuple.slice(0, within);
  return [...members].sort((a, b) => {
    const grouped = within === 0 ? 0 : natural(group(a.tuple), group(b.tuple));
    if (grouped !== 0) return grouped;
    return byValues(a.index, b.index, order, value) || natural(a.tuple, b.tuple);
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

/** All that the rows of an answer are put together from. */
interface Parts {
  readonly data: ViewData;
  readonly shown: readonly ShownMember[];
  readonly others: ViewData | undefined;
  /** Groups some of whose members are left out, by their texts. */
  readonly cut: Tuples;
  readonly members: ViewData | undefined;
  /** Indexes of axis rows, in output order. */
  readonly periods: readonly number[];
}

/** A group of members, and where what is left of it stands in the data of the others. */
interface OthersOf {
  readonly tuple: readonly string[];
  readonly index: number;
}

const othersOf = (
  others: ViewData | undefined,
  cut: Tuples,
  { per, within }: Asked,
): ((tuple: readonly string[]) => OthersOf | undefined) => {
  const left = tupleIndex(cut);
  const place = tupleIndex(others?.tuples ?? []);
  return (group) => {
    const index = left(group) < 0 ? -1 : place(group);
    return index < 0 ? undefined : { tuple: [...group, ...per.slice(within).map(() => OTHERS)], index };
  };
};

/** Members shown, by group; a group of which none is shown has its others alone. */
const shownGroups = (shown: readonly ShownMember[], cut: Tuples, asked: Asked) => {
  const groups = groupsOf(shown, asked).map((list) => ({ group: list[0].tuple.slice(0, asked.within), list }));
  const known = tupleIndex(groups.map(({ group }) => group));
  return [...groups, ...cut.filter((group) => known(group) < 0).map((group) => ({ group, list: [] }))];
};

/** Rows by period: members shown, the others, and the total over members. */
const periodRows = (asked: Asked, { data, shown, others, cut, members, periods }: Parts): Pick<Answer, 'rows' | 'totals'> => {
  const { gaps, per } = asked;
  const [rows, totals]: [AnswerRow[], AnswerRow[]] = [[], []];
  const [rowIn, otherIn, totalIn] = [rowsOf(data), others && rowsOf(others), members && rowsOf(members)];
  const width = data.tuples.length;
  const isShown = (seen: number | undefined): boolean => gaps === 'show' || seen === 1;
  const label = (text: string): string[] => per.map(() => text);
  const groups = shownGroups(shown, cut, asked);
  const left = othersOf(others, cut, asked);
  for (const row of periods) {
    for (const { group, list } of groups) {
      for (const { tuple, index } of list) if (isShown(data.seen[row * width + index])) rows.push(rowIn(row, index, 'cell', row, tuple));
      const rest = otherIn && left(group);
      if (rest && isShown(others?.seen[row * (others?.tuples.length ?? 0) + rest.index]))
        rows.push(otherIn(row, rest.index, 'others', row, rest.tuple));
    }
    if (totalIn && isShown(members?.seen[row])) totals.push(totalIn(row, 0, 'total', row, label(TOTAL)));
  }
  return { rows, totals };
};

/** Totals over the axis: of the members shown, of the others, and of all (M9). */
const axisTotals = (
  asked: Asked,
  shown: readonly ShownMember[],
  cut: Tuples,
  axis: ViewData | undefined,
  others: ViewData | undefined,
  corner: ViewData | undefined,
): AnswerRow[] => {
  if (!axis) return [];
  const label = (text: string): string[] => asked.per.map(() => text);
  const totalIn = rowsOf(axis);
  const left = othersOf(others, cut, asked);
  const place = tupleIndex(shown.map(({ tuple }) => tuple));
  return [
    ...shownGroups(shown, cut, asked).flatMap(({ group, list }) => {
      const rest = others && left(group);
      return [
        ...list.map(({ tuple }) => totalIn(0, place(tuple), 'total', undefined, tuple)),
        ...(rest ? [rowsOf(others)(0, rest.index, 'total', undefined, rest.tuple)] : []),
      ];
    }),
    ...(corner ? [rowsOf(corner)(0, 0, 'total', undefined, label(TOTAL))] : []),
  ];
};

/** Answers a resolved question on its axis: rows by period and member, ordered and limited, with totals (R1, M9). */
export const answer = async (asked: Asked, axis: Axis, evaluation: Evaluation): Promise<Answer> => {
  const { frame } = evaluation;
  const attributes = asked.per.map(({ attribute }) => attribute);
  const plan = planOf(asked, axis, frame);
  evaluation.reached(plan.reached);
  const [values, natural] = await Promise.all([
    loadViews([plan.cells, plan.ranking, plan.totals.members, plan.totals.axis, plan.totals.corner], evaluation),
    memberOrder(attributes, evaluation.access),
  ]);
  const data = values(plan.cells) as ViewData;
  const members = data.tuples.map((tuple, index) => ({ tuple, index }));
  const value = rankedBy(values(plan.ranking, data.tuples));
  const ordered = asked.per.length === 0 ? members : ranked(members, asked, value, natural);
  const shown = asked.per.length === 0 ? members : limited(keptMembers(ordered, asked, value), asked);
  const tuples = shown.map(({ tuple }) => tuple);
  const isShown = tupleIndex(tuples);
  const out = ordered.filter(({ tuple }) => isShown(tuple) < 0);
  const cut = distinctTuples(out.map(({ tuple }) => tuple.slice(0, asked.within)));
  const left = asked.rest && cut.length > 0 ? planOthers(asked, axis, tuples, frame) : undefined;
  if (left) evaluation.reached(left.reached);
  const leftValues = await loadViews([left?.periods, left?.total], evaluation);
  const parts = {
    data,
    shown,
    cut: left ? cut : [],
    others: leftValues(left?.periods, cut),
    members: values(plan.totals.members),
    periods: shownPeriods(data.rows, asked, value),
  };
  const { rows, totals } = periodRows(asked, parts);
  const ofAxis = axisTotals(
    asked,
    shown,
    parts.cut,
    values(plan.totals.axis, tuples),
    leftValues(left?.total, cut),
    values(plan.totals.corner),
  );
  const { dates, asOf } = frame;
  const isAhead = ({ measure, role }: Leaf): boolean => (dates(measure.fact, measure.open?.from ?? role.name)?.last ?? asOf) > asOf;
  // Lazy: most answers need none of these notes.
  if (
    tuples.some((tuple) => tuple.includes(UNKNOWN)) ||
    evaluation.access.store.notes.some(({ code }) => code === 'missing-rates') ||
    (!asked.isAsOfGiven && asked.columns.some(({ bound }) => leavesOf(bound).some(isAhead)))
  )
    await (await import('./row-notes.ts')).addRowNotes(asked, tuples, evaluation);
  notePartial(asked, axis, evaluation);
  return { axis, rows, totals: [...totals, ...ofAxis] };
};

/** Whether a reading without a window is compared with a fixed base (C6). */
const hasWholeBase = (bound: Bound): boolean =>
  hasPart(
    bound,
    (part) => part.kind === 'vs' && part.comparison.shift.kind === 'base' && leavesOf(part.of).some(({ window }) => window === undefined),
  );

/** Notes rows that compare part of a period with a whole one: of a plan (W6) or a base (C6). */
const notePartial = (asked: Asked, axis: Axis, { over: { notes } }: Evaluation): void => {
  if (axis.kind.kind === 'windows') return;
  const count = (isPart: (place: Place) => boolean): number => axis.places.filter(isPart).length;
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
