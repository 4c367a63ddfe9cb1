// Why a cell is what it is (V1): the rows behind a measure, and those that its conditions leave out.

import { tupleIndex } from '../basics/tuples.ts';
import { type Day, FIRST_DAY, isoOf, LAST_DAY } from '../calendar/day.ts';
import type { AttributeRef } from '../model/attributes.ts';
import { columnOf, daysIn, type Fact, type Measure, NOW } from '../model/model.ts';
import { horizonOf } from '../plan/bind.ts';
import { countDays } from '../plan/days.ts';
import { unreached } from '../plan/fixed.ts';
import type { CubeAsk, PlannedMeasure, PlannedPart } from '../plan/planned.ts';
import type { AggregateRequest, Filter, Segments, Why } from '../plan/request.ts';
import { rowSetOf } from '../plan/rows.ts';
import { ALL_TIME, oneSegment } from '../plan/segments.ts';
import { placingRole } from '../plan/told.ts';
import type { Evaluation } from './evaluation.ts';
import { cellsOf } from './load.ts';
import type { DayRange } from './scope.ts';

/** Days as `YYYY-MM-DD`, both inclusive. */
export interface ExplainedDays {
  readonly start: string;
  readonly end: string;
  readonly days: number;
}

/** Rows that a cell does not count, and why. */
export interface LeftOut {
  readonly code: 'after-as-of' | 'entered-later' | 'measure-filter' | 'question-filter' | 'no-date' | 'reversed-dates' | 'blank';
  readonly rows: number;
  readonly message: string;
}

/** The rows behind a measure at one place. */
export interface RowsBehind {
  readonly count: number;
  readonly columns: readonly string[];
  readonly first: readonly (readonly (string | number | null)[])[];
}

/** How a coarse amount lies on the days covered (G4). */
export interface SpreadShare {
  readonly spread: string;
  readonly period: ExplainedDays;
  /** Days, or working days, of the period that are covered, and all it has; undefined where another reading is the shape. */
  readonly covered?: number;
  readonly whole?: number;
}

export const daysOf = ({ start, end }: DayRange): ExplainedDays => ({ start: isoOf(start), end: isoOf(end), days: end - start + 1 });

/** A measure at one place of a cell. */
export interface CellPlace {
  readonly measure: PlannedMeasure;
  readonly range: DayRange;
  /** Last day of the row's period, for what lies after the as-of date; undefined at the other time of a comparison. */
  readonly periodEnd: Day | undefined;
  /** The days that count, where not all of the range do (U12). */
  readonly part: PlannedPart | undefined;
  /** The cell's member of an attribute. */
  readonly memberOf: (attribute: AttributeRef) => string;
  /** Rows to show. */
  readonly show: number;
}

/** All conditions on the rows of a cell; each can be taken away by its reason to see what it leaves out. */
const conditionsOf = ({ measure, memberOf, part }: CellPlace): readonly Filter[] => [
  ...(part && !measure.leaf.measure.open ? [onDays(measure, part)] : []),
  ...measure.attributes.map(
    (attribute): Filter => ({ kind: 'members', attribute, test: { values: [memberOf(attribute)] }, why: 'members' }),
  ),
  ...measure.asks.counted.filters,
  ...measure.where,
];

/** The days that count, whole periods of coarse facts. */
const onDays = (measure: PlannedMeasure, { segments }: PlannedPart): Filter => {
  const stretches: [Day, Day][] = [];
  segments.starts.forEach((start, s) => {
    const last = stretches[stretches.length - 1];
    if (last && last[1] === start - 1) last[1] = segments.ends[s];
    else stretches.push([start, segments.ends[s]]);
  });
  const why = measure.onDays?.attributes.length ? 'members' : 'question';
  return { kind: 'days', role: placingRole(measure), stretches, why };
};

const without = (filters: readonly Filter[], ...reasons: readonly Why[]): readonly Filter[] =>
  filters.filter(({ why }) => !reasons.includes(why));

/** Whole periods of a coarse fact that the days touch; rows stand on any day of them. */
const wholePeriods = (fact: Fact, { start, end }: DayRange, { frame: { calendar } }: Evaluation): DayRange => {
  const unit = calendar.unit(fact.grain);
  const [from, to] = [calendar.indexOf(unit, start), calendar.indexOf(unit, end)];
  return { start: from < 0 ? start : unit.starts[from], end: to < 0 ? end : unit.ends[to] };
};

