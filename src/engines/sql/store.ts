// An opened database as the core knows engines.

import { seenIn } from '../../basics/events.ts';
import { once } from '../../basics/kept-promises.ts';
import { distinctTuples } from '../../basics/tuples.ts';
import { DurchblickError } from '../../errors.ts';
import type { Fact, Model } from '../../model/model.ts';
import type {
  Bounds,
  Cancellation,
  Cube,
  CubeColumn,
  CubeRequest,
  DataNote,
  Events,
  EventsRequest,
  Filter,
  SampleRequest,
  SeenKeys,
  Tallies,
  TallyRequest,
} from '../../plan/request.ts';
import type { DataState, OpenOptions, RowsOf, Store, WholeStore } from '../engine.ts';
import { unknownColumn } from '../shared/faults.ts';
import { holidaysIn } from '../shared/sources.ts';
import { cubeStatement, MOST_CELLS, sizeStatement, tooManyCells } from './cube.ts';
import type { Database, Rows, Session } from './database.ts';
import { columnNamed } from './dialect.ts';
import { eventsStatements, eventTuples, eventValues, seenKeysOf, seenKeysStatement } from './events.ts';
import type { SqlFact } from './fact.ts';
import { dimensionTexts, membersIn } from './members.ts';
import { sampleOf } from './sample.ts';
import { type SqlWorld, selectOf } from './select.ts';
import { sqlState } from './state.ts';
import { type Earlier, type Run, rangedAttributes, type SqlState, sourceNamed, worldOf } from './tables.ts';
import { firstTimeStatement, placedCounts, talliesOf, tallyStatement } from './values-by-day.ts';

/** A database whose answers are counted, row by row. */
const counting = (database: Database): { readonly database: Database; readonly fetched: () => number } => {
  let count = 0;
  const begin: Database['begin'] = async (signal, fixing) => {
    const session = await database.begin(signal, fixing);
    return {
      ...session,
      run: async (statement, stop) => {
        const rows = await session.run(statement, stop);
        count += rows.count;
        return rows;
      },
    };
  };
  return { database: { ...database, begin }, fetched: () => count };
};

/** A store as one session sees it: what its methods share. */
interface View {
  readonly model: Model;
  readonly database: Database;
  readonly options: OpenOptions;
  readonly state: SqlState;
  readonly run: Run;
  readonly members: Store['members'];
  readonly fetched: () => number;
}

type Asking = Pick<CubeRequest, 'workingDays' | 'heldOn'> & Partial<Pick<CubeRequest, 'segments' | 'role'>>;

/** What a statement about a fact is made of: members that filters between two ends choose from are fetched before. */
const worldFor = async (view: View, filters: readonly Filter[], request?: Asking): Promise<SqlWorld> => {
  const found = new Map<string, readonly string[]>();
  for (const attribute of rangedAttributes(filters)) found.set(attribute.key, await view.members(attribute));
  const latest = new Map(filters.flatMap((filter) => (filter.kind === 'by' ? [[filter.role, filter.day] as const] : [])));
  const end = request?.segments?.ends.at(-1);
  if (request?.role !== undefined && end !== undefined) latest.set(request.role, Math.min(end, latest.get(request.role) ?? end));
  return { ...(await worldOf(view.state, view.database, found)), workingDays: request?.workingDays, latest, heldOn: request?.heldOn };
};

const rowsOf = ({ hidden }: CubeRequest | EventsRequest | TallyRequest) => (hidden === 'counted' ? 'all' : 'seen');

/** A cube without any row. */
const emptyCube = ({ segments, aggregates }: CubeRequest): Cube => ({
  segments,
  tuples: [],
  columns: aggregates.map(() => ({ cells: new Float64Array(0), scale: 0 })),
});

/** The rows that a request is about. */
const factFor = async (view: View, request: CubeRequest): Promise<SqlFact | undefined> => {
  if (!request.gained) return view.state.fact(request.fact, rowsOf(request));
  const gained = await view.state.gained(request.fact, rowsOf(request));
  if (gained === undefined) throw new Error(`it is not known which rows of ${request.fact.name} came since`);
  return gained === 'nothing' ? undefined : gained;
};

