// What is asked of an engine, without what a report finds from more: members are summed up and chosen from those it holds, days
// from single ones. What is left names what is held.
import type { AttributeRef } from '../model/attributes.ts';
import { type AggregateRequest, type EventsRequest, type Filter, filterKey, type RowSet, type TallyRequest } from '../plan/request.ts';

/** Filters that are found from combinations of members. */
export type MemberFilter = Extract<Filter, { kind: 'members' | 'combinations' }>;
export const isMemberFilter = (filter: Filter): filter is MemberFilter => filter.kind === 'members' || filter.kind === 'combinations';

export const filterAttributes = (filter: MemberFilter): readonly AttributeRef[] =>
  filter.kind === 'members' ? [filter.attribute] : filter.attributes;

/** First times are counted for each member, and once in a total (M15): no sum of members is one. */
export const isSummed = ({ kind }: AggregateRequest): boolean => kind !== 'first-time';

const rowsKey = (rows: RowSet, of: 'any members' | 'these members'): unknown[] => [
  rows.fact.name,
  rows.role ?? null,
  rows.knownBy ?? null,
  rows.heldOn ?? null,
  rows.hidden ?? null,
  rows.filters.filter((filter) => of === 'these members' || !isMemberFilter(filter)).map(filterKey),
  of === 'these members' ? rows.attributes.map(({ key }) => key) : null,
];

export const cubeKey = (rows: RowSet, aggregate: AggregateRequest): string =>
  JSON.stringify(rowsKey(rows, isSummed(aggregate) ? 'any members' : 'these members'));

export const aggregateKey = (aggregate: AggregateRequest): string => {
  const { kind, where } = aggregate;
  const of = aggregate.kind === 'rows' ? null : aggregate.kind === 'first-time' ? aggregate.column : aggregate.value;
  return JSON.stringify([kind, of, where.map(filterKey)]);
};

export const eventsKey = (request: EventsRequest): string =>
  JSON.stringify([...rowsKey(request, 'any members'), request.count, request.where.map(filterKey)]);

export const tallyKey = (request: TallyRequest): string =>
  JSON.stringify([...rowsKey(request, 'any members'), request.value, request.where.map(filterKey)]);

/** A small call, by name and what it is asked. */
export const callKey = (name: string, ...args: readonly unknown[]): string => JSON.stringify([name, ...args]);
