// What is asked of an engine, without what a report finds from more: members are summed up and chosen from those it holds, days
// from single ones. What is left names what is held.
import type { AttributeRef } from '../model/attributes.ts';
import {
  type AggregateRequest,
  type EventsRequest,
  type Filter,
  filterKey,
  type RowSet,
  type Segments,
  type TallyRequest,
} from '../plan/request.ts';

/** Filters that are found from combinations of members. */
export type MemberFilter = Extract<Filter, { kind: 'members' | 'combinations' }>;
export const isMemberFilter = (filter: Filter): filter is MemberFilter => filter.kind === 'members' || filter.kind === 'combinations';

export const filterAttributes = (filter: MemberFilter): readonly AttributeRef[] =>
  filter.kind === 'members' ? [filter.attribute] : filter.attributes;

const rowsKey = (rows: RowSet): unknown[] => [
  rows.fact.name,
  rows.role ?? null,
  rows.knownBy ?? null,
  rows.heldOn ?? null,
  rows.hidden ?? null,
  rows.filters.filter((filter) => !isMemberFilter(filter)).map(filterKey),
];

export const cubeKey = (rows: RowSet): string => JSON.stringify(rowsKey(rows));

/** First times are found from the days on which values were seen (M15). */
export type Summed = Exclude<AggregateRequest, { readonly kind: 'first-time' }>;
export type FirstTime = Extract<AggregateRequest, { readonly kind: 'first-time' }>;
export const isFirstTime = (aggregate: AggregateRequest): aggregate is FirstTime => aggregate.kind === 'first-time';

export type SeenRequest = Omit<EventsRequest, 'windows'>;
export const seenKey = (request: SeenRequest): string => JSON.stringify([...rowsKey(request), request.count, request.where.map(filterKey)]);

/** The days on which values were seen that a first time is found from. */
export const seenFor = (rows: RowSet & { readonly segments: Segments }, { column, where }: FirstTime): SeenRequest => ({
  ...rows,
  where,
  count: { kind: 'distinct', column },
});

export const tallyKey = (request: TallyRequest): string =>
  JSON.stringify([...rowsKey(request), request.value, request.where.map(filterKey)]);

/** A small call, by name and what it is asked. */
export const callKey = (name: string, ...args: readonly unknown[]): string => JSON.stringify([name, ...args]);