const cube = async (view: View, request: CubeRequest, signal?: Cancellation): Promise<Cube> => {
  const fact = await factFor(view, request);
  if (!fact) return emptyCube(request);
  const isBlankDate = (filter: Filter): boolean => filter.kind === 'date' && filter.is === 'blank' && fact.filled.has(filter.role);
  if (request.segments.starts.length === 0 || (!fact.versions && request.filters.some(isBlankDate))) return emptyCube(request);
  const world = await worldFor(view, [...request.filters, ...request.aggregates.flatMap(({ where }) => where)], request);
  const dimensions = await view.state.dimensions();
  const rowsIn = (name: string): number => dimensions.get(name)?.rows ?? 0;
  const size = sizeStatement(request, fact, world);
  if (size) {
    const { columns } = await view.run(size, signal);
    const tuples = Number(columns[0][0]);
    if (tuples * request.segments.starts.length * request.aggregates.length > MOST_CELLS) throw tooManyCells(request, tuples);
  }
  const statement = cubeStatement(request, fact, world, rowsIn);
  return statement.cube(await view.run(statement, signal));
};

/** A cube some of whose aggregates count first times: each of those by a statement of its own (M15). */
const cubeOf = async (view: View, request: CubeRequest, signal?: Cancellation): Promise<Cube> => {
  const { aggregates, segments } = request;
  if (!aggregates.some(({ kind }) => kind === 'first-time')) return cube(view, request, signal);
  const plain = aggregates.filter(({ kind }) => kind !== 'first-time');
  const found = await cube(view, { ...request, aggregates: [{ kind: 'rows', where: [] }, ...plain] }, signal);
  const fact = await view.state.fact(request.fact, rowsOf(request));
  const columns: CubeColumn[] = [];
  for (const aggregate of aggregates) {
    if (aggregate.kind !== 'first-time') columns.push(found.columns[1 + plain.indexOf(aggregate)]);
    else {
      const world = await worldFor(view, [...request.filters, ...aggregate.where], request);
      const isEmpty = segments.starts.length === 0 || found.tuples.length === 0;
      const rows = isEmpty ? undefined : await view.run(firstTimeStatement(request, aggregate, fact, world), signal);
      columns.push({ cells: rows ? placedCounts(rows, segments.starts.length, found.tuples) : new Float64Array(0), scale: 0 });
    }
  }
  return { ...found, columns };
};

const tallies = async (view: View, request: TallyRequest, signal?: Cancellation): Promise<Tallies> => {
  const fact = await view.state.fact(request.fact, rowsOf(request));
  const { segments, filters, where } = request;
  if (segments.starts.length === 0) return talliesOf({ count: 0, columns: [] }, request, fact);
  const world = await worldFor(view, [...filters, ...where], request);
  return talliesOf(await view.run(tallyStatement(request, fact, world), signal), request, fact);
};

const events = async (view: View, request: EventsRequest, signal?: Cancellation): Promise<Events> => {
  const { segments, windows, where, count, attributes } = request;
  const fact = await view.state.fact(request.fact, rowsOf(request));
  const world = await worldFor(view, [...request.filters, ...where], request);
  const found = new Map<number, Rows>();
  if (segments.starts.length > 0)
    for (const { window, ...statement } of eventsStatements(request, fact, world)) found.set(window, await view.run(statement, signal));
  const valuesFor = (tuples: Events['tuples']): Float64Array[] =>
    windows.map(({ from }, window) => {
      const rows = found.get(window);
      return rows ? eventValues(rows, from.length, tuples) : new Float64Array(0);
    });
  // Where no key is blank, a row stands behind a window exactly where a key was counted.
  if (count.kind === 'distinct' && where.length === 0 && fact.fullKeys.has(count.column)) {
    const tuples = eventTuples([...found.values()], attributes.length);
    const values = valuesFor(tuples);
    return { tuples, values, seen: values.map((list) => Uint8Array.from(list, (value) => (value > 0 ? 1 : 0))), scale: 0 };
  }
  const rows = await cube(view, { ...request, aggregates: [{ kind: 'rows', where }] }, signal);
  const scale = count.kind === 'latest' && count.value?.kind === 'column' ? fact.number(count.value.column).scale : 0;
  return {
    tuples: rows.tuples,
    values: valuesFor(rows.tuples),
    seen: seenIn(windows, segments, rows.columns[0].cells, rows.tuples.length),
    scale,
  };
};

