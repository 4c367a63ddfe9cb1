// Facts and dimensions in typed arrays, each list made when first asked for.
import { upperBound } from '../../basics/search.ts';
import { type Day, LAST_DAY, NO_DAY } from '../../calendar/day.ts';
import { type AttributeRef, memberText, NONE, UNKNOWN } from '../../model/attributes.ts';
import { rateKey, usedRates } from '../../model/columns.ts';
import { orderedMembers } from '../../model/members.ts';
import { type Dimension, type Fact, type Model, NOW } from '../../model/model.ts';
import { rowMapOf } from '../../plan/members/kinds.ts';
import type { KeyDayMap, KeyMap, ThresholdMap } from '../../plan/members/map.ts';
import type { DataNote, RowValue, WorkingDays } from '../../plan/request.ts';
import { badDatesNote, doubledKey, unknownColumn } from '../shared/faults.ts';
import type { Table } from '../shared/table.ts';
import { isBlank, keyReader } from '../shared/values.ts';
import { type Held, heldDays, versionAt, versionsByKey } from '../shared/versions.ts';
import { type Codes, type DayColumn, encode, type NumberColumn, readDays, readNumbers } from './columns.ts';
import { computeColumn } from './compute.ts';
import { type Lists, PLAIN_LISTS } from './lists.ts';
import { factorColumn, missingIn, type RateData } from './rates.ts';

/** A version of a key, and the row that it stands in. */
interface Version extends Held {
  readonly row: number;
}

/** A dimension's table: rows by key, texts by attribute. */
export interface DimensionData {
  readonly dimension: Dimension;
  /** Row of each key text. */
  readonly rowOf: ReadonlyMap<string, number>;
  /** Of a dimension with versions: those of each key text, in order (G9). */
  readonly versions: ReadonlyMap<string, readonly Version[]> | undefined;
  readonly rows: number;
  /** Texts of an attribute, one a row; `(none)` where blank. */
  readonly texts: (attribute: string) => readonly string[];
  /** Distinct texts of an attribute in member order (R1), of the rows that pass. */
  readonly members: (attribute: string, passes: (row: number) => boolean) => readonly string[];
}

/** Versions of a dimension's keys with the days on which they hold (G9); undefined where it has none. */
const versionsIn = (dimension: Dimension, table: Table, timeZone: string, hidden: boolean, keyAt: (row: number) => string) => {
  const { valid } = dimension;
  if (!valid) return undefined;
  const daysIn = (column: string): Int32Array =>
    readDays(table.column(column), table.kind(column), { timeZone, grain: 'day' }, 'error', { table, column }, PLAIN_LISTS).days;
  const [from, until] = [daysIn(valid.from), daysIn(valid.until)];
  const dayAt = (days: Int32Array, row: number): number | undefined => (days[row] === NO_DAY ? undefined : days[row]);
  const rows = Array.from(
    { length: table.rows },
    (_, row) => [keyAt(row), { ...heldDays(dayAt(from, row), dayAt(until, row)), row }] as const,
  );
  return versionsByKey(rows, table.name, dimension, hidden);
};

/** Reads a dimension; a key that stands twice is an error (G8), which tells no key where rows are hidden (V3). */
export const dimensionData = (dimension: Dimension, table: Table, timeZone: string, hidden: boolean): DimensionData => {
  const name = dimension.key as string;
  const keys = table.column(name);
  const keyText = keyReader(table.kind(name), timeZone);
  const rowOf = new Map<string, number>();
  const keyAt = (row: number): string => (isBlank(keys[row]) ? '' : keyText(keys[row]));
  const versions = versionsIn(dimension, table, timeZone, hidden, keyAt);
  for (let i = 0; i < table.rows; i++) {
    const key = keyAt(i);
    if (!versions && rowOf.has(key)) {
      throw doubledKey(table.name, dimension, hidden ? undefined : key, hidden ? undefined : [(rowOf.get(key) as number) + 1, i + 1]);
    }
    rowOf.set(key, i);
  }
  const texts = new Map<string, readonly string[]>();
  const textsOf = (name: string): readonly string[] => {
    let list = texts.get(name);
    if (!list) {
      const own = dimension.attributes.get(name)?.column as string;
      const column = table.column(own);
      const textOf = keyReader(table.kind(own), timeZone);
      list = Array.from({ length: table.rows }, (_, i) => (isBlank(column[i]) ? NONE : memberText(textOf(column[i]))));
      texts.set(name, list);
    }
    return list;
  };
  // A wrong column is found now, not at the first question that needs it.
  for (const attribute of dimension.attributes.values()) {
    table.column(attribute.column);
    if (attribute.order !== undefined) table.column(attribute.order);
  }
  return {
    dimension,
    rowOf,
    versions,
    rows: table.rows,
    texts: textsOf,
    members: (name, passes) => {
      const order = dimension.attributes.get(name)?.order;
      const ranks = order === undefined ? undefined : table.column(order);
      return orderedMembers(
        textsOf(name).flatMap((text, row) => (passes(row) ? [[text, ranks?.[row]] as const] : [])),
        ranks ? 'ranked' : 'by-text',
      );
    },
  };
};

