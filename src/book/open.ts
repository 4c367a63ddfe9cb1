import type { Calendar } from '../calendar/calendar.ts';
import { loadZones, zoneDays } from '../calendar/dates.ts';
import { type Day, isoOf, LAST_DAY } from '../calendar/day.ts';
import type { Engine, RowsOf } from '../engines/engine.ts';
import { DurchblickError, suggest } from '../errors.ts';
import { answer } from '../evaluate/answer.ts';
import { notes } from '../evaluate/notes.ts';
import type { Evaluation } from '../evaluate/scope.ts';
import { evaluateView } from '../evaluate/view.ts';
import { type AttributeRef, attributeOf, NONE, UNKNOWN } from '../model/attributes.ts';
import type { Fact, Model } from '../model/model.ts';
import type { Names } from '../model/names.ts';
import type { Question } from '../model/schema.ts';
import { asOfDay, axisOf, type FactBounds, rangeOf } from '../plan/axis.ts';
import { leavesOf } from '../plan/bind.ts';
import { yearsIn } from '../plan/calendar.ts';
import { orAborted } from '../plan/cancel.ts';
import { baseYears, dataDays, fixedRange, periodBounds, segmentsOf, widening } from '../plan/extent.ts';
import { fixedFilters } from '../plan/fixed.ts';
import { type AskedFilter, askedOf } from '../plan/question.ts';
import type { Bounds } from '../plan/request.ts';
import type { CheckedWhere, WhereOf } from '../plan/typed.ts';
import type { Explanation } from '../result/explained.ts';
import { resultOf } from '../result/result.ts';
import type { Prepared } from './explain.ts';
import { statesOf } from './states/run.ts';
import { type State, stateOf } from './states/state.ts';
import { withFiles } from './travelled.ts';
import type { AskOptions, Book, ExplainRequest, OpenBookOptions, Result, Verification } from './types.ts';

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

/** Data over more days than this are read no further than questions reach: a far date must not cost what it spans. */
const MOST_DAYS = 150_000;