const seenKeys = async (view: View, request: EventsRequest, signal?: Cancellation): Promise<SeenKeys> => {
  const fact = await view.state.fact(request.fact, rowsOf(request));
  const { count, filters, where } = request;
  const scale = count.kind === 'latest' && count.value?.kind === 'column' ? fact.number(count.value.column).scale : 0;
  if (request.segments.starts.length === 0) return seenKeysOf({ count: 0, columns: [] }, request, scale);
  const world = await worldFor(view, [...filters, ...where], request);
  return seenKeysOf(await view.run(seenKeysStatement(request, fact, world), signal), request, scale);
};

/** First and last day of every role, before question filters (W11). */
const bounds = async (
  view: View,
  fact: Fact,
  knownBy: number | undefined,
  which: RowsOf = 'seen',
): Promise<ReadonlyMap<string, Bounds | undefined>> => {
  // A fact that may not be read stands like one without rows: it is noted, and an error where a question needs it.
  if (await view.state.denied(fact)) return new Map();
  const own = await view.state.fact(fact, which);
  if (!own.versions) return own.bounds;
  const select = selectOf(own, await worldOf(view.state, view.database), knownBy);
  const roles = [...fact.roles.keys()];
  const { columns } = await view.run({
    about: `first and last days of ${fact.name}`,
    sql: `select ${roles.map((role) => `min(${own.day(role)}), max(${own.day(role)})`).join(',\n  ')}\nfrom ${select.from()}`,
  });
  return new Map(
    roles.map((role, k) => {
      const [first, last] = [columns[2 * k][0], columns[2 * k + 1][0]];
      return [role, first === null || first === undefined ? undefined : { first: Number(first), last: Number(last) }] as const;
    }),
  );
};

/** Rows of a source as they stand there: dates and timestamps as ISO texts. */
const rows = async (view: View, name: string, columns: readonly string[]): Promise<readonly Record<string, unknown>[]> => {
  const relation = await view.state.relation(name);
  const known = relation.columns.map((column) => column.name);
  for (const column of columns) if (!columnNamed(relation, column)) throw unknownColumn(relation.name, column, known);
  return sampleOf.plain(relation, columns, view.database.dialect, (sql) => view.run({ about: `rows of ${name}`, sql }));
};

const sample = async (view: View, request: SampleRequest, signal?: Cancellation) => {
  const fact = await view.state.fact(request.fact);
  const world = await worldFor(view, request.filters, { heldOn: request.heldOn });
  return sampleOf.fact(request, fact, world, (statement) => view.run(statement, signal));
};

const combinations: (view: View) => Store['combinations'] = (view) => async (dimension, attributes) => {
  if (dimension.source === undefined || attributes.length === 0) return [];
  const attribute = { kind: 'attribute' as const, key: attributes[0], part: dimension.name, dimension, attribute: attributes[0] };
  const found = await dimensionTexts(attribute, attributes, { ...view, fixed: [] });
  return distinctTuples(found.map(([texts]) => texts));
};

/** Roles of a fact whose column is text where it could be a date. */
const textDates = async ({ model, database, state }: View, fact: Fact): Promise<readonly string[]> => {
  const { relation } = await state.fact(fact);
  const ofDatabase = database.state === 'live' || ['table', 'query'].includes(sourceNamed(model, fact.source).kind);
  const isText = (name: string): boolean => columnNamed(relation, name)?.kind === 'text';
  return !ofDatabase || fact.grain !== 'day' ? [] : [...fact.roles.values()].filter(({ column }) => isText(column)).map(({ name }) => name);
};

/** Rows of a fact that may be seen, as they stand there. */
const factRows = async (view: View, fact: Fact, columns: readonly string[]): Promise<readonly Record<string, unknown>[]> => {
  const { relation } = await view.state.fact(fact);
  return sampleOf.plain(relation, columns, view.database.dialect, (sql) => view.run({ about: `rows of ${fact.name}`, sql }));
};

