// Computes a cell of one measure: selects its rows and aggregates them.
import type { Fact, Measure, NamedWindow } from '../../src/model/model.ts';
import { BLANK, type Cell, exactSum, NOTHING, value } from './cell.ts';
import { type Ground, isOfDays, type RefRow, type RefSeen, type Tuple, tupleKey } from './ground.ts';
import {
  type RefComparison,
  type RefLaid,
  type RefPlace,
  type RefTime,
  refAnchored,
  refCompare,
  refLay,
  refPlace,
  refSeen,
  refSeenPlace,
  type Span,
} from './time.ts';

/** Whether cells had any rows, and any days of a calendar member. */
export interface Looked {
  any: boolean;
  days: boolean;
}

/** Position of a cell and the modifiers that apply to it. */
export interface Context {
  readonly places: readonly RefPlace[];
  /** The day ranges of each place (U13). */
  readonly pieces?: readonly (readonly RefPlace[])[];
  readonly mode: 'row' | 'total';
  readonly windows: readonly NamedWindow[] | undefined;
  readonly row: number;
  readonly tuple: Tuple;
  readonly chain: readonly RefComparison[];
  /** As-of and known-by date before the comparisons (C11). */
  readonly base: RefSeen;
  readonly on?: string;
  readonly over?: NamedWindow;
  readonly across?: 'all' | 'time' | readonly string[];
  readonly seen: Looked;
  readonly time: RefTime;
  /** The cell belongs to a shape, which ignores the question's filters (G3, G6). */
  readonly shape?: true;
  /** Members excluded from the `(others)` row (R1). */
  readonly others?: ReadonlySet<string>;
  /** Calendar members excluded from it. */
  readonly othersDays?: ReadonlySet<string>;
}

/** Weights of a shape by day and by product. */
export interface Shapes {
  /** The weight of a day, and whether it depends on days after the as-of date (G3). */
  readonly dayWeight: (text: string, d: number, base: RefSeen) => { readonly weight: number; readonly unread: boolean };
  /** Shares of a row's amount by product of its family (G6). */
  readonly productShares: (text: string, row: RefRow, period: Span, fact: Fact, base: RefSeen) => ReadonlyMap<string, number>;
}

type Tests = Measure['where'];
const passesDay = (tests: Tests, standing: (name: string) => string): boolean =>
  Object.entries(tests ?? {}).every(([name, test]) => !isOfDays(name) || [test].flat().map(String).includes(standing(name)));
const passesMembers = (tests: Tests, members: Tuple): boolean =>
  Object.entries(tests ?? {}).every(([name, test]) => isOfDays(name) || [test].flat().map(String).includes(members[name]));

const isTaken = ({ across }: Context, name: string): boolean =>
  across === 'all' || (across !== 'time' && (across?.includes(name) ?? false));

const seenIn = ({ base, chain }: Context): RefSeen =>
  chain.reduce(({ asOf, knownBy }, comparison) => {
    // Without a known-by date of its own, a duration counts from the as-of date.
    const from = knownBy === Number.POSITIVE_INFINITY ? asOf : knownBy;
    return { asOf: refSeen(comparison.asOf, asOf), knownBy: comparison.knownBy ? refSeen(comparison.knownBy, from) : knownBy };
  }, base);

const placeOf = (context: Context, over: NamedWindow | undefined, horizon: string): RefPlace | undefined => {
  const { time, chain, places, base } = context;
  const move = (place: RefPlace) =>
    chain.reduce((p, comparison) => refSeenPlace(refCompare(p, comparison, over, horizon, time), comparison, time), place);
  if (context.mode === 'row' && context.across !== 'time') return move(places[context.row]);
  if (chain.length === 0) return refPlace(places[0].start, places[places.length - 1].end, base.asOf);
  const anew = chain.some((comparison) => comparison.asOf !== undefined);
  const moved = places
    .map((at) => ({ start: at.start, to: move(at) }))
    .filter(({ start, to }) => !to.missing && (anew || !(horizon === 'actual' && start > base.asOf)))
    .map(({ to }) => to);
  const final = moved[moved.length - 1];
  const total = final && { ...final, start: moved[0].start, cutStart: moved[0].cutStart };
  // With `as-of`, the total is that of a question with this as-of date.
  return total?.seen ? refAnchored(total, total.seen.asOf) : total;
};

