// Opens one fact: its rows under fixed filters (V3), and what scans of it need.
import type { Sightings } from '../../basics/events.ts';
import { DurchblickError } from '../../errors.ts';
import { type AttributeRef, attributeOfLink } from '../../model/attributes.ts';
import { usedColumns, usedRates } from '../../model/columns.ts';
import { columnOf, daysIn, type Fact, type Model, NOW } from '../../model/model.ts';
import { rowMapOf } from '../../plan/members/kinds.ts';
import type { Filter } from '../../plan/request.ts';
import { hiddenFault, unknownColumn } from '../shared/faults.ts';
import { someRows, type Table } from '../shared/table.ts';
import { type Codes, readDays } from './columns.ts';
import { type FactData, factData, type Lookups, type MemberCodes, rowData } from './facts.ts';
import { type Lists, PLAIN_LISTS } from './lists.ts';
import { applyFilter, masksOf } from './masks.ts';

/** Combined members of several attributes: one code a row. */
export interface Members {
  readonly codes: Codes | undefined;
  readonly count: number;
  readonly tuple: (code: number) => readonly string[];
}

const membersOf = (columns: readonly MemberCodes[], rows: number, lists: Lists): Members => {
  if (columns.length === 0) return { codes: undefined, count: 1, tuple: () => [] };
  const count = columns.reduce((product, { texts }) => product * texts.length, 1);
  if (count > 2 ** 31 - 1)
    throw new DurchblickError('too-many-members', `the attributes combine to ${count} members`, {
      kind: 'engine',
      hint: 'Ask for fewer attributes at once, or filter them.',
    });
  const tuple = (code: number): string[] => {
    const texts: string[] = [];
    for (let k = columns.length - 1, rest = code; k >= 0; k--) {
      const size = columns[k].texts.length;
      texts.unshift(columns[k].texts[rest % size]);
      rest = Math.floor(rest / size);
    }
    return texts;
  };
  if (columns.length === 1) return { codes: columns[0].codes, count, tuple };
  const codes = lists.make(Int32Array, rows);
  for (const { codes: own, texts } of columns) {
    const size = texts.length;
    for (let i = 0; i < rows; i++) codes[i] = codes[i] * size + own[i];
  }
  return { codes, count, tuple };
};

/** Sightings over a stretch of days, with the members they are split by. */
export interface Sighted {
  readonly sightings: Sightings;
  readonly first: number;
  readonly last: number;
  readonly tuples: readonly (readonly string[])[];
  readonly scale: number;
}

/** A fact with everything that scans of it need. */
export interface Opened {
  readonly data: FactData;
  readonly mask: ReturnType<typeof masksOf>;
  readonly combine: (attributes: readonly AttributeRef[]) => Members;
  /** Sightings gathered before, by what they are of (sightings.ts). */
  readonly sightings: Map<string, Sighted>;
  /** The same with versions of dimensions as they hold on a day, where some are taken now (G9). */
  readonly heldOn: (day: number | undefined) => Opened;
}

/** Runs a step of opening; a fault in the model's columns is told with its line. */
export const located = <T>(model: Model, path: readonly string[], run: () => T): T => {
  try {
    return run();
  } catch (error) {
    if (error instanceof DurchblickError && error.kind === 'request') throw error.located(model.locate(path));
    throw error;
  }
};

/** Dates of the roles on which rows take the versions that filters are about (G9). */
const versionRoles = (fact: Fact, table: Table, model: Model, filters: readonly Filter[]): FactData['roles'] => {
  const roles = new Map<string, ReturnType<typeof readDays>>();
  const add = (name: string): void => {
    const role = fact.roles.get(name);
    if (!role || roles.has(name)) return;
    const { column, format, blankDates } = role;
    const rules = { timeZone: model.timeZone, format, blankDates, grain: fact.grain === 'day' ? ('day' as const) : ('coarse' as const) };
    roles.set(name, readDays(table.column(column), table.kind(column), rules, role.onBadDate, { table, column }, PLAIN_LISTS));
  };
  for (const filter of filters) {
    const map = filter.kind === 'members' ? rowMapOf(fact, filter.attribute) : undefined;
    if (map?.kind === 'key-day') add(map.at);
    // A band may be of an amount that takes rates.
    if (map?.kind === 'thresholds') for (const { role } of usedRates(fact, model)) add(role);
  }
  return roles;
};

