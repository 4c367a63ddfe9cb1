import { parseReading } from '../../src/language/parse.ts';
import type { Expression, Form, Modifiers } from '../../src/language/syntax.ts';
import type { Fact, Measure, Model, NamedWindow } from '../../src/model/model.ts';
import type { Question } from '../../src/model/schema.ts';
import { parseAgainst, parseWindow } from '../../src/windows/syntax.ts';
import {
  iso,
  plusMonths,
  type RefComparison,
  type RefLaid,
  type RefPlace,
  type RefTime,
  type RefUnit,
  refAnchored,
  refCompare,
  refLay,
  refPlace,
  refSeen,
  refSeenPlace,
  refUnit,
  remembered,
  type Span,
  ymd,
} from './time.ts';

/** A row as the reference sees it: days by role, member texts by attribute, numbers and keys by column. */
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
  /** Attributes that each fact reaches, as questions name them. */
  readonly reaches: Readonly<Record<string, readonly string[]>>;
  readonly listed: ReadonlyMap<string, readonly Span[]>;
  /** Names of listed periods, by their first day. */
  readonly names: ReadonlyMap<number, string>;
  readonly holidays: ReadonlySet<number>;
  /** Filters fixed when the book was opened (V3). */
  readonly fixed: Readonly<Record<string, readonly string[]>>;
  readonly products: readonly { readonly product: string; readonly family: string }[];
}

type Cell = { readonly kind: 'value'; readonly v: number } | { readonly kind: 'nothing' } | { readonly kind: 'blank' };
const BLANK: Cell = { kind: 'blank' };
const value = (v: number): Cell => (Number.isFinite(v) ? { kind: 'value', v } : BLANK);

/** The as-of and known-by date at which a reading looks. */
interface RefSeen {
  readonly asOf: number;
  readonly knownBy: number;
}

/** What was looked at behind some cells: rows, and days of a calendar member. */
interface Seen {
  any: boolean;
  days: boolean;
}
const notSeen = (): Seen => ({ any: false, days: false });

const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const ORDERS: Readonly<Record<string, readonly string[]>> = {
  size: ['small', 'large'],
  weekday: WEEKDAYS,
  'working-day': ['yes', 'no'],
  'month-of-year': MONTHS,
};
const isTaken = (across: 'all' | 'time' | readonly string[] | undefined, name: string): boolean =>
  across === 'all' || (across !== 'time' && (across?.includes(name) ?? false));
const SIGNS: Readonly<Record<string, (a: number, b: number) => boolean>> = {
  '<': (a, b) => a < b,
  '<=': (a, b) => a <= b,
  '>': (a, b) => a > b,
  '>=': (a, b) => a >= b,
  '=': (a, b) => a === b,
  '!=': (a, b) => a !== b,
};
/** Attributes of days instead of rows (U11). */
const isOfDays = (name: string): boolean => ['weekday', 'working-day', 'season', 'year'].includes(name) || name.includes('-of-');

export interface RefAnswer {
  /** Names of the axis periods, in order. */
  readonly labels: readonly string[];
  readonly rows: readonly (readonly (string | number | null)[])[];
  readonly totals: readonly (readonly (string | number | null)[])[];
}

