import type { Model, NamedWindow } from '../../src/model/model.ts';
import type { Point, SeenAs, Shift, Window } from '../../src/windows/syntax.ts';

/**
 * The reference's own idea of time, in the plainest way: JavaScript dates in UTC, one period at a time, no tables.
 * Shares the model and its parsed texts with the product, nothing that lays or evaluates.
 */
const MS = 86_400_000;
/** What a function says of a number, asked of it once: it is asked of the same few days for every cell. */
export const remembered = <T>(of: (value: number) => T): ((value: number) => T) => {
  const known = new Map<number, T>();
  return (value) => {
    let found = known.get(value);
    if (found === undefined) {
      found = of(value);
      known.set(value, found);
    }
    return found;
  };
};

export const ymd = remembered((day): readonly [number, number, number] => {
  const d = new Date(day * MS);
  return [d.getUTCFullYear(), d.getUTCMonth() + 1, d.getUTCDate()];
});
export const day = (year: number, month: number, date: number): number => Date.UTC(year, month - 1, date) / MS;
export const iso = remembered((d) => new Date(d * MS).toISOString().slice(0, 10));
export const fromIso = (text: string): number => Date.parse(`${text}T00:00:00Z`) / MS;
const lengthOfMonth = remembered((index) => new Date(Date.UTC(Math.floor(index / 12), (index % 12) + 1, 0)).getUTCDate());
const lengthOf = (year: number, month: number): number => lengthOfMonth(year * 12 + month - 1);

export const plusMonths = (d: number, months: number, sticky: boolean): number => {
  const [y, m, date] = ymd(d);
  const index = y * 12 + m - 1 + months;
  const [year, month] = [Math.floor(index / 12), (((index % 12) + 12) % 12) + 1];
  const length = lengthOf(year, month);
  return day(year, month, sticky && date === lengthOf(y, m) ? length : Math.min(date, length));
};

export interface Span {
  readonly start: number;
  readonly end: number;
}
export interface RefUnit {
  readonly name: string;
  readonly months: number;
  /** Of week-based units: the year that `year-earlier` steps by. */
  readonly year?: string;
  readonly family: 'day' | 'week' | 'month' | 'own';
  /** The period a day lies in, or none. */
  readonly at: (d: number) => Span | undefined;
  readonly step: (period: Span, by: number) => Span | undefined;
}

const monday = (d: number): number => d - ((((d + 3) % 7) + 7) % 7);

const monthUnit = (name: string, months: number, firstMonth: number, firstDay: number): RefUnit => {
  const at = remembered((d): Span => {
    const [y, m] = ymd(d);
    for (let index = y * 12 + m; ; index--) {
      const inYear = (((index - 1 - (firstMonth - 1)) % 12) + 12) % 12;
      if (inYear % months !== 0) continue;
      const start = day(Math.floor((index - 1) / 12), ((index - 1) % 12) + 1, firstDay);
      if (start <= d) return { start, end: plusMonths(start, months, false) - 1 };
    }
  });
  return {
    name,
    months,
    family: 'month',
    at,
    step: (period, by) => ({
      start: plusMonths(period.start, by * months, false),
      end: plusMonths(period.start, (by + 1) * months, false) - 1,
    }),
  };
};

const isoYear = (d: number): number => ymd(monday(d) + 3)[0];
const isoYearStart = (year: number): number => monday(day(year, 1, 4));

/** The Saturday nearest to 30 June: found by looking at the seven days around it. */
const retailEnd = (year: number): number => {
  for (let d = day(year, 6, 27); ; d++) if (new Date(d * MS).getUTCDay() === 6) return d;
};

