import type { Calendar } from './calendar/calendar.ts';
import { zoneDays } from './calendar/dates.ts';
import { type Day, isoOf, LAST_DAY, parseIsoDay } from './calendar/day.ts';
import type { Engine } from './engines/engine.ts';
import { DurchblickError, suggest } from './errors.ts';
import { answer } from './evaluate/answer.ts';
import { cubesOf } from './evaluate/cubes.ts';
import { notes } from './evaluate/notes.ts';
import type { Evaluation } from './evaluate/scope.ts';
import { evaluateView, factFilters } from './evaluate/view.ts';
import { type AttributeRef, NONE, UNKNOWN } from './model/attributes.ts';
import type { Fact, Model } from './model/model.ts';
import type { Names } from './model/names.ts';
import type { Question, WhereInput } from './model/schema.ts';
import { alertOf, brokenLimit, type Limit } from './plan/alerts.ts';
import { asOfDay, axisOf, type FactBounds, rangeOf } from './plan/axis.ts';
import { leavesOf, windowNamed } from './plan/bind.ts';
import { buildCalendar, calendarRules, yearsIn } from './plan/calendar.ts';
import { type AskedFilter, askedOf, filtersOf, unitNamed } from './plan/question.ts';
import type { Bounds, Cancellation, DataNote, Filter, Segments } from './plan/request.ts';
import type { CheckedQuestion, QuestionOf, RowOf, WhereOf } from './plan/typed.ts';
import { actualHistory, comparisonsAt, type LaidSpan, reachOf, spansOf, windowsAt } from './plan/windows.ts';
import type { Format } from './result/format.ts';
import { type Result, resultOf } from './result/result.ts';
import { OUTSIDE } from './windows/place.ts';

export interface OpenBookOptions<N extends Names = Names> {
  /** Filters fixed for good: rows outside are not seen by any question, total, note or bound (V3). */
  readonly where?: WhereOf<N>;
  /** The present instant in milliseconds; what `today` means. Default: the system clock. */
  readonly clock?: () => number;
  /** Bytes of day cubes to keep for later questions. Default 256 MiB. */
  readonly cacheBytes?: number;
}

export interface AskOptions {
  readonly signal?: Cancellation;
}

export interface WindowsOptions {
  /** As-of dates to lay at, one after the other; the model's own when left out. */
  readonly at?: readonly string[];
  /** Windows, by name or as `[P10D/anchor]`, and comparisons, by name or as `[-P2Y]`; all of the model when left out. */
  readonly only?: readonly string[];
  /** The unit whose period at the as-of date comparisons are held against; when left out, month or the next that works. */
  readonly by?: string;
  /** The window they are held against instead of the period itself. */
  readonly over?: string;
}

/** An alert that fires: for which period and members, at what value, and the bound it breaks. */
export interface FiredAlert {
  readonly alert: string;
  readonly label: string;
  readonly reading: string;
  readonly asOf: string;
  readonly period: string;
  readonly members: Readonly<Record<string, string>>;
  readonly value: number;
  readonly limit: Limit;
  readonly format?: Format;
  readonly better?: 'higher' | 'lower';
}

/** What answering cost: scans of rows, cubes served from memory, cells that came from the engine. */
export interface Cost {
  readonly scans: number;
  readonly cached: number;
  readonly cells: number;
}

/** A model opened over data. Keeps day cubes, so that asking again does not touch the rows again. */
export interface Book<N extends Names = Names> {
  readonly model: Model<N>;
  /**
   * Answers a question. Names in it are checked by the compiler where model and question are literals, and always at
   * run time. Throws `DurchblickError` for a wrong question and for faults in the data.
   */
  ask<const Q extends QuestionOf<N>>(question: Q & CheckedQuestion<Q, N>, options?: AskOptions): Promise<Result<RowOf<Q>>>;
  /** The calendar in whole years over all data, the as-of date and what windows and comparisons reach from there (U8); or over a range. */
  readonly calendar: (range?: { readonly first: Day; readonly last: Day }) => Promise<Calendar>;
  /** First and last day of a range: periods, dates, labels or a window laid at the as-of date (A5). */
  readonly range: (text: string, asOf?: string) => Promise<{ readonly first: Day; readonly last: Day }>;
  /** The as-of date of a text, the model's own when left out (A1). */
  readonly asOf: (text?: string) => Promise<Day>;
  /** Windows and comparisons of the model with the days they cover. */
  readonly windows: (options?: WindowsOptions) => Promise<readonly LaidSpan[]>;
  /** Evaluates every alert of the model in the period of an as-of date, the model's own when left out; answers those that fire. */
  readonly alerts: (asOf?: string) => Promise<readonly FiredAlert[]>;
  /** First and last day with data in a role, of whole periods for coarse facts (W11). */
  readonly bounds: (fact: string, role: string) => Promise<Bounds | undefined>;
  readonly dataNotes: readonly DataNote[];
  readonly cost: () => Cost;
  readonly close: () => Promise<void>;
}