/** A row's member of an attribute as a code, and the texts of the codes. */
export interface MemberCodes {
  readonly codes: Codes;
  readonly texts: readonly string[];
}

/** A fact's rows in typed arrays; everything beyond the dates is made when first asked for and kept. */
export interface FactData {
  readonly fact: Fact;
  readonly table: Table;
  readonly rows: number;
  readonly roles: ReadonlyMap<string, DayColumn>;
  readonly notes: readonly DataNote[];
  readonly numbers: (column: string) => NumberColumn;
  /** Working days between two dates need a calendar that covers them. */
  readonly value: (value: RowValue, workingDays?: WorkingDays) => NumberColumn;
  /** Which values of a column are blank: what a count needs, of texts as well as of numbers. */
  readonly presence: (column: string) => NumberColumn;
  /** Whether any row has `until` before `from`. */
  readonly reversed: (from: string, until: string) => boolean;
  readonly members: (attribute: AttributeRef) => MemberCodes;
  /** How a column's values are told apart and shown as keys; a blank is an empty text. */
  readonly keyText: (column: string) => (value: unknown) => string;
  /** Distinct values of a column as codes, -1 where blank. */
  readonly keys: (column: string) => { readonly codes: Int32Array; readonly count: number };
}

const keyCodes = (
  { link, attribute }: KeyMap,
  table: Table,
  dimensions: ReadonlyMap<string, DimensionData>,
  timeZone: string,
  lists: Lists,
): MemberCodes => {
  const raw = table.column(link.column);
  const keyText = keyReader(table.kind(link.column), timeZone);
  const data = dimensions.get(link.dimension.name);
  if (!data) {
    // Without a table the column's values are the members.
    const texts: string[] = [];
    const known = new Map<string, number>();
    const codeOf = (value: unknown): number => {
      const text = value === null ? NONE : memberText(keyText(value));
      let code = known.get(text);
      if (code === undefined) {
        code = texts.push(text) - 1;
        known.set(text, code);
      }
      return code;
    };
    const codes = encode(raw, Number.POSITIVE_INFINITY, codeOf, lists);
    return { codes, texts };
  }
  const texts: string[] = [];
  const codeOf = new Map<string, number>();
  const codeOfText = (text: string): number => {
    let code = codeOf.get(text);
    if (code === undefined) {
      code = texts.push(text) - 1;
      codeOf.set(text, code);
    }
    return code;
  };
  const rowTexts = data.texts(attribute);
  const rowCodes = rowTexts.map(codeOfText);
  const [none, unknown] = [codeOfText(NONE), codeOfText(UNKNOWN)];
  const byText = new Map(codeOf);
  const memberOf = (value: unknown): number => {
    if (value === null) return none;
    const text = keyText(value);
    if (link.attribute !== undefined) return byText.get(memberText(text)) ?? unknown;
    const row = data.rowOf.get(text);
    return row === undefined ? unknown : rowCodes[row];
  };
  const codes = encode(raw, texts.length, memberOf, lists);
  return { codes, texts };
};

/** Members by key and day: the version of each row's key that holds on its day (G9). */
const keyDayCodes = (
  { link, attribute }: KeyDayMap,
  days: Int32Array | Day,
  table: Table,
  dimensions: ReadonlyMap<string, DimensionData>,
  timeZone: string,
  lists: Lists,
): MemberCodes => {
  const raw = table.column(link.column);
  const keyText = keyReader(table.kind(link.column), timeZone);
  const data = dimensions.get(link.dimension.name) as DimensionData;
  const texts: string[] = [];
  const codeOf = new Map<string, number>();
  const codeOfText = (text: string): number => {
    const code = codeOf.get(text) ?? texts.push(text) - 1;
    codeOf.set(text, code);
    return code;
  };
  const rowCodes = data.texts(attribute).map(codeOfText);
  const [none, unknown] = [codeOfText(NONE), codeOfText(UNKNOWN)];
  const blank = -1;
  const byKey: (readonly Version[])[] = [];
  const known = new Map<string, number>();
  const keyCode = (value: unknown): number => {
    if (value === null) return blank;
    const text = keyText(value);
    const code = known.get(text) ?? byKey.push(data.versions?.get(text) ?? []) - 1;
    known.set(text, code);
    return code;
  };
  const keys = Int32Array.from(encode(raw, Number.POSITIVE_INFINITY, keyCode, PLAIN_LISTS));
  const codes = lists.make(Int32Array, table.rows);
  for (let row = 0; row < codes.length; row++) {
    if (keys[row] === blank) {
      codes[row] = none;
      continue;
    }
    const day = typeof days === 'number' ? days : days[row];
    const held = day === NO_DAY ? undefined : versionAt(byKey[keys[row]], day);
    codes[row] = held ? rowCodes[held.row] : unknown;
  }
  return { codes, texts };
};

