// Takes a place to the one that a comparison holds it against (C1 to C7).
import type { Calendar } from '../calendar/calendar.ts';
import { addMonths, type Day } from '../calendar/day.ts';
import type { Unit } from '../calendar/unit.ts';
import { DurchblickError } from '../errors.ts';
import { type AxisKind, anchorOf, exists, indexAt, NO_PERIOD, type Place, placeOf } from './place.ts';
import type { Shift, Window } from './syntax.ts';

export interface CompareSetting {
  readonly calendar: Calendar;
  readonly axis: AxisKind;
  readonly asOf: Day;
  /** The window a reading is laid over; undefined for a plain reading. */
  readonly window: Window | undefined;
  /** The window's own `previous:` shift, on an axis of windows (C5). */
  readonly previous: Shift | undefined;
  readonly horizon: 'actual' | 'plan';
  readonly match: 'elapsed' | 'whole';
  /** How the comparison was written, for messages. */
  readonly name: string;
}

/** The index of a place that was moved as dates: it stands on no period any more, so none can be counted from it. */
const OFF = -1;
const OFF_HINT = 'The comparison around it has moved the days off the periods of the axis; shift by days, months or years inside it.';

const cannot = (setting: CompareSetting, hint: string): never => {
  const axis = setting.axis.kind === 'unit' ? `by ${setting.axis.unit.name}` : 'on this axis';
  throw new DurchblickError('cannot-compare', `"vs ${setting.name}" cannot be laid out ${axis}`, { hint });
};

/** What would work instead, for C7. */
const whatWorks = (unit: Unit): string => {
  if (unit.basis === 'own') return `On ${unit.name}: previous, -1 ${unit.name}, a shift by days (-P364D) or a base.`;
  if (unit.basis === 'week') return `By ${unit.name}: previous, year-earlier, -1 ${unit.yearUnit}, a shift by weeks (-P52W) or a base.`;
  return `By ${unit.name}: previous, year-earlier, multiples of ${unit.months} months, a shift by days or weeks or a base.`;
};

/** A partial period is matched by elapsed time, unless all of its counterpart is asked for; plain plan readings cover all of it (C3, W6). */
const takesWhole = (place: Place, setting: CompareSetting): boolean => !place.partial || setting.match === 'whole';

const landed = (place: Place, parts: Partial<Place> & { start: Day; end: Day }, anchor: Day | undefined, asOf: Day): Place => ({
  ...place,
  ...parts,
  anchor: anchor === undefined ? anchorOf(parts.start, parts.end, asOf) : Math.min(anchor, parts.end),
  partial: anchor === undefined ? parts.start <= asOf && asOf < parts.end : true,
});

const byMonths = (place: Place, months: number, setting: CompareSetting): Place => {
  const { axis, asOf } = setting;
  const { unit } = axis;
  const plain = setting.window === undefined;
  const plainDay = plain && axis.kind === 'unit' && unit.basis === 'day';
  const move = (day: Day): Day => addMonths(day, months, plainDay ? 'same' : 'sticky');
  const dateMoves = [...place.dateMoves, { months }];
  if (unit.months > 0 && months % unit.months === 0) {
    if (place.index === OFF) return cannot(setting, OFF_HINT);
    const by = months / unit.months;
    const [index, lastIndex] = [place.index + by, place.lastIndex + by];
    exists(unit, index);
    exists(unit, lastIndex);
    const start = place.cutStart ? Math.max(move(place.start), unit.starts[index]) : unit.starts[index];
    const end = place.cutEnd ? Math.min(move(place.end), unit.ends[lastIndex]) : unit.ends[lastIndex];
    return landed(place, { start, end, index, lastIndex, dateMoves }, takesWhole(place, setting) ? undefined : move(place.anchor), asOf);
  }
  if (plain && axis.kind === 'unit' && unit.basis !== 'day') return cannot(setting, whatWorks(unit));
  const [start, end] = [move(place.start), move(place.end)];
  const days = unit.basis === 'day';
  const index = days ? indexAt(setting.calendar, unit, start) : OFF;
  const lastIndex = days ? indexAt(setting.calendar, unit, end) : OFF;
  const whole = days && takesWhole(place, setting);
  const moved = landed(place, { start, end, index, lastIndex, dateMoves }, whole ? undefined : move(place.anchor), asOf);
  return place.partial ? moved : { ...moved, partial: false, anchor: move(place.anchor) };
};

/** The k-th period inside its outer period goes to the k-th inside the shifted one; undefined when there is none (C4). */
const counterpart = (calendar: Calendar, inner: Unit, outer: Unit, index: number, count: number): number | undefined => {
  const from = indexAt(calendar, outer, inner.starts[index]);
  if (from < 0 || !exists(outer, from + count)) return undefined;
  if (inner === outer) return from + count;
  const first = (outerIndex: number): number => {
    const found = indexAt(calendar, inner, outer.starts[outerIndex]);
    return found < 0 ? ~found : found;
  };
  const target = first(from + count) + (index - first(from));
  return exists(inner, target) && inner.starts[target] <= outer.ends[from + count] ? target : undefined;
};