/** Runs something with wider and wider margins around the data, until no window reaches past the calendar (U8). */
const widening = async <T>(run: (marginYears: number) => Promise<T>): Promise<T> => {
  for (const margin of MARGINS) {
    try {
      return await run(margin);
    } catch (error) {
      if (!(error instanceof DurchblickError) || error.code !== OUTSIDE) throw error;
    }
  }
  return run(WIDEST);
};

/** Years around the data for which the calendar is built; widened when a window reaches further. */
const MARGINS = [3, 30, 300];
const WIDEST = 9000;

/** Checks that the members a filter asks for exist; an error with the nearest one otherwise (M3). */
const checkMembers = async (
  filters: readonly AskedFilter[],
  members: (attribute: AttributeRef) => Promise<readonly string[]>,
): Promise<void> => {
  for (const { attribute, test } of filters) {
    const asked = [...(test.values ?? []), ...(test.not ?? [])];
    if (asked.length === 0) continue;
    const known = await members(attribute);
    const set = new Set([...known, NONE, UNKNOWN]);
    const unknown = asked.find((text) => !set.has(text));
    if (unknown !== undefined) {
      const name = attribute.kind === 'band' ? attribute.band : attribute.attribute;
      throw new DurchblickError('unknown-member', `${name} has no member "${unknown}"`, { hint: suggest(unknown, known, 'members') });
    }
  }
};

