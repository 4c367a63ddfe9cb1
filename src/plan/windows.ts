// Windows and comparisons laid at an as-of date, for lists and pictures of them (W2, C1 to C6).
import type { Calendar } from '../calendar/calendar.ts';
import { type Day, isoOf } from '../calendar/day.ts';
import { DurchblickError, suggest } from '../errors.ts';
import type { Comparison, Model, NamedWindow } from '../model/model.ts';
import { compare } from '../windows/compare.ts';
import { layWindow } from '../windows/lay.ts';
import { indexAt, type Place, placeOf, placeSeen } from '../windows/place.ts';
import type { SeenAs, Shift } from '../windows/syntax.ts';
import { type Texts, textIn } from '../words/texts.ts';
import type { FactBounds } from './axis.ts';
import { comparisonNamed, windowNamed } from './bind.ts';
import { baseYears, type Reaching } from './extent.ts';
import { localeOf, unitNamed } from './question.ts';
import { type Reach, reachOf, type UnitDays } from './reach.ts';
import type { Bounds } from './request.ts';
import { type Seen, seenUnder } from './seen.ts';

/** A window or a comparison laid at one day: the days it covers, inclusive; undefined where it covers none (W2, W5). */
export interface LaidSpan {
  readonly kind: 'window' | 'comparison';
  readonly name: string;
  /** How it is written: `start(month)/anchor`, `-P1Y`. */
  readonly is: string;
  readonly label: string | undefined;
  readonly builtIn: boolean;
  /** The as-of date it is laid at. */
  readonly at: Day;
  readonly from: Day | undefined;
  readonly to: Day | undefined;
  /** Length in days. */
  readonly days: number;
  /** The unit whose period a comparison is held against. */
  readonly by?: string;
  /** The as-of and known-by date that a comparison is seen at, where it changes them (C11). */
  readonly seen?: Partial<Seen>;
  /** Why a comparison cannot be laid out (C5, C7). */
  readonly problem?: string;
}

const dayPlace = (calendar: Calendar, day: Day): Place =>
  placeOf({ start: day, end: day, index: indexAt(calendar, calendar.unit('day'), day) }, day);

const settingAt = (calendar: Calendar, at: Day, history: Bounds | undefined) => ({
  calendar,
  asOf: at,
  horizon: 'plan' as const,
  first: history?.first,
  last: history?.last,
});

/** A text of the model in a language. */
type Said = (texts: Texts | undefined) => string | undefined;
const unsaid: Said = () => undefined;

type Named = Pick<LaidSpan, 'kind' | 'name' | 'is' | 'label' | 'builtIn' | 'at' | 'by' | 'seen'>;

const spanOf = (named: Named, laid: readonly [Day, Day] | undefined): LaidSpan =>
  !laid || laid[0] > laid[1]
    ? { ...named, from: undefined, to: undefined, days: 0 }
    : { ...named, from: laid[0], to: laid[1], days: laid[1] - laid[0] + 1 };

/** Lays windows at an as-of date, without regard to what is seen there. */
const windowsAt = (windows: Iterable<NamedWindow>, text: Said, calendar: Calendar, at: Day, history: Bounds | undefined): LaidSpan[] => {
  const place = dayPlace(calendar, at);
  const setting = settingAt(calendar, at, history);
  return Array.from(windows, (window) =>
    spanOf(
      { kind: 'window', name: window.name, is: window.text, label: text(window.label), builtIn: window.builtIn, at },
      layWindow(window.window, place, setting),
    ),
  );
};

/** Comparisons that every model has (C5). */
export const BUILT_IN = ['previous', 'year-earlier'];

const shiftText = (shift: Shift): string => {
  const signed = (count: number, unit: string) => `${count < 0 ? '-' : '+'}P${Math.abs(count)}${unit}`;
  switch (shift.kind) {
    case 'days':
      return shift.days % 7 === 0 ? signed(shift.days / 7, 'W') : signed(shift.days, 'D');
    case 'months':
      return shift.months % 12 === 0 ? signed(shift.months / 12, 'Y') : signed(shift.months, 'M');
    case 'units':
      return `${shift.count < 0 ? '-' : '+'}${Math.abs(shift.count)} ${shift.unit}`;
    case 'base':
      return `base ${shift.period}`;
    case 'stay':
      return '';
    default:
      return shift.kind;
  }
};