/** Input of the aggregates of one cell. */
interface Look {
  readonly ground: Ground;
  readonly shapes: Shapes;
  readonly measure: Measure;
  readonly seen: RefSeen;
  readonly role: string;
  readonly horizon: string;
  /** First and last counted day, and a test for days between them (U12). */
  readonly start: number;
  readonly end: number;
  readonly counts: (d: number) => boolean;
  /** Rows of the requested members. */
  readonly rows: readonly RefRow[];
  /** Whether amounts are split by product. */
  readonly takesPart: boolean;
  readonly isProductAsked: (row: RefRow, product: string) => boolean;
  readonly note: (count: number) => void;
}

const isCoarse = ({ measure }: Look): boolean => measure.fact.grain !== 'day';
const spanOf = ({ ground, measure, role }: Look, row: RefRow): Span | undefined => {
  const d = row.dates[role];
  return d === undefined ? undefined : ground.grainOf(measure.fact).at(d);
};
const isActual = ({ measure }: Look, role: string): boolean => measure.fact.roles.get(role)?.horizon === 'actual';

/** The value of a measure without rows. */
const emptyCell = ({ open, empty, aggregate }: Measure): Cell => {
  if (open || empty === 'zero') return value(0);
  if (['count-distinct', 'count', 'first-time'].includes(aggregate.kind)) return empty === 'blank' ? BLANK : value(0);
  return aggregate.kind === 'sum' ? NOTHING : BLANK;
};

const betweenOf = ({ aggregate }: Measure) => {
  const own = aggregate.kind === 'percentile' && aggregate.of.kind === 'days-between' ? aggregate.of : aggregate;
  return own.kind === 'days-between' ? own : undefined;
};
const columnOf = ({ aggregate }: Measure): string | undefined => {
  if (aggregate.kind === 'percentile') return aggregate.of.kind === 'column' ? aggregate.of.column : undefined;
  return aggregate.kind === 'days-between' ? undefined : aggregate.column;
};

/** The value of a row: days between its dates (M6, M12), or a column. */
const amountOf = ({ ground, measure }: Look, row: RefRow): number | undefined => {
  const between = betweenOf(measure);
  if (between) {
    const [a, b] = [row.dates[between.from] as number, row.dates[between.until] as number];
    if (between.days === 'all') return b - a;
    let count = 0;
    for (let d = a + 1; d <= b; d++) if (ground.isWorking(d)) count++;
    return count;
  }
  const column = columnOf(measure);
  const v = column === undefined ? 1 : row.columns[column];
  return v === undefined ? undefined : Number(v);
};
const sumOf = (look: Look, rows: readonly RefRow[]): number => exactSum(rows.map((row) => amountOf(look, row) ?? 0));

/** The level at the end of a window (M5). */
const levelCell = (look: Look): Cell => {
  const { measure, rows, end, seen } = look;
  const { from: opens, until: closes } = measure.open as NonNullable<Measure['open']>;
  const level = rows.filter((row) => {
    const [from, until] = [row.dates[opens], row.dates[closes]];
    if (from === undefined || from > end || (until !== undefined && until < from)) return false;
    const known = until !== undefined && !(isActual(look, closes) && until > seen.asOf) ? until : undefined;
    return known === undefined || known > end;
  });
  look.note(level.length);
  return level.length === 0 ? emptyCell(measure) : value(sumOf(look, level));
};

/** The share of a row's amount on the requested products. */
const partOf = (look: Look, row: RefRow, period: Span): number => {
  const shape = look.measure.spreadAcross.get('product');
  if (shape === undefined || !look.takesPart) return 1;
  let sum = 0;
  for (const [product, share] of look.shapes.productShares(shape, row, period, look.measure.fact, look.seen))
    if (look.isProductAsked(row, product)) sum += share;
  return sum;
};

const rowsInside = (look: Look): readonly RefRow[] => {
  const { start, end, counts, horizon, seen } = look;
  const holds = (period: Span): boolean => {
    for (let d = Math.max(period.start, start); d <= Math.min(period.end, end); d++) if (counts(d)) return true;
    return false;
  };
  return look.rows.filter((row) => {
    const period = spanOf(look, row);
    if (!period || period.start > end || period.end < start || !holds(period)) return false;
    return !(isCoarse(look) && horizon === 'actual' && period.end > seen.asOf) && partOf(look, row, period) > 0;
  });
};

