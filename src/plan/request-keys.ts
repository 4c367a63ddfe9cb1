// What makes two requests to an engine the same, as short texts: names of things instead of the things, and no reason counts.
import { type AggregateRequest, filterKey, type RowSet, type TallyRequest } from './request.ts';

export const rowSetKey = (rows: RowSet): string =>
  JSON.stringify([
    rows.fact.name,
    rows.role ?? null,
    rows.attributes.map(({ key }) => key),
    rows.filters.map(filterKey),
    rows.knownBy ?? null,
    rows.heldOn ?? null,
    rows.hidden ?? null,
    ...(rows.gained ? ['gained'] : []),
  ]);

/** What an aggregate is of; null of the rows themselves. */
const aggregatedOf = (aggregate: AggregateRequest): unknown => {
  if (aggregate.kind === 'rows') return null;
  return aggregate.kind === 'first-time' ? aggregate.column : aggregate.value;
};

export const aggregateKey = (aggregate: AggregateRequest): string =>
  JSON.stringify([aggregate.kind, aggregatedOf(aggregate), aggregate.where.map(filterKey)]);

export const tallyRequestKey = (request: TallyRequest): string =>
  JSON.stringify([rowSetKey(request), request.segments.key, request.value, request.where.map(filterKey)]);