/** How the period that the days end in is covered in part (G4). */
const spreadOf = ({ measure: planned, range, part }: CellPlace, { frame: { calendar } }: Evaluation): { readonly spread?: SpreadShare } => {
  const { measure } = planned.leaf;
  const { spread, fact, aggregate } = measure;
  if (fact.grain === 'day' || aggregate.kind !== 'sum') return {};
  const unit = calendar.unit(fact.grain);
  const at = calendar.indexOf(unit, range.end);
  if (at < 0) return {};
  const [start, end] = [unit.starts[at], unit.ends[at]];
  const from = Math.max(start, range.start);
  if (!part && from <= start && range.end >= end) return {};
  const period = daysOf({ start, end });
  if (typeof spread === 'object') return { spread: { spread: `like ${spread.like}`, period } };
  const weigh = (a: Day, b: Day): number => (spread === 'working-days' ? calendar.workingDays(a, b) : b - a + 1);
  const own = spread === 'working-days' ? part?.days.filter((day) => calendar.isWorkingDay(day)) : part?.days;
  const covered = own ? countDays(own, from, range.end) : weigh(from, range.end);
  return { spread: { spread, period, covered, whole: weigh(start, end) } };
};

/** A cell's rows, as they are counted: by the role that places them, over whole periods of coarse facts. */
interface Counting {
  readonly role: string;
  readonly filters: readonly Filter[];
  readonly start: Day;
  readonly end: Day;
  /** Aggregates of rows that meet conditions, by a role's date from a day to a day; or over all time. */
  readonly total: (filters: readonly Filter[], aggregate?: AggregateRequest, days?: DayRange) => Promise<number>;
  readonly ever: (...more: readonly Filter[]) => Promise<number>;
}

const ROWS: AggregateRequest = { kind: 'rows', where: [] };

const countingOf = (place: CellPlace, evaluation: Evaluation): Counting => {
  const { measure, range } = place;
  const { frame, access } = evaluation;
  const { fact, open } = measure.leaf.measure;
  const role = placingRole(measure);
  const filters = conditionsOf(place);
  const days = open ? { start: frame.bounds(fact, role)?.first ?? range.start, end: range.end } : range;
  const { start, end } = fact.grain === 'day' ? days : wholePeriods(fact, days, evaluation);
  const sum = async (by: string | undefined, some: readonly Filter[], segments: Segments, aggregate: AggregateRequest): Promise<number> => {
    const { cells } = await cellsOf({ rows: rowSetOf(fact, by, [], some, frame), segments, aggregate }, access);
    return cells.reduce((total, cell) => total + cell, 0);
  };
  return {
    role,
    filters,
    start,
    end,
    total: async (some, aggregate = ROWS, on = { start, end }) =>
      on.start > on.end ? 0 : sum(role, some, oneSegment(on.start, on.end), aggregate),
    ever: (...more) => sum(undefined, [...without(filters, 'entered', 'dates', 'known'), ...more], ALL_TIME, ROWS),
  };
};

/** Day up to which an `until` date is known: a plan's is from the start (A2). */
const untilKnown = ({ fact, open }: Measure, asOf: Day): Day =>
  open && fact.roles.get(open.until)?.horizon === 'actual' ? asOf : LAST_DAY;

/** Rows of the cell in the question's own cubes, so that what was asked is not asked again. */
const countOf = async (place: CellPlace, { total, filters, start, end }: Counting, { access, frame }: Evaluation): Promise<number> => {
  const { measure, memberOf, part } = place;
  const { cubes } = measure.asks;
  const rowsIn = async (ask: CubeAsk, first: Day, last: Day): Promise<number> => {
    const { tuples, segments, cells } = await cellsOf(ask, access);
    const member = tupleIndex(tuples)(ask.rows.attributes.map(memberOf));
    if (member < 0) return 0;
    return segments.starts.reduce(
      (sum, from, s) => (from > last || segments.ends[s] < first ? sum : sum + cells[s * tuples.length + member]),
      0,
    );
  };
  const { came, went, rows } = cubes;
  // A level: those that came, less those that went.
  if (came && went)
    return (await rowsIn(came, start, end)) - (await rowsIn(went, FIRST_DAY, Math.min(end, untilKnown(measure.leaf.measure, frame.asOf))));
  return rows && !measure.fine && !part ? rowsIn(rows, start, end) : total(filters);
};