/** Rows that have both dates, in order, and known by the as-of date (M6). */
const inOrder = (look: Look, inside: readonly RefRow[]): readonly RefRow[] => {
  const { from, until } = betweenOf(look.measure) as { from: string; until: string };
  const isLate = (name: string, d: number) => isActual(look, name) && d > look.seen.asOf;
  return inside.filter((row) => {
    const [a, b] = [row.dates[from], row.dates[until]];
    return a !== undefined && b !== undefined && b >= a && !isLate(from, a) && !isLate(until, b);
  });
};

const percentileOf = (values: readonly number[], at: number): number => {
  const sorted = [...values].sort((a, b) => a - b);
  const place = Math.round(at * 1e6 * (sorted.length - 1)) / 1e6;
  const [low, high] = [sorted[Math.floor(place)], sorted[Math.ceil(place)]];
  return low + (high - low) * (place - Math.floor(place));
};

/** Counts keys whose first row, before filters, is in the window (M15). */
const firstTimes = ({ ground, measure, role, seen }: Look, inside: readonly RefRow[], key: string): number => {
  const first = new Map<string | number, number>();
  for (const row of ground.visibleOf(measure.fact, seen)) {
    const [own, d] = [row.columns[key], row.dates[role]];
    const passes =
      passesDay(measure.where, (name) => (d === undefined ? '' : ground.standing(name, d))) && passesMembers(measure.where, row.members);
    if (passes && own !== undefined && d !== undefined) first.set(own, Math.min(first.get(own) ?? d, d));
  }
  return new Set(inside.filter((row) => first.get(row.columns[key] ?? '') === row.dates[role]).map((row) => row.columns[key])).size;
};

/** Semi-additive measures (M4). Days are selected before member filters apply. */
const acrossTime = (look: Look, inside: readonly RefRow[]): number => {
  const { ground, measure, role, seen, start, end, counts } = look;
  const daily = (d: number) =>
    sumOf(
      look,
      look.rows.filter((row) => row.dates[role] === d),
    );
  const days = [...new Set(ground.visibleOf(measure.fact, seen).map((row) => row.dates[role]))]
    .filter((d): d is number => d !== undefined && d >= start && d <= end && counts(d))
    .sort((a, b) => a - b);
  switch (measure.acrossTime) {
    case 'last':
      return daily(days[days.length - 1]);
    case 'first':
      return daily(days[0]);
    case 'average':
      return exactSum(days.map(daily)) / days.length;
    case 'min':
    case 'max':
      return Math[measure.acrossTime](...days.map(daily));
    default: {
      const keyOf = (row: RefRow) => JSON.stringify(measure.fact.links.map((link) => row.columns[link.column] ?? null));
      const last = new Map<string, number>();
      for (const row of inside) last.set(keyOf(row), Math.max(last.get(keyOf(row)) ?? -1e9, row.dates[role] as number));
      return sumOf(
        look,
        inside.filter((row) => last.get(keyOf(row)) === row.dates[role]),
      );
    }
  }
};

const isWhole = ({ start, end, counts }: Look, period: Span): boolean => {
  for (let d = period.start; d <= period.end; d++) if (d < start || d > end || !counts(d)) return false;
  return true;
};

/** Whether the window cuts a period of a fact with `spread: none` (G4). */
const isCut = (look: Look): boolean => {
  const { ground, measure, role, seen, start, end, counts, horizon } = look;
  const days = ground.rowsOf(measure.fact, seen.knownBy).flatMap(({ dates }) => dates[role] ?? []);
  const [first, last] = [Math.min(...days), Math.max(...days)];
  for (let d = start; d <= end; d++) {
    const period = counts(d) ? ground.grainOf(measure.fact).at(d) : undefined;
    if (!period || period.end < first || period.start > last || (horizon === 'actual' && period.end > seen.asOf)) continue;
    if (!isWhole(look, period)) return true;
  }
  return false;
};

