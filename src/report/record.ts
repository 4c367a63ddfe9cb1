// An engine that answers as another does, over one state of the data, and remembers what it was asked for.
import type { Engine, Store } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { AggregateRequest, EventsRequest, RowSet, Segments, TallyRequest } from '../plan/request.ts';
import { aggregateKey, callKey, cubeKey, eventsKey, filterAttributes, isMemberFilter, isSummed, tallyKey } from './keys.ts';

/** Rows whose members are all to be known that anybody asked for. */
interface Wanted<R> {
  readonly request: R;
  readonly attributes: Map<string, AttributeRef>;
}

export interface WantedCube extends Wanted<RowSet & { readonly segments: Segments }> {
  readonly aggregates: Map<string, AggregateRequest>;
}

export interface Recording {
  readonly engine: Engine;
  readonly cubes: ReadonlyMap<string, WantedCube>;
  readonly events: ReadonlyMap<string, Wanted<EventsRequest>>;
  readonly tallies: ReadonlyMap<string, Wanted<TallyRequest>>;
  /** Answers to small calls, ready for JSON. */
  readonly called: ReadonlyMap<string, unknown>;
  /** The store, once it is open. */
  readonly store: () => Store;
}

const ROWS: AggregateRequest = { kind: 'rows', where: [] };

/** Remembers a request without what is found from more members. */
const want = <R extends RowSet, W extends Wanted<R>>(
  map: Map<string, W>,
  key: string,
  request: R,
  keeps: boolean,
  make: (found: Wanted<R>) => W,
): W => {
  const known = map.get(key);
  const filters = keeps ? request.filters : request.filters.filter((filter) => !isMemberFilter(filter));
  const wanted = known ?? make({ request: { ...request, filters }, attributes: new Map() });
  map.set(key, wanted);
  for (const attribute of request.attributes) wanted.attributes.set(attribute.key, attribute);
  if (!keeps)
    for (const filter of request.filters)
      if (isMemberFilter(filter)) for (const attribute of filterAttributes(filter)) wanted.attributes.set(attribute.key, attribute);
  return wanted;
};

export const recording = (engine: Engine): Recording => {
  const cubes = new Map<string, WantedCube>();
  const events = new Map<string, Wanted<EventsRequest>>();
  const tallies = new Map<string, Wanted<TallyRequest>>();
  const called = new Map<string, unknown>();
  let opened: Store | undefined;

  const wantCube = (rows: RowSet & { readonly segments: Segments }, aggregates: readonly AggregateRequest[]): void => {
    for (const aggregate of aggregates) {
      const wanted = want(
        cubes,
        cubeKey(rows, aggregate),
        rows,
        !isSummed(aggregate),
        (found): WantedCube => ({
          ...found,
          aggregates: new Map([[aggregateKey(ROWS), ROWS]]),
        }),
      );
      wanted.aggregates.set(aggregateKey(aggregate), aggregate);
    }
  };
  const remember = async <T>(key: string, answer: Promise<T>, written: (value: T) => unknown = (value) => value): Promise<T> => {
    const value = await answer;
    called.set(key, written(value));
    return value;
  };

  const recorded = (store: Store): Store => ({
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
      for (const { aggregates, ...rows } of requests) wantCube(rows, aggregates);
      return store.cubes(requests, signal);
    },
    events: (request, signal) => {
      want(events, eventsKey(request), request, false, (found) => found);
      wantCube(request, [{ kind: 'rows', where: request.where }]);
      return store.events(request, signal);
    },
    tallies: (request, signal) => {
      want(tallies, tallyKey(request), request, false, (found) => found);
      return store.tallies(request, signal);
    },
  });

  return {
    cubes,
    events,
    tallies,
    called,
    store: () => opened as Store,
    engine: {
      name: engine.name,
      open: async (model, options) => {
        if (opened)
          throw new DurchblickError('source-changed', 'the data changed while the report was made', {
            kind: 'data',
            hint: 'Make it again.',
          });
        const base = await engine.open(model, options);
        const view = base.begin ? await base.begin() : base;
        opened = view;
        const close = async (): Promise<void> => {
          if (view !== base) await view.close();
          await base.close();
        };
        return { ...recorded(view), close };
      },
    },
  };
};