/** Answers a question row by row: for every cell it looks at every row of the fact. Slow, and meant to be read. */
export const reference = (world: RefWorld, question: Question): RefAnswer => {
  const { model } = world;
  const per = question.per ?? [];
  /** What does not depend on the cell is found out once. */
  const found = new Map<string, unknown>();
  const once = <T>(key: string, of: () => T): T => {
    if (!found.has(key)) found.set(key, of());
    return found.get(key) as T;
  };
  const ids = new Map<unknown, number>();
  const idOf = (of: unknown): number => {
    if (!ids.has(of)) ids.set(of, ids.size);
    return ids.get(of) as number;
  };
  const units = new Map<string, RefUnit>();
  const unit = (name: string): RefUnit => {
    const found = units.get(name) ?? refUnit(name, model, world.listed);
    units.set(name, found);
    return found;
  };
  const working = (d: number): boolean => (((d + 3) % 7) + 7) % 7 < 5 && !world.holidays.has(d);
  const grainOf = (fact: Fact) => unit(fact.grain);
  const ownKnownBy = question.knownBy === undefined ? Number.POSITIVE_INFINITY : Date.parse(`${question.knownBy}T00:00:00Z`) / 86_400_000;
  /** The rows there are: of revisions the last one of each key that was recorded by then (G7). */
  const known = new Map<string, readonly RefRow[]>();
  const rowsOf = (fact: Fact, knownBy = ownKnownBy): readonly RefRow[] => {
    const knownKey = `${fact.name} ${knownBy}`;
    let rows = known.get(knownKey);
    if (!rows) {
      const allowed = (row: RefRow) =>
        Object.entries(world.fixed).every(([name, keep]) => !world.reaches[fact.name].includes(name) || keep.includes(row.members[name]));
      const all = world.rows[fact.name].filter((row) => allowed(row) && (row.recorded ?? 0) <= knownBy);
      const keyOf = (row: RefRow) => JSON.stringify(fact.versionKey.map((name) => row.columns[name] ?? null));
      rows =
        fact.recorded === undefined
          ? all
          : all.filter((row) => !all.some((other) => keyOf(other) === keyOf(row) && (other.recorded ?? 0) > (row.recorded ?? 0)));
      known.set(knownKey, rows);
    }
    return rows;
  };
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
  const ownAsOf =
    question.asOf === undefined || question.asOf === 'latest' ? latest() : Date.parse(`${question.asOf}T00:00:00Z`) / 86_400_000;
  const allFilters = Object.entries(question.where ?? {}).map(([name, test]) => ({ name, keep: new Set([test].flat().map(String)) }));
  const filters = allFilters.filter(({ name }) => !isOfDays(name));
  const dayFilters = allFilters.filter(({ name }) => isOfDays(name));
  /** Where a day stands in the calendar (U11). */
  const standings = new Map<string, (d: number) => string>();
  const standing = (name: string, d: number): string => {
    const of = standings.get(name) ?? remembered((own) => standingOf(name, own));
    standings.set(name, of);
    return of(d);
  };
  const standingOf = (name: string, d: number): string => {
    if (name === 'weekday') return WEEKDAYS[weekdayIndex(d)];
    if (name === 'working-day') return working(d) ? 'yes' : 'no';
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

  /** First and last day of a fact in a role (W11), whole periods for coarse facts. */
  const history = (fact: Fact, role: string, knownBy: number): Span | undefined =>
    once(`history ${fact.name} ${role} ${knownBy}`, () => {
      const days = rowsOf(fact, knownBy).flatMap(({ dates }) => dates[role] ?? []);
      if (days.length === 0) return undefined;
      const grain = grainOf(fact);
      const start = Math.min(...days.map((d) => grain.at(d)?.start ?? d));
      return { start: fact.begins ?? start, end: Math.max(...days.map((d) => grain.at(d)?.end ?? d)) };
    });
  /** The rows that an as-of date lets be seen, with the members that they have then (A2, G9). */
  const visibleOf = (fact: Fact, { asOf, knownBy }: RefSeen): readonly RefRow[] =>
    once(`visible ${fact.name} ${knownBy} ${asOf}`, () =>
      rowsOf(fact, knownBy)
        .filter((row) => {
          const entered = fact.enters === undefined ? undefined : row.dates[fact.enters];
          return !(entered !== undefined && entered > asOf);
        })
        .map((row) => (row.now ? { ...row, members: { ...row.members, ...row.now(asOf) } } : row)),
    );
  const horizonOf = (measure: Measure, role: string): string => measure.fact.roles.get(measure.open?.from ?? role)?.horizon ?? 'actual';

  interface Context {
    readonly places: readonly RefPlace[];
    readonly mode: 'row' | 'total';
    readonly windows: readonly NamedWindow[] | undefined;
    readonly row: number;
    readonly tuple: Readonly<Record<string, string>>;
    readonly chain: readonly RefComparison[];
    /** What is seen where the chain begins (C11). */
    readonly base: RefSeen;
    readonly on?: string;
    readonly over?: NamedWindow;
    readonly across?: 'all' | 'time' | readonly string[];
    readonly seen: Seen;
    readonly time: RefTime;
    /** A shape: the question's filters do not reach it (G3, G6). */
    readonly shape?: true;
    /** The row of the others: without these members (R1). */
    readonly others?: ReadonlySet<string>;
    /** The same of days: without those of these calendar members. */
    readonly othersDays?: ReadonlySet<string>;
  }

  const seenIn = ({ base, chain }: Pick<Context, 'base' | 'chain'>): RefSeen =>
    chain.reduce(({ asOf, knownBy }, comparison) => {
      // Without a known-by date of its own, a duration counts from the as-of date.
      const from = knownBy === Number.POSITIVE_INFINITY ? asOf : knownBy;
      return {
        asOf: refSeen(comparison.asOf, asOf),
        knownBy: comparison.knownBy ? refSeen(comparison.knownBy, from) : knownBy,
      };
    }, base);
  const placeOf = (context: Context, over: NamedWindow | undefined, horizon: string): RefPlace | undefined => {
    const { time, chain } = context;
    const move = (place: RefPlace) =>
      chain.reduce((p, comparison) => refSeenPlace(refCompare(p, comparison, over, horizon, time), comparison, time), place);
    const { asOf } = context.base;
    const anew = chain.some((comparison) => comparison.asOf !== undefined);
    if (context.mode === 'row' && context.across !== 'time') return move(context.places[context.row]);
    const first = context.places[0];
    const last = context.places[context.places.length - 1];
    if (chain.length === 0) return refPlace(first.start, last.end, asOf);
    const moved = context.places
      .map((at) => ({ start: at.start, to: move(at) }))
      .filter(({ start, to }) => !to.missing && (anew || !(horizon === 'actual' && start > asOf)))
      .map(({ to }) => to);
    const final = moved[moved.length - 1];
    const total = final && { ...final, start: moved[0].start, cutStart: moved[0].cutStart };
    // Seen from another day: the total of a question asked on it.
    return total?.seen ? refAnchored(total, total.seen.asOf) : total;
  };

  const leaf = (measure: Measure, context: Context): Cell => {
    const { fact, open, aggregate } = measure;
    const { asOf, knownBy } = seenIn(context);
    const role = context.on !== undefined && !open && fact.roles.has(context.on) ? context.on : measure.role;
    const horizon = horizonOf(measure, role);
    const over = context.over ?? context.windows?.[context.row];
    const span = history(fact, open?.from ?? role, knownBy);
    const { places, mode, row, across, base, chain, time } = context;
    // Where a reading is laid has nothing to do with members.
    const where = [places, time, over, ...chain].map(idOf).join(' ');
    const laid = once(
      `laid ${where} ${mode} ${row} ${across === 'time'} ${base.asOf} ${base.knownBy} ${fact.name} ${role} ${horizon}`,
      () => {
        const place = placeOf(context, over, horizon);
        return place ? refLay(place, over, time, span, horizon) : ({ kind: 'blank' } as RefLaid);
      },
    );
    // Which splits this measure takes part in.
    const reach = world.reaches[fact.name];
    const names = Object.keys(context.tuple).filter((name) => !isTaken(context.across, name));
    const own = names.filter((name) => reach.includes(name));
    // Which days count: those of the member asked for, and those that filters leave (U12).
    const ofDays = names.filter(isOfDays);
    const whereDays = Object.entries(measure.where ?? {}).filter(([name]) => isOfDays(name));
    const seesAllDays = context.othersDays !== undefined && per.every((name) => !isTaken(context.across, name));
    const counts = (d: number): boolean =>
      ofDays.every((name) => standing(name, d) === context.tuple[name]) &&
      (context.shape !== undefined || dayFilters.every(({ name, keep }) => keep.has(standing(name, d)))) &&
      whereDays.every(([name, test]) => [test].flat().map(String).includes(standing(name, d))) &&
      !(seesAllDays && context.othersDays?.has(JSON.stringify(per.map((name) => standing(name, d)))));
    // Members below what the fact links to, reached by spreading (G6).
    const shape = measure.spreadAcross.get('product');
    const below = shape !== undefined && names.includes('product') ? context.tuple.product : undefined;
    const wantedBelow = shape === undefined || context.shape ? undefined : filters.find(({ name }) => name === 'product')?.keep;
    const repeated =
      context.across === 'time' || own.length + ofDays.length + (below === undefined ? 0 : 1) < Object.keys(context.tuple).length;
    const actualOf = (name: string) => fact.roles.get(name)?.horizon === 'actual';
    const visible = visibleOf(fact, { asOf, knownBy });
    const sees = (name: string) => !isTaken(context.across, name) && (reach.includes(name) || (shape !== undefined && name === 'product'));
    const others = context.others !== undefined && (question.per ?? []).every(sees) ? context.others : undefined;
    const listed = (members: Readonly<Record<string, string>>): boolean =>
      others?.has(JSON.stringify((question.per ?? []).map((name) => members[name]))) ?? false;
    const othersBelow = others !== undefined && !(question.per ?? []).every((name) => reach.includes(name));
    const rows = visible.filter((row) => {
      if (!othersBelow && listed(row.members)) return false;
      const passes = (name: string, keep: ReadonlySet<string>) => !reach.includes(name) || keep.has(row.members[name]);
      if (!context.shape && !filters.every(({ name, keep }) => passes(name, keep))) return false;
      if (
        !Object.entries(measure.where ?? {}).every(
          ([name, test]) => isOfDays(name) || [test].flat().map(String).includes(row.members[name]),
        )
      )
        return false;
      return own.every((name) => row.members[name] === context.tuple[name]);
    });
    if (laid.kind === 'blank') return BLANK;
    const empty = (): Cell => {
      if (open) return laid.kind === 'empty' ? BLANK : value(0);
      if (measure.empty === 'zero') return value(0);
      if (['count-distinct', 'count', 'first-time'].includes(aggregate.kind)) return measure.empty === 'blank' ? BLANK : value(0);
      return aggregate.kind === 'sum' ? { kind: 'nothing' } : BLANK;
    };
    if (laid.kind === 'empty') return empty();
    let { start, end } = laid;
    while (start <= end && !counts(start)) start++;
    while (end >= start && !counts(end)) end--;
    if (start > end) return open ? BLANK : empty();
    if (!repeated) context.seen.days = true;
    const holds = (period: Span): boolean => {
      for (let d = Math.max(period.start, start); d <= Math.min(period.end, end); d++) if (counts(d)) return true;
      return false;
    };
    const isWhole = (period: Span): boolean => {
      for (let d = period.start; d <= period.end; d++) if (d < start || d > end || !counts(d)) return false;
      return true;
    };
    const note = (count: number) => {
      if (count > 0 && !repeated) context.seen.any = true;
    };
    const span2 = aggregate.kind === 'percentile' && aggregate.of.kind === 'days-between' ? aggregate.of : aggregate;
    const between = span2.kind === 'days-between' ? span2 : undefined;
    const percentileColumn = aggregate.kind === 'percentile' && aggregate.of.kind === 'column' ? aggregate.of.column : undefined;
    const column = aggregate.kind === 'days-between' || aggregate.kind === 'percentile' ? percentileColumn : aggregate.column;
    const net = (row: RefRow): number | undefined => {
      if (between) {
        const [a, b] = [row.dates[between.from] as number, row.dates[between.until] as number];
        if (between.days === 'all') return b - a;
        let count = 0;
        for (let d = a + 1; d <= b; d++) if (working(d)) count++;
        return count;
      }
      const v = column === undefined ? 1 : row.columns[column];
      return v === undefined ? undefined : Number(v);
    };
    if (open) {
      const level = rows.filter((row) => {
        const [from, until] = [row.dates[open.from], row.dates[open.until]];
        if (from === undefined || from > end || (until !== undefined && until < from)) return false;
        const known = until !== undefined && !(actualOf(open.until) && until > asOf) ? until : undefined;
        return known === undefined || known > end;
      });
      note(level.length);
      return level.length === 0 ? empty() : value(exactSum(level.map((row) => net(row) ?? 0)));
    }
    const grain = grainOf(fact);
    const coarse = fact.grain !== 'day';
    const periodOf = (row: RefRow): Span | undefined => {
      const d = row.dates[role];
      return d === undefined ? undefined : grain.at(d);
    };
    /** The part of a row's amount that lies on the finer members asked for. */
    const shareBelow = (row: RefRow): number => {
      if (shape === undefined || (below === undefined && wantedBelow === undefined && !othersBelow)) return 1;
      const shares = productShares(shape, row, periodOf(row) as Span, fact, { asOf, knownBy });
      let sum = 0;
      for (const [name, share] of shares)
        if (
          (below === undefined || name === below) &&
          (wantedBelow === undefined || wantedBelow.has(name)) &&
          !(othersBelow && listed({ ...row.members, product: name }))
        )
          sum += share;
      return sum;
    };
    const inside = rows.filter((row) => {
      const period = periodOf(row);
      if (!period || period.start > end || period.end < start || !holds(period)) return false;
      return !(coarse && horizon === 'actual' && period.end > asOf) && shareBelow(row) > 0;
    });
    if (!between) note(inside.length);
    const values = between ? [] : inside.map(net).filter((v) => v !== undefined);
    /** Rows that have both dates, in order, and known by the as-of date (M6). */
    const ordered = (): readonly RefRow[] => {
      const { from, until } = between as { from: string; until: string };
      return inside.filter((row) => {
        const [a, b] = [row.dates[from], row.dates[until]];
        const late = (name: string, d: number) => actualOf(name) && d > asOf;
        return a !== undefined && b !== undefined && b >= a && !late(from, a) && !late(until, b);
      });
    };
    switch (aggregate.kind) {
      case 'percentile': {
        const own = between ? ordered() : inside;
        if (between) note(own.length);
        const sorted = own
          .map(net)
          .filter((v) => v !== undefined)
          .sort((a, b) => a - b);
        if (sorted.length === 0) return empty();
        const place = Math.round(aggregate.at * 1e6 * (sorted.length - 1)) / 1e6;
        const [low, high] = [sorted[Math.floor(place)], sorted[Math.ceil(place)]];
        return value(low + (high - low) * (place - Math.floor(place)));
      }
      case 'first-time': {
        const first = new Map<string | number, number>();
        for (const row of visible) {
          const [key, d] = [row.columns[aggregate.column], row.dates[role]];
          const own = Object.entries(measure.where ?? {}).every(([name, test]) => {
            const text = isOfDays(name) ? (d === undefined ? '' : standing(name, d)) : row.members[name];
            return [test].flat().map(String).includes(text);
          });
          if (own && key !== undefined && d !== undefined) first.set(key, Math.min(first.get(key) ?? d, d));
        }
        const keys = inside.filter((row) => first.get(row.columns[aggregate.column] ?? '') === row.dates[role]);
        return value(new Set(keys.map((row) => row.columns[aggregate.column])).size);
      }
      case 'days-between': {
        const known = ordered();
        note(known.length);
        return known.length === 0 ? empty() : value(known.reduce((sum, row) => sum + (net(row) as number), 0) / known.length);
      }
      case 'count-distinct': {
        const keys = new Set(inside.map((row) => row.columns[aggregate.column]).filter((key) => key !== undefined));
        return keys.size === 0 ? empty() : value(keys.size);
      }
      case 'average':
        return values.length === 0 ? empty() : value(exactSum(values) / values.length);
      case 'min':
      case 'max':
        return values.length === 0 ? empty() : value(Math[aggregate.kind](...values));
      default: {
        if (measure.acrossTime) {
          const daily = (d: number) => exactSum(rows.filter((row) => row.dates[role] === d).map((row) => net(row) ?? 0));
          const days = [
            ...new Set(visible.map((row) => row.dates[role]).filter((d) => d !== undefined && d >= start && d <= end && counts(d))),
          ]
            .map(Number)
            .sort((a, b) => a - b);
          if (inside.length === 0) return empty();
          if (measure.acrossTime === 'last') return value(daily(days[days.length - 1]));
          if (measure.acrossTime === 'first') return value(daily(days[0]));
          if (measure.acrossTime === 'average') return value(exactSum(days.map(daily)) / days.length);
          if (measure.acrossTime === 'min' || measure.acrossTime === 'max') return value(Math[measure.acrossTime](...days.map(daily)));
          const combination = (row: RefRow) => JSON.stringify(fact.links.map((link) => row.columns[link.column] ?? null));
          const last = new Map<string, number>();
          for (const row of inside) last.set(combination(row), Math.max(last.get(combination(row)) ?? -1e9, row.dates[role] as number));
          return value(exactSum(inside.filter((row) => last.get(combination(row)) === row.dates[role]).map((row) => net(row) ?? 0)));
        }
        if (measure.spread === 'none') {
          let cut = false;
          for (let d = start; coarse && d <= end && !cut; d++) {
            const period = counts(d) ? grain.at(d) : undefined;
            if (
              !period ||
              !span ||
              period.end < grainHistory(fact, role, knownBy).start ||
              period.start > grainHistory(fact, role, knownBy).end
            )
              continue;
            cut = !(horizon === 'actual' && period.end > asOf) && !isWhole(period);
          }
          if (cut) return BLANK;
        }
        if (values.length === 0) return empty();
        let total = 0;
        let parts = 0;
        for (const row of inside) {
          const period = periodOf(row) as Span;
          const amount =
            (aggregate.kind === 'count' ? (column === undefined || row.columns[column] !== undefined ? 1 : 0) : (net(row) ?? 0)) *
            shareBelow(row);
          if (!coarse || isWhole(period)) {
            total = below === undefined && wantedBelow === undefined && !othersBelow ? exactSum([total, amount]) : total + amount;
            continue;
          }
          const weigh = (from: number, to: number, which: (d: number) => boolean = () => true): number => {
            let count = 0;
            for (let d = from; d <= to; d++)
              count += !which(d)
                ? 0
                : typeof measure.spread === 'object'
                  ? dayWeight(measure.spread.like, d, { asOf, knownBy }).weight
                  : measure.spread === 'even' || working(d)
                    ? 1
                    : 0;
            return count;
          };
          const unread = (): boolean => {
            for (let d = period.start; d <= period.end; d++)
              if (typeof measure.spread === 'object' && dayWeight(measure.spread.like, d, { asOf, knownBy }).unread) return true;
            return false;
          };
          const even = !(weigh(period.start, period.end) > 0) || unread();
          const [from, to] = [Math.max(period.start, start), Math.min(period.end, end)];
          let days = 0;
          for (let d = from; d <= to; d++) if (counts(d)) days++;
          parts += even
            ? (amount * days) / (period.end - period.start + 1)
            : (amount * weigh(from, to, counts)) / weigh(period.start, period.end);
        }
        return value(total + parts);
      }
    }
  };
  const shapeAt = (text: string, place: RefPlace, unitName: string, tuple: Readonly<Record<string, string>>, base: RefSeen): Cell => {
    const shaped: RefTime = { ...time, asOf: base.asOf, axis: { kind: 'unit', unit: unit(unitName) } };
    return evaluate(parseReading(text), {
      places: [place],
      mode: 'row',
      windows: undefined,
      row: 0,
      tuple,
      chain: [],
      base,
      seen: notSeen(),
      time: shaped,
      shape: true,
    });
  };
  const days = new Map<string, { weight: number; unread: boolean }>();
  /** The weight of a day in the shape of a reading, and whether that would have to look past the as-of date (G3). */
  const dayWeight = (text: string, d: number, base: RefSeen): { weight: number; unread: boolean } => {
    const { asOf, knownBy } = base;
    const key = `${text} ${d} ${asOf} ${knownBy}`;
    let found = days.get(key);
    if (!found) {
      const cell = shapeAt(text, refPlace(d, d, asOf), 'day', {}, base);
      const read = text.includes('vs year-earlier') ? plusMonths(d, -12, false) : d;
      found = { weight: cell.kind === 'value' && cell.v > 0 ? cell.v : 0, unread: read > asOf };
      days.set(key, found);
    }
    return found;
  };
  const shares = new Map<string, ReadonlyMap<string, number>>();
  /** How a row's amount lies on the products of its family: by the shape over its whole period, else alike (G6). */
  const productShares = (text: string, row: RefRow, period: Span, fact: Fact, base: RefSeen): ReadonlyMap<string, number> => {
    const { region, family } = row.members;
    const key = `${text} ${period.start} ${region} ${family} ${base.asOf} ${base.knownBy}`;
    let found = shares.get(key);
    if (!found) {
      const names = world.products.filter((product) => product.family === family).map(({ product }) => product);
      const weights = names.map((product) => {
        const whole = refPlace(period.start, period.end, Number.POSITIVE_INFINITY);
        const cell = shapeAt(text, whole, fact.grain, { region, family, product }, base);
        return cell.kind === 'value' && cell.v > 0 ? cell.v : 0;
      });
      const sum = weights.reduce((a, b) => a + b, 0);
      found = new Map(names.map((product, k) => [product, sum > 0 ? weights[k] / sum : 1 / names.length]));
      shares.set(key, found);
    }
    return found;
  };
  const grainHistory = (fact: Fact, role: string, knownBy: number): Span => {
    const days = rowsOf(fact, knownBy).flatMap(({ dates }) => dates[role] ?? []);
    return { start: Math.min(...days), end: Math.max(...days) };
  };

  const evaluate = (node: Expression, context: Context): Cell => {
    switch (node.kind) {
      case 'number':
        return value(node.value);
      case 'rate':
        throw new Error('rates belong to columns');
      case 'name': {
        const measure = model.measures.get(node.name);
        if (measure) return leaf(measure, context);
        const formula = model.formulas.get(node.name);
        if (!formula) throw new Error(`no measure ${node.name}`);
        return evaluate(formula.expression, context);
      }
      case 'negate': {
        const of = evaluate(node.of, context);
        return of.kind === 'value' ? value(-of.v) : of;
      }
      case 'binary':
        return combine(node.operator, evaluate(node.left, context), evaluate(node.right, context));
      case 'call': {
        const args = node.args.map((arg) => evaluate(arg, context));
        if (node.name === 'coalesce') return args.find(({ kind }) => kind === 'value') ?? args[0];
        const numbers = args.map((arg) => (arg.kind === 'value' ? arg.v : Number.NaN));
        if (node.name === 'round') return value(roundAway(numbers[0], numbers[1] ?? 0));
        return numbers.some(Number.isNaN) ? BLANK : value(node.name === 'abs' ? Math.abs(numbers[0]) : Math[node.name](...numbers));
      }
      case 'modified':
        return modified(node.of, node.modifiers, context);
    }
  };
  const modified = (of: Expression, { on, over, across, vs }: Modifiers, context: Context): Cell => {
    const window = over && (over.literal ? literalWindow(over.text) : (model.windows.get(over.text) as NamedWindow));
    const inner: Context = {
      ...context,
      on: on?.role ?? context.on,
      over: window ?? context.over,
      across: across?.attributes ?? context.across,
    };
    const v = evaluate(of, inner);
    if (!vs) return v;
    const comparison = vs.literal ? literalComparison(vs.text) : model.comparisons.get(vs.text);
    if (!comparison) throw new Error(`no comparison ${vs.text}`);
    return formed(vs.form, v, evaluate(of, { ...inner, chain: [...context.chain, comparison] }));
  };
  const literalWindow = (text: string): NamedWindow =>
    once(`window ${text}`, () => ({
      name: text,
      text,
      window: parseWindow(text, model.units),
      label: undefined,
      previous: undefined,
      full: false,
      builtIn: false,
    }));
  const literalComparison = (text: string): RefComparison =>
    once(`comparison ${text}`, () => ({ ...parseAgainst(text, model.units), match: 'elapsed' }));

  // The axis.
  const own: RefSeen = { asOf: ownAsOf, knownBy: ownKnownBy };
  const { by } = question;
  const axisUnit = typeof by === 'string' && model.units.includes(by) ? unit(by) : unit('day');
  const kind = by === undefined ? 'range' : typeof by === 'string' && model.units.includes(by) ? 'unit' : 'windows';
  const range = question.range?.split('/').map((text) => periodText(text, world)) as [RangeEnd] | [RangeEnd, RangeEnd] | undefined;
  const windows = kind === 'windows' ? [by as string | string[]].flat().map((name) => model.windows.get(name) as NamedWindow) : undefined;
  let places: RefPlace[] = [];
  let labels: string[] = [];
  let counting = axisUnit;
  if (windows) {
    places = windows.map(() => refPlace(ownAsOf, ownAsOf, ownAsOf));
    labels = windows.map(({ name }) => name);
  } else if (range) {
    const [from, to] = [range[0], range[range.length - 1]];
    if (kind === 'range') {
      counting = from.unit === to.unit && (from.unit !== 'day' || from.start === to.start) ? unit(from.unit) : unit('day');
      places = [refPlace(from.start, to.end, ownAsOf)];
      labels = [`${iso(from.start)}/${iso(to.end)}`];
    } else {
      let period = axisUnit.at(from.start);
      for (let d = from.start; !period; d++) period = axisUnit.at(d);
      for (; period && period.start <= to.end; period = axisUnit.step(period, 1)) {
        const cut = { cutStart: from.start > period.start, cutEnd: to.end < period.end };
        places.push(refPlace(Math.max(period.start, from.start), Math.min(period.end, to.end), ownAsOf, cut));
        labels.push(iso(period.start));
      }
    }
  } else throw new Error('the reference wants a range');
  const time: RefTime = { unit, listed: world.listed, asOf: ownAsOf, axis: { kind, unit: counting } };

  // Members: every combination in the data that any cell has a row behind.
  const perRows = per.filter((name) => !isOfDays(name));
  const perDays = per.filter(isOfDays);
  const tuples = new Map<string, Record<string, string>>();
  if (perRows.length === 0) tuples.set('', {});
  for (const fact of model.facts.values()) {
    const seens = seensOf(question, ownAsOf, model);
    for (const members of rowsOf(fact).flatMap((row) => seens.map((asOf) => ({ ...row.members, ...row.now?.(asOf) }))))
      if (perRows.length > 0 && perRows.every((name) => members[name] !== undefined))
        tuples.set(JSON.stringify(perRows.map((name) => members[name])), Object.fromEntries(perRows.map((name) => [name, members[name]])));
    // Amounts that are spread lie on every product of their family.
    for (const { members } of rowsOf(fact)) {
      for (const { product, family } of world.products) {
        const finer: Record<string, string> = { ...members, product };
        if (
          members.product === undefined &&
          members.family === family &&
          perRows.length > 0 &&
          perRows.every((name) => finer[name] !== undefined)
        )
          tuples.set(JSON.stringify(perRows.map((name) => finer[name])), Object.fromEntries(perRows.map((name) => [name, finer[name]])));
      }
    }
  }
  const readings = question.show.map((show) => parseReading(typeof show === 'string' ? show : show.is));
  const cells = (
    row: number,
    mode: 'row' | 'total',
    tuple: Record<string, string>,
    seen: Seen,
    list = readings,
    left?: ReadonlySet<string>,
  ) =>
    list.map((reading) => {
      const others = perDays.length > 0 ? { othersDays: left } : { others: left };
      const cell = evaluate(reading, { places, mode, windows, row, tuple, chain: [], base: own, seen, time, ...others });
      return cell.kind === 'value' ? cell.v : null;
    });
  const shown: { tuple: Record<string, string>; rows: (number | null)[][]; any: boolean }[] = [];
  // A comparison that cannot be laid out is an error even where there is nothing to show.
  if (tuples.size === 0) for (const row of places.keys()) cells(row, 'row', {}, notSeen());
  // Members of the calendar: each that has a covered day is shown with every member of rows that has data (U12).
  const dayTuples = new Map<string, Record<string, string>>();
  if (perDays.length === 0) dayTuples.set('', {});
  else
    for (let d = Math.min(...places.map(({ start }) => start)) - 4000; d <= Math.max(...places.map(({ end }) => end)) + 4000; d++) {
      const texts = perDays.map((name) => standing(name, d));
      const key = JSON.stringify(texts);
      if (!dayTuples.has(key)) dayTuples.set(key, Object.fromEntries(perDays.map((name, k) => [name, texts[k]])));
    }
  const covered = new Set<string>();
  for (const tuple of tuples.values()) {
    let any = perRows.length === 0;
    const found: typeof shown = [];
    for (const [key, ofDays] of dayTuples) {
      const seen = notSeen();
      const own = { ...tuple, ...ofDays };
      found.push({ tuple: own, rows: places.map((_, row) => cells(row, 'row', own, seen)), any: seen.any });
      any ||= seen.any;
      if (seen.days) covered.add(key);
    }
    if (any) shown.push(...found);
  }
  if (perDays.length > 0) {
    const list = shown.filter(({ tuple }) => covered.has(JSON.stringify(perDays.map((name) => tuple[name]))));
    shown.splice(0, shown.length, ...list);
  }
  // Members by their texts, those without a name last; by a reading over the whole range where one is asked for (R1).
  const orders: Readonly<Record<string, readonly string[]>> = { ...ORDERS, season: [...world.names.values()] };
  const special = (text: string) => (text === '(none)' ? 1 : text === '(unknown)' ? 2 : 0);
  const isSpecial = (entry: (typeof shown)[0]) => per.some((name) => special(entry.tuple[name]) > 0);
  const within = question.within === undefined ? 0 : per.indexOf(question.within) + 1;
  const natural = (a: (typeof shown)[0], b: (typeof shown)[0], names = per): number => {
    for (const name of names) {
      const [x, y] = [a.tuple[name], b.tuple[name]];
      const order =
        special(x) - special(y) ||
        (orders[name] ? orders[name].indexOf(x) - orders[name].indexOf(y) : 0) ||
        (name.includes('-of-') && name !== 'month-of-year' ? Number(x) - Number(y) : 0) ||
        (x < y ? -1 : x > y ? 1 : 0);
      if (order !== 0) return order;
    }
    return 0;
  };
  shown.sort((a, b) => natural(a, b));
  const order = (question.order === undefined ? [] : [question.order].flat()).map((text) => ({
    reading: parseReading(text.replace(/ (asc|desc)$/, '')),
    sign: text.endsWith(' desc') ? -1 : 1,
  }));
  if (order.length > 0) {
    const ranks = new Map(
      shown.map((entry) => [
        entry,
        cells(
          0,
          'total',
          entry.tuple,
          notSeen(),
          order.map(({ reading }) => reading),
        ),
      ]),
    );
    shown.sort((a, b) => {
      const grouped = natural(a, b, per.slice(0, within));
      if (grouped !== 0) return grouped;
      if (isSpecial(a) !== isSpecial(b)) return isSpecial(a) ? 1 : -1;
      for (const [k, { sign }] of order.entries()) {
        const [x, y] = [ranks.get(a)?.[k] ?? null, ranks.get(b)?.[k] ?? null];
        if (x === null || y === null) {
          if (x !== y) return x === null ? 1 : -1;
        } else if (x !== y) return sign * (x - y);
      }
      return natural(a, b);
    });
  }
  const keep = [question.keep ?? []].flat().map((text) => {
    const [, of, sign, bound] = /^(.*) (<|>|<=|>=|=|!=) (-?[0-9.]+)$/.exec(text) as RegExpExecArray;
    return { reading: parseReading(of), meets: (v: number | null) => v !== null && SIGNS[sign](v, Number(bound)) };
  });
  const kept = shown.filter(({ tuple }) => {
    const values = cells(
      0,
      'total',
      tuple,
      notSeen(),
      keep.map(({ reading }) => reading),
    );
    return keep.every(({ meets }, k) => meets(values[k]));
  });
  const groupOf = ({ tuple }: { tuple: Record<string, string> }) => JSON.stringify(per.slice(0, within).map((name) => tuple[name]));
  const specialIn = (entry: (typeof shown)[0]) => per.slice(within).some((name) => special(entry.tuple[name]) > 0);
  const groups = [...new Set(kept.map(groupOf))];
  const limit = question.limit ?? Number.POSITIVE_INFINITY;
  const list = groups.flatMap((group) => {
    const own = kept.filter((entry) => groupOf(entry) === group);
    if (question.limit === undefined) return own;
    return [...own.filter((entry) => !specialIn(entry)).slice(0, limit), ...own.filter((entry) => specialIn(entry) && entry.any)];
  });
  const left = question.rest ? shown.filter((entry) => !list.includes(entry)) : [];
  const rest = new Set(list.map(({ tuple }) => JSON.stringify(per.map((name) => tuple[name]))));
  const cut = [...new Set(left.map(groupOf))];
  /** Members shown by group, and what is left of each. */
  const inGroups = <T>(
    own: (entry: (typeof shown)[0]) => T,
    others: (tuple: Record<string, string>, texts: readonly string[]) => T,
  ): T[] => {
    const listedGroups = [...new Set(list.map(groupOf))];
    return [...listedGroups, ...cut.filter((group) => !listedGroups.includes(group))].flatMap((group) => {
      const texts = JSON.parse(group) as string[];
      const tuple = Object.fromEntries(texts.map((text, k) => [per[k], text]));
      return [
        ...list.filter((entry) => groupOf(entry) === group).map(own),
        ...(cut.includes(group) ? [others(tuple, [...texts, ...per.slice(within).map(() => '(others)')])] : []),
      ];
    });
  };
  const wanted = question.totals === true ? ['members', 'axis'] : question.totals || [];
  const totals: (string | number | null)[][] = [];
  if (wanted.includes('members') && per.length > 0)
    totals.push(...places.map((_, row) => [labels[row], ...per.map(() => 'Total'), ...cells(row, 'row', {}, notSeen())]));
  if (wanted.includes('axis') && !windows && places.length > 0) {
    totals.push(
      ...inGroups(
        ({ tuple }) => ['Total', ...per.map((name) => tuple[name]), ...cells(0, 'total', tuple, notSeen())],
        (tuple, texts) => ['Total', ...texts, ...cells(0, 'total', tuple, notSeen(), readings, rest)],
      ),
    );
    if (wanted.includes('members') && per.length > 0)
      totals.push(['Total', ...per.map(() => 'Total'), ...cells(0, 'total', {}, notSeen())]);
  }
  return {
    labels,
    rows: places.flatMap((_, row) =>
      inGroups(
        ({ tuple, rows }) => [labels[row], ...per.map((name) => tuple[name]), ...rows[row]],
        (tuple, texts) => [labels[row], ...texts, ...cells(row, 'row', tuple, notSeen(), readings, rest)],
      ),
    ),
    totals,
  };
};

/** As-of dates from which some reading of a question may look: the members that hold now are those of any of them. */
const seensOf = (question: Question, own: number, model: Model): number[] => {
  const found = new Set([own]);
  const texts = [...question.show, ...[question.order ?? []].flat(), ...[question.keep ?? []].flat()].map((text) =>
    typeof text === 'string' ? text : text.is,
  );
  const comparisons = texts.flatMap((text) =>
    [...text.matchAll(/vs \[([^\]]*as-of[^\]]*)\]/g)].map(([, inner]) => parseAgainst(inner, model.units)),
  );
  for (let depth = 0; depth < 2; depth++) for (const from of [...found]) for (const { asOf } of comparisons) found.add(refSeen(asOf, from));
  return [...found];
};

