import type { Calendar } from './calendar/calendar.ts';
import { dateReader, zoneDays } from './calendar/dates.ts';
import { type Day, isoOf, LAST_DAY, NO_DAY } from './calendar/day.ts';
import type { Finding } from './check/finding.ts';
import type { Engine } from './engines/engine.ts';
import { DurchblickError, suggest } from './errors.ts';
import { answer } from './evaluate/answer.ts';
import { type Notes, notes } from './evaluate/notes.ts';
import type { Evaluation, Scope } from './evaluate/scope.ts';
import { evaluateView, factFilters } from './evaluate/view.ts';
import type { ArrowTable } from './files/arrow.ts';
import { type AttributeRef, attributeOf, NONE, UNKNOWN } from './model/attributes.ts';
import type { Fact, Model, Role } from './model/model.ts';
import type { Names } from './model/names.ts';
import type { Question, WhereInput } from './model/schema.ts';
import { alertOf, brokenLimit, type Limit } from './plan/alerts.ts';
import { type Axis, asOfDay, axisOf, type FactBounds, rangeOf } from './plan/axis.ts';
import { leavesOf, windowNamed } from './plan/bind.ts';
import { calendarRules, yearsIn } from './plan/calendar.ts';
import { orAborted } from './plan/cancel.ts';
import { baseYears, calendarsOf, dataDays, fixedRange, periodBounds, segmentsOf, widening } from './plan/extent.ts';
import { type Asked, type AskedFilter, askedOf, filtersOf, unitNamed } from './plan/question.ts';
import type { Bounds, Cancellation, DataNote, Filter } from './plan/request.ts';
import type { CheckedQuestion, QuestionOf, RowOf, WhereOf } from './plan/typed.ts';
import type { LaidSpan } from './plan/windows.ts';
import type { Explanation } from './result/explained.ts';
import { type Format, formatter } from './result/format.ts';
import { type Result as PlainResult, type ResultRow, resultOf } from './result/result.ts';
import { type State, stateOf, statesOf } from './states.ts';
import type { Difference } from './verify/differences.ts';

export interface OpenBookOptions<N extends Names = Names> {
  /** Filters fixed for good: rows outside are not seen by any question, total, note or bound (V3). */
  readonly where?: WhereOf<N>;
  /** The present instant in milliseconds; what `today` means. Default: the system clock. */
  readonly clock?: () => number;
  /** Bytes of day cubes to keep for later questions. Default 256 MiB. */
  readonly cacheBytes?: number;
}

/** An answer with its ways out; those that need a package say so when it is missing. */
export interface Result<Row = ResultRow> extends PlainResult<Row> {
  /** An Apache Arrow table with the rows of the CSV; needs `apache-arrow`. */
  readonly toArrow: () => Promise<ArrowTable>;
  /** The rows of the CSV as a Parquet file. */
  readonly toParquet: () => Promise<Uint8Array>;
}

const withOutputs = (result: PlainResult): Result => ({
  ...result,
  toArrow: async () => (await import('./files/arrow.ts')).arrowTable(result.toColumns()),
  toParquet: async () => (await import('./files/parquet.ts')).parquetOf(result.toColumns()),
});

/** An answer held against a second one, computed row by row (V2). */
export interface Verification {
  readonly result: Result;
  /** Cells of readings that were compared, totals included. */
  readonly cells: number;
  readonly different: readonly Difference[];
}

/** The cell that is to be explained. */
export interface ExplainRequest {
  readonly reading: string;
  /** A period by its label (`2026-08`, `2026-W33`, `FY27`), a range (`2026-01/2026-08`), or the name of a window. */
  readonly at: string;
  /** The axis that the cell stands on; when left out, the unit of the period. */
  readonly by?: string;
  /** The members of the cell, by attribute. */
  readonly members?: Readonly<Record<string, string>>;
  readonly where?: Question['where'];
  readonly asOf?: string;
  readonly knownBy?: string;
  /** Rows to show behind each measure; default 5. */
  readonly rows?: number;
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
  /** Rows that a database answered with; undefined where rows are in memory. */
  readonly fetched?: number;
}

