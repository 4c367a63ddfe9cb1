// An engine that answers as another does, over one state of the data, and remembers what it was asked for.
import type { Engine, Store } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { AggregateRequest, RowSet, Segments, TallyRequest } from '../plan/request.ts';
import { aggregateKey } from '../plan/request-keys.ts';
import {
  callKey,
  cubeKey,
  filterAttributes,
  isFirstTime,
  isMemberFilter,
  type SeenRequest,
  type Summed,
  seenFor,
  seenKey,
  tallyKey,
} from './keys.ts';

/** Rows whose members are all to be known that anybody asked for. */
export interface WantedRows<R> {
  readonly request: R;
  readonly attributes: Map<string, AttributeRef>;
  /** Last day of each segment that was asked for, by its first: of coarse facts the same periods, or some of them. */
  readonly segments: Map<number, number>;
}

export interface WantedCube extends WantedRows<RowSet & { readonly segments: Segments }> {
  readonly aggregates: Map<string, Summed>;
}

export interface Recording {
  readonly engine: Engine;
  readonly cubes: ReadonlyMap<string, WantedCube>;
  readonly seen: ReadonlyMap<string, WantedRows<SeenRequest>>;
  readonly tallies: ReadonlyMap<string, WantedRows<TallyRequest>>;
  /** Answers to small calls, ready for JSON. */
  readonly called: ReadonlyMap<string, unknown>;
  /** The store, once it is open. */
  readonly store: () => Store;
}

const ROWS: Summed = { kind: 'rows', where: [] };

/** Remembers a request without what is found from more members. */
const want = <R extends RowSet & { readonly segments: Segments }, W extends WantedRows<R>>(
  map: Map<string, W>,
  key: string,
  request: R,
  make: (found: WantedRows<R>) => W,
): W => {
  const filters = request.filters.filter((filter) => !isMemberFilter(filter));
  const wanted = map.get(key) ?? make({ request: { ...request, filters }, attributes: new Map(), segments: new Map() });
  map.set(key, wanted);
  const of = [...request.attributes, ...request.filters.filter(isMemberFilter).flatMap(filterAttributes)];
  for (const attribute of of) wanted.attributes.set(attribute.key, attribute);
  if (request.fact.grain !== 'day' || request.role === undefined) {
    const { starts, ends } = request.segments;
    for (let k = 0; k < starts.length; k++) wanted.segments.set(starts[k], ends[k]);
  }
  return wanted;
};

/** What has been asked for so far. */
interface Log {
  readonly cubes: Map<string, WantedCube>;
  readonly seen: Map<string, WantedRows<SeenRequest>>;
  readonly tallies: Map<string, WantedRows<TallyRequest>>;
  readonly called: Map<string, unknown>;
}

const wantSeen = (log: Log, request: SeenRequest): void => {
  want(log.seen, seenKey(request), request, (found) => found);
  wantCube(log, request, [{ kind: 'rows', where: request.where }]);
};

const wantCube = (log: Log, rows: RowSet & { readonly segments: Segments }, aggregates: readonly AggregateRequest[]): void => {
  const wanted = want(
    log.cubes,
    cubeKey(rows),
    rows,
    (found): WantedCube => ({ ...found, aggregates: new Map([[aggregateKey(ROWS), ROWS]]) }),
  );
  for (const aggregate of aggregates) {
    if (isFirstTime(aggregate)) wantSeen(log, seenFor(rows, aggregate));
    else wanted.aggregates.set(aggregateKey(aggregate), aggregate);
  }
};

/** A store that answers as another does, and logs what it was asked. */
const recorded = (store: Store, log: Log): Store => {
  const remember = async <T>(key: string, answer: Promise<T>, written: (value: T) => unknown = (value) => value): Promise<T> => {
    const value = await answer;
    log.called.set(key, written(value));
    return value;
  };
  return {
    ...store,
    begin: undefined,
    bounds: (fact, knownBy, rows = 'seen') =>
      remember(callKey('bounds', fact.name, knownBy ?? null, rows), store.bounds(fact, knownBy, rows), (found) =>
        [...found].map(([role, own]) => [role, own ?? null]),
      ),
    members: (attribute) => remember(callKey('members', attribute.key), store.members(attribute)),
    combinations: (dimension, attributes) =>
      remember(callKey('combinations', dimension.name, attributes), store.combinations(dimension, attributes)),
    lateRoles: (fact) => remember(callKey('lateRoles', fact.name), store.lateRoles(fact)),
    rows: (source, columns) => remember(callKey('rows', source, columns), store.rows(source, columns)),
    kind: (source, column) => remember(callKey('kind', source, column), store.kind(source, column)),
    cubes: (requests, signal) => {
      for (const { aggregates, ...rows } of requests) wantCube(log, rows, aggregates);
      return store.cubes(requests, signal);
    },
    events: (request, signal) => {
      const { windows: _, ...rows } = request;
      wantSeen(log, rows);
      return store.events(request, signal);
    },
    tallies: (request, signal) => {
      want(log.tallies, tallyKey(request), request, (found) => found);
      return store.tallies(request, signal);
    },
  };
};

export const recording = (engine: Engine): Recording => {
  const log: Log = { cubes: new Map(), seen: new Map(), tallies: new Map(), called: new Map() };
  let opened: Store | undefined;
  const open: Engine['open'] = async (model, options) => {
    if (opened)
      throw new DurchblickError('source-changed', 'the data changed while the report was made', { kind: 'data', hint: 'Make it again.' });
    const base = await engine.open(model, options);
    const view = base.begin ? await base.begin() : base;
    opened = view;
    const close = async (): Promise<void> => {
      if (view !== base) await view.close();
      await base.close();
    };
    return { ...recorded(view, log), close };
  };
  return { ...log, store: () => opened as Store, engine: { name: engine.name, open } };
};