/** Tables that rows of facts are looked up in. */
export interface Lookups {
  readonly dimensions: ReadonlyMap<string, DimensionData>;
  readonly rates: ReadonlyMap<string, RateData>;
}

/** Reads a fact: dates of all roles at once, so that bad ones are told before any number is shown (D3). */
export const factData = (fact: Fact, table: Table, model: Model, tables: Lookups, lists: Lists): FactData => {
  const roles = new Map<string, DayColumn>();
  const notes: DataNote[] = [];
  for (const role of fact.roles.values()) {
    const { column, format, blankDates, onBadDate } = role;
    const rules = { timeZone: model.timeZone, format, blankDates, grain: fact.grain === 'day' ? ('day' as const) : ('coarse' as const) };
    const days = readDays(table.column(column), table.kind(column), rules, onBadDate, { table, column }, lists);
    if (days.bad > 0) notes.push(badDatesNote(fact.name, role.name, column, days.bad));
    roles.set(role.name, days);
  }
  const data = rowData(fact, table, model, tables, lists, roles);
  for (const { rate, role } of usedRates(fact, model)) {
    const missing = missingIn(fact, rate, role, daysOf(roles, role), data.numbers(rateKey(rate.name, role)));
    if (missing) notes.push(missing);
  }
  return { ...data, notes };
};

/** A table's rows with what they are read by. */
interface Reading {
  readonly fact: Fact;
  readonly table: Table;
  readonly model: Model;
  readonly lists: Lists;
  readonly rates: Lookups['rates'];
  readonly roles: Roles;
}

/** Something by name, made when it is first asked for and kept. */
const keptBy = <K, T>(keyOf: (asked: K) => string, make: (asked: K) => T, known = new Map<string, T>()): ((asked: K) => T) => {
  return (asked) => {
    const key = keyOf(asked);
    const before = known.get(key);
    if (before !== undefined) return before;
    const made = make(asked);
    known.set(key, made);
    return made;
  };
};

const numbersIn = (
  { fact, table, model, lists, rates, roles }: Reading,
  known: Map<string, NumberColumn>,
): ((name: string) => NumberColumn) => {
  const { numbers: form = 'plain' } = model.sources.get(fact.source) ?? {};
  const used = new Map(usedRates(fact, model).map((one) => [rateKey(one.rate.name, one.role), one]));
  const numbers: (name: string) => NumberColumn = keptBy(
    String,
    (name) => {
      const rated = used.get(name);
      if (rated) {
        const factors = factorColumn(rates.get(rated.rate.name) as RateData, daysOf(roles, rated.role), table, model.timeZone);
        return { ...factors, values: lists.own(factors.values) };
      }
      const expression = fact.columns.get(name);
      if (!expression && !table.has(name)) throw unknownColumn(table.name, name, [...table.columnNames, ...fact.columns.keys()]);
      const column = expression
        ? computeColumn(expression, table.rows, numbers)
        : readNumbers(table.column(name), table.kind(name), { table, column: name }, form, lists);
      return { ...column, values: lists.own(column.values) };
    },
    known,
  );
  return numbers;
};

const bandCodes = ({ band }: ThresholdMap, numbers: (name: string) => NumberColumn, lists: Lists): MemberCodes => {
  const { values, scale } = numbers(band.of);
  const factor = 10 ** Math.max(scale, 0);
  // Decimals of a start may not come out even: 1.1 x 100 is a little more than 110.
  const starts = band.starts.map((start) =>
    Math.abs(Math.round(start * factor) - start * factor) < 1e-6 ? Math.round(start * factor) : start * factor,
  );
  const none = band.labels.length;
  const codes = lists.make(Uint8Array, values.length);
  for (let i = 0; i < values.length; i++) {
    const at = values[i] === values[i] ? upperBound(starts, values[i]) - 1 : -1;
    codes[i] = at < 0 ? none : at;
  }
  return { codes, texts: [...band.labels, NONE] };
};

type Roles = FactData['roles'];
const daysOf = (roles: Roles, role: string): Int32Array => (roles.get(role) as DayColumn).days;