/** The methods of a store over one view of the data. */
const methods = (view: View, opened: Opened): Omit<Store, 'close' | 'begin'> => ({
  ...opened,
  engine: view.database.dialect.name,
  reads: 'asked',
  scans: 'alone',
  fetched: view.fetched,
  kind: async (source, column) => {
    const relation = await view.state.relation(source);
    return columnNamed({ ...relation, ...relation.written }, column)?.kind ?? 'text';
  },
  textDates: (fact) => textDates(view, fact),
  rows: (name, columns) => rows(view, name, columns),
  factRows: (fact, columns) => factRows(view, fact, columns),
  holidays: (file, timeZone, first, last) => holidaysIn(view.database.file, view.model, file, timeZone, first, last),
  bounds: (fact, knownBy, which) => bounds(view, fact, knownBy, which),
  members: view.members,
  combinations: combinations(view),
  lateRoles: async (fact) => (fact.enters === undefined ? [] : (await view.state.fact(fact)).late),
  cubes: async (requests, signal) => {
    const found: Cube[] = [];
    for (const request of requests) found.push(await cubeOf(view, request, signal));
    return found;
  },
  sample: (request, signal) => sample(view, request, signal),
  events: (request, signal) => events(view, request, signal),
  seenKeys: (request, signal) => seenKeys(view, request, signal),
  tallies: (request, signal) => tallies(view, request, signal),
});

const viewOf = (model: Model, database: Database, options: OpenOptions, state: SqlState, run: Run, fetched: () => number): View => {
  const known = new Map<string, Promise<readonly string[]>>();
  const view: View = {
    model,
    database,
    options,
    state,
    run,
    fetched,
    members: (attribute, rows = 'seen') =>
      once(known, `${rows} ${attribute.key}`, () => membersIn(attribute, { model, state, database, run, rows, fixed: options.hiding })),
  };
  return view;
};

type Opened = Pick<Store, 'notes' | 'unreadable'>;

/** Opens all facts, so that what is wrong is told before any answer; answers what must be known of their data. */
const openAll = async (model: Model, state: SqlState, { isUnpinned }: Database): Promise<Opened> => {
  const notes: DataNote[] = [];
  const unreadable = new Set<string>();
  for (const [name, { relation }] of await state.dimensions())
    if (relation.denied) unreadable.add(model.dimensions.get(name)?.source as string);
  for (const fact of model.facts.values()) {
    if (!(await state.denied(fact))) {
      const own = await state.fact(fact);
      notes.push(
        ...own.notes,
        ...(isUnpinned?.(await state.relation(fact.source)) ? [{ code: 'unpinned-state' as const, fact: fact.name, count: 0 }] : []),
      );
      continue;
    }
    unreadable.add(fact.source);
    notes.push({
      code: 'unreadable-fact',
      fact: fact.name,
      count: 0,
    });
  }
  return { notes, unreadable };
};

/** Opens a model over a database: everything is checked in one state of the data, and rows stay where they are. */
export const openSqlStore = async (model: Model, given: Database, options: OpenOptions): Promise<Store> => {
  const { database, fetched } = counting(given);
  try {
    return database.state === 'still'
      ? await stillStore(model, database, options, fetched)
      : await liveStore(model, database, options, fetched);
  } catch (error) {
    await database.close().catch(() => undefined);
    throw error;
  }
};

const stillStore = async (model: Model, database: Database, options: OpenOptions, fetched: () => number): Promise<Store> => {
  const session = await database.begin();
  const state = sqlState(model, database, session.run, options);
  const opened = await openAll(model, state, database).catch(async (error: unknown) => {
    await session.end();
    throw error;
  });
  return {
    ...methods(viewOf(model, database, options, state, session.run, fetched), opened),
    close: async () => {
      await session.end();
      await database.close();
    },
  };
};

/** A state of a database that others write to. */
interface Known {
  readonly sees: DataState | undefined;
  readonly state: SqlState;
  readonly opened: Opened;
  /** The sessions that see it: through the last of them what is not known yet is looked up. */
  readonly sessions: Set<Session>;
  /** The state before, where it is known what became of it since. */
  readonly since?: string;
}

