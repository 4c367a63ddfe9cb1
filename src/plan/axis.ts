// The as-of date (A1), the range (A5) and the periods down the side of a result.
import type { Calendar, PeriodOf } from '../calendar/calendar.ts';
import { type Day, isoOf, LAST_DAY, parseIsoDay, toDay } from '../calendar/day.ts';
import type { Unit } from '../calendar/unit.ts';
import { DurchblickError, suggest } from '../errors.ts';
import type { Fact, Model, NamedWindow } from '../model/model.ts';
import { layWindow } from '../windows/lay.ts';
import { type AxisKind, indexAt, type Place, placeOf, unitPlaces } from '../windows/place.ts';
import { type Point, parsePointText } from '../windows/syntax.ts';
import { horizonOf, type Leaf } from './bind.ts';
import { checkCells } from './limits.ts';
import type { Asked } from './question.ts';
import { NO_REACH, pointReach, type Reach, type UnitDays } from './reach.ts';
import type { Bounds } from './request.ts';

/** Bounds of a fact's roles as the model sees them: of whole periods for coarse facts (A2). */
export type FactBounds = (fact: Fact, role: string) => Bounds | undefined;

export interface Axis {
  readonly kind: AxisKind;
  readonly places: readonly Place[];
  readonly labels: readonly string[];
  /** The windows of the rows on an axis of windows (A6). */
  readonly windows: readonly NamedWindow[] | undefined;
  /** The range is that of all data (A3). */
  readonly isDefault?: true;
  /** The day ranges of each row, if period filters leave more than one (U13). A row's place then spans from the first to the last. */
  readonly pieces?: readonly (readonly Place[])[];
}

/** The latest date that any actual fact has in its first role (A1). */
export const latestOf = (model: Model, bounds: FactBounds): Day | undefined => {
  let latest: Day | undefined;
  for (const fact of model.facts.values()) {
    if (fact.horizon !== 'actual') continue;
    const [first] = fact.roles.keys();
    const last = first === undefined ? undefined : bounds(fact, first)?.last;
    if (last !== undefined && (latest === undefined || last > latest)) latest = last;
  }
  return latest;
};

/** A lone point or window laid at one day, as an as-of date or a range may be given. */
const settingAt = (calendar: Calendar, day: Day) => ({ calendar, asOf: day, horizon: 'plan' as const, first: undefined, last: undefined });
const placeAt = (calendar: Calendar, day: Day): Place =>
  placeOf({ start: day, end: day, index: indexAt(calendar, calendar.unit('day'), day) }, day);

/** The point that an as-of date is given as, such as `end(-1 month)` (A1); undefined where it is a date or a word. */
const asOfPoint = (text: string, { units }: Model): Point | undefined => {
  if (parseIsoDay(text) !== undefined || ['today', 'yesterday', 'latest'].includes(text)) return undefined;
  try {
    return parsePointText(text, units);
  } catch (error) {
    throw error instanceof DurchblickError ? badAsOf(text) : error;
  }
};

const badAsOf = (text: string): DurchblickError =>
  new DurchblickError('bad-as-of', `"${text}" is not an as-of date`, {
    hint: 'It takes YYYY-MM-DD, latest, today, yesterday, or a point such as end(-1 month).',
  });

/** How far an as-of date may lie from today, for the calendar that it is laid in. */
export const asOfReach = (text: string, model: Model, unitDays: UnitDays): Reach => {
  const point = asOfPoint(text, model);
  return point ? pointReach(point, unitDays) : NO_REACH;
};

/** The as-of date: a date, `today`, `yesterday`, `latest`, or a point laid at today (A1). */
export const asOfDay = (text: string, model: Model, calendar: Calendar | undefined, today: Day, bounds: FactBounds): Day => {
  const day = parseIsoDay(text);
  if (day !== undefined) return day;
  if (text === 'yesterday') return today - 1;
  if (text === 'latest') return latestOf(model, bounds) ?? today;
  const point = asOfPoint(text, model);
  // Before there is a calendar, today stands in: the calendar is built around it.
  if (!point || !calendar) return today;
  const laid = layWindow({ kind: 'points', from: point, to: point }, placeAt(calendar, today), settingAt(calendar, today));
  if (!laid) throw badAsOf(text);
  return laid[0];
};

export interface Stretch {
  readonly first: Day;
  readonly last: Day;
  /** The unit it was given in whole periods of (A5). */
  readonly unit: Unit | undefined;
}