/** Days of a fact that scans read: all, or what questions have asked for. The second time that is not enough, all (Store.reads). */
const readDays = (state: State, fact: Fact, role: string, all: Bounds | undefined): Bounds | undefined => {
  if (fact.grain !== 'day' || !all) return all;
  const isLong = all.last - all.first > MOST_DAYS;
  if (state.store.reads !== 'asked' && !isLong) return all;
  const reached = state.reached.get(`${fact.name} ${role}`);
  if (!reached) return undefined;
  if (reached.times > 1 && !isLong) return all;
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

const MOST_SECONDS = 1e9;

/** Seconds for which a state of the data may be taken for the present one, in milliseconds. */
const refreshOf = (seconds: number | undefined): number => {
  if (seconds === undefined) return 0;
  if (typeof seconds === 'number' && seconds >= 0 && seconds <= MOST_SECONDS) return seconds * 1000;
  throw new DurchblickError('bad-option', `\`refresh\` is ${String(seconds)}`, { hint: 'It takes seconds, 0 or more.' });
};

/** Opens a model over an engine: reads and checks dates, builds the calendar, and answers questions from then on. */
export const open = async <N extends Names, const W extends WhereOf<N> = WhereOf<N>>(
  model: Model<N>,
  engine: Engine,
  options: OpenBookOptions<NoInfer<N>, W & CheckedWhere<W, NoInfer<N>>> = {},
): Promise<Book<N>> => {
  await loadZones(model.timeZone);
  const fixed = fixedFilters(model, options.where);
  const opening = {
    fixed: fixed.byFact,
    hiding: fixed.asked.map(({ attribute, test }) => ({ kind: 'members' as const, attribute, test })),
  };
  const range = fixedRange(model);
  const states = await statesOf(model, {
    openStore: () => engine.open(model, opening),
    check: (state) => checkMembers(fixed.asked, state.store.members),
    cacheBytes: options.cacheBytes ?? 256 * 2 ** 20,
    refresh: refreshOf(options.refresh),
  });
  const clock = options.clock ?? (() => Date.now());
  const inZone = zoneDays(model.timeZone);
  const today = () => inZone(clock());
  const segments = segmentsOf();

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
    finish: (parts: Prepared) => Promise<T>,
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
      const calendar = await state.calendarOver([...(await anchorDays(state, rough)), ...far, ...baseYears(model)], margin);
      const bounds = periodBounds(raw, calendar);
      const asOf = asOfDay(asked.asOf, model, calendar, today(), bounds);
      const axis = axisOf(asked, leaves, model, calendar, asOf, bounds);
      const found = notes();
      for (const note of state.store.notes) found.add(`data ${note.code} ${note.fact} ${note.role ?? ''}`, { ...note });
      const evaluationOver = (own: FactBounds, days: FactBounds, rows: RowsOf): Evaluation => {
        const evaluation: Evaluation = {
          frame: { model, calendar, asOf, bounds: own },
          store: state.store,
          cubes: state.cubes,
          notes: found,
          knownBy: asked.knownBy,
          segments: (fact, role) => segments(fact, own(fact, role), calendar),
          read: (fact, role) => segments(fact, readDays(state, fact, role, own(fact, role)), calendar),
          reach: (fact, role, first, last) => reachDays(state, fact, role, { first, last }, own(fact, role)),
          // A plan role is not cut at the as-of date, so rows that entered later must be; an actual one only where it runs ahead.
          entersLate: (fact, role) => {
            if (fact.enters === undefined || (days(fact, fact.enters)?.last ?? LAST_DAY) <= asOf) return false;
            return rows === 'all' || fact.roles.get(role)?.horizon === 'plan' || (late.get(fact.name)?.has(role) ?? false);
          },
          // What must be known about a shape is no note of the answer: its rows are not shown.
          view: (readings, scope) => evaluateView(readings, scope, { ...evaluation, notes: notes() }),
          whole: async (readings, scope) => {
            const all = await state.bounds(asked.knownBy, 'all');
            return evaluateView(readings, scope, { ...evaluationOver(periodBounds(all, calendar), all, 'all'), notes: notes() });
          },
          fixed: rows === 'all' ? [] : fixed.asked,
          rows,
          memberCount: (attributes) => attributes.reduce((product, { key }) => product * (memberCounts.get(key) ?? 1), 1),
          signal,
        };
        return evaluation;
      };
      return finish({ asked, axis, evaluation: evaluationOver(bounds, raw, 'seen'), found, asOf });
    });
  };

  const askIn = (state: State, question: Question, asking: AskOptions): Promise<Result> =>
    answerIn(state, question, asking, async ({ asked, axis, evaluation, found, asOf }) =>
      withFiles(resultOf(await answer(asked, axis, evaluation), asked, model, asOf, found), state.seen),
    );

  const explainIn = async (state: State, request: ExplainRequest, asking: AskOptions): Promise<Explanation> => {
    const { explainedQuestion, explanationOf } = await import('./seldom.ts');
    const { at, asOf: asOfText } = request;
    const unitOf = async (): Promise<string | undefined> => {
      const asOf = await asOfIn(state, asOfText ?? model.asOf);
      return widening(
        async (margin) => (await state.calendarOver([...(await anchorDays(state, asOf)), ...yearsIn(at)], margin)).parse(at)?.unit,
      );
    };
    const question = await explainedQuestion(request, model, unitOf);
    return answerIn(state, question, asking, async (parts) => {
      for (const { name, attribute } of parts.asked.per)
        await checkMembers([{ attribute, test: { values: [request.members?.[name] ?? ''] } }], state.store.members);
      return explanationOf(parts, request, model);
    });
  };
  const explain = (request: ExplainRequest, asking: AskOptions = {}): Promise<Explanation> =>
    orAborted(() => states.run((state) => explainIn(state, request, asking), asking.signal), asking.signal);

  const ask = (question: Question, asking: AskOptions = {}): Promise<Result> =>
    orAborted(() => states.run((state) => askIn(state, question, asking), asking.signal), asking.signal);

  const verifyIn = async (state: State, question: Question, asking: AskOptions): Promise<Verification> => {
    const result = await askIn(state, question, asking);
    // What few ask for is loaded when it is asked for.
    const { differencesOf, plainStore } = await import('./seldom.ts');
    const plain = await plainStore(model, state.store, opening);
    const again = await askIn({ ...stateOf(model, plain.store, plain.cubes), calendarOver: state.calendarOver }, question, asking);
    return { result, ...differencesOf(result, again) };
  };
  const verify = (question: Question, asking: AskOptions = {}): Promise<Verification> =>
    orAborted(() => states.run((state) => verifyIn(state, question, asking), asking.signal), asking.signal);

  const asOfIn = async (state: State, text: string): Promise<Day> => {
    const raw = await state.bounds(undefined);
    const rough = asOfDay(text, model, undefined, today(), raw);
    const calendar = await state.calendarOver(await anchorDays(state, rough), 3);
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
        const calendar = await state.calendarOver([...(await anchorDays(state, asOf)), ...more], margin);
        return run(asOf, calendar, periodBounds(await state.bounds(undefined), calendar));
      });
    });
  const latestAsOf = (text?: string): Promise<Day> => states.run((state) => asOfIn(state, text ?? model.asOf));

  const bookWindows: Book<N>['windows'] = async (options = {}) => {
    const { spansLaid } = await import('./seldom.ts');
    return spansLaid(model, options, within);
  };

  // Tables of periods and holidays are read and laid out now: what is wrong with them is told before any answer.
  try {
    await latestAsOf();
  } catch (error) {
    await states.close();
    throw error;
  }
  return {
    model,
    ask: ask as Book<N>['ask'],
    verify: verify as Book<N>['verify'],
    explain,
    asOf: latestAsOf,
    calendar: async (own) => {
      const given = own ?? range;
      if (given) return states.run((state) => state.calendarOver([given.first, given.last], 0));
      const { reachOf } = await import('./seldom.ts');
      return states.run(async (state) => {
        const asOf = await asOfIn(state, model.asOf);
        return widening(async (margin) => {
          const wide = await state.calendarOver(await anchorDays(state, asOf), margin);
          return state.calendarOver([...(await anchorDays(state, asOf)), ...reachOf(model, wide, asOf)], 0);
        });
      });
    },
    range: async (text, asOfText) => {
      const { actualHistory } = await import('./seldom.ts');
      return within(asOfText, yearsIn(text), (asOf, calendar, bounds) =>
        rangeOf(text, model, calendar, asOf, actualHistory(model, bounds)),
      );
    },
    windows: bookWindows,
    alerts: async (text) => {
      const { firedAlerts } = await import('./seldom.ts');
      const asOf = isoOf(await latestAsOf(text));
      return firedAlerts(model, asOf, ask, (unit) => within(asOf, [], (day, calendar) => calendar.label(unit, day)));
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
      const { checkBook } = await import('./seldom.ts');
      return checkBook(model, today(), bookWindows, (look) =>
        states.run(async (state) => {
          const asOf = await asOfIn(state, model.asOf);
          return look(state, await state.calendarOver(await anchorDays(state, asOf), 1));
        }),
      );
    },
    members: (name) => states.run((state) => state.store.members(attributeOf(model, name))),
    get dataNotes() {
      return states.notes();
    },
    refresh: async () => {
      const seen = await states.refresh();
      return seen && { time: new Date(seen.time).toISOString() };
    },
    cost: states.cost,
    close: states.close,
  };
};