/** What is known of the state before, and what became of its sources; undefined where the database cannot tell. */
const earlierOf = async ({ state, sees }: Known, model: Model, database: Database, session: Session): Promise<Earlier | undefined> => {
  if (!database.changes || !sees) return undefined;
  const names = [...model.sources.keys()];
  const relations = await Promise.all(names.map((name) => state.relation(name).catch(() => undefined)));
  const found = await database.changes(
    relations.filter((relation) => relation !== undefined),
    sees,
    session,
  );
  const changes = names.flatMap((name, k) => {
    const change = found.get(relations[k]?.from ?? '');
    return change === undefined ? [] : [[name, change] as const];
  });
  return { ...state.kept, changes: new Map(changes) };
};

const sinceThen = (token: string, state: SqlState): NonNullable<Store['since']> => ({
  token,
  of: async (fact) => {
    const gained = await state.gained(fact);
    return gained === undefined || gained === 'nothing' ? gained : 'rows';
  },
});

/**
 * Over data that change, every question has a session of its own. What was found out in one state serves the next
 * session only where that sees the very same state.
 */
const liveStore = async (model: Model, database: Database, options: OpenOptions, fetched: () => number): Promise<Store> => {
  let known: Known | undefined;
  const stateFor = async (session: Session): Promise<Known> => {
    const token = session.sees?.token ?? '';
    const before = known;
    if (before && (before.sees?.token ?? '') === token) {
      before.sessions.add(session);
      return before;
    }
    const earlier = before && (await earlierOf(before, model, database, session));
    const sessions = new Set([session]);
    const run: Run = (statement, signal) => {
      const last = [...sessions].at(-1);
      if (!last) throw new DurchblickError('view-over', 'the view of the data has ended', { kind: 'engine', hint: 'Ask again.' });
      return last.run(statement, signal);
    };
    const state = sqlState(model, database, run, options, earlier);
    const opened = await openAll(model, state, database);
    const sees = session.settled ? await session.settled() : session.sees;
    known = { sees, state, opened, sessions, ...(earlier && before?.sees ? { since: before.sees.token } : {}) };
    return known;
  };
  const begin = async (signal?: Cancellation, fixing?: () => void): Promise<Store> => {
    const session = await database.begin(signal, fixing);
    try {
      const { state, opened, sessions, sees, since } = await stateFor(session);
      const view = viewOf(model, database, options, state, session.run, fetched);
      const close = async (): Promise<void> => {
        sessions.delete(session);
        await session.end();
      };
      return {
        ...methods(view, opened),
        ...(sees ? { sees } : {}),
        ...(since === undefined ? {} : { since: sinceThen(since, state) }),
        close,
      };
    } catch (error) {
      await session.end();
      throw error;
    }
  };
  const first = await begin();
  await first.close();
  /** Outside a question everything has a session of its own. */
  const alone =
    <A extends unknown[], T>(call: (store: Store) => (...args: A) => Promise<T>) =>
    async (...args: A): Promise<T> => {
      const own = await begin();
      try {
        return await call(own)(...args);
      } finally {
        await own.close();
      }
    };
  const { engine, notes, unreadable, scans, reads, since, sees, state, opened, readsFiles } = first;
  return {
    engine,
    notes,
    unreadable,
    scans,
    reads,
    since,
    sees,
    state,
    opened,
    readsFiles,
    fetched,
    holidays: alone((store) => store.holidays),
    kind: alone((store) => store.kind),
    textDates: alone((store) => store.textDates),
    rows: alone((store) => store.rows),
    factRows: alone((store) => store.factRows),
    bounds: alone((store) => store.bounds),
    members: alone((store) => store.members),
    combinations: alone((store) => store.combinations),
    lateRoles: alone((store) => store.lateRoles),
    cubes: alone((store) => store.cubes),
    sample: alone((store) => store.sample),
    events: alone((store) => store.events),
    seenKeys: alone((store) => store.seenKeys as NonNullable<Store['seenKeys']>),
    tallies: alone((store) => store.tallies),
    begin,
    close: database.close,
  } satisfies WholeStore;
};