/** Opens a model over an engine: reads and checks dates, builds the calendar, and answers questions from then on. */
export const open = async <N extends Names>(
  model: Model<N>,
  engine: Engine,
  options: OpenBookOptions<NoInfer<N>> = {},
): Promise<Book<N>> => {
  const fixedFilters = filtersOf(model, options.where as WhereInput | undefined);
  const fixed = new Map<string, readonly Filter[]>();
  for (const fact of model.facts.values()) fixed.set(fact.name, factFilters(fact, fixedFilters));
  let base: Calendar | undefined;
  const store = await engine.open(model, {
    fixed,
    workingDays: (after, until) => (base as Calendar).workingDays(after + 1, until),
  });
  try {
    await checkMembers(fixedFilters, store.members);
  } catch (error) {
    await store.close();
    throw error;
  }
  const clock = options.clock ?? (() => Date.now());
  const inZone = zoneDays(model.timeZone);
  const cubes = cubesOf(store, options.cacheBytes ?? 256 * 2 ** 20);
  const rules = await calendarRules(model, store);

  const lateRoles = new Map<string, ReadonlySet<string>>();
  for (const fact of model.facts.values()) lateRoles.set(fact.name, new Set(fact.enters === undefined ? [] : await store.lateRoles(fact)));

  const boundsKnown = new Map<string, Promise<ReadonlyMap<string, Bounds | undefined>>>();
  const boundsOf = (fact: Fact, knownBy: Day | undefined) => {
    const key = JSON.stringify([fact.name, fact.recorded === undefined ? null : (knownBy ?? null)]);
    let found = boundsKnown.get(key);
    if (!found) {
      found = store.bounds(fact, knownBy);
      boundsKnown.set(key, found);
    }
    return found;
  };
  const allBounds = async (knownBy: Day | undefined): Promise<FactBounds> => {
    const table = new Map<string, ReadonlyMap<string, Bounds | undefined>>();
    for (const fact of model.facts.values()) table.set(fact.name, await boundsOf(fact, knownBy));
    return (fact, role) => table.get(fact.name)?.get(role);
  };

  const calendars = new Map<string, Promise<Calendar>>();
  /** A calendar over the data and some more days; built once for each extent. */
  const calendarOver = async (days: readonly Day[], margin: number): Promise<Calendar> => {
    let [first, last] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (const day of days) {
      first = Math.min(first, day);
      last = Math.max(last, day);
    }
    const key = `${first} ${last} ${margin}`;
    let found = calendars.get(key);
    if (!found) {
      if (calendars.size > 50) calendars.clear();
      found = buildCalendar(rules, first, last, margin);
      calendars.set(key, found);
    }
    base ??= await found;
    return found;
  };
  const fixedRange = (): { first: Day; last: Day } | undefined => {
    const text = model.input.calendar?.range;
    if (text === undefined || text === 'auto') return undefined;
    const [first, last] = text.split('/').map((part) => parseIsoDay(part.trim()));
    if (first === undefined || last === undefined) {
      throw new DurchblickError('bad-range', `calendar.range is "${text}"`, { hint: 'It takes auto or two dates, 2021-01-01/2027-12-31.' });
    }
    if (last < first)
      throw new DurchblickError('bad-range', `calendar.range runs backwards: ${text}`, { hint: 'The first day comes first.' });
    return { first, last };
  };
  const range = fixedRange();
  const rawBounds = await allBounds(undefined);
  const dataDays = [...model.facts.values()].flatMap((fact) =>
    [...fact.roles.keys()].flatMap((role) => {
      const bounds = rawBounds(fact, role);
      if (!bounds) return [];
      if (range && (bounds.first < range.first || bounds.last > range.last)) {
        const day = bounds.first < range.first ? bounds.first : bounds.last;
        throw new DurchblickError(
          'outside-range',
          `${fact.name} has the ${role} date ${isoOf(day)}, outside the calendar's range ${isoOf(range.first)}/${isoOf(range.last)}`,
          {
            kind: 'data',
            hint: 'Widen `calendar.range`, or set it to auto (U8).',
          },
        );
      }
      return [bounds.first, bounds.last];
    }),
  );
  const today = () => inZone(clock());
  const anchorDays = (asOf: Day): Day[] =>
    range ? [range.first, range.last, asOf] : [...(dataDays.length > 0 ? dataDays : [today()]), asOf];

  /** Bounds in whole periods for coarse facts: those of the period that holds the first or last date (A2). */
  const periodBounds = (raw: FactBounds, calendar: Calendar): FactBounds => {
    const known = new Map<string, Bounds | undefined>();
    return (fact, role) => {
      const key = `${fact.name} ${role}`;
      if (known.has(key)) return known.get(key);
      const bounds = raw(fact, role);
      let widened = bounds;
      if (bounds && fact.grain !== 'day') {
        const unit = calendar.unit(fact.grain);
        const [a, b] = [calendar.indexOf(unit, bounds.first), calendar.indexOf(unit, bounds.last)];
        widened = { first: a < 0 ? bounds.first : unit.starts[a], last: b < 0 ? bounds.last : unit.ends[b] };
      }
      known.set(key, widened);
      return widened;
    };
  };

  /** Single days for daily facts, the fact's own periods for coarse ones: what a cube is cut into. */
  const segmentsKnown = new Map<string, Segments>();
  const segmentsIn = (bounds: FactBounds, calendar: Calendar) => {
    const known = segmentsKnown;
    return (fact: Fact, role: string): Segments => {
      const stretch = bounds(fact, role);
      if (!stretch) return { key: 'none', starts: new Int32Array(0), ends: new Int32Array(0) };
      const key = `${fact.grain}:${stretch.first}:${stretch.last}`;
      let segments = known.get(key);
      if (!segments) {
        const periods = fact.grain === 'day' ? undefined : calendar.range(fact.grain, stretch.first, stretch.last);
        const days = () => Int32Array.from({ length: stretch.last - stretch.first + 1 }, (_, i) => stretch.first + i);
        segments = {
          key,
          starts: periods ? Int32Array.from(periods, ({ start }) => start) : days(),
          ends: periods ? Int32Array.from(periods, ({ end }) => end) : days(),
        };
        known.set(key, segments);
      }
      return segments;
    };
  };

  const memberCounts = new Map<string, number>();
  const loadCounts = async (attributes: readonly AttributeRef[]): Promise<void> => {
    for (const attribute of attributes) memberCounts.set(attribute.key, (await store.members(attribute)).length + 2);
  };

  const ask = async (question: Question, { signal }: AskOptions = {}): Promise<Result> => {
    const asked = askedOf(model, question);
    await checkMembers(asked.filters, store.members);
    await loadCounts(asked.per.map(({ attribute }) => attribute));
    const raw = await allBounds(asked.knownBy);
    const leaves = asked.columns.flatMap(({ bound }) => leavesOf(bound));
    const far = [asked.range ?? '', asked.asOf, ...asked.columns.map(({ reading }) => reading)].flatMap(yearsIn);
    return widening(async (margin) => {
      const rough = asOfDay(asked.asOf, model, undefined, today(), raw);
      const calendar = await calendarOver([...anchorDays(rough), ...far, ...baseYears(model)], margin);
      const bounds = periodBounds(raw, calendar);
      const asOf = asOfDay(asked.asOf, model, calendar, today(), bounds);
      const axis = axisOf(asked, leaves, model, calendar, asOf, bounds);
      const found = notes();
      for (const note of store.notes) found.add(`data ${note.code} ${note.fact} ${note.role ?? ''}`, { ...note });
      const frame = { model, calendar, asOf, bounds };
      const evaluation: Evaluation = {
        frame,
        store,
        cubes,
        notes: found,
        knownBy: asked.knownBy,
        segments: segmentsIn(bounds, calendar),
        // A plan role is not cut at the as-of date, so rows that entered later must be; an actual one only where it runs ahead.
        entersLate: (fact, role) => {
          if (fact.enters === undefined || (raw(fact, fact.enters)?.last ?? LAST_DAY) <= asOf) return false;
          return fact.roles.get(role)?.horizon === 'plan' || (lateRoles.get(fact.name)?.has(role) ?? false);
        },
        view: (readings, scope) => evaluateView(readings, scope, evaluation),
        memberCount: (attributes) => attributes.reduce((product, { key }) => product * (memberCounts.get(key) ?? 1), 1),
        signal,
      };
      const outcome = await answer(asked, axis, evaluation);
      return resultOf(outcome, asked, model, asOf, found);
    });
  };

  const latestAsOf = async (text = model.asOf): Promise<Day> => {
    const raw = await allBounds(undefined);
    const rough = asOfDay(text, model, undefined, today(), raw);
    const calendar = await calendarOver(anchorDays(rough), 3);
    return asOfDay(text, model, calendar, today(), periodBounds(raw, calendar));
  };
  // Tables of periods and holidays are read and laid out now: what is wrong with them is told before any answer.
  try {
    await latestAsOf();
  } catch (error) {
    await store.close();
    throw error;
  }
  return {
    model,
    ask: ask as Book<N>['ask'],
    asOf: latestAsOf,
    calendar: async (wanted) => {
      if (wanted) return calendarOver([wanted.first, wanted.last], 0);
      const asOf = await latestAsOf();
      return widening(async (margin) => {
        const wide = await calendarOver(anchorDays(asOf), margin);
        const reached = range ? [] : reachOf(model, wide, asOf);
        return calendarOver([...anchorDays(asOf), ...reached], 0);
      });
    },
    range: async (text, asOfText) => {
      const asOf = await latestAsOf(asOfText);
      return widening(async (margin) => {
        const calendar = await calendarOver([...anchorDays(asOf), ...yearsIn(text)], margin);
        return rangeOf(text, model, calendar, asOf, actualHistory(model, periodBounds(rawBounds, calendar)));
      });
    },
    windows: async ({ at, only, by, over } = {}) => {
      const dates = await Promise.all((at ?? [model.asOf]).map(latestAsOf));
      const { windows, comparisons } = spansOf(model, only);
      const against = {
        by: by === undefined ? undefined : unitNamed(model, by),
        over: over === undefined ? undefined : windowNamed(model, over),
      };
      return widening(async (margin) => {
        const calendar = await calendarOver([...dates.flatMap(anchorDays), ...baseYears(model)], margin);
        const history = actualHistory(model, periodBounds(rawBounds, calendar));
        return dates.flatMap((day) => [
          ...windowsAt(windows, calendar, day, history),
          ...comparisonsAt(comparisons, against, model, calendar, day, history),
        ]);
      });
    },
    alerts: async (text) => {
      const asOf = await latestAsOf(text);
      const fired: FiredAlert[] = [];
      for (const [name, input] of model.alerts) {
        const { reading: shown, label, limits, by, per } = alertOf(model, name, input);
        const calendar = await calendarOver(anchorDays(asOf), 3);
        const period = calendar.label(by, asOf);
        if (period === undefined) continue;
        const question: Question = { show: [shown], by, per: per.map((entry) => entry.name), range: period, asOf: isoOf(asOf) };
        const { rows, columns } = await ask(question);
        for (const row of rows) {
          const value = row[row.length - 1];
          const limit = typeof value === 'number' ? brokenLimit(limits, value) : undefined;
          if (typeof value !== 'number' || !limit) continue;
          const members = Object.fromEntries(per.map((entry, k) => [entry.name, String(row[k + 1])]));
          const { format, better } = columns[columns.length - 1];
          fired.push({ alert: name, label, reading: shown, asOf: isoOf(asOf), period, members, value, limit, format, better });
        }
      }
      return fired;
    },
    bounds: async (fact, role) => {
      const known = model.facts.get(fact);
      if (!known?.roles.has(role))
        throw new DurchblickError('unknown-role', `there is no fact "${fact}" with a date "${role}"`, {
          hint: suggest(fact, model.facts.keys(), 'facts'),
        });
      const calendar = await calendarOver(anchorDays(await latestAsOf()), 3);
      return periodBounds(rawBounds, calendar)(known, role);
    },
    dataNotes: store.notes,
    cost: () => ({ ...cubes.counts }),
    close: () => store.close(),
  };
};

const baseYears = (model: Model): Day[] =>
  [...model.comparisons.values()].flatMap(({ shift }) => (shift.kind === 'base' ? yearsIn(shift.period) : []));