/** A model opened over data. Keeps day cubes, so that asking again does not touch the rows again. */
export interface Book<N extends Names = Names> {
  readonly model: Model<N>;
  /**
   * Answers a question. Names in it are checked by the compiler where model and question are literals, and always at
   * run time. Throws `DurchblickError` for a wrong question and for faults in the data.
   */
  ask<const Q extends QuestionOf<N>>(question: Q & CheckedQuestion<Q, N>, options?: AskOptions): Promise<Result<RowOf<Q>>>;
  /**
   * Answers a question, and a second time from all rows without cubes, prefix sums, events or a database's sums; says
   * which cells differ (V2). Reads every row of the model's facts.
   */
  verify<const Q extends QuestionOf<N>>(question: Q & CheckedQuestion<Q, N>, options?: AskOptions): Promise<Verification>;
  /** Why a cell's number is what it is: parts, days, rows, and what was left out (V1). */
  readonly explain: (request: ExplainRequest, options?: AskOptions) => Promise<Explanation>;
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
  /** What in model and data somebody should look at: orphans, far dates, gaps, doubled amounts, names that nothing uses. */
  readonly check: () => Promise<readonly Finding[]>;
  /** Members of an attribute in their order (R1), as questions name it. */
  readonly members: (attribute: string) => Promise<readonly string[]>;
  /** First and last day with data in a role, of whole periods for coarse facts (W11). */
  readonly bounds: (fact: string, role: string) => Promise<Bounds | undefined>;
  readonly dataNotes: readonly DataNote[];
  readonly cost: () => Cost;
  readonly close: () => Promise<void>;
}

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

/** Days of a fact that scans read: all, or what questions have asked for. The second time that is not enough, all (Store.reads). */
const readDays = (state: State, fact: Fact, role: string, all: Bounds | undefined): Bounds | undefined => {
  if (state.store.reads !== 'asked' || fact.grain !== 'day' || !all) return all;
  const reached = state.reached.get(`${fact.name} ${role}`);
  if (!reached) return undefined;
  if (reached.times > 1) return all;
  return { first: Math.max(reached.from, all.first), last: Math.min(reached.to, all.last) };
};