/** A 4-4-5 year that ends there, walked week by week. */
const retailUnit = (name: string): RefUnit => {
  const part = name.split('-')[1];
  const spans = remembered((year): readonly Span[] => {
    const [first, last] = [retailEnd(year - 1) + 1, retailEnd(year)];
    const weeks = (last - first + 1) / 7;
    const lengths =
      part === 'year' ? [weeks] : part === 'week' ? new Array<number>(weeks).fill(1) : [4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4, weeks - 47];
    const sizes = part === 'quarter' ? [13, 13, 13, weeks - 39] : lengths;
    let start = first;
    return sizes.map((size) => {
      const span = { start, end: start + size * 7 - 1 };
      start = span.end + 1;
      return span;
    });
  });
  const yearOf = (d: number): number => {
    const [y] = ymd(d);
    return retailEnd(y) >= d ? y : y + 1;
  };
  return {
    name,
    months: 0,
    family: 'week',
    year: 'retail-year',
    at: (d) => spans(yearOf(d)).find(({ start, end }) => start <= d && d <= end),
    step: (period, by) => {
      let [year, list] = [yearOf(period.start), spans(yearOf(period.start))];
      let index = list.findIndex(({ start }) => start === period.start) + by;
      for (; index < 0; index += list.length) list = spans(--year);
      for (; index >= list.length; list = spans(++year)) index -= list.length;
      return list[index];
    },
  };
};

/** Units by name: civil, ISO weeks, one fiscal year, one of weeks, listed periods. */
export const refUnit = (name: string, model: Model, listed: ReadonlyMap<string, readonly Span[]>): RefUnit => {
  const sizes: Record<string, number> = { month: 1, quarter: 3, half: 6, year: 12 };
  if (name in sizes) return monthUnit(name, sizes[name], 1, 1);
  if (name === 'day')
    return {
      name,
      months: 0,
      family: 'day',
      at: (d) => ({ start: d, end: d }),
      step: (p, by) => ({ start: p.start + by, end: p.end + by }),
    };
  if (name === 'week')
    return {
      name,
      months: 0,
      family: 'week',
      year: 'week-year',
      at: (d) => ({ start: monday(d), end: monday(d) + 6 }),
      step: (p, by) => ({ start: p.start + 7 * by, end: p.end + 7 * by }),
    };
  if (name === 'week-year') {
    const of = (year: number): Span => ({ start: isoYearStart(year), end: isoYearStart(year + 1) - 1 });
    return { name, months: 0, family: 'week', year: 'week-year', at: (d) => of(isoYear(d)), step: (p, by) => of(isoYear(p.start) + by) };
  }
  const rows = listed.get(name);
  if (rows) {
    return {
      name,
      months: 0,
      family: 'own',
      at: (d) => rows.find(({ start, end }) => start <= d && d <= end),
      step: (p, by) => rows[rows.findIndex(({ start }) => start === p.start) + by],
    };
  }
  if (name.startsWith('retail-')) return retailUnit(name);
  const [system, part] = [name.slice(0, name.lastIndexOf('-')), name.slice(name.lastIndexOf('-') + 1)];
  const starts = model.input.calendar?.yearSystems?.[system]?.starts as string;
  return monthUnit(name, sizes[part], Number(starts.slice(2, 4)), Number(starts.slice(5, 7)));
};

/** Where a reading is laid. `first`/`last` are the counting-unit periods it is made of. */
export interface RefPlace {
  readonly start: number;
  readonly end: number;
  readonly anchor: number;
  readonly partial: boolean;
  readonly cutStart: boolean;
  readonly cutEnd: boolean;
  readonly dates: readonly ((d: number) => number)[];
  readonly moved: number;
  readonly back: number;
  readonly missing: boolean;
  /** Moved as dates off the axis's periods: no period to count from any more. */
  readonly off: boolean;
  /** Seen as of another day, which shifts from there on move (C11). */
  readonly seen?: { readonly asOf: number; readonly at: number };
}
export interface RefTime {
  readonly unit: (name: string) => RefUnit;
  readonly listed: ReadonlyMap<string, readonly Span[]>;
  readonly asOf: number;
  readonly axis: { readonly kind: 'unit' | 'range' | 'windows'; readonly unit: RefUnit };
}

const a4 = (start: number, end: number, asOf: number): number => (start <= asOf && asOf < end ? asOf : end);
export const refPlace = (start: number, end: number, asOf: number, cut: { cutStart?: boolean; cutEnd?: boolean } = {}): RefPlace => ({
  start,
  end,
  anchor: a4(start, end, asOf),
  partial: start <= asOf && asOf < end,
  cutStart: cut.cutStart ?? false,
  cutEnd: cut.cutEnd ?? false,
  dates: [],
  moved: 0,
  back: 0,
  missing: false,
  off: false,
});

