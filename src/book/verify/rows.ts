// Rows of facts and dimensions as plain objects, for the second computation (V2).
import type { ColumnKind } from '../../basics/columnar.ts';
import { type Day, FIRST_DAY, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import type { Store } from '../../engines/engine.ts';
import { ratePeriods, ratesByKey } from '../../engines/shared/rates.ts';
import { isBlank, keyReader, rowDayReader } from '../../engines/shared/values.ts';
import { type Held, heldDays, versionAt, versionsByKey } from '../../engines/shared/versions.ts';
import { type AttributeRef, memberText, NONE, reach, UNKNOWN } from '../../model/attributes.ts';
import { usedColumns } from '../../model/columns.ts';
import { type Dimension, type Fact, type Model, NOW, type Rate } from '../../model/model.ts';
import { passes } from '../../plan/members/test.ts';
import type { Filter, RowSet, RowValue, WorkingDays } from '../../plan/request.ts';
import { computed, doubleOf, type Plain, plainOf } from './decimal.ts';

/** A row as its source has it. */
export interface Row {
  readonly raw: Readonly<Record<string, unknown>>;
  readonly days: Readonly<Record<string, Day | undefined>>;
}

/** A fact's rows, and what one row says. */
export interface FactRows {
  readonly fact: Fact;
  readonly member: (row: Row, attribute: AttributeRef, heldOn?: Day) => string;
  readonly value: (row: Row, value: RowValue, workingDays: WorkingDays | undefined) => Plain | undefined;
  readonly present: (row: Row, column: string) => boolean;
  /** What distinct values of a column are told apart by; an empty text where it is blank. */
  readonly key: (row: Row, column: string) => string;
  readonly passes: (row: Row, filter: Filter, heldOn?: Day) => boolean;
  /** The rows that are the last version of their key recorded on or before a day (G7), of those that may be seen (V3) or of all. */
  readonly known: (set: Pick<RowSet, 'knownBy' | 'hidden'>) => readonly Row[];
}

/** Days come as texts here, whatever their column holds. */
const plainKind = (kind: ColumnKind): ColumnKind => (kind === 'date' ? 'text' : kind);
const textReader = (kind: ColumnKind, timeZone: string): ((value: unknown) => string) => {
  const text = keyReader(plainKind(kind), timeZone);
  return (value) => (isBlank(value) ? '' : text(value));
};

/** A dimension's rows by key, each with the texts of its attributes and the days on which it holds (G9). */
interface KeyVersion extends Held {
  readonly texts: ReadonlyMap<string, string>;
}
type TextsByKey = ReadonlyMap<string, readonly KeyVersion[]>;

/** A dimension's rows by key. */
export const dimensionRows = async (dimension: Dimension, { timeZone }: Model, store: Store): Promise<TextsByKey | undefined> => {
  const { source, key, attributes, valid } = dimension;
  if (source === undefined || key === undefined) return undefined;
  const dates = valid ? [valid.from, valid.until] : [];
  const columns = [...new Set([key, ...[...attributes.values()].map(({ column }) => column), ...dates])];
  const texts = new Map<string, (value: unknown) => string>();
  for (const column of columns) texts.set(column, textReader(await store.kind(source, column), timeZone));
  const text = (row: Readonly<Record<string, unknown>>, column: string): string =>
    (texts.get(column) as (value: unknown) => string)(row[column]);
  const rows = await store.rows(source, columns);
  const readers = await Promise.all(
    dates.map(async (column) => rowDayReader(await store.kind(source, column), { timeZone, grain: 'day' })),
  );
  const heldIn = (row: Readonly<Record<string, unknown>>): Held => {
    const [from, until] = dates.map((column, k) => dayOf(readers[k](row[column])));
    return heldDays(from, until);
  };
  const found = rows.map((row) => {
    const texts = new Map(Array.from(attributes, ([name, { column }]) => [name, memberText(text(row, column)) || NONE]));
    return [text(row, key), { ...heldIn(row), texts }] as const;
  });
  return versionsByKey(found, source, dimension, true);
};

/** A table of rates: by key the rates with the days on which they hold, and the factor of each row. */
export interface RateRows {
  readonly rate: Rate;
  readonly versions: ReturnType<typeof ratesByKey>;
  readonly factors: readonly (Plain | undefined)[];
}

export const rateRows = async (rate: Rate, model: Model, store: Store): Promise<RateRows> => {
  const { timeZone } = model;
  const { source, date, of, by, grain } = rate;
  const rows = await store.rows(source, [...new Set([date, of, ...by.map(([, column]) => column)])]);
  const read = rowDayReader(await store.kind(source, date), { timeZone, grain: grain === 'day' ? 'day' : 'coarse' });
  const texts = await Promise.all(by.map(async ([, column]) => [column, textReader(await store.kind(source, column), timeZone)] as const));
  const factors = rows.map((row) => plainOf(row[of], model.sources.get(source)?.numbers ?? 'plain'));
  const days = rows.map((row) => dayOf(read(row[date])));
  const there = days.filter((day) => day !== undefined);
  const [first, last] = [there.reduce((a, b) => Math.min(a, b), LAST_DAY), there.reduce((a, b) => Math.max(a, b), FIRST_DAY)];
  const periods = grain === 'day' || there.length === 0 ? [] : await ratePeriods(model, store.rows, rate, first, last);
  const dated = rows.flatMap((row, k) => {
    const day = days[k];
    return day === undefined || factors[k] === undefined ? [] : [{ key: texts.map(([column, text]) => text(row[column])), day, row: k }];
  });
  return { rate, versions: ratesByKey(dated, rate, periods, source), factors };
};

const later = (a: unknown, b: unknown): boolean => {
  if (a instanceof Date && b instanceof Date) return a > b;
  if (typeof a === 'number' && typeof b === 'number') return a > b;
  return String(a ?? '') > String(b ?? '');
};

/** A fact's rows as they stand in their source, and what reads each column. */
interface Reading {
  readonly fact: Fact;
  readonly model: Model;
  readonly dimensions: ReadonlyMap<string, TextsByKey | undefined>;
  readonly rates: ReadonlyMap<string, RateRows>;
  readonly kindOf: (column: string) => ColumnKind;
  readonly textOf: (row: Row, column: string) => string;
}

/** The factor of a rate that holds on the row's date (G10). */
const rateOf = ({ fact, rates, textOf }: Reading, row: Row, name: string, role?: string): Plain | undefined => {
  const found = rates.get(name);
  const [first] = fact.roles.keys();
  if (!found) return undefined;
  const key = JSON.stringify(found.rate.by.map(([own]) => textOf(row, own)));
  const held = versionAt(found.versions.get(key), row.days[role ?? first]);
  return held && found.factors[held.row];
};

const numberOf = (reading: Reading, row: Row, name: string): Plain | undefined => {
  const { fact, model } = reading;
  const expression = fact.columns.get(name);
  if (expression)
    return computed(expression, {
      named: (column) => numberOf(reading, row, column),
      rate: (rate, role) => rateOf(reading, row, rate, role),
    });
  return plainOf(row.raw[name], model.sources.get(fact.source)?.numbers ?? 'plain');
};

const bandOf = (reading: Reading, row: Row, name: string): string => {
  const own = reading.fact.bands.get(name);
  const amount = own && numberOf(reading, row, own.of);
  const at = own && amount !== undefined ? own.starts.findLastIndex((start) => start <= doubleOf(amount)) : -1;
  return own?.labels[at] ?? NONE;
};

const memberOf = (reading: Reading, row: Row, attribute: AttributeRef, heldOn: Day = LAST_DAY): string => {
  const { fact, dimensions, textOf } = reading;
  if (attribute.kind === 'band') return bandOf(reading, row, attribute.key);
  const way = reach(fact, attribute);
  if (way === undefined || typeof way === 'string' || attribute.kind !== 'attribute')
    throw new Error(`${fact.name} does not reach ${attribute.key}`);
  const text = textOf(row, way.column);
  if (text === '') return NONE;
  const table = dimensions.get(way.dimension.name);
  if (!table) return memberText(text);
  if (way.attribute === undefined) {
    const day = way.at === undefined ? FIRST_DAY : way.at === NOW ? heldOn : row.days[way.at];
    return versionAt(table.get(text), day)?.texts.get(attribute.attribute) ?? UNKNOWN;
  }
  const own = memberText(text);
  for (const versions of table.values()) if (versions.some(({ texts }) => texts.get(attribute.attribute) === own)) return own;
  return UNKNOWN;
};

const passesFilter = (reading: Reading, row: Row, filter: Filter, heldOn?: Day): boolean => {
  switch (filter.kind) {
    case 'members':
      return passes(memberOf(reading, row, filter.attribute, heldOn), filter.test);
    case 'combinations': {
      const own = filter.attributes.map((attribute) => memberOf(reading, row, attribute, heldOn));
      return filter.list.some((tuple) => tuple.every((text, k) => text === own[k])) === (filter.keep === 'listed');
    }
    case 'days': {
      const day = row.days[filter.role];
      return day !== undefined && filter.stretches.some(([first, last]) => day >= first && day <= last);
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
};

const dayOf = (day: Day | undefined): Day | undefined => (day === NO_DAY ? undefined : day);

/** Of each key the last revision recorded by a day (G7). */
const lastRevisions = ({ fact, model, kindOf, textOf }: Reading, among: readonly Row[], knownBy: Day | undefined): readonly Row[] => {
  const { recorded } = fact;
  if (recorded === undefined) return among;
  const recordedOn = rowDayReader(kindOf(recorded), { timeZone: model.timeZone, grain: 'day' });
  const last = new Map<string, Row>();
  for (const row of among) {
    const at = dayOf(recordedOn(row.raw[recorded]));
    if (knownBy !== undefined && (at === undefined || at > knownBy)) continue;
    const key = JSON.stringify(fact.versionKey.map((column) => textOf(row, column)));
    const before = last.get(key);
    const beforeAt = before && dayOf(recordedOn(before.raw[recorded]));
    const newer =
      at !== beforeAt
        ? (at ?? Number.NEGATIVE_INFINITY) > (beforeAt ?? Number.NEGATIVE_INFINITY)
        : later(row.raw[recorded], before?.raw[recorded]);
    if (!before || newer) last.set(key, row);
  }
  return [...last.values()];
};

/** Rows of a fact with their dates read, and what each column is read by. */
const readRows = async (fact: Fact, model: Model, store: Store, tables: Pick<Reading, 'dimensions' | 'rates'>) => {
  const { timeZone } = model;
  const columns = [...new Set(usedColumns(fact, model).map(({ column }) => column))].filter((column) => !fact.columns.has(column));
  const raws = await store.rows(fact.source, columns);
  const kinds = new Map<string, ColumnKind>();
  for (const column of columns) kinds.set(column, await store.kind(fact.source, column));
  const kindOf = (column: string): ColumnKind => kinds.get(column) ?? 'mixed';
  const grain = fact.grain === 'day' ? 'day' : 'coarse';
  const readers = [...fact.roles.values()].map(({ name, column, format, blankDates }) => {
    return { name, column, read: rowDayReader(kindOf(column), { timeZone, format, blankDates, grain }) };
  });
  const texts = new Map(columns.map((column) => [column, textReader(kindOf(column), timeZone)]));
  const reading: Reading = { fact, model, ...tables, kindOf, textOf: (row, column) => texts.get(column)?.(row.raw[column]) ?? '' };
  const rows = raws.map((raw): Row => {
    return { raw, days: Object.fromEntries(readers.map(({ name, column, read }) => [name, dayOf(read(raw[column]))])) };
  });
  return { rows, reading };
};

/** Reads all rows of a fact through the engine, each value as it stands there. */
export const factRows = async (
  fact: Fact,
  model: Model,
  store: Store,
  tables: Pick<Reading, 'dimensions' | 'rates'>,
  fixed: readonly Filter[],
): Promise<FactRows> => {
  const { rows, reading } = await readRows(fact, model, store, tables);
  const anyText = keyReader('mixed', model.timeZone);
  const seen = rows.filter((row) => fixed.every((filter) => passesFilter(reading, row, filter)));
  return {
    fact,
    member: (row, attribute, heldOn) => memberOf(reading, row, attribute, heldOn),
    value: (row, value, workingDays) => {
      if (value.kind === 'column') return numberOf(reading, row, value.column);
      const [from, until] = [row.days[value.from], row.days[value.until]];
      if (from === undefined || until === undefined) return undefined;
      return plainOf(value.days === 'all' ? until - from : workingDays?.(from, until));
    },
    present: (row, column) => (fact.columns.has(column) ? numberOf(reading, row, column) !== undefined : !isBlank(row.raw[column])),
    key: (row, column) => {
      const raw = row.raw[column];
      if (!fact.columns.has(column)) return isBlank(raw) ? '' : raw instanceof Date ? raw.toISOString() : anyText(raw);
      const value = numberOf(reading, row, column);
      return value === undefined ? '' : String(doubleOf(value));
    },
    passes: (row, filter, heldOn) => passesFilter(reading, row, filter, heldOn),
    known: ({ knownBy, hidden }) => lastRevisions(reading, hidden === 'counted' ? rows : seen, knownBy),
  };
};