const reachDays = (state: State, fact: Fact, role: string, asked: Bounds, all: Bounds | undefined): void => {
  const key = `${fact.name} ${role}`;
  // Days that have no rows need not be reached.
  const from = Math.max(asked.first, all?.first ?? asked.first);
  const to = Math.min(asked.last, all?.last ?? asked.last);
  const reached = state.reached.get(key);
  if (!reached) state.reached.set(key, { from, to, times: 1 });
  else if (from < reached.from || to > reached.to)
    state.reached.set(key, { from: Math.min(from, reached.from), to: Math.max(to, reached.to), times: reached.times + 1 });
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
  /** Working days are the same in every calendar of the model; the first one built will do. */
  let base: Calendar | undefined;
  const opening = { fixed, workingDays: (after: Day, until: Day) => (base as Calendar).workingDays(after + 1, until) };
  const store = await engine.open(model, opening);
  const states = statesOf(model, store, options.cacheBytes ?? 256 * 2 ** 20);
  const clock = options.clock ?? (() => Date.now());
  const inZone = zoneDays(model.timeZone);
  const today = () => inZone(clock());
  const segments = segmentsOf();

  const prepare = async () => {
    await checkMembers(fixedFilters, store.members);
    const calendars = calendarsOf(await calendarRules(model, store));
    const calendarOver = async (days: readonly Day[], margin: number): Promise<Calendar> => {
      const found = await calendars(days, margin);
      base ??= found;
      return found;
    };
    const range = fixedRange(model);
    return { calendarOver, range };
  };
  const { calendarOver, range } = await prepare().catch(async (error: unknown) => {
    await store.close();
    throw error;
  });

  /** Days that a calendar must cover for a state of the data and an as-of date. */
  const anchorDays = async (state: State, asOf: Day): Promise<Day[]> => {
    const days = dataDays(model, await state.bounds(undefined), range);
    return range ? [range.first, range.last, asOf] : [...(days.length > 0 ? days : [today()]), asOf];
  };

  /** Resolves a question in a state of the data, and hands over what it takes to answer it. */
  const answerIn = async <T>(
    state: State,
    question: Question,
    { signal }: AskOptions,
    finish: (parts: { asked: Asked; axis: Axis; evaluation: Evaluation; found: Notes; asOf: Day }) => Promise<T>,
  ): Promise<T> => {
    const asked = askedOf(model, question);
    await checkMembers(asked.filters, state.store.members);
    const memberCounts = new Map<string, number>();
    for (const { attribute } of asked.per) memberCounts.set(attribute.key, (await state.store.members(attribute)).length + 2);
    const late = new Map<string, ReadonlySet<string>>();
    for (const fact of model.facts.values()) late.set(fact.name, await state.lateRoles(fact));
    const raw = await state.bounds(asked.knownBy);
    const leaves = asked.columns.flatMap(({ bound }) => leavesOf(bound));
    const far = [asked.range ?? '', asked.asOf, ...asked.columns.map(({ reading }) => reading)].flatMap(yearsIn);
    return widening(async (margin) => {
      const rough = asOfDay(asked.asOf, model, undefined, today(), raw);
      const calendar = await calendarOver([...(await anchorDays(state, rough)), ...far, ...baseYears(model)], margin);
      const bounds = periodBounds(raw, calendar);
      const asOf = asOfDay(asked.asOf, model, calendar, today(), bounds);
      const axis = axisOf(asked, leaves, model, calendar, asOf, bounds);
      const found = notes();
      for (const note of state.store.notes) found.add(`data ${note.code} ${note.fact} ${note.role ?? ''}`, { ...note });
      const evaluation: Evaluation = {
        frame: { model, calendar, asOf, bounds },
        store: state.store,
        cubes: state.cubes,
        notes: found,
        knownBy: asked.knownBy,
        segments: (fact, role) => segments(fact, bounds(fact, role), calendar),
        read: (fact, role) => segments(fact, readDays(state, fact, role, bounds(fact, role)), calendar),
        reach: (fact, role, first, last) => reachDays(state, fact, role, { first, last }, bounds(fact, role)),
        // A plan role is not cut at the as-of date, so rows that entered later must be; an actual one only where it runs ahead.
        entersLate: (fact, role) => {
          if (fact.enters === undefined || (raw(fact, fact.enters)?.last ?? LAST_DAY) <= asOf) return false;
          return fact.roles.get(role)?.horizon === 'plan' || (late.get(fact.name)?.has(role) ?? false);
        },
        // What must be known about a shape is no note of the answer: its rows are not shown.
        view: (readings, scope) => evaluateView(readings, scope, { ...evaluation, notes: notes() }),
        memberCount: (attributes) => attributes.reduce((product, { key }) => product * (memberCounts.get(key) ?? 1), 1),
        signal,
      };
      return finish({ asked, axis, evaluation, found, asOf });
    });
  };

  const askIn = (state: State, question: Question, asking: AskOptions): Promise<Result> =>
    answerIn(state, question, asking, async ({ asked, axis, evaluation, found, asOf }) =>
      withOutputs(resultOf(await answer(asked, axis, evaluation), asked, model, asOf, found)),
    );

  const explainIn = async (state: State, request: ExplainRequest, asking: AskOptions): Promise<Explanation> => {
    const { explainParts, formulaText } = await import('./evaluate/explain.ts');
    const { reading, at, members = {}, where, asOf: asOfText, knownBy, rows: show = 5 } = request;
    const isWindow = model.windows.has(at) && request.by === undefined;
    const unitOfPeriod = async (): Promise<string | undefined> => {
      if (at.includes('/')) return undefined;
      const asOf = await asOfIn(state, asOfText ?? model.asOf);
      return widening(async (margin) => (await calendarOver([...(await anchorDays(state, asOf)), ...yearsIn(at)], margin)).parse(at)?.unit);
    };
    const by = request.by ?? (isWindow ? undefined : await unitOfPeriod());
    const question: Question = {
      show: [reading],
      ...(isWindow ? { by: [at] } : { range: at, ...(by === undefined ? {} : { by }) }),
      per: Object.keys(members),
      ...(where ? { where } : {}),
      ...(asOfText === undefined ? {} : { asOf: asOfText }),
      ...(knownBy === undefined ? {} : { knownBy }),
    };
    return answerIn(state, question, asking, async ({ asked, axis, evaluation, found, asOf }) => {
      const attributes = asked.per.map(({ attribute }) => attribute);
      for (const { name, attribute } of asked.per)
        await checkMembers([{ attribute, test: { values: [members[name]] } }], state.store.members);
      const outcome = await answer(asked, axis, evaluation);
      const wanted = asked.per.map(({ name }) => members[name]);
      const row = outcome.rows.find((one) => one.members.every((text, k) => text === wanted[k]));
      const scope: Scope = {
        view: { axis, rows: 'periods' },
        attributes,
        filters: asked.filters,
        combinations: undefined,
        tuples: [wanted],
      };
      const [{ bound }] = asked.columns;
      const place = axis.places[0];
      const cell = row ?? { kind: 'cell' as const, period: 0, members: wanted, data: await evaluation.view([bound], scope), row: 0, at: 0 };
      const parts = await explainParts(
        {
          bound,
          scope,
          row: { ...cell, row: cell.row },
          attributes,
          filters: asked.filters,
          periodEnd: axis.windows ? asOf : (place?.end ?? asOf),
          show,
        },
        evaluation,
      );
      const result = resultOf(outcome, asked, model, asOf, found);
      const { format } = result.columns[result.columns.length - 1];
      const [{ value }] = parts;
      const formula = formulaText(model, reading);
      return {
        reading,
        ...(formula === undefined ? {} : { formula }),
        value,
        text: formatter(format ?? {}, model.locale)(value),
        period: result.periods[0]?.label ?? at,
        members,
        asOf: isoOf(asOf),
        caption: result.caption,
        ...(format ? { format } : {}),
        parts,
        notes: result.notes,
      };
    });
  };
  const explain = (request: ExplainRequest, asking: AskOptions = {}): Promise<Explanation> =>
    orAborted(
      states.run((state) => explainIn(state, request, asking), asking.signal),
      asking.signal,
    );

  const ask = (question: Question, asking: AskOptions = {}): Promise<Result> =>
    orAborted(
      states.run((state) => askIn(state, question, asking), asking.signal),
      asking.signal,
    );

  const verify = (question: Question, asking: AskOptions = {}): Promise<Verification> =>
    orAborted(
      states.run(async (state) => {
        const result = await askIn(state, question, asking);
        // What few ask for is loaded when it is asked for.
        const [{ plainStore }, { differencesOf }] = await Promise.all([import('./verify/store.ts'), import('./verify/differences.ts')]);
        const plain = await plainStore(model, state.store, opening);
        const again = await askIn(stateOf(model, plain.store, plain.cubes), question, asking);
        return { result, ...differencesOf(result, again) };
      }, asking.signal),
      asking.signal,
    );

  const asOfIn = async (state: State, text: string): Promise<Day> => {
    const raw = await state.bounds(undefined);
    const rough = asOfDay(text, model, undefined, today(), raw);
    const calendar = await calendarOver(await anchorDays(state, rough), 3);
    return asOfDay(text, model, calendar, today(), periodBounds(raw, calendar));
  };
  /** A calendar over the data of a state, an as-of date and more days, with the bounds in it. */
  const within = <T>(
    text: string | undefined,
    more: readonly Day[],
    run: (asOf: Day, calendar: Calendar, bounds: FactBounds) => T | Promise<T>,
  ): Promise<T> =>
    states.run(async (state) => {
      const asOf = await asOfIn(state, text ?? model.asOf);
      return widening(async (margin) => {
        const calendar = await calendarOver([...(await anchorDays(state, asOf)), ...more], margin);
        return run(asOf, calendar, periodBounds(await state.bounds(undefined), calendar));
      });
    });
  const latestAsOf = (text?: string): Promise<Day> => states.run((state) => asOfIn(state, text ?? model.asOf));

  const bookWindows: Book<N>['windows'] = async ({ at, only, by, over } = {}) => {
    const { actualHistory, comparisonsAt, spansOf, windowsAt } = await import('./plan/windows.ts');
    const { windows, comparisons } = spansOf(model, only);
    const against = {
      by: by === undefined ? undefined : unitNamed(model, by),
      over: over === undefined ? undefined : windowNamed(model, over),
    };
    const laid = (at ?? [undefined]).map((text) =>
      within(text, baseYears(model), (day, calendar, bounds) => {
        const history = actualHistory(model, bounds);
        return [...windowsAt(windows, calendar, day, history), ...comparisonsAt(comparisons, against, model, calendar, day, history)];
      }),
    );
    return (await Promise.all(laid)).flat();
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
    verify: verify as Book<N>['verify'],
    explain,
    asOf: latestAsOf,
    calendar: async (own) => {
      if (own) return calendarOver([own.first, own.last], 0);
      if (range) return calendarOver([range.first, range.last], 0);
      const { reachOf } = await import('./plan/windows.ts');
      return states.run(async (state) => {
        const asOf = await asOfIn(state, model.asOf);
        return widening(async (margin) => {
          const wide = await calendarOver(await anchorDays(state, asOf), margin);
          return calendarOver([...(await anchorDays(state, asOf)), ...reachOf(model, wide, asOf)], 0);
        });
      });
    },
    range: async (text, asOfText) => {
      const { actualHistory } = await import('./plan/windows.ts');
      return within(asOfText, yearsIn(text), (asOf, calendar, bounds) =>
        rangeOf(text, model, calendar, asOf, actualHistory(model, bounds)),
      );
    },
    windows: bookWindows,
    alerts: async (text) => {
      const asOf = isoOf(await latestAsOf(text));
      const fired: FiredAlert[] = [];
      for (const [name, input] of model.alerts) {
        const alert = alertOf(model, name, input);
        const period = await within(asOf, [], (day, calendar) => calendar.label(alert.by, day));
        if (period === undefined) continue;
        const per = alert.per.map((entry) => entry.name);
        const { rows, columns } = await ask({ show: [alert.reading], by: alert.by, per, range: period, asOf });
        const { format, better } = columns[columns.length - 1];
        for (const row of rows) {
          const value = row[row.length - 1];
          const limit = typeof value === 'number' ? brokenLimit(alert.limits, value) : undefined;
          if (typeof value !== 'number' || !limit) continue;
          const members = Object.fromEntries(per.map((entry, k) => [entry, String(row[k + 1])]));
          fired.push({ alert: name, label: alert.label, reading: alert.reading, asOf, period, members, value, limit, format, better });
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
      return within(undefined, [], (_, __, bounds) => bounds(known, role));
    },
    check: async () => {
      const [{ dataFindings }, { nameFindings }] = await Promise.all([import('./check/data.ts'), import('./check/names.ts')]);
      const unusable: Finding[] = [];
      for (const comparison of model.comparisons.values()) {
        if (model.input.comparisons?.[comparison.name] === undefined) continue;
        const laid = await Promise.all(model.units.map((by) => bookWindows({ only: [comparison.name], by })));
        const problems = laid.flat().map(({ problem }) => problem);
        if (problems.length > 0 && problems.every((problem) => problem !== undefined))
          unusable.push({
            code: 'comparison-unusable',
            severity: 'warning',
            message: `comparison "${comparison.name}" works on no axis: ${problems[0]}`,
            count: 1,
            examples: [],
            wayOut: 'Shift by a unit that the axis has, or that holds whole periods of it (C4).',
            place: model.locate(['comparisons', comparison.name]),
          });
      }
      const data = await states.run(async (state) => {
        const asOf = await asOfIn(state, model.asOf);
        const calendar = await calendarOver(await anchorDays(state, asOf), 1);
        return dataFindings({
          model,
          store: state.store,
          bounds: async (fact) => {
            const found = await state.bounds(undefined);
            return new Map([...fact.roles.keys()].map((role) => [role, found(fact, role)]));
          },
          periodOf: (fact, day) => {
            const unit = calendar.unit(fact.grain);
            const index = calendar.indexOf(unit, day);
            const label = calendar.label(fact.grain, day);
            return index < 0 || label === undefined ? undefined : { index, label };
          },
          reader: (fact, role) => {
            const { format, blankDates } = fact.roles.get(role) as Role;
            const read = dateReader({ timeZone: model.timeZone, format, blankDates, grain: fact.grain === 'day' ? 'day' : 'coarse' });
            return (value) => {
              const day = read(value);
              return day === NO_DAY ? undefined : day;
            };
          },
        });
      });
      const rank = { warning: 0, hint: 1 };
      return [...data, ...unusable, ...nameFindings(model)].sort((a, b) => rank[a.severity] - rank[b.severity]);
    },
    members: (name) => states.run((state) => state.store.members(attributeOf(model, name))),
    dataNotes: store.notes,
    cost: () => ({ ...states.cost(), ...(store.fetched ? { fetched: store.fetched() } : {}) }),
    close: () => store.close(),
  };
};