export const refPoint = (point: Point, place: RefPlace, time: RefTime, history: Span | undefined, horizon: string): number | undefined => {
  const movedDate = (d: number, from = 0): number => place.dates.slice(from).reduce((value, move) => move(value), d);
  const inUnit = (name: string): { at: Span | undefined; before: Span | undefined; unit: RefUnit } => {
    const unit = time.unit(name);
    const rows = time.listed.get(name);
    const before = rows?.filter(({ end }) => end < place.anchor).pop();
    return { at: unit.at(place.anchor), before, unit };
  };
  let value: number | undefined;
  if (point.kind === 'anchor') value = place.anchor;
  else if (point.kind === 'asof') value = place.seen ? movedDate(place.seen.asOf, place.seen.at) : movedDate(time.asOf);
  else if (point.kind === 'date') value = movedDate(point.day);
  else if (point.kind === 'first') value = history?.start;
  else if (point.kind === 'last')
    value = history && (horizon === 'actual' ? Math.min(history.end, place.seen?.asOf ?? time.asOf) : history.end);
  else if (point.kind === 'start' || point.kind === 'end') {
    if (point.unit === 'period') value = place[point.kind];
    else {
      const rows = time.listed.get(point.unit);
      const { at, unit } = inUnit(point.unit);
      // Between listed periods, start counts from the next one and end from the one before, there or not (U7).
      const beside =
        rows &&
        (point.kind === 'start'
          ? rows.filter(({ start }) => start < place.anchor).length
          : rows.filter(({ end }) => end < place.anchor).length - 1);
      const period = at ? unit.step(at, point.offset) : rows?.[(beside as number) + point.offset];
      value = period?.[point.kind];
    }
  } else {
    const { at, before, unit } = inUnit((point as { readonly unit: string }).unit);
    const done = at ? (at.end === place.anchor ? at : unit.step(at, -1)) : before;
    value = point.kind === 'done' ? done?.end : done?.start;
  }
  if (value === undefined) return undefined;
  return point.moves.reduce((d, { months, days, sign }) => plusMonths(d, sign * months, true) + sign * days, value);
};

export const refWindow = (window: Window, place: RefPlace, time: RefTime, history: Span | undefined, horizon: string): Span | undefined => {
  const at = (point: Point) => refPoint(point, place, time, history, horizon);
  const minus = (d: number) => (window.kind === 'points' ? d : plusMonths(d, -window.duration.months, true) - window.duration.days);
  if (window.kind === 'points') {
    const [start, end] = [at(window.from), at(window.to)];
    return start === undefined || end === undefined ? undefined : { start, end };
  }
  let span: Span | undefined;
  if (window.kind === 'before') {
    const end = at(window.to);
    span = end === undefined ? undefined : { start: minus(end) + 1, end };
  } else {
    const start = at(window.from);
    span = start === undefined ? undefined : { start, end: plusMonths(start, window.duration.months, true) + window.duration.days - 1 };
  }
  for (let k = 0; span && k < place.back; k++) span = { start: minus(span.start - 1) + 1, end: span.start - 1 };
  return span;
};

export interface RefComparison {
  readonly shift: Shift;
  readonly match: 'elapsed' | 'whole';
  readonly asOf?: SeenAs;
  readonly knownBy?: SeenAs;
}

/** The day that something is seen as of, from the day that it would be (C11). */
export const refSeen = (as: SeenAs | undefined, from: number): number =>
  as === undefined
    ? from
    : as.kind === 'date'
      ? as.day
      : plusMonths(from, as.move.sign * as.move.months, true) + as.move.sign * as.move.days;

/** A place after a comparison, as a question asked on that day would have it (C11). */
export const refSeenPlace = (place: RefPlace, comparison: RefComparison, time: RefTime): RefPlace => {
  if (!comparison.asOf || place.missing) return place;
  const asOf = refSeen(comparison.asOf, place.seen?.asOf ?? time.asOf);
  const own = time.axis.kind === 'windows' && comparison.shift.kind === 'stay' ? { ...place, start: asOf, end: asOf } : place;
  return refAnchored(own, asOf);
};

/** Anchored as if the question had been asked on a day. */
export const refAnchored = (place: RefPlace, asOf: number): RefPlace => {
  const [start, end] = [place.start + place.moved, place.end + place.moved];
  return {
    ...place,
    anchor: a4(start, end, asOf) - place.moved,
    partial: start <= asOf && asOf < end,
    seen: { asOf, at: place.dates.length },
  };
};

