import { dateReader } from '../calendar/dates.ts';
import { type Day, isoOf, NO_DAY } from '../calendar/day.ts';
import type { Store } from '../engines/engine.ts';
import { type AttributeRef, NONE, reach, UNKNOWN } from '../model/attributes.ts';
import { usedColumns } from '../model/columns.ts';
import type { Dimension, Fact, Model } from '../model/model.ts';
import { passes } from '../plan/members.ts';
import type { Filter, RowValue } from '../plan/request.ts';
import { computed, doubleOf, type Plain, plainOf } from './decimal.ts';

/** A row as its source has it. */
export interface Row {
  readonly raw: Readonly<Record<string, unknown>>;
  readonly days: Readonly<Record<string, Day | undefined>>;
}

/** A fact's rows, and what one row says. */
export interface FactRows {
  readonly fact: Fact;
  readonly rows: readonly Row[];
  readonly member: (row: Row, attribute: AttributeRef) => string;
  readonly value: (row: Row, value: RowValue) => Plain | undefined;
  readonly present: (row: Row, column: string) => boolean;
  readonly passes: (row: Row, filter: Filter) => boolean;
  /** The rows that are the last version of their key recorded on or before a day (G7). */
  readonly known: (knownBy: Day | undefined) => readonly Row[];
}

const isBlank = (value: unknown): boolean => value === null || value === undefined || value === '' || value !== value;
export const textOf = (value: unknown): string =>
  isBlank(value) ? '' : value instanceof Date ? isoOf(Math.floor(value.getTime() / 86_400_000)) : String(value);

type TextsByKey = ReadonlyMap<string, Readonly<Record<string, unknown>>>;

/** A dimension's rows by key. */
export const dimensionRows = async (dimension: Dimension, store: Store): Promise<TextsByKey | undefined> => {
  if (dimension.source === undefined || dimension.key === undefined) return undefined;
  const columns = [...new Set([dimension.key, ...[...dimension.attributes.values()].map(({ column }) => column)])];
  const rows = await store.rows(dimension.source, columns);
  return new Map(rows.map((row) => [textOf(row[dimension.key as string]), row]));
};

const later = (a: unknown, b: unknown): boolean => {
  if (a instanceof Date && b instanceof Date) return a > b;
  if (typeof a === 'number' && typeof b === 'number') return a > b;
  return textOf(a) > textOf(b);
};

/** Reads all rows of a fact through the engine, each value as it stands there. */
export const factRows = async (
  fact: Fact,
  model: Model,
  store: Store,
  dimensions: ReadonlyMap<string, TextsByKey | undefined>,
  workingDays: (after: Day, until: Day) => number,
): Promise<FactRows> => {
  const columns = [...new Set(usedColumns(fact, model).map(({ column }) => column))].filter((column) => !fact.columns.has(column));
  const raws = await store.rows(fact.source, columns);
  const readers = [...fact.roles.values()].map(({ name, column, format, blankDates }) => {
    const grain = fact.grain === 'day' ? 'day' : 'coarse';
    return { name, column, read: dateReader({ timeZone: model.timeZone, format, blankDates, grain }) };
  });
  const dayOf = (day: Day | undefined): Day | undefined => (day === NO_DAY ? undefined : day);
  const rows = raws.map((raw): Row => {
    return { raw, days: Object.fromEntries(readers.map(({ name, column, read }) => [name, dayOf(read(raw[column]))])) };
  });
  const { numbers = 'plain' } = model.sources.get(fact.source) ?? {};
  const number = (row: Row, name: string): Plain | undefined => {
    const expression = fact.columns.get(name);
    return expression ? computed(expression, (column) => number(row, column)) : plainOf(row.raw[name], numbers);
  };
  const member = (row: Row, attribute: AttributeRef): string => {
    const way = reach(fact, attribute);
    if (way === 'band') {
      const band = fact.bands.get(attribute.key);
      const amount = band && number(row, band.of);
      const at = band && amount !== undefined ? band.starts.findLastIndex((start) => start <= doubleOf(amount)) : -1;
      return at < 0 ? NONE : (band?.labels[at] ?? NONE);
    }
    if (way === undefined || attribute.kind === 'band') throw new Error(`${fact.name} does not reach ${attribute.key}`);
    const text = textOf(row.raw[way.column]);
    if (text === '') return NONE;
    const table = dimensions.get(way.dimension.name);
    if (!table) return text;
    const column = way.dimension.attributes.get(attribute.attribute)?.column as string;
    if (way.attribute === undefined) {
      const found = table.get(text);
      return found ? textOf(found[column]) || NONE : UNKNOWN;
    }
    for (const found of table.values()) if (textOf(found[column]) === text) return text;
    return UNKNOWN;
  };
  const recorded =
    fact.recorded === undefined ? undefined : { column: fact.recorded, read: dateReader({ timeZone: model.timeZone, grain: 'day' }) };
  return {
    fact,
    rows,
    member,
    value: (row, value) => {
      if (value.kind === 'column') return number(row, value.column);
      const [from, until] = [row.days[value.from], row.days[value.until]];
      if (from === undefined || until === undefined) return undefined;
      return plainOf(value.days === 'all' ? until - from : workingDays(from, until));
    },
    present: (row, column) => (fact.columns.has(column) ? number(row, column) !== undefined : !isBlank(row.raw[column])),
    passes: (row, filter) => {
      switch (filter.kind) {
        case 'members':
          return passes(member(row, filter.attribute), filter.test);
        case 'combinations': {
          const own = filter.attributes.map((attribute) => member(row, attribute));
          return filter.list.some((tuple) => tuple.every((text, k) => text === own[k])) === (filter.keep === 'listed');
        }
        case 'date':
          return (row.days[filter.role] === undefined) === (filter.is === 'blank');
        case 'entered':
          return (row.days[filter.role] ?? filter.by) <= filter.by;
        case 'by':
          return (row.days[filter.role] ?? Number.POSITIVE_INFINITY) <= filter.day;
        case 'order': {
          const [from, until] = [row.days[filter.from], row.days[filter.until]];
          return (from !== undefined && until !== undefined && until < from) === (filter.is === 'reversed');
        }
      }
    },
    known: (knownBy) => {
      if (!recorded) return rows;
      const last = new Map<string, Row>();
      for (const row of rows) {
        const at = dayOf(recorded.read(row.raw[recorded.column]));
        if (knownBy !== undefined && (at === undefined || at > knownBy)) continue;
        const key = JSON.stringify(fact.versionKey.map((column) => textOf(row.raw[column])));
        const before = last.get(key);
        const beforeAt = before && dayOf(recorded.read(before.raw[recorded.column]));
        const newer =
          at !== beforeAt
            ? (at ?? Number.NEGATIVE_INFINITY) > (beforeAt ?? Number.NEGATIVE_INFINITY)
            : later(row.raw[recorded.column], before?.raw[recorded.column]);
        if (!before || newer) last.set(key, row);
      }
      return [...last.values()];
    },
  };
};
