// A question made ready in one state of the data: names, axis, and what it takes to evaluate readings on it.

import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import { calculationOf } from '../evaluate/calculate.ts';
import type { Evaluation } from '../evaluate/evaluation.ts';
import { type Kinds, kindsFor } from '../evaluate/shapes/table.ts';
import { daysIn, type Measure, type Model, type NamedWindow } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { type Axis, asOfDay, asOfReach, axisOf, type FactBounds } from '../plan/axis.ts';
import { type Bound, type Leaf, leavesOf, withShapes } from '../plan/bind.ts';
import { yearsIn } from '../plan/calendar.ts';
import { checkDayFilters, isCalendar } from '../plan/days.ts';
import { baseYears, periodBounds } from '../plan/extent.ts';
import { unreached } from '../plan/fixed.ts';
import { type Notes, notes } from '../plan/notes.ts';
import type { PlanFrame } from '../plan/planned.ts';
import { type Asked, askedOf, filtersOf } from '../plan/question.ts';
import { reachAfter, reachOf } from '../plan/reach.ts';
import { addReads } from '../plan/reads.ts';
import type { Cancellation, DataNote } from '../plan/request.ts';
import { seensIn } from '../plan/seen.ts';
import { type Split, splitAxis } from '../plan/split.ts';
import { loadWords } from '../words/words.ts';
import { checkMembers } from './members.ts';
import { anchorDays, type BookRecord } from './record.ts';
import type { State } from './states/state.ts';

/** A question that is ready to be answered. */
export interface Prepared {
  readonly asked: Asked;
  readonly axis: Axis;
  /** The parts of the axis, if `per` names periods (U13). */
  readonly split: Split | undefined;
  readonly evaluation: Evaluation;
  readonly found: Notes;
  readonly asOf: Day;
}

/** What a state of the data must tell before a question can be planned in it. */
interface Known {
  readonly asked: Asked;
  readonly kinds: Kinds;
  /** Bounds of roles as the rows have them; and of all rows, where a share of what is hidden is needed (V3, G6). */
  readonly dates: FactBounds;
  readonly allDates: FactBounds | undefined;
  readonly hidden: boolean;
  /** Roles in which rows may have entered later than their date, by fact. */
  readonly late: ReadonlyMap<string, ReadonlySet<string>>;
  readonly memberCounts: ReadonlyMap<string, number>;
}

const boundsIn = (asked: Asked): Bound[] => [...asked.columns, ...asked.order, ...asked.keep].map(({ bound }) => bound);

const knownOf = async ({ model, fixed }: BookRecord, state: State, question: Question): Promise<Known> => {
  const asked = askedOf(model, question);
  await loadWords(asked.locale);
  await checkMembers(
    asked.filters.filter(({ attribute }) => !isCalendar(attribute)),
    state.store.members,
  );
  const memberCounts = new Map<string, number>();
  for (const { attribute } of asked.per)
    if (!isCalendar(attribute)) memberCounts.set(attribute.key, (await state.store.members(attribute)).length + 2);
  const late = new Map<string, ReadonlySet<string>>();
  for (const fact of model.facts.values()) late.set(fact.name, await state.lateRoles(fact));
  const hidden = boundsIn(asked)
    .flatMap(leavesOf)
    .some(({ measure }) => measure.spreadAcross.size > 0 && unreached(measure.fact, fixed).length > 0);
  return {
    asked,
    kinds: await kindsFor(boundsIn(asked), model),
    dates: await state.bounds(asked.knownBy),
    hidden,
    allDates: hidden ? await state.bounds(asked.knownBy, 'all') : undefined,
    late,
    memberCounts,
  };
};

type RevisionBounds = Pick<Known, 'dates' | 'allDates'>;

/** Bounds over the revisions that readings see, by the known-by date (W11, C11). */
const revisionBounds = async (
  { asked, hidden, dates, allDates }: Known,
  model: Model,
  state: State,
  asOf: Day,
): Promise<ReadonlyMap<Day | undefined, RevisionBounds>> => {
  const found = new Map<Day | undefined, RevisionBounds>([[asked.knownBy, { dates, allDates }]]);
  for (const { knownBy } of seensIn(withShapes(boundsIn(asked), model), { asOf, knownBy: asked.knownBy }))
    if (!found.has(knownBy))
      found.set(knownBy, { dates: await state.bounds(knownBy), allDates: hidden ? await state.bounds(knownBy, 'all') : undefined });
  return found;
};

/** Above this many cells a cube is cut only where a window begins or ends. */
const DAILY_CELLS = 4_000_000;
/** The same for a book that is asked once: few single days are faster than looking their stretches up. */
const ONCE_CELLS = 10_000;