/** The part of an amount on the counted days (G2, G3). */
const spreadOn = (look: Look, amount: number, period: Span): number => {
  const { ground, shapes, measure, seen, start, end, counts } = look;
  const { spread } = measure;
  const shape = typeof spread === 'object' ? spread.like : undefined;
  const weightOf = (d: number): number =>
    shape === undefined ? (spread === 'even' || ground.isWorking(d) ? 1 : 0) : shapes.dayWeight(shape, d, seen).weight;
  let [whole, part, days, isUnread] = [0, 0, 0, false];
  for (let d = period.start; d <= period.end; d++) {
    const weight = weightOf(d);
    whole += weight;
    isUnread ||= shape !== undefined && shapes.dayWeight(shape, d, seen).unread;
    if (d < start || d > end || !counts(d)) continue;
    part += weight;
    days++;
  }
  return whole > 0 && !isUnread ? (amount * part) / whole : (amount * days) / (period.end - period.start + 1);
};

const sumCell = (look: Look, inside: readonly RefRow[], values: readonly number[]): Cell => {
  const { measure } = look;
  if (measure.acrossTime) return inside.length === 0 ? emptyCell(measure) : value(acrossTime(look, inside));
  if (measure.spread === 'none' && isCoarse(look) && isCut(look)) return BLANK;
  if (values.length === 0) return emptyCell(measure);
  const column = columnOf(measure);
  const isCount = measure.aggregate.kind === 'count';
  let [total, parts] = [0, 0];
  for (const row of inside) {
    const period = spanOf(look, row) as Span;
    const own = isCount ? (column === undefined || row.columns[column] !== undefined ? 1 : 0) : (amountOf(look, row) ?? 0);
    const amount = own * partOf(look, row, period);
    if (isCoarse(look) && !isWhole(look, period)) parts += spreadOn(look, amount, period);
    else total = look.takesPart ? total + amount : exactSum([total, amount]);
  }
  return value(total + parts);
};

const aggregated = (look: Look): Cell => {
  const { measure } = look;
  const { aggregate } = measure;
  if (measure.open) return levelCell(look);
  const within = rowsInside(look);
  const inside = betweenOf(measure) ? inOrder(look, within) : within;
  look.note(inside.length);
  const values = inside.map((row) => amountOf(look, row)).filter((v): v is number => v !== undefined);
  const unlessEmpty = (of: () => number): Cell => (values.length === 0 ? emptyCell(measure) : value(of()));
  switch (aggregate.kind) {
    case 'percentile':
      return unlessEmpty(() => percentileOf(values, aggregate.at));
    case 'days-between':
      return unlessEmpty(() => values.reduce((sum, v) => sum + v, 0) / values.length);
    case 'average':
      return unlessEmpty(() => exactSum(values) / values.length);
    case 'min':
    case 'max':
      return unlessEmpty(() => (aggregate.kind === 'min' ? Math.min : Math.max)(...values));
    case 'first-time':
      return value(firstTimes(look, inside, aggregate.column));
    case 'count-distinct': {
      const keys = new Set(inside.map((row) => row.columns[aggregate.column]).filter((key) => key !== undefined));
      return keys.size === 0 ? emptyCell(measure) : value(keys.size);
    }
    default:
      return sumCell(look, inside, values);
  }
};

/** Resolves the days of a cell; independent of members, so memoized. */
const laidOf = (ground: Ground, measure: Measure, context: Context, role: string, horizon: string): RefLaid => {
  const { places, mode, row, across, base, chain, time } = context;
  const over = context.over ?? context.windows?.[row];
  const where = [places, time, over, ...chain].map(ground.idOf).join(' ');
  const key = `laid ${where} ${mode} ${row} ${across === 'time'} ${base.asOf} ${base.knownBy} ${measure.fact.name} ${role} ${horizon}`;
  return ground.once(key, () => {
    const place = placeOf(context, over, horizon);
    const span = ground.history(measure.fact, measure.open?.from ?? role, seenIn(context).knownBy);
    return place ? refLay(place, over, time, span, horizon) : ({ kind: 'blank' } as RefLaid);
  });
};

