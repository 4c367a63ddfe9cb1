// A question made ready in one state of the data: names, axis, and what it takes to evaluate readings on it.

import type { Calendar } from '../calendar/calendar.ts';
import { type Day, LAST_DAY } from '../calendar/day.ts';
import type { RowsOf } from '../engines/engine.ts';
import { DurchblickError, suggest } from '../errors.ts';
import { type Notes, notes } from '../evaluate/notes.ts';
import { evaluateView } from '../evaluate/readings.ts';
import type { Evaluation } from '../evaluate/scope.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../model/attributes.ts';
import type { Fact } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { type Axis, asOfDay, axisOf, type FactBounds } from '../plan/axis.ts';
import { leavesOf } from '../plan/bind.ts';
import { yearsIn } from '../plan/calendar.ts';
import { baseYears, periodBounds, widening } from '../plan/extent.ts';
import { type Asked, type AskedFilter, askedOf } from '../plan/question.ts';
import type { Bounds, Cancellation } from '../plan/request.ts';
import { anchorDays, type BookRecord } from './record.ts';
import type { State } from './states/state.ts';

/** A question that is ready to be answered. */
export interface Prepared {
  readonly asked: Asked;
  readonly axis: Axis;
  readonly evaluation: Evaluation;
  readonly found: Notes;
  readonly asOf: Day;
}

/** Checks that the members a filter asks for exist; an error with the nearest one otherwise (M3). */
export const checkMembers = async (
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

/** What a state of the data must tell before a question can be laid out in it. */
interface Known {
  readonly state: State;
  readonly asked: Asked;
  readonly raw: FactBounds;
  /** Roles in which rows may have entered later than their date, by fact. */
  readonly late: ReadonlyMap<string, ReadonlySet<string>>;
  readonly memberCounts: ReadonlyMap<string, number>;
  readonly signal: Cancellation | undefined;
}

const knownOf = async ({ model }: BookRecord, state: State, question: Question, signal: Cancellation | undefined): Promise<Known> => {
  const asked = askedOf(model, question);
  await checkMembers(asked.filters, state.store.members);
  const memberCounts = new Map<string, number>();
  for (const { attribute } of asked.per) memberCounts.set(attribute.key, (await state.store.members(attribute)).length + 2);
  const late = new Map<string, ReadonlySet<string>>();
  for (const fact of model.facts.values()) late.set(fact.name, await state.lateRoles(fact));
  return { state, asked, memberCounts, late, raw: await state.bounds(asked.knownBy), signal };
};

/** How readings are evaluated over a calendar at an as-of date, from the rows that may be seen or from all (G6). */
const evaluationOver = (book: BookRecord, known: Known, calendar: Calendar, asOf: Day, found: Notes): Evaluation => {
  const { model, segments, fixed } = book;
  const { state, asked, late, memberCounts, signal } = known;
  const over = (own: FactBounds, days: FactBounds, rows: RowsOf, noted: Notes): Evaluation => {
    // What must be known about a shape is no note of the answer: its rows are not shown.
    const unnoted = (): Evaluation => over(own, days, rows, notes());
    return {
      frame: { model, calendar, asOf, bounds: own },
      store: state.store,
      cubes: state.cubes,
      notes: noted,
      knownBy: asked.knownBy,
      segments: (fact, role) => segments(fact, own(fact, role), calendar),
      read: (fact, role) => segments(fact, readDays(state, fact, role, own(fact, role)), calendar),
      reach: (fact, role, first, last) => reachDays(state, fact, role, { first, last }, own(fact, role)),
      // A plan role is not cut at the as-of date, so rows that entered later must be; an actual one only where it runs ahead.
      entersLate: (fact, role) => {
        if (fact.enters === undefined || (days(fact, fact.enters)?.last ?? LAST_DAY) <= asOf) return false;
        return rows === 'all' || fact.roles.get(role)?.horizon === 'plan' || (late.get(fact.name)?.has(role) ?? false);
      },
      view: (readings, scope) => evaluateView(readings, scope, unnoted()),
      whole: async (readings, scope) => {
        const all = await state.bounds(asked.knownBy, 'all');
        return evaluateView(readings, scope, over(periodBounds(all, calendar), all, 'all', notes()));
      },
      fixed: rows === 'all' ? [] : fixed,
      rows,
      memberCount: (attributes) => attributes.reduce((product, { key }) => product * (memberCounts.get(key) ?? 1), 1),
      signal,
    };
  };
  return over(periodBounds(known.raw, calendar), known.raw, 'seen', found);
};

/** Resolves a question in a state of the data, and hands over what it takes to answer it. */
export const prepared = async <T>(
  book: BookRecord,
  state: State,
  question: Question,
  signal: Cancellation | undefined,
  finish: (parts: Prepared) => Promise<T>,
): Promise<T> => {
  const { model, today } = book;
  const known = await knownOf(book, state, question, signal);
  const { asked, raw } = known;
  const leaves = asked.columns.flatMap(({ bound }) => leavesOf(bound));
  const far = [asked.range ?? '', asked.asOf, ...asked.columns.map(({ reading }) => reading)].flatMap(yearsIn);
  return widening(async (margin) => {
    const rough = asOfDay(asked.asOf, model, undefined, today(), raw);
    const calendar = await state.calendarOver([...(await anchorDays(book, state, rough)), ...far, ...baseYears(model)], margin);
    const bounds = periodBounds(raw, calendar);
    const asOf = asOfDay(asked.asOf, model, calendar, today(), bounds);
    const axis = axisOf(asked, leaves, model, calendar, asOf, bounds);
    const found = notes();
    for (const note of state.store.notes) found.add(`data ${note.code} ${note.fact} ${note.role ?? ''}`, { ...note });
    return finish({ asked, axis, evaluation: evaluationOver(book, known, calendar, asOf, found), found, asOf });
  });
};