const RETAIL = ['retail-week', 'retail-month', 'retail-quarter', 'retail-year'];

/** C1 to C6, followed sentence by sentence. `over` is the reading's window. */
export const refCompare = (
  place: RefPlace,
  { shift, match }: RefComparison,
  over: NamedWindow | undefined,
  horizon: string,
  time: RefTime,
): RefPlace => {
  if (place.missing) return place;
  const { axis } = time;
  const asOf = place.seen?.asOf ?? time.asOf;
  const plain = over === undefined;
  const whole = !place.partial || match === 'whole' || (plain && horizon === 'plan');
  const finish = (start: number, end: number, elapsedAnchor: number, date: (d: number) => number): RefPlace => ({
    ...place,
    start,
    end,
    anchor: whole ? a4(start, end, asOf) : Math.min(elapsedAnchor, end),
    partial: whole ? start <= asOf && asOf < end : true,
    dates: [...place.dates, date],
  });
  const months = (count: number): RefPlace => {
    const sticky = !(plain && axis.kind === 'unit' && axis.unit.family === 'day');
    const move = (d: number) => plusMonths(d, count, sticky);
    const date = (d: number) => plusMonths(d, count, true);
    const { unit } = axis;
    if (unit.months > 0 && count % unit.months === 0) {
      if (place.off) throw new Error('C7');
      const first = unit.step(unit.at(place.start) as Span, count / unit.months) as Span;
      const last = unit.step(unit.at(place.end) as Span, count / unit.months) as Span;
      const start = place.cutStart ? Math.max(move(place.start), first.start) : first.start;
      const end = place.cutEnd ? Math.min(move(place.end), last.end) : last.end;
      return finish(start, end, move(place.anchor), date);
    }
    if (plain && axis.kind === 'unit' && unit.family !== 'day') throw new Error('C7');
    // The shift does not fit: everything moves as a date.
    const [start, end] = [move(place.start), move(place.end)];
    const moved = { ...place, start, end, dates: [...place.dates, date], off: unit.family !== 'day' };
    if (place.partial && whole && unit.family === 'day')
      return { ...moved, anchor: a4(start, end, asOf), partial: start <= asOf && asOf < end };
    return { ...moved, anchor: place.partial ? Math.min(move(place.anchor), end) : move(place.anchor) };
  };
  const units = (name: string, count: number): RefPlace => {
    const outer = time.unit(name);
    if (outer.months > 0) return months(outer.months * count);
    let inner = axis.unit;
    let { cutStart, cutEnd } = place;
    if (!nests(inner, outer)) {
      if (axis.kind === 'unit') throw new Error('C7');
      inner = time.unit('day');
      [cutStart, cutEnd] = [false, false];
    }
    if (place.off && inner.name === axis.unit.name) throw new Error('C7');
    const counterpart = (own: Span): Span | undefined => {
      const from = outer.at(own.start);
      const to = from && outer.step(from, count);
      if (!from || !to) return undefined;
      const inside = (span: Span): Span[] => {
        const rows = time.listed.get(inner.name)?.filter(({ start }) => start >= span.start && start <= span.end);
        if (rows) return rows;
        const list: Span[] = [];
        for (let p = inner.at(span.start) as Span; p.start <= span.end; p = inner.step(p, 1) as Span) list.push(p);
        return list;
      };
      return inside(to)[inside(from).findIndex(({ start }) => start === own.start)];
    };
    const [own, ownLast] = [inner.at(place.start), inner.at(place.end)];
    const first = own && counterpart(own);
    const last = ownLast && counterpart(ownLast);
    if (!own || !ownLast || !first || !last) return { ...place, missing: true };
    const start = cutStart ? Math.min(first.start + place.start - own.start, first.end) : first.start;
    const end = cutEnd ? Math.min(last.start + place.end - ownLast.start, last.end) : last.end;
    const moved = finish(start, end, start + place.anchor - place.start, (d) => d);
    const by = moved.anchor - place.anchor;
    return { ...moved, off: inner.name !== axis.unit.name, dates: [...place.dates, (d) => d + by] };
  };
  const nests = (inner: RefUnit, outer: RefUnit): boolean =>
    inner.name === outer.name ||
    inner.family === 'day' ||
    (inner.name === 'week' && outer.name === 'week-year') ||
    (RETAIL.indexOf(inner.name) + 1 > 0 && RETAIL.indexOf(outer.name) > RETAIL.indexOf(inner.name)) ||
    (time.listed.get(inner.name)?.every(({ start, end }) => (outer.at(start)?.end ?? start) >= end) ?? false);
  const ownUnit = (): string | undefined => {
    const window = over?.window;
    if (window?.kind !== 'points' || window.from.moves.length + window.to.moves.length > 0) return undefined;
    if (window.from.kind === 'start' && window.from.offset === 0 && window.from.unit !== 'period' && window.to.kind === 'anchor')
      return window.from.unit;
    return window.from.kind === 'since' && window.to.kind === 'done' && window.from.unit === window.to.unit ? window.from.unit : undefined;
  };
  switch (shift.kind) {
    case 'stay':
      return place;
    case 'days':
      return { ...place, moved: place.moved + shift.days };
    case 'months':
      return months(shift.months);
    case 'units':
      return units(shift.unit, shift.count);
    case 'base': {
      const [y, m] = shift.period.split('-').map(Number);
      const start = day(y, m ?? 1, 1);
      return {
        ...refPlace(start, plusMonths(start, m === undefined ? 12 : 1, false) - 1, asOf),
        ...(place.seen ? { seen: { asOf, at: 0 } } : {}),
        off: axis.unit.family !== 'day' && axis.unit.name !== (m === undefined ? 'year' : 'month'),
      };
    }
    case 'year-earlier': {
      const own = ownUnit();
      const unit =
        axis.kind === 'unit'
          ? axis.unit
          : axis.kind === 'windows' && own !== undefined && time.unit(own).family === 'week'
            ? time.unit(own)
            : undefined;
      if (unit?.family === 'own') throw new Error('C7');
      return unit?.year !== undefined ? units(unit.year, -1) : months(-12);
    }
    case 'previous': {
      if (axis.kind === 'windows') {
        if (over?.previous) return refCompare(place, { shift: over.previous, match }, over, horizon, time);
        const own = ownUnit();
        if (own !== undefined) return units(own, -1);
        if (over && over.window.kind !== 'points') return { ...place, back: place.back + 1 };
        throw new Error('C7');
      }
      if (axis.kind === 'range' && axis.unit.family === 'day') {
        return { ...place, moved: place.moved - ((horizon === 'plan' ? place.end : place.anchor) - place.start + 1) };
      }
      if (place.off) throw new Error('C7');
      let count = 1;
      for (let p = axis.unit.at(place.start) as Span; p.end < place.end; p = axis.unit.step(p, 1) as Span) count++;
      return units(axis.unit.name, -count);
    }
  }
};