const periodOf = (calendar: Calendar, text: string): PeriodOf => {
  const found = calendar.parse(text.trim());
  if (found) return found;
  throw new DurchblickError('unknown-period', `there is no period "${text.trim()}"`, {
    hint: 'Periods are written like 2026, 2026-H2, 2026-Q2, 2026-05, 2026-W21, 2026-05-20 or a label of your own units.',
  });
};

const DATES = /^\d{4}-\d\d-\d\d\/\d{4}-\d\d-\d\d$/;

/** A range: two dates, two periods, one period, or a window laid at the as-of date (A5). */
export const rangeOf = (text: string, model: Model, calendar: Calendar, asOf: Day, bounds: Bounds | undefined): Stretch => {
  const window = model.windows.get(text);
  if (window) {
    const setting = { ...settingAt(calendar, asOf), first: bounds?.first, last: bounds?.last };
    const laid = layWindow(window.window, placeAt(calendar, asOf), setting);
    if (!laid || laid[0] > laid[1]) throw new DurchblickError('empty-range', `"${text}" covers no day at ${isoOf(asOf)}`);
    return { first: laid[0], last: laid[1], unit: undefined };
  }
  // A label may hold a slash itself, so the whole text is tried first; two dates are no label, and need no list of them.
  const whole = DATES.test(text) ? undefined : calendar.parse(text);
  const slash = text.indexOf('/');
  if (!whole && slash < 0 && !/\d/.test(text)) {
    throw new DurchblickError('unknown-period', `there is no period or window "${text}"`, {
      hint: suggest(text, model.windows.keys(), 'windows'),
    });
  }
  const from = whole ?? periodOf(calendar, slash < 0 ? text : text.slice(0, slash));
  const to = whole ?? (slash < 0 ? from : periodOf(calendar, text.slice(slash + 1)));
  if (to.end < from.start) {
    throw new DurchblickError('bad-range', `the range runs backwards: ${isoOf(from.start)} to ${isoOf(to.end)}`, {
      hint: 'The first period comes first.',
    });
  }
  // The last period of a table without an end is endless (U7); a range of it goes as far as there is anything to see.
  const last = to.end < LAST_DAY ? to.end : Math.max(asOf, bounds?.last ?? asOf, to.start);
  const unit = from.unit === to.unit && (from.unit !== 'day' || from.index === to.index) ? calendar.unit(from.unit) : undefined;
  return { first: from.start, last, unit: last === to.end ? unit : undefined };
};

/** Data that reach further than this, in days, hold a date that stands for something else. */
const LONGEST = 400 * 366;
/** A day in our own time: of two ends the one that lies further from it is the odd one. */
const NEAR = toDay('2000-01-01');

/** A default range that some placeholder or slip of the pen has stretched over centuries. */
const farDate = (leaves: readonly Leaf[], { first, last }: Stretch, bounds: FactBounds): DurchblickError => {
  const days = leaves.flatMap(({ measure, role }) => {
    const name = measure.open?.from ?? role.name;
    const known = bounds(measure.fact, name);
    return known ? [known.first, known.last].map((day) => ({ day, name, fact: measure.fact })) : [];
  });
  const ends = days.filter(({ day }) => day === first || day === last);
  const far = ends.reduce((a, b) => (Math.abs(b.day - NEAR) > Math.abs(a.day - NEAR) ? b : a));
  const day = isoOf(far.day);
  return new DurchblickError(
    'far-date',
    `${far.fact.name} has the ${far.name} date ${day}: the range of all data is ${isoOf(first)} to ${isoOf(last)}`,
    {
      kind: 'data',
      hint: `Give a range; or, if it stands for "none", say so at ${far.fact.roles.get(far.name)?.column}: blank-dates: [${day}]. \`check\` counts such rows.`,
    },
  );
};

/** From the first to the last day with data in the roles shown; cut at the as-of date unless a plan is shown (A3). */
const defaultStretch = (leaves: readonly Leaf[], asOf: Day, bounds: FactBounds): Stretch | undefined => {
  let [first, last] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  let plan = false;
  for (const leaf of leaves) {
    const known = bounds(leaf.measure.fact, leaf.measure.open?.from ?? leaf.role.name);
    if (horizonOf(leaf) === 'plan') plan = true;
    if (!known) continue;
    first = Math.min(first, known.first);
    last = Math.max(last, known.last);
  }
  if (!plan) last = Math.min(last, asOf);
  return first > last ? undefined : { first, last, unit: undefined };
};

