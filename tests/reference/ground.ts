// State shared by all cells of a question: visible rows, calendar lookups, filters.
import type { Fact, Model } from '../../src/model/model.ts';
import type { Question } from '../../src/model/schema.ts';
import { fromIso, iso, type RefUnit, refUnit, remembered, type Span } from './time.ts';

/** A row: days by role, member texts by attribute, numbers and keys by column. */
export interface RefRow {
  readonly dates: Readonly<Record<string, number | undefined>>;
  readonly members: Readonly<Record<string, string>>;
  /** Members that depend on the as-of date (G9). */
  readonly now?: (asOf: number) => Readonly<Record<string, string>>;
  readonly columns: Readonly<Record<string, number | string | undefined>>;
  /** The day a revision was recorded. */
  readonly recorded?: number;
}

export interface RefWorld {
  readonly model: Model;
  readonly rows: Readonly<Record<string, readonly RefRow[]>>;
  /** Attributes of each fact, by their names in questions. */
  readonly reaches: Readonly<Record<string, readonly string[]>>;
  readonly listed: ReadonlyMap<string, readonly Span[]>;
  /** Names of listed periods, by their first day. */
  readonly names: ReadonlyMap<number, string>;
  readonly holidays: ReadonlySet<number>;
  /** Fixed filters (V3). */
  readonly fixed: Readonly<Record<string, readonly string[]>>;
  readonly products: readonly { readonly product: string; readonly family: string }[];
}

export type Tuple = Readonly<Record<string, string>>;

/** The as-of and known-by date of a reading. */
export interface RefSeen {
  readonly asOf: number;
  readonly knownBy: number;
}

export interface Ground {
  readonly world: RefWorld;
  readonly model: Model;
  readonly per: readonly string[];
  readonly own: RefSeen;
  /** Filters on members, and on recurring attributes of days. */
  readonly filters: readonly MemberTest[];
  readonly dayFilters: readonly MemberTest[];
  /** Filters that select axis rows (U13). */
  readonly rowFilters: readonly MemberTest[];
  /** Memoizes values that do not depend on the cell. */
  readonly once: <T>(key: string, of: () => T) => T;
  readonly idOf: (of: unknown) => number;
  readonly unit: (name: string) => RefUnit;
  readonly grainOf: (fact: Fact) => RefUnit;
  readonly isWorking: (d: number) => boolean;
  readonly rowsOf: (fact: Fact, knownBy?: number) => readonly RefRow[];
  /** All rows and revisions, whenever they were recorded. */
  readonly everyRow: (fact: Fact) => readonly RefRow[];
  readonly visibleOf: (fact: Fact, seen: RefSeen) => readonly RefRow[];
  /** First and last day of a fact in a role (W11), whole periods for coarse facts. */
  readonly history: (fact: Fact, role: string, knownBy: number) => Span | undefined;
  /** The member of a calendar attribute on a day (U11). */
  readonly standing: (name: string, d: number) => string;
}
interface MemberTest {
  readonly name: string;
  readonly keep: ReadonlySet<string>;
}

export const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
export const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
export const weekdayIndex = (d: number): number => (((d + 3) % 7) + 7) % 7;
/** Whether an attribute is a calendar attribute (U11). */
export const isOfDays = (name: string): boolean => ['weekday', 'working-day', 'season', 'year'].includes(name) || name.includes('-of-');
export const tupleKey = (names: readonly string[], members: Tuple): string => JSON.stringify(names.map((name) => members[name]));

/** Rows that are not hidden (V3). */
const allowedRows = ({ rows, reaches, fixed }: RefWorld, fact: Fact): readonly RefRow[] =>
  rows[fact.name].filter((row) =>
    Object.entries(fixed).every(([name, keep]) => !reaches[fact.name].includes(name) || keep.includes(row.members[name])),
  );

/** Rows recorded by a date: the last revision of each key (G7). */
const rowsKnown = (world: RefWorld, fact: Fact, knownBy: number): readonly RefRow[] => {
  const all = allowedRows(world, fact).filter((row) => (row.recorded ?? 0) <= knownBy);
  if (fact.recorded === undefined) return all;
  const keyOf = (row: RefRow) => JSON.stringify(fact.versionKey.map((name) => row.columns[name] ?? null));
  return all.filter((row) => !all.some((other) => keyOf(other) === keyOf(row) && (other.recorded ?? 0) > (row.recorded ?? 0)));
};