export type RefLaid =
  | { readonly kind: 'days'; readonly start: number; readonly end: number }
  | { readonly kind: 'empty' }
  | { readonly kind: 'blank' };

/** The days a reading covers at a place (A4, W5 to W8, M2, C10). `begin` is the fact's first day. */
export const refLay = (
  place: RefPlace,
  over: NamedWindow | undefined,
  time: RefTime,
  history: Span | undefined,
  horizon: string,
): RefLaid => {
  const asOf = place.seen?.asOf ?? time.asOf;
  const actual = horizon === 'actual';
  if (place.missing) return { kind: 'blank' };
  const future = actual && place.start + (place.seen ? place.moved : 0) > asOf;
  if (future && (place.moved === 0 || place.seen)) return { kind: 'blank' };
  const laid = over
    ? refWindow(over.window, place, time, history, horizon)
    : { start: place.start, end: actual ? place.anchor : place.end };
  if (!laid) return history && place.anchor < history.start ? { kind: 'blank' } : { kind: 'empty' };
  let { start, end } = laid;
  const empty = start > end;
  if (actual && !future && !place.seen && start <= asOf) end = Math.min(end, asOf);
  start += place.moved;
  end += place.moved;
  if (actual && !empty && start > asOf) return { kind: 'blank' };
  if (actual) end = Math.min(end, asOf);
  if (history && start < history.start && end < history.start) return { kind: 'blank' };
  if (start > end) return { kind: 'empty' };
  if (over?.full && history && start < history.start) return { kind: 'blank' };
  return { kind: 'days', start, end };
};
