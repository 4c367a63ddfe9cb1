// A model opened over tables in memory: the store's methods.
import { once } from '../../basics/kept-promises.ts';
import { compareTexts } from '../../basics/text.ts';
import { distinctTuples } from '../../basics/tuples.ts';
import { type Day, FIRST_DAY, isoOf, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import type { Files, PlainRows } from '../../files/files.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../../model/attributes.ts';
import { type Fact, type Model, NOW } from '../../model/model.ts';
import { listedMembers, nameOf, rowMapOf } from '../../plan/members/kinds.ts';
import { passes } from '../../plan/members/test.ts';
import type { Bounds, Filter, RowSet, Sample, SampleRequest } from '../../plan/request.ts';
import type { OpenOptions, RowsOf, Store } from '../engine.ts';
import { hiddenFault } from '../shared/faults.ts';
import { hidingFilters } from '../shared/hiding.ts';
import type { Table } from '../shared/table.ts';
import { type TableInput, tablesOf } from '../shared/tables.ts';
import { shownCell } from '../shared/values.ts';
import { cubes } from './cubes.ts';
import { type DimensionData, dimensionData } from './facts.ts';
import { located, type Opened, openFact, seenRows } from './open-fact.ts';
import { type RateData, rateData } from './rates.ts';
import { scanningOf } from './scanning.ts';

/** Bounds of a fact's roles, over the rows of some versions (W11, G7). */
const boundsIn = ({ data, mask }: Opened, knownBy: Day | undefined): ReadonlyMap<string, Bounds | undefined> => {
  const seen = mask([], knownBy);
  const result = new Map<string, Bounds | undefined>();
  for (const [role, column] of data.roles) {
    let { first, last } = column;
    if (seen) {
      [first, last] = [LAST_DAY + 1, FIRST_DAY - 1];
      column.days.forEach((day, i) => {
        if (seen[i] === 0 || day === NO_DAY) return;
        if (day < first) first = day;
        if (day > last) last = day;
      });
    }
    result.set(role, first <= last ? { first, last } : undefined);
  }
  return result;
};

/** What is open in a store: tables read, dimensions by name, facts by name. */
interface OpenTables {
  readonly model: Model;
  readonly table: (source: string) => Promise<Table>;
  readonly dimensions: Map<string, DimensionData>;
  readonly facts: Map<string, Opened>;
  /** Fixed filters that hide members (V3). */
  readonly hiding: readonly Filter[];
}

/** Members that rows of these facts reference. A link with `at: now` counts every version of the key (G9). */
const namedByRows = ({ dimensions }: OpenTables, facts: Iterable<Opened>, attribute: AttributeRef): ReadonlySet<string> => {
  const named = new Set<string>();
  for (const { data } of facts) {
    const map = rowMapOf(data.fact, attribute);
    if (!map) continue;
    if (map.kind === 'key-day' && map.at === NOW) {
      const { versions, texts } = dimensions.get(map.link.dimension.name) as DimensionData;
      const keyText = data.keyText(map.link.column);
      for (const key of new Set(Array.from(data.table.column(map.link.column), keyText)))
        for (const { row } of versions?.get(key) ?? []) named.add(texts(map.attribute)[row]);
      continue;
    }
    const { codes, texts } = data.members(attribute);
    const isNamed = new Uint8Array(texts.length);
    for (let row = 0; row < codes.length; row++) isNamed[codes[row]] = 1;
    texts.forEach((text, code) => {
      if (isNamed[code] === 1) named.add(text);
    });
  }
  return named;
};

const membersIn = async (store: MemoryStore, attribute: AttributeRef, rows: RowsOf): Promise<readonly string[]> => {
  const { model, dimensions, hiding } = store;
  const listed = listedMembers(attribute, model);
  if (listed || attribute.kind !== 'attribute') return listed ?? [];
  const dimension = dimensions.get(attribute.dimension.name);
  if (dimension && (rows === 'all' || hiding.length === 0)) return dimension.members(attribute.attribute, () => true);
  const facts = await Promise.all([...model.facts.values()].map((fact) => asked(store, fact, rows)));
  const named = namedByRows(store, facts, attribute);
  if (!dimension) return [...named].filter((text) => text !== NONE && text !== UNKNOWN).sort(compareTexts);
  const filters = hidingFilters(hiding, attribute.part);
  const tested = filters.map(({ attribute: own }) => dimension.texts(nameOf(own)));
  const visible = dimension.members(attribute.attribute, (row) => filters.every(({ test }, k) => passes(tested[k][row], test)));
  return visible.filter((text) => named.has(text));
};

/** Rows as they stand in a table. */
const rowsOf = async (found: Table, columns: readonly string[]): Promise<PlainRows> => {
  if (found.written) return found.written.rows(columns);
  const lists = columns.map((column) => {
    const values = found.column(column);
    if (found.kind(column) === 'date') return Array.from(values, (day) => (day === NO_DAY ? null : isoOf(day as Day)));
    return values instanceof Int32Array ? Array.from(values, (value) => (value === NO_DAY ? null : value)) : values;
  });
  return Array.from({ length: found.rows }, (_, i) => Object.fromEntries(columns.map((column, k) => [column, lists[k][i]])));
};

/** Roles in which some row has a date before it entered (A2). */
const lateRoles = ({ data }: Opened, { enters = '' }: Fact): readonly string[] => {
  const entered = data.roles.get(enters)?.days;
  if (!entered) return [];
  return [...data.roles.entries()]
    .filter(([role, { days }]) => role !== enters && days.some((day, i) => day !== NO_DAY && entered[i] > day))
    .map(([role]) => role);
};

/** Some rows themselves, the first by day, then as they come. */
const sampleOf = async ({ data, mask }: Opened, { role, filters, knownBy, first, last, openAt, limit }: SampleRequest): Promise<Sample> => {
  const seen = mask(filters, knownBy);
  const days = data.roles.get(role)?.days as Int32Array;
  const until = openAt && data.roles.get(openAt.until)?.days;
  const isGone = (row: number): boolean => {
    if (!openAt || !until) return false;
    const day = until[row];
    return day !== NO_DAY && day <= openAt.day && day <= openAt.asOf;
  };
  const found: number[] = [];
  for (let row = 0; row < days.length; row++)
    if (days[row] !== NO_DAY && days[row] >= first && days[row] <= last && seen?.[row] !== 0 && !isGone(row)) found.push(row);
  const shown = found.sort((a, b) => days[a] - days[b] || a - b).slice(0, limit);
  const { table, keyText } = data;
  if (table.written) {
    const rows = await table.written.rows(table.columnNames, shown);
    return { columns: table.columnNames, first: rows.map((row) => table.columnNames.map((name) => shownCell(row[name]))) };
  }
  const cell = (name: string, row: number): string | number | null => {
    const value = table.cell(name, row);
    return table.kind(name) === 'date' ? keyText(name)(value ?? NO_DAY) || null : shownCell(value);
  };
  return { columns: table.columnNames, first: shown.map((row) => table.columnNames.map((name) => cell(name, row))) };
};

const openDimensions = async (model: Model, table: OpenTables['table'], hidden: boolean): Promise<Map<string, DimensionData>> => {
  const dimensions = new Map<string, DimensionData>();
  for (const dimension of model.dimensions.values()) {
    if (dimension.source === undefined) continue;
    const rows = await table(dimension.source);
    const open = () => dimensionData(dimension, rows, model.timeZone, hidden);
    dimensions.set(dimension.name, located(model, ['dimensions', dimension.name], open));
  }
  return dimensions;
};

/** Everything that a store in memory answers from. */
interface MemoryStore extends OpenTables {
  readonly files: Files | undefined;
  readonly fixed: OpenOptions['fixed'];
  readonly lookups: { readonly dimensions: Map<string, DimensionData>; readonly rates: Map<string, RateData> };
  readonly facts: Map<string, Opened>;
  readonly scanning: Scanning;
  /** Facts with the rows that fixed filters hide, where shares of them are asked for (G6). */
  readonly whole: Map<string, Promise<Opened>>;
}

type Scanning = Awaited<ReturnType<typeof scanningOf>>;

const openedFact = (store: MemoryStore, fact: Fact): Opened => store.facts.get(fact.name) as Opened;

const unfiltered = async ({ table, model, lookups, scanning }: MemoryStore, fact: Fact): Promise<Opened> => {
  const rows = await table(fact.source);
  try {
    return openFact(fact, rows, model, lookups, scanning.lists);
  } catch (error) {
    throw hiddenFault(rows.name, error);
  }
};

const asked = async (store: MemoryStore, fact: Fact, rows: RowsOf): Promise<Opened> =>
  rows === 'all' && store.fixed.get(fact.name)?.length
    ? once(store.whole, fact.name, () => unfiltered(store, fact))
    : openedFact(store, fact);

const askedBy = async (store: MemoryStore, { fact, hidden, heldOn }: RowSet): Promise<Opened> =>
  (await asked(store, fact, hidden === 'counted' ? 'all' : 'seen')).heldOn(heldOn);

const plainRows =
  (table: OpenTables['table']): Store['rows'] =>
  async (name, columns) =>
    rowsOf(await table(name), columns);

/** The methods of a store over what is open. */
const methods = (store: MemoryStore): Store => {
  const { model, table, files, facts, scanning } = store;
  const { dimensions } = store.lookups;
  return {
    engine: 'memory',
    scans: 'together',
    notes: [...facts.values()].flatMap(({ data }) => data.notes),
    kind: async (source, column) => {
      const found = await table(source);
      return (found.written ?? found).kind(column);
    },
    rows: plainRows(table),
    factRows: async (fact, columns) => rowsOf(openedFact(store, fact).data.table, columns),
    holidays: async (file, timeZone, first, last) =>
      (await import('../shared/sources.ts')).holidaysIn(files, model, file, timeZone, first, last),
    bounds: async (fact, knownBy, rows = 'seen') => boundsIn(await asked(store, fact, rows), knownBy),
    members: (attribute, rows = 'seen') => membersIn(store, attribute, rows),
    combinations: async (dimension, attributes) => {
      const data = dimensions.get(dimension.name);
      const lists = attributes.map((attribute) => data?.texts(attribute) ?? []);
      return distinctTuples(Array.from({ length: data?.rows ?? 0 }, (_, row) => lists.map((list) => list[row])));
    },
    textDates: async () => [],
    lateRoles: async (fact) => lateRoles(openedFact(store, fact), fact),
    cubes: async (requests, signal) => {
      stopIfAborted(signal);
      const tasks = await Promise.all(requests.map(async (request) => ({ opened: await askedBy(store, request), request })));
      return cubes(tasks, scanning.scan);
    },
    events: async (request, signal) => {
      stopIfAborted(signal);
      const { events } = await import('./seldom.ts');
      return events(await askedBy(store, request), request, scanning.scan);
    },
    seenKeys: async (request, signal) => {
      stopIfAborted(signal);
      const { seenKeys } = await import('./seldom.ts');
      return seenKeys(await askedBy(store, request), request);
    },
    tallies: async (request, signal) => {
      stopIfAborted(signal);
      const { tallies } = await import('./seldom.ts');
      return tallies(await askedBy(store, request), request);
    },
    sample: async (request) => sampleOf(openedFact(store, request.fact).heldOn(request.heldOn), request),
    close: async () => {
      scanning.close();
      facts.clear();
      dimensions.clear();
    },
  };
};

/** Opens a model over tables and files in memory. */
export const openStore = async (
  model: Model,
  given: Readonly<Record<string, TableInput>>,
  files: Files | undefined,
  { fixed, hiding }: OpenOptions,
): Promise<Store> => {
  const table = tablesOf(model, given, files);
  const dimensions = await openDimensions(model, table, hiding.length > 0);
  const rates = new Map<string, RateData>();
  for (const rate of model.rates.values()) rates.set(rate.name, await rateData(rate, await table(rate.source), model, plainRows(table)));
  const lookups = { dimensions, rates };
  let most = 0;
  for (const fact of model.facts.values()) most = Math.max(most, (await table(fact.source)).rows);
  const scanning = await scanningOf(most);
  const facts = new Map<string, Opened>();
  for (const fact of model.facts.values()) {
    const rows = seenRows(fact, await table(fact.source), model, lookups, fixed.get(fact.name) ?? []);
    facts.set(fact.name, openFact(fact, rows, model, lookups, scanning.lists));
  }
  return methods({ model, table, files, dimensions, facts, hiding, fixed, lookups, scanning, whole: new Map() });
};

const stopIfAborted = (signal: { readonly aborted: boolean } | undefined): void => {
  if (signal?.aborted) throw new DurchblickError('aborted', 'the question was aborted', { kind: 'engine' });
};