/** Days, or working days, between two dates of each row. */
const daysBetween = (
  { from, until, days }: Extract<RowValue, { kind: 'days-between' }>,
  roles: Roles,
  lists: Lists,
  workingDays: WorkingDays | undefined,
): NumberColumn => {
  const [first, last] = [daysOf(roles, from), daysOf(roles, until)];
  const values = new Float64Array(first.length).fill(Number.NaN);
  for (let i = 0; i < values.length; i++) {
    if (first[i] === NO_DAY || last[i] === NO_DAY) continue;
    values[i] = days === 'all' ? last[i] - first[i] : (workingDays?.(first[i], last[i]) ?? Number.NaN);
  }
  return { values: lists.own(values), blanks: true, scale: 0 };
};

/** 1 where a column has a value, blank elsewhere. */
const presenceOf = (raw: ArrayLike<unknown>, lists: Lists): NumberColumn => {
  const integers = raw instanceof Int32Array;
  const blank = Uint8Array.from(raw as ArrayLike<never>, (value) => (isBlank(value) || (integers && value === NO_DAY) ? 1 : 0));
  const blanks = blank.includes(1);
  const values = blanks ? Float64Array.from(blank, (is) => (is === 1 ? Number.NaN : 1)) : new Float64Array(0);
  return { values: lists.own(values), blanks, scale: 0 };
};

/** Whether some row ends before it begins. */
const anyReversed = (from: Int32Array, until: Int32Array): boolean => {
  for (let i = 0; i < from.length; i++) if (until[i] < from[i] && until[i] !== NO_DAY) return true;
  return false;
};

/** Distinct values as codes. Numbers and texts that look alike are one value; points in time are told apart to their last digit. */
const valueKeys = (raw: Parameters<typeof encode>[0], sameText: (value: unknown) => string) => {
  const byText = new Map<string, number>();
  const codeOf = (value: unknown): number => {
    if (value === null) return -1;
    const text = value instanceof Date ? value.toISOString() : sameText(value);
    const code = byText.get(text) ?? byText.size;
    byText.set(text, code);
    return code;
  };
  const codes = Int32Array.from(encode(raw, Number.POSITIVE_INFINITY, codeOf, PLAIN_LISTS));
  return { codes, count: byText.size };
};

/** What single rows say: numbers, members, keys. Everything is made when it is first asked for and kept. */
export const rowData = (
  fact: Fact,
  table: Table,
  model: Model,
  tables: Lookups,
  lists: Lists,
  roles: Roles,
  /** The day on which versions hold that are taken now (G9). */
  heldOn: Day = LAST_DAY,
): Omit<FactData, 'notes'> => {
  const read = new Map<string, NumberColumn>();
  const numbers = numbersIn({ fact, table, model, lists, rates: tables.rates, roles }, read);
  const sameText = keyReader('mixed', model.timeZone);
  const spans = new Map<string, NumberColumn>();
  const presences = keptBy(String, (name: string) => presenceOf(table.column(name), lists));
  const members = keptBy(
    ({ key }: AttributeRef) => key,
    (attribute) => {
      const map = rowMapOf(fact, attribute);
      if (map === undefined) throw new Error(`${fact.name} does not reach ${attribute.key}`);
      if (map.kind === 'thresholds') return bandCodes(map, numbers, lists);
      if (map.kind === 'key') return keyCodes(map, table, tables.dimensions, model.timeZone, lists);
      const days = map.at === NOW ? heldOn : daysOf(roles, map.at);
      return keyDayCodes(map, days, table, tables.dimensions, model.timeZone, lists);
    },
  );
  const reversals = keptBy(
    (pair: readonly [string, string]) => pair.join(' '),
    ([from, until]) => anyReversed(daysOf(roles, from), daysOf(roles, until)),
  );
  return {
    fact,
    table,
    rows: table.rows,
    roles,
    numbers,
    value: (value, workingDays) => {
      if (value.kind === 'column') return numbers(value.column);
      const key = `${value.from} ${value.until} ${value.days}`;
      const column = spans.get(key) ?? daysBetween(value, roles, lists, workingDays);
      spans.set(key, column);
      return column;
    },
    // What has been read as numbers says which of them are blank.
    presence: (name) => (fact.columns.has(name) || read.has(name) ? numbers(name) : presences(name)),
    reversed: (from, until) => reversals([from, until]),
    members,
    keyText: (name) => {
      const text = keyReader(table.kind(name), model.timeZone);
      return (value) => (isBlank(value) || value === NO_DAY ? '' : text(value));
    },
    keys: keptBy(String, (name: string) => valueKeys(fact.columns.has(name) ? numbers(name).values : table.column(name), sameText)),
  };
};