const seenText = (what: string, seen: SeenAs | undefined): string[] => {
  if (!seen) return [];
  if (seen.kind === 'date') return [`${what} ${isoOf(seen.day)}`];
  const { sign, months, days } = seen.move;
  const part = (count: number, unit: string): string => (count === 0 ? '' : `${Math.abs(count)}${unit}`);
  const [years, weeks] = [months % 12 === 0, days % 7 === 0];
  return [
    `${what} ${sign < 0 ? '-' : '+'}P${years ? part(months / 12, 'Y') : part(months, 'M')}${weeks ? part(days / 7, 'W') : part(days, 'D')}`,
  ];
};

/** A comparison as it is written in brackets. */
export const comparisonText = ({ shift, asOf, knownBy }: Comparison): string =>
  [shiftText(shift), ...seenText('as-of', asOf), ...seenText('known-by', knownBy)].filter((part) => part !== '').join(' ');

/** The axis that comparisons are shown on: a unit, or the first one on which each can be laid out; and a window. */
interface Against {
  readonly by: string | undefined;
  readonly over: NamedWindow | undefined;
}

/** The days that each comparison sets against the period of an as-of date, so far, or against a window laid there (C1 to C6). */
const comparisonsAt = (
  comparisons: Iterable<Comparison>,
  text: Said,
  { by, over }: Against,
  model: Model,
  calendar: Calendar,
  at: Day,
  history: Bounds | undefined,
): LaidSpan[] => {
  const setting = settingAt(calendar, at, history);
  const layOn = (comparison: Comparison, unitName: string): readonly [Day, Day] | undefined => {
    const { shift, match, name } = comparison;
    const unit = calendar.unit(unitName);
    const index = indexAt(calendar, unit, at);
    if (index < 0) return undefined;
    const place = placeOf({ start: unit.starts[index], end: unit.ends[index], index }, at);
    const landed = compare(place, shift, {
      calendar,
      axis: { kind: 'unit', unit },
      asOf: at,
      window: over?.window,
      previous: undefined,
      horizon: 'actual',
      match,
      name,
    });
    if (landed.missing) return undefined;
    const { asOf } = seenUnder({ asOf: at, knownBy: undefined }, comparison);
    const moved = comparison.asOf ? placeSeen(landed, asOf) : landed;
    const laid = over ? layWindow(over.window, moved, setting) : ([moved.start, moved.anchor] as const);
    return laid && [laid[0] + moved.days, laid[1] + moved.days];
  };
  const units = by === undefined ? [FIRST_TRIED, ...model.units.filter((unit) => unit !== FIRST_TRIED)] : [by];
  return Array.from(comparisons, (comparison) => {
    const { name, label } = comparison;
    const under = seenUnder({ asOf: at, knownBy: undefined }, comparison);
    const seen = {
      ...(comparison.asOf ? { asOf: under.asOf } : {}),
      ...(comparison.knownBy ? { knownBy: under.knownBy } : {}),
    };
    const named: Named = {
      kind: 'comparison',
      name,
      is: comparisonText(comparison),
      label: text(label),
      builtIn: BUILT_IN.includes(name),
      at,
      ...(comparison.asOf || comparison.knownBy ? { seen } : {}),
    };
    let problem: string | undefined;
    for (const unit of units) {
      try {
        return spanOf({ ...named, by: unit }, layOn(comparison, unit));
      } catch (error) {
        if (!(error instanceof DurchblickError)) throw error;
        problem ??= error.message;
      }
    }
    return { ...spanOf(named, undefined), problem };
  });
};

/** By month most comparisons mean something; those of week-based years do not, and go on to the next unit. */
const FIRST_TRIED = 'month';