const byUnits = (place: Place, name: string, count: number, setting: CompareSetting): Place => {
  const { calendar, axis, asOf } = setting;
  const outer = calendar.unit(name);
  if (outer.months > 0) return byMonths(place, count * outer.months, setting);
  let inner = axis.unit;
  let { index, lastIndex } = place;
  let cut: Pick<Place, 'cutStart' | 'cutEnd'> = place;
  if (!calendar.nests(inner, outer)) {
    if (axis.kind === 'unit') return cannot(setting, whatWorks(inner));
    inner = calendar.unit('day');
    index = indexAt(calendar, inner, place.start);
    lastIndex = indexAt(calendar, inner, place.end);
    cut = { cutStart: false, cutEnd: false };
  }
  if (index === OFF) return cannot(setting, OFF_HINT);
  const first = counterpart(calendar, inner, outer, index, count);
  const last = lastIndex === index ? first : counterpart(calendar, inner, outer, lastIndex, count);
  if (first === undefined || last === undefined) return { ...place, missing: true };
  // A cut day moves by its number in the period, not beyond the counterpart's end.
  const start = cut.cutStart ? Math.min(inner.starts[first] + place.start - inner.starts[index], inner.ends[first]) : inner.starts[first];
  const end = cut.cutEnd ? Math.min(inner.starts[last] + place.end - inner.starts[lastIndex], inner.ends[last]) : inner.ends[last];
  const back = inner === axis.unit ? { index: first, lastIndex: last } : { index: OFF, lastIndex: OFF };
  const moved = landed(place, { start, end, ...back }, takesWhole(place, setting) ? undefined : start + place.anchor - place.start, asOf);
  return { ...moved, dateMoves: [...place.dateMoves, { days: moved.anchor - place.anchor }] };
};

/** The unit a window keeps to: of `start(unit)/anchor` and `since(unit)/done(unit)`; undefined for all others (C5). */
export const ownUnit = (window: Window): string | undefined => {
  if (window.kind !== 'points' || window.from.moves.length > 0 || window.to.moves.length > 0) return undefined;
  const { from, to } = window;
  if (from.kind === 'start' && from.offset === 0 && from.unit !== 'period' && to.kind === 'anchor') return from.unit;
  if (from.kind === 'since' && to.kind === 'done' && from.unit === to.unit) return from.unit;
  return undefined;
};

const previousOf = (place: Place, setting: CompareSetting): Place => {
  const { axis, window } = setting;
  const { unit } = axis;
  if (axis.kind === 'windows') {
    if (setting.previous) return compare(place, setting.previous, setting);
    const own = window && ownUnit(window);
    if (own) return byUnits(place, own, -1, setting);
    if (window && window.kind !== 'points') return { ...place, back: place.back + 1 };
    return cannot(setting, 'Give the window a shift of its own: `previous: -P14D` (C5).');
  }
  if (place.index === OFF) return cannot(setting, OFF_HINT);
  const count = place.lastIndex - place.index + 1;
  if (axis.kind === 'range' && unit.basis === 'day') {
    const covered = (setting.horizon === 'plan' ? place.end : place.anchor) - place.start + 1;
    return { ...place, days: place.days - covered };
  }
  return byUnits(place, unit.name, -count, setting);
};

const yearEarlier = (place: Place, setting: CompareSetting): Place => {
  const { axis, window, calendar } = setting;
  let unit = axis.kind === 'unit' ? axis.unit : undefined;
  if (axis.kind === 'windows' && window) {
    const own = ownUnit(window);
    const found = own === undefined ? undefined : calendar.unit(own);
    if (found?.basis === 'week') unit = found;
  }
  if (unit?.basis === 'own') return cannot(setting, whatWorks(unit));
  if (unit?.basis === 'week' && unit.yearUnit) return byUnits(place, unit.yearUnit, -1, setting);
  return byMonths(place, -12, setting);
};

/** Takes a place to where a comparison holds it against (C1 to C6). */
export type Compare = (place: Place, shift: Shift, setting: CompareSetting) => Place;

/** Shifts that move a place from period to period. */
const BY_PERIODS: ReadonlySet<Shift['kind']> = new Set(['months', 'units', 'previous', 'year-earlier']);

/** Where a comparison takes a place (C1 to C6). */
export const compare: Compare = (place, shift, setting) => {
  if (place.missing) return place;
  if (place.index === NO_PERIOD && BY_PERIODS.has(shift.kind)) return { ...place, missing: true };
  switch (shift.kind) {
    case 'days':
      return { ...place, days: place.days + shift.days };
    case 'months':
      return byMonths(place, shift.months, setting);
    case 'units':
      return byUnits(place, shift.unit, shift.count, setting);
    case 'previous':
      return previousOf(place, setting);
    case 'year-earlier':
      return yearEarlier(place, setting);
    case 'stay':
      return place;
    case 'base': {
      const period = setting.calendar.parse(shift.period);
      if (!period) {
        throw new DurchblickError('unknown-period', `there is no period "${shift.period}"`, {
          hint: 'Periods are written like 2026, 2026-Q2, 2026-05, 2026-W21, 2026-05-20 or a label of your own units.',
        });
      }
      const { unit } = setting.axis;
      const at = (day: Day): number =>
        unit.basis === 'day' ? indexAt(setting.calendar, unit, day) : unit.name === period.unit ? period.index : OFF;
      return placeOf(
        {
          start: period.start,
          end: period.end,
          index: at(period.start),
          lastIndex: at(period.end),
          seen: place.seen && { ...place.seen, movesBefore: 0 },
        },
        setting.asOf,
      );
    }
  }
};