/** A test for days that pass calendar members and filters (U12). */
const daysOf = (ground: Ground, measure: Measure, context: Context, names: readonly string[]): ((d: number) => boolean) => {
  const { per, standing, dayFilters } = ground;
  const own = names.filter(isOfDays);
  const seesAllDays = context.othersDays !== undefined && per.every((name) => !isTaken(context, name));
  return (d) =>
    own.every((name) => standing(name, d) === context.tuple[name]) &&
    (context.shape !== undefined || dayFilters.every(({ name, keep }) => keep.has(standing(name, d)))) &&
    passesDay(measure.where, (name) => standing(name, d)) &&
    !(seesAllDays && context.othersDays?.has(JSON.stringify(per.map((name) => standing(name, d)))));
};

/** Resolves each day range of a row separately; days between them are excluded (U13). */
const laidPieces = (ground: Ground, measure: Measure, context: Context, role: string, horizon: string): readonly Span[] | undefined => {
  const { pieces, mode, row, across, windows } = context;
  if (!pieces || context.over || windows) return undefined;
  const list = mode === 'total' || across === 'time' ? pieces.flat() : pieces[row];
  return list.flatMap((piece) => {
    const own: Context = { ...context, places: [piece], pieces: undefined, mode: 'row', row: 0, across: undefined };
    const laid = laidOf(ground, measure, own, role, horizon);
    return laid.kind === 'days' ? [laid] : [];
  });
};

export const measureCell = (ground: Ground, shapes: Shapes, measure: Measure, context: Context): Cell => {
  const { fact, open } = measure;
  const { per, filters } = ground;
  const role = context.on !== undefined && !open && fact.roles.has(context.on) ? context.on : measure.role;
  const horizon = fact.roles.get(open?.from ?? role)?.horizon ?? 'actual';
  const spans = laidPieces(ground, measure, context, role, horizon);
  const laid: RefLaid =
    spans && spans.length > 0
      ? { kind: 'days', start: Math.min(...spans.map(({ start }) => start)), end: Math.max(...spans.map(({ end }) => end)) }
      : laidOf(ground, measure, context, role, horizon);
  if (laid.kind === 'blank') return BLANK;
  const none = open ? BLANK : emptyCell(measure);
  if (laid.kind === 'empty') return none;
  // The attributes that split this measure: members, days, and products below its link (G6).
  const reach = ground.world.reaches[fact.name];
  const names = Object.keys(context.tuple).filter((name) => !isTaken(context, name));
  const own = names.filter((name) => reach.includes(name));
  const passes = daysOf(ground, measure, context, names);
  const counts = (d: number): boolean => passes(d) && (!spans || spans.some((span) => span.start <= d && d <= span.end));
  const shape = measure.spreadAcross.get('product');
  const below = shape !== undefined && names.includes('product') ? context.tuple.product : undefined;
  const keptBelow = shape === undefined || context.shape ? undefined : filters.find(({ name }) => name === 'product')?.keep;
  const taken = own.length + names.filter(isOfDays).length + (below === undefined ? 0 : 1);
  const isRepeated = context.across === 'time' || taken < Object.keys(context.tuple).length;
  let { start, end } = laid;
  while (start <= end && !counts(start)) start++;
  while (end >= start && !counts(end)) end--;
  if (start > end) return none;
  if (!isRepeated) context.seen.days = true;
  const reaches = (name: string) => !isTaken(context, name) && (reach.includes(name) || (shape !== undefined && name === 'product'));
  const others = per.every(reaches) ? context.others : undefined;
  const isListed = (members: Tuple): boolean => others?.has(tupleKey(per, members)) ?? false;
  const othersBelow = others !== undefined && !per.every((name) => reach.includes(name));
  const seen = seenIn(context);
  return aggregated({
    ground,
    shapes,
    measure,
    seen,
    role,
    horizon,
    start,
    end,
    counts,
    rows: ground
      .visibleOf(fact, seen)
      .filter(
        ({ members }) =>
          !(!othersBelow && isListed(members)) &&
          (context.shape || filters.every(({ name, keep }) => !reach.includes(name) || keep.has(members[name]))) &&
          passesMembers(measure.where, members) &&
          own.every((name) => members[name] === context.tuple[name]),
      ),
    takesPart: below !== undefined || keptBelow !== undefined || othersBelow,
    isProductAsked: (row, product) =>
      (below === undefined || product === below) &&
      (keptBelow === undefined || keptBelow.has(product)) &&
      !(othersBelow && isListed({ ...row.members, product })),
    note: (count) => {
      if (count > 0 && !isRepeated) context.seen.any = true;
    },
  });
};