/** The rows of a table that fixed filters leave: everything else is found out from these alone (V3). */
export const seenRows = (fact: Fact, table: Table, model: Model, tables: Lookups, filters: readonly Filter[]): Table => {
  if (filters.length === 0) return table;
  const mask = new Uint8Array(table.rows).fill(1);
  try {
    const data = rowData(fact, table, model, tables, PLAIN_LISTS, versionRoles(fact, table, model, filters));
    for (const filter of filters) applyFilter(mask, filter, data);
  } catch (error) {
    throw hiddenFault(table.name, error);
  }
  return someRows(table, Int32Array.from(Array.from(mask.keys()).filter((row) => mask[row] === 1)));
};

/** Opens a fact: what measures and links need is read now, so that faults are told before any answer. */
export const openFact = (fact: Fact, table: Table, model: Model, tables: Lookups, lists: Lists): Opened => {
  const path = ['facts', fact.name];
  for (const { column, path: at } of usedColumns(fact, model)) {
    if (fact.columns.has(column)) continue;
    if (!table.has(column))
      throw unknownColumn(table.name, column, [...table.columnNames, ...fact.columns.keys()]).located(model.locate([...path, ...at]));
    located(model, [...path, ...at], () => table.column(column));
  }
  const data = located(model, [...path, 'dates'], () => factData(fact, table, model, tables, lists));
  // What measures sum and links point at is read now: a bad number is told before any answer, and no question pays for it.
  for (const measure of model.measures.values()) {
    const { aggregate } = measure;
    const column = columnOf(aggregate);
    const isKey = aggregate.kind === 'count-distinct' || aggregate.kind === 'first-time';
    if (measure.fact === fact && column !== undefined && !isKey && aggregate.kind !== 'count') data.numbers(column);
    if (measure.fact === fact && column !== undefined && isKey) data.keys(column);
    const pair = measure.open ?? daysIn(aggregate);
    if (measure.fact === fact && pair) data.reversed(pair.from, pair.until);
  }
  for (const link of fact.links) {
    const attribute = attributeOfLink(link);
    if (attribute) data.members(attribute);
  }
  let recorded: Int32Array | undefined;
  const recordedDays = (): Int32Array => {
    const column = fact.recorded as string;
    const rules = { timeZone: model.timeZone, grain: 'day' as const };
    recorded ??= readDays(table.column(column), table.kind(column), rules, 'error', { table, column }, PLAIN_LISTS).days;
    return recorded;
  };
  const found = openedOver(data, recordedDays, lists);
  if (!fact.links.some(({ at }) => at === NOW)) {
    const always: Opened = { ...found, heldOn: () => always };
    return always;
  }
  // Versions as they hold on another day make other members: everything that has to do with members is made anew.
  const byDay = new Map<number, Opened>();
  const heldOn = (day: number | undefined): Opened => {
    if (day === undefined) return opened;
    const known = byDay.get(day);
    if (known) return known;
    const { members } = rowData(fact, table, model, tables, lists, data.roles, day);
    const made: Opened = { ...openedOver({ ...data, members }, recordedDays, lists), heldOn };
    if (byDay.size >= MOST_HELD) byDay.delete(byDay.keys().next().value as number);
    byDay.set(day, made);
    return made;
  };
  const opened: Opened = { ...found, heldOn };
  return opened;
};

/** As-of dates whose members are kept. */
const MOST_HELD = 4;

const openedOver = (data: FactData, recordedDays: () => Int32Array, lists: Lists): Omit<Opened, 'heldOn'> => {
  const combined = new Map<string, Members>();
  const combine = (attributes: readonly AttributeRef[]): Members => {
    const key = attributes.map((attribute) => attribute.key).join('\n');
    const known = combined.get(key);
    if (known) return known;
    const found = membersOf(
      attributes.map((attribute) => data.members(attribute)),
      data.rows,
      lists,
    );
    combined.set(key, found);
    return found;
  };
  return { data, mask: masksOf(data, recordedDays, lists), combine, sightings: new Map() };
};