/** What plans are made in: over a calendar, at an as-of date. */
const frameOver = (
  { model, segments, fixed, once }: BookRecord,
  state: State,
  known: Known,
  calendar: Calendar,
  asOf: Day,
  byDay: ReadonlyMap<Day | undefined, RevisionBounds>,
): PlanFrame => {
  const { asked, kinds, dates, allDates, late, memberCounts } = known;
  const boundsBy =
    (which: 'dates' | 'allDates'): PlanFrame['boundsBy'] =>
    (knownBy) => {
      const found = byDay.get(knownBy)?.[which];
      if (!found) throw new Error('bounds of a known-by date have not been asked for');
      return { bounds: periodBounds(found, calendar), dates: found };
    };
  const shared = {
    model,
    calendar,
    asOf,
    knownBy: asked.knownBy,
    late,
    memberCounts,
    reached: state.reached,
    reads: state.store.reads ?? 'all',
    dailyCells: once && state.store.reads === 'asked' ? ONCE_CELLS : DAILY_CELLS,
    segments,
    kindOf: kinds.kindOf,
    compare: kinds.compare,
  };
  const whole: PlanFrame | undefined = allDates && {
    ...shared,
    bounds: periodBounds(allDates, calendar),
    dates: allDates,
    boundsBy: boundsBy('allDates'),
    fixed: [],
    rows: 'all',
    whole: undefined,
  };
  return { ...shared, bounds: periodBounds(dates, calendar), dates, boundsBy: boundsBy('dates'), fixed, rows: 'seen', whole };
};

/** Resolves a question in a state of the data, and hands over what it takes to answer it. */
export const prepared = async (book: BookRecord, state: State, question: Question, signal: Cancellation | undefined): Promise<Prepared> => {
  const { model, today } = book;
  const known = await knownOf(book, state, question);
  const { asked, kinds, dates } = known;
  const far = [asked.range ?? '', asked.asOf, ...asked.columns.map(({ reading }) => reading), ...dayTexts(asked)].flatMap(yearsIn);
  const rough = asOfDay(asked.asOf, model, undefined, today(), dates);
  const laid = await state.calendarOver([...(await anchorDays(book, state, rough)), ...far, ...baseYears(model)], (unitDays) =>
    reachAfter(
      asOfReach(asked.asOf, model, unitDays),
      reachOf(boundsIn(asked), windowsIn(asked, model), [], unitDays, looksAtDays(asked, model) ? 'looked at' : 'added up'),
    ),
  );
  const calendar = laid.withNames(asked.locale);
  checkDayFilters(asked.filters, calendar);
  const bounds = periodBounds(dates, calendar);
  const asOf = asOfDay(asked.asOf, model, calendar, today(), bounds);
  const leaves = asked.columns.flatMap(({ bound }) => leavesOf(bound));
  const isOnDays = asked.filters.some(({ attribute }) => isCalendar(attribute));
  const { rows, others } = isOnDays
    ? (await import('../plan/row-filters.ts')).splitRowFilters(asked, calendar)
    : { rows: undefined, others: asked.filters };
  const axis = axisOf(asked, leaves, model, calendar, asOf, bounds, rows);
  const split = asked.per.some(({ attribute }) => isCalendar(attribute)) ? splitAxis(asked, axis, calendar, asOf) : undefined;
  const found = notes();
  for (const note of state.store.notes.filter((own) => isAbout(own, leaves)))
    found.add(`data ${note.code} ${note.fact} ${'role' in note ? note.role : ''}`, note);
  const idle = axis.windows ? [...(asked.range === undefined ? [] : ['range']), ...(rows?.names ?? [])] : [];
  if (idle.length > 0) found.add('unused range', { code: 'unused-range', names: idle });
  const frame = frameOver(book, state, known, calendar, asOf, await revisionBounds(known, model, state, asOf));
  const access = { store: state.store, cubes: state.cubes, calendar, signal };
  const over = calculationOf(frame, kinds, found);
  return {
    asked: { ...asked, filters: others },
    axis,
    split,
    evaluation: { frame, access, over, reached: (reads) => addReads(state.reached, reads) },
    found,
    asOf,
  };
};

/** Whether some readings use what a note of the data is about (G11). Notes on missing rates are added per answer. */
const isAbout = (note: DataNote, leaves: readonly Leaf[]): boolean =>
  note.code === 'bad-dates'
    ? leaves.some(({ measure, role }) => measure.fact.name === note.fact && rolesOf(measure, role.name).includes(note.role))
    : note.code !== 'missing-rates';

/** The roles that decide which rows a measure includes. */
const rolesOf = ({ open, aggregate, fact }: Measure, role: string): readonly string[] => {
  const days = daysIn(aggregate);
  return [
    role,
    ...(open ? [open.from, open.until] : []),
    ...(days ? [days.from, days.until] : []),
    ...(fact.enters === undefined ? [] : [fact.enters]),
  ];
};

/** Whether a question asks where days stand, itself or by a measure's own filter (U12). */
const looksAtDays = (asked: Asked, model: Model): boolean =>
  [...asked.per, ...asked.filters].some(({ attribute }) => isCalendar(attribute)) ||
  boundsIn(asked)
    .flatMap(leavesOf)
    .some(({ measure }) => filtersOf(model, measure.where).some(({ attribute }) => isCalendar(attribute)));

/** Texts in which filters name days: the calendar must reach the periods that they are of. */
const dayTexts = ({ filters }: Asked): string[] =>
  filters.flatMap(({ attribute, test }) =>
    isCalendar(attribute) ? [...(test.values ?? []), ...(test.not ?? []), test.from ?? '', test.to ?? ''].map(String) : [],
  );

/** Windows that a question is laid over: those of its axis, and that of its range (A5, A6). */
const windowsIn = ({ by, range }: Asked, model: Model): NamedWindow[] => {
  const ranged = range === undefined ? undefined : model.windows.get(range);
  return [...(by.kind === 'windows' ? by.windows : []), ...(ranged ? [ranged] : [])];
};
