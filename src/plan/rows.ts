// The rows that a measure counts, and what is added up of them, as engines are asked for them.

import type { AttributeRef } from '../model/attributes.ts';
import { columnOf, type DaysBetween, daysIn, type Fact, NOW } from '../model/model.ts';
import type { Leaf } from './bind.ts';
import { rowMapOf } from './members/kinds.ts';
import type { PlanFrame, PlannedMeasure } from './planned.ts';

import type { AggregateRequest, Filter, RowSet, RowValue } from './request.ts';

/** Whether members are asked for as they hold on the as-of date (G9): only then does another one make other cubes. */
const looksAtNow = (fact: Fact, attributes: readonly AttributeRef[], filters: readonly Filter[]): boolean => {
  const isNow = (attribute: AttributeRef): boolean => {
    const map = rowMapOf(fact, attribute);
    return map?.kind === 'key-day' && map.at === NOW;
  };
  const filtered = filters.flatMap((filter) =>
    filter.kind === 'members' ? [filter.attribute] : filter.kind === 'combinations' ? filter.attributes : [],
  );
  return fact.links.some(({ at }) => at === NOW) && [...attributes, ...filtered].some(isNow);
};

/** Rows of a fact by the date of a role, or all of them. */
export const rowSetOf = (
  fact: Fact,
  role: string | undefined,
  attributes: readonly AttributeRef[],
  filters: readonly Filter[],
  { knownBy, memberCounts, rows, asOf }: PlanFrame,
  /** Conditions of what is added up of the rows. */
  where: readonly Filter[] = [],
): RowSet => ({
  fact,
  role,
  attributes,
  filters,
  knownBy,
  memberBound: memberBound(attributes, memberCounts),
  ...(looksAtNow(fact, attributes, [...filters, ...where]) ? { heldOn: asOf } : {}),
  ...(rows === 'all' ? { hidden: 'counted' } : {}),
});

/** No more combinations of members than this can some attributes have. */
export const memberBound = (attributes: readonly AttributeRef[], counts: ReadonlyMap<string, number>): number =>
  attributes.reduce((product, { key }) => product * (counts.get(key) ?? 1), 1);

/**
 * Whether rows may have entered after their date in a role, so that `enters` must be looked at (A2). A plan role is not cut at the
 * as-of date, so rows that entered later must be; an actual one only where it runs ahead.
 */
const entersLate = (fact: Fact, role: string, { asOf, late, rows, dates }: PlanFrame): boolean => {
  const last = fact.enters === undefined ? undefined : dates(fact, fact.enters)?.last;
  if (fact.enters === undefined || (last !== undefined && last <= asOf)) return false;
  return rows === 'all' || fact.roles.get(role)?.horizon === 'plan' || (late.get(fact.name)?.has(role) ?? false);
};

/** Filters that exclude rows after the as-of date, for counts over all time (G11). */
export const seenFilters = (fact: Fact, role: string, { asOf, dates }: PlanFrame): Filter[] => {
  const isCut = (name: string): boolean => (dates(fact, name)?.last ?? asOf) > asOf;
  const names = new Set([
    ...(fact.roles.get(role)?.horizon === 'actual' ? [role] : []),
    ...(fact.enters === undefined ? [] : [fact.enters]),
  ]);
  return [...names].filter(isCut).map((name) => ({ kind: 'entered', role: name, by: asOf, why: 'entered' }));
};

/** The rows that a measure may see in a role, versions and `enters` included (A2, G7). */
export const rowsOf = (
  { leaf, attributes, filters, where }: Pick<PlannedMeasure, 'leaf' | 'attributes' | 'filters' | 'where'>,
  role: string | undefined,
  frame: PlanFrame,
  more: readonly Filter[] = [],
): RowSet => {
  const { fact } = leaf.measure;
  const entered: Filter[] =
    fact.enters !== undefined && role !== fact.enters && (role === undefined || entersLate(fact, role, frame))
      ? [{ kind: 'entered', role: fact.enters, by: frame.asOf, why: 'entered' }]
      : [];
  return rowSetOf(fact, role, attributes, [...filters, ...entered, ...more], frame, where);
};

export const rowValueOf = ({ measure: { aggregate } }: Leaf): RowValue | undefined => {
  const days = daysIn(aggregate);
  if (days) return days;
  const column = columnOf(aggregate);
  return column === undefined ? undefined : { kind: 'column', column };
};

/** Sum or count of the measure's value: what adds up over days and members. */
export const additive = (leaf: Leaf, where: readonly Filter[]): AggregateRequest => {
  const value = rowValueOf(leaf);
  const { kind } = leaf.measure.aggregate;
  return value === undefined ? { kind: 'rows', where } : { kind: kind === 'count' ? 'count' : 'sum', value, where };
};

/** Conditions on the two dates between which days are counted: both there, in order, and known by the as-of date (M6, A2). */
export const betweenFilters = (leaf: Leaf, { from, until }: DaysBetween, frame: PlanFrame): Filter[] => {
  const { fact } = leaf.measure;
  const { asOf } = frame;
  // A date after the as-of date is not known yet (A2); asked only where one can be.
  const isUnknown = (role: string): boolean =>
    role !== leaf.role.name && fact.roles.get(role)?.horizon === 'actual' && (frame.bounds(fact, role)?.last ?? asOf) > asOf;
  const unknown = [from, until].filter(isUnknown);
  // What begins before it ends is known where its end is: one that is looked at, or that places the row on a day that is seen.
  const isEndKnown = unknown.includes(until) || (leaf.role.name === until && leaf.role.horizon === 'actual');
  return [
    ...[from, until].map((role): Filter => ({ kind: 'date', role, is: 'present', why: 'dates' })),
    { kind: 'order', from, until, is: 'forward', why: 'dates' },
    ...unknown.filter((role) => role !== from || !isEndKnown).map((role): Filter => ({ kind: 'by', role, day: asOf, why: 'known' })),
  ];
};

/** How many rows had something to aggregate; decides between a value and a blank (M2). */
export const counting = (leaf: Leaf, where: readonly Filter[]): AggregateRequest => {
  const value = rowValueOf(leaf);
  return value === undefined ? { kind: 'rows', where } : { kind: 'count', value, where };
};