/** First and last day with data over all actual facts, each in its first role. */
export const actualHistory = (model: Model, bounds: FactBounds): Bounds | undefined => {
  let found: Bounds | undefined;
  for (const fact of model.facts.values()) {
    const [role] = fact.roles.keys();
    const own = fact.horizon === 'actual' && role !== undefined ? bounds(fact, role) : undefined;
    if (!own) continue;
    const first = fact.begins ?? own.first;
    found = found ? { first: Math.min(found.first, first), last: Math.max(found.last, own.last) } : { first, last: own.last };
  }
  return found;
};

/** The days that a model's windows and comparisons reach from the as-of date (U8). */
export const daysReached = (model: Model, calendar: Calendar, asOf: Day): Day[] => {
  const days: Day[] = [];
  for (const { from, to } of windowsAt(model.windows.values(), unsaid, calendar, asOf, undefined)) {
    if (from !== undefined && to !== undefined) days.push(from, to);
  }
  const day = calendar.unit('day');
  const place = dayPlace(calendar, asOf);
  for (const { shift, match, name } of model.comparisons.values()) {
    const setting = {
      calendar,
      axis: { kind: 'unit' as const, unit: day },
      asOf,
      window: undefined,
      previous: undefined,
      horizon: 'plan' as const,
      match,
      name,
    };
    const moved = compare(place, shift, setting);
    if (!moved.missing) days.push(moved.start + moved.days, moved.end + moved.days);
  }
  return days;
};

/** Windows and comparisons by name or text; all of a model when there are none named. */
const spansOf = (
  model: Model,
  only: readonly string[] | undefined,
): { readonly windows: readonly NamedWindow[]; readonly comparisons: readonly Comparison[] } => {
  if (!only || only.length === 0) return { windows: [...model.windows.values()], comparisons: [...model.comparisons.values()] };
  const windows: NamedWindow[] = [];
  const comparisons: Comparison[] = [];
  for (const name of only) {
    if (model.windows.has(name)) windows.push(windowNamed(model, name));
    else if (model.comparisons.has(name) || (name.startsWith('[') && !name.includes('/'))) comparisons.push(comparisonNamed(model, name));
    else if (name.startsWith('[')) windows.push(windowNamed(model, name));
    else
      throw new DurchblickError('unknown-window', `there is no window or comparison "${name}"`, {
        hint: suggest(name, [...model.windows.keys(), ...model.comparisons.keys()], 'windows'),
      });
  }
  return { windows, comparisons };
};

/** How far all windows and comparisons of a model reach. */
export const modelReach = ({ windows, comparisons }: Pick<Model, 'windows' | 'comparisons'>, unitDays: UnitDays): Reach =>
  reachOf([], [...windows.values()], [...comparisons.values()], unitDays);

/** Something done with a calendar over an as-of date (the model's own when left out), more days and a reach, and the bounds in it. */
type Within = <T>(
  asOf: string | undefined,
  more: { readonly days: readonly Day[]; readonly reaching: Reaching },
  run: (asOf: Day, calendar: Calendar, bounds: FactBounds) => T,
) => Promise<T>;

/** Windows and comparisons laid at as-of dates; of a comparison against a unit's period or a window. */
export const spansLaid = async (
  model: Model,
  {
    at,
    only,
    by,
    over,
    locale,
  }: {
    readonly at?: readonly string[];
    readonly only?: readonly string[];
    readonly by?: string;
    readonly over?: string;
    readonly locale?: string;
  },
  within: Within,
): Promise<readonly LaidSpan[]> => {
  const { windows, comparisons } = spansOf(model, only);
  const wanted = localeOf(model, locale);
  const text: Said = (texts) => textIn(texts, wanted, model.locale);
  const against: Against = {
    by: by === undefined ? undefined : unitNamed(model, by),
    over: over === undefined ? undefined : windowNamed(model, over),
  };
  const reaching: Reaching = (unitDays) => reachOf([], [...windows, ...(against.over ? [against.over] : [])], comparisons, unitDays);
  const laid = (at ?? [undefined]).map((date) =>
    within(date, { days: baseYears(model), reaching }, (day, calendar, bounds) => {
      const history = actualHistory(model, bounds);
      return [
        ...windowsAt(windows, text, calendar, day, history),
        ...comparisonsAt(comparisons, text, against, model, calendar, day, history),
      ];
    }),
  );
  return (await Promise.all(laid)).flat();
};