/** Rows that would be there but for one condition, or one day. */
const leftOutOf = async (place: CellPlace, counted: number, counting: Counting, { frame }: Evaluation): Promise<LeftOut[]> => {
  const { measure, periodEnd } = place;
  const { leaf } = measure;
  const { fact, open, aggregate } = leaf.measure;
  const { filters, total, ever, role } = counting;
  const { asOf } = frame;
  const leftOut: LeftOut[] = [];
  const add = (code: LeftOut['code'], found: number, message: (rows: string) => string): void => {
    if (found > 0) leftOut.push({ code, rows: found, message: message(`${found} ${found === 1 ? 'row' : 'rows'}`) });
  };
  const day = isoOf(asOf);
  if (!open) {
    if (horizonOf(leaf) === 'actual' && periodEnd !== undefined && periodEnd > asOf)
      add(
        'after-as-of',
        await total(without(filters, 'entered'), ROWS, { start: asOf + 1, end: periodEnd }),
        (n) => `${n} of the period lie after the as-of date ${day}`,
      );
    const apart = async (why: Why, code: LeftOut['code'], message: (rows: string) => string): Promise<void> => {
      if (filters.some((filter) => filter.why === why)) add(code, (await total(without(filters, why))) - counted, message);
    };
    await apart('entered', 'entered-later', (n) => `${n} had not been ${fact.enters} by ${day}`);
    await apart('measure', 'measure-filter', (n) => `${n} do not meet the measure's own filter`);
    await apart('question', 'question-filter', (n) => `${n} do not meet the filter of the question`);
    const column = columnOf(aggregate);
    if (column !== undefined) {
      const there = await total(filters, { kind: 'count', value: { kind: 'column', column }, where: [] });
      add('blank', counted - there, (n) => `${n} have no ${column}`);
    }
  }
  add('no-date', await ever({ kind: 'date', role, is: 'blank', why: 'told' }), (n) => `${n} have no ${role} date and are in no period`);
  const pair = open ?? daysIn(aggregate);
  if (pair) {
    const { from, until } = pair;
    add(
      'reversed-dates',
      await ever({ kind: 'order', from, until, is: 'reversed', why: 'told' }),
      (n) => `${n} have ${until} before ${from}`,
    );
  }
  return leftOut;
};

/** The rows behind a measure at a place: how many, the first of them, and what was left out and why (V1). */
export const rowsBehind = async (
  place: CellPlace,
  evaluation: Evaluation,
): Promise<{
  readonly rows?: RowsBehind;
  readonly leftOut: readonly LeftOut[];
  readonly spread?: SpreadShare;
  readonly version?: string;
}> => {
  const { measure, range, show } = place;
  const { leaf } = measure;
  const { fact, open } = leaf.measure;
  const { frame, access } = evaluation;
  // Of what is seen by its share alone no row is told: it belongs to others as well (V3).
  if (unreached(fact, frame.fixed).length > 0) return { leftOut: [], ...spreadOf(place, evaluation) };
  const counting = countingOf(place, evaluation);
  const { role, filters, start, end } = counting;
  const { knownBy, asOf } = frame;
  const [count, sample] = await Promise.all([
    countOf(place, counting, evaluation),
    access.store.sample({
      fact,
      role,
      filters,
      knownBy,
      ...(fact.links.some(({ at }) => at === NOW) ? { heldOn: asOf } : {}),
      first: start,
      last: end,
      ...(open ? { openAt: { until: open.until, day: range.end, asOf: untilKnown(leaf.measure, asOf) } } : {}),
      limit: show,
    }),
  ]);
  const by = knownBy === undefined ? '' : ` recorded by ${isoOf(knownBy)}`;
  return {
    rows: { count, ...sample },
    leftOut: await leftOutOf(place, count, counting, evaluation),
    ...spreadOf(place, evaluation),
    ...(fact.recorded === undefined ? {} : { version: `of each ${fact.versionKey.join(', ')} the last revision${by}` }),
  };
};