/** The effect of period filters on an axis (U13). */
export interface RowFilters {
  /** The attributes of the filters. */
  readonly names: readonly string[];
  /** Days named by the filters; used if the question has no range. */
  readonly named: Stretch | undefined;
  /** The day ranges that pass the filters. */
  readonly runsIn: (first: Day, last: Day) => readonly DayRun[];
  /** The unit of which all ranges are whole periods: that of a filter, else that of the range (A5). */
  readonly unitOf: (runs: readonly DayRun[], range: Unit | undefined) => Unit | undefined;
}

/** Consecutive days, both ends inclusive. */
export type DayRun = readonly [first: Day, last: Day];

/** Splits day ranges into axis rows; a row may have several ranges. */
const rowsFrom = (runs: readonly DayRun[], unit: Unit, calendar: Calendar, asOf: Day): readonly (readonly Place[])[] => {
  const rows: Place[][] = [];
  for (const [first, last] of runs)
    for (const place of unitPlaces(calendar, unit, first, last, asOf)) {
      const before = rows[rows.length - 1];
      if (before?.[0].index === place.index) before.push(place);
      else rows.push([place]);
    }
  return rows;
};

/** The place that spans all pieces of a row (U13). */
export const spanPieces = (pieces: readonly Place[], asOf: Day): Place => {
  const [first, last] = [pieces[0], pieces[pieces.length - 1]];
  if (first === last) return first;
  const { start, index, cutStart } = first;
  return placeOf({ start, end: last.end, index, lastIndex: last.lastIndex, cutStart, cutEnd: last.cutEnd }, asOf);
};

/** The axis of a question (A3, A5, A6). Period filters select its rows (U13). */
export const axisOf = (
  asked: Asked,
  leaves: readonly Leaf[],
  model: Model,
  calendar: Calendar,
  asOf: Day,
  bounds: FactBounds,
  filters?: RowFilters,
): Axis => {
  const days = calendar.unit('day');
  const { by } = asked;
  if (by.kind === 'windows') {
    const place = placeAt(calendar, asOf);
    return {
      kind: { kind: 'windows', unit: days },
      places: by.windows.map(() => place),
      labels: by.windows.map((window) => window.name),
      windows: by.windows,
    };
  }
  const all = defaultStretch(leaves, asOf, bounds);
  const range = asked.range === undefined ? filters?.named : rangeOf(asked.range, model, calendar, asOf, all);
  const stretch = range ?? all;
  const runsIn = (first: Day, last: Day): readonly DayRun[] => filters?.runsIn(first, last) ?? [[first, last]];
  if (by.kind === 'range') {
    const runs = stretch && stretch.first <= stretch.last ? runsIn(stretch.first, stretch.last) : [];
    if (!stretch || runs.length === 0) return { kind: { kind: 'range', unit: days }, places: [], labels: [], windows: undefined };
    const unit = (filters ? filters.unitOf(runs, stretch.unit) : stretch.unit) ?? days;
    const pieces = runs.map(([start, end]) =>
      placeOf({ start, end, index: indexAt(calendar, unit, start), lastIndex: indexAt(calendar, unit, end) }, asOf),
    );
    const place = spanPieces(pieces, asOf);
    return {
      kind: { kind: 'range', unit },
      places: [place],
      labels: [`${isoOf(place.start)}/${isoOf(place.end)}`],
      windows: undefined,
      ...(range ? {} : { isDefault: true as const }),
      ...(pieces.length > 1 ? { pieces: [pieces] } : {}),
    };
  }
  if (!range && stretch && stretch.last - stretch.first > LONGEST) throw farDate(leaves, stretch, bounds);
  const unit = calendar.unit(by.unit);
  const kind: AxisKind = { kind: 'unit', unit };
  if (!stretch || stretch.first > stretch.last) return { kind, places: [], labels: [], windows: undefined };
  let { first, last } = stretch;
  if (!range) {
    // The default range is widened to whole periods: none is cut (A3).
    const [a, b] = [indexAt(calendar, unit, first), indexAt(calendar, unit, last)];
    if (a >= 0) first = unit.starts[a];
    if (b >= 0) last = unit.ends[b];
  }
  // The last period of a table without an end is endless (U7).
  const end = Math.min(last, unit.starts[unit.starts.length - 1] ?? last);
  const [from, to] = [first, end].map((day) => indexAt(calendar, unit, day)).map((found) => (found < 0 ? ~found : found));
  checkCells((to - from + 1) * asked.columns.length);
  const runs = runsIn(first, last);
  const pieces = rowsFrom(runs, unit, calendar, asOf);
  const places = pieces.map((list) => spanPieces(list, asOf));
  return {
    kind,
    places,
    labels: places.map((place) => unit.label(place.index)),
    windows: undefined,
    ...(runs.length > 1 ? { pieces } : {}),
  };
};