export const groundOf = (world: RefWorld, question: Question): Ground => {
  const { model } = world;
  const found = new Map<string, unknown>();
  const once = <T>(key: string, of: () => T): T => {
    if (!found.has(key)) found.set(key, of());
    return found.get(key) as T;
  };
  const ids = new Map<unknown, number>();
  const unit = (name: string): RefUnit => once(`unit ${name}`, () => refUnit(name, model, world.listed));
  const grainOf = (fact: Fact) => unit(fact.grain);
  const isWorking = (d: number): boolean => weekdayIndex(d) < 5 && !world.holidays.has(d);
  const ownKnownBy = question.knownBy === undefined ? Number.POSITIVE_INFINITY : fromIso(question.knownBy);
  const rowsOf = (fact: Fact, knownBy = ownKnownBy) => once(`rows ${fact.name} ${knownBy}`, () => rowsKnown(world, fact, knownBy));
  const latest = () =>
    Math.max(
      ...[...model.facts.values()]
        .filter(({ horizon }) => horizon === 'actual')
        .flatMap((fact) => {
          const [role] = fact.roles.keys();
          return rowsOf(fact).flatMap(({ dates }) => {
            const d = dates[role];
            return d === undefined ? [] : [grainOf(fact).at(d)?.end ?? d];
          });
        }),
    );
  const standingOf = (name: string, d: number): string => {
    if (name === 'weekday') return WEEKDAYS[weekdayIndex(d)];
    if (name === 'working-day') return isWorking(d) ? 'yes' : 'no';
    if (name === 'month-of-year') return MONTHS[Number(iso(d).slice(5, 7)) - 1];
    const [inner, outer] = name.split('-of-');
    const period = unit(inner).at(d);
    if (outer === undefined) return name === 'year' ? iso(d).slice(0, 4) : (world.names.get(period?.start ?? Number.NaN) ?? '(none)');
    const whole = unit(outer).at(d);
    if (!period || !whole) return '(none)';
    let number = 1;
    for (let p: Span | undefined = unit(inner).at(whole.start); p && p.start < period.start; p = unit(inner).step(p, 1)) number++;
    return String(number);
  };
  /** Whether a filter selects axis rows (U13). */
  const isOfRows = (name: string): boolean => {
    if (!name.includes('-of-')) return ['year', 'season'].includes(name);
    const { by } = question;
    if (typeof by !== 'string' || !model.units.includes(by)) return false;
    const [rows, inner] = [unit(by), unit(name.split('-of-')[0])];
    let first = fromIso('2024-01-01');
    while (!rows.at(first)) first++;
    for (let p = rows.at(first); p && p.start < fromIso('2026-12-31'); p = rows.step(p, 1))
      if (inner.at(p.start)?.start !== inner.at(p.end)?.start || !inner.at(p.start)) return false;
    return true;
  };
  const tests = Object.entries(question.where ?? {}).map(([name, test]) => ({ name, keep: new Set([test].flat().map(String)) }));
  return {
    world,
    model,
    per: question.per ?? [],
    own: { asOf: question.asOf === undefined || question.asOf === 'latest' ? latest() : fromIso(question.asOf), knownBy: ownKnownBy },
    filters: tests.filter(({ name }) => !isOfDays(name)),
    dayFilters: tests.filter(({ name }) => isOfDays(name) && !isOfRows(name)),
    rowFilters: tests.filter(({ name }) => isOfDays(name) && isOfRows(name)),
    once,
    idOf: (of) => {
      if (!ids.has(of)) ids.set(of, ids.size);
      return ids.get(of) as number;
    },
    unit,
    grainOf,
    isWorking,
    rowsOf,
    everyRow: (fact) => allowedRows(world, fact),
    visibleOf: (fact, { asOf, knownBy }) =>
      once(`visible ${fact.name} ${knownBy} ${asOf}`, () =>
        rowsOf(fact, knownBy)
          .filter((row) => {
            const entered = fact.enters === undefined ? undefined : row.dates[fact.enters];
            return !(entered !== undefined && entered > asOf);
          })
          .map((row) => (row.now ? { ...row, members: { ...row.members, ...row.now(asOf) } } : row)),
      ),
    history: (fact, role, knownBy) =>
      once(`history ${fact.name} ${role} ${knownBy}`, () => {
        const days = rowsOf(fact, knownBy).flatMap(({ dates }) => dates[role] ?? []);
        if (days.length === 0) return undefined;
        const grain = grainOf(fact);
        const start = Math.min(...days.map((d) => grain.at(d)?.start ?? d));
        return { start: fact.begins ?? start, end: Math.max(...days.map((d) => grain.at(d)?.end ?? d)) };
      }),
    standing: (name, d) => once(`standing ${name}`, () => remembered((own: number) => standingOf(name, own)))(d),
  };
};