interface RangeEnd extends Span {
  readonly unit: string;
}
/** `2026`, `2026-Q3`, `2026-08`, `2026-08-15`: the only periods that reference questions name. */
const periodText = (text: string, world: RefWorld): RangeEnd => {
  const [y, rest, d] = text.split('-');
  const name =
    rest === undefined ? 'year' : d !== undefined ? 'day' : rest.startsWith('Q') ? 'quarter' : rest.startsWith('W') ? 'week' : 'month';
  const month = rest === undefined ? 1 : name === 'quarter' ? Number(rest[1]) * 3 : name === 'week' ? 1 : Number(rest);
  const at =
    name === 'week'
      ? Date.UTC(Number(y), 0, 4) / 86_400_000 + (Number(rest.slice(1)) - 1) * 7
      : Date.UTC(Number(y), month - 1, Number(d ?? 1)) / 86_400_000;
  return { ...(refUnit(name, world.model, world.listed).at(at) as Span), unit: name };
};

/** Sums of amounts with up to 6 decimals, without the drift of doubles. */
export const exactSum = (values: readonly number[]): number => values.reduce((sum, v) => sum + Math.round(v * 1e6), 0) / 1e6;

const roundAway = (v: number, digits: number): number =>
  Number.isNaN(v) ? Number.NaN : Math.sign(v) * Number(`${Math.round(Number(`${Math.abs(v)}e${digits}`))}e-${digits}`);

const combine = (operator: string, a: Cell, b: Cell): Cell => {
  if (a.kind === 'blank' || b.kind === 'blank') return BLANK;
  if (operator === '+' || operator === '-') {
    if (a.kind === 'nothing' && b.kind === 'nothing') return a;
    const [x, y] = [a.kind === 'value' ? a.v : 0, b.kind === 'value' ? b.v : 0];
    return value(operator === '+' ? x + y : x - y);
  }
  if (a.kind === 'nothing' || b.kind === 'nothing') return BLANK;
  return value(operator === '*' ? a.v * b.v : a.v / b.v);
};

const formed = (form: Form, v: Cell, c: Cell): Cell => {
  if (form === 'value') return c;
  if (form === 'difference') return combine('-', v, c);
  if (v.kind !== 'value' || c.kind !== 'value') return BLANK;
  if (form === 'change') return value((v.v - c.v) / Math.abs(c.v));
  return value(form === 'ratio' ? v.v / c.v : (100 * v.v) / c.v);
};

export const weekdayIndex = (d: number): number => (((d + 3) % 7) + 7) % 7;
export { ymd };
