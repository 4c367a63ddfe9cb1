import { type Day, isoOf, LAST_DAY } from '../calendar/day.ts';
import { type AttributeRef, reach } from '../model/attributes.ts';
import type { Fact } from '../model/model.ts';
import { horizonOf, type Leaf } from '../plan/bind.ts';
import { unreached } from '../plan/fixed.ts';
import { type AskedFilter, factFilters, filtersOf } from '../plan/question.ts';
import { type AggregateRequest, ALL_TIME, type Filter, type Segments } from '../plan/request.ts';
import type { DayRange, Evaluation } from './scope.ts';
import { rowSetOf } from './shapes/measure-cells.ts';

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
  readonly leaf: Leaf;
  readonly range: DayRange;
  /** Last day of the row's period, for what lies after the as-of date; undefined at the other time of a comparison. */
  readonly periodEnd: Day | undefined;
  readonly members: readonly string[];
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly AskedFilter[];
  /** Rows to show. */
  readonly show: number;
}

/** Conditions on rows by where they come from, so that each can be taken away to see what it leaves out. */
type Conditions = Readonly<Record<'members' | 'question' | 'measure' | 'entered' | 'dates', readonly Filter[]>>;

const conditionsOf = ({ leaf, members, attributes, filters }: CellPlace, role: string, evaluation: Evaluation): Conditions => {
  const { measure, across } = leaf;
  const { fact, open, aggregate } = measure;
  const { asOf, model } = evaluation.frame;
  const taken = (attribute: AttributeRef): boolean => across === 'all' || across.some(({ key }) => key === attribute.key);
  const late = fact.enters !== undefined && fact.enters !== role && evaluation.entersLate(fact, role);
  const isActual = (name: string): boolean => fact.roles.get(name)?.horizon === 'actual';
  const between = aggregate.kind === 'days-between' ? aggregate : undefined;
  return {
    members: attributes.flatMap((attribute, k) =>
      reach(fact, attribute) && !taken(attribute) ? [{ kind: 'members' as const, attribute, test: { values: [members[k]] } }] : [],
    ),
    question: factFilters(fact, filters),
    measure: factFilters(fact, filtersOf(model, measure.where)),
    entered: late ? [{ kind: 'entered', role: fact.enters as string, by: asOf }] : [],
    dates: open
      ? [{ kind: 'order', from: open.from, until: open.until, is: 'forward' }]
      : between
        ? [
            { kind: 'date', role: between.from, is: 'present' },
            { kind: 'date', role: between.until, is: 'present' },
            { kind: 'order', from: between.from, until: between.until, is: 'forward' },
            // A date after the as-of date is not known yet (A2).
            ...[between.from, between.until].filter(isActual).map((name) => ({ kind: 'by' as const, role: name, day: asOf })),
          ]
        : [],
  };
};

const without = (conditions: Conditions, ...left: readonly (keyof Conditions)[]): Filter[] =>
  (Object.keys(conditions) as (keyof Conditions)[]).flatMap((name) => (left.includes(name) ? [] : conditions[name]));

/** Whole periods of a coarse fact that the days touch; rows stand on any day of them. */
const wholePeriods = (fact: Fact, { start, end }: DayRange, { frame: { calendar } }: Evaluation): DayRange => ({
  start: Math.min(start, calendar.floor(fact.grain, start)),
  end: Math.max(end, calendar.ceil(fact.grain, end)),
});

/** How the period that the days end in is covered in part (G4). */
const spreadOf = ({ measure }: Leaf, range: DayRange, { frame: { calendar } }: Evaluation): { readonly spread?: SpreadShare } => {
  const { spread, fact, aggregate } = measure;
  if (fact.grain === 'day' || aggregate.kind !== 'sum') return {};
  const [start, end] = [calendar.floor(fact.grain, range.end), calendar.ceil(fact.grain, range.end)];
  const from = Math.max(start, range.start);
  if (from <= start && range.end >= end) return {};
  const period = daysOf({ start, end });
  if (typeof spread === 'object') return { spread: { spread: `like ${spread.like}`, period } };
  const weigh = (a: Day, b: Day): number => (spread === 'working-days' ? calendar.workingDays(a, b) : b - a + 1);
  return { spread: { spread, period, covered: weigh(from, range.end), whole: weigh(start, end) } };
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
  // Of what is seen by its share alone no row is told: it belongs to others as well (V3).
  if (unreached(place.leaf.measure.fact, evaluation.fixed).length > 0)
    return { leftOut: [], ...spreadOf(place.leaf, place.range, evaluation) };
  const { leaf, range, periodEnd, show } = place;
  const { measure } = leaf;
  const { fact, open, aggregate } = measure;
  const role = open?.from ?? leaf.role.name;
  const { frame, store, knownBy } = evaluation;
  const { asOf } = frame;
  const conditions = conditionsOf(place, role, evaluation);
  const all = without(conditions);
  const days = open ? { start: frame.bounds(fact, role)?.first ?? range.start, end: range.end } : range;
  const { start, end } = fact.grain === 'day' ? days : wholePeriods(fact, days, evaluation);

  const total = async (
    filters: readonly Filter[],
    by: string | undefined,
    from: Day,
    to: Day,
    aggregate: AggregateRequest,
  ): Promise<number> => {
    if (from > to) return 0;
    const days: Segments = { key: `explain:${from}:${to}`, starts: Int32Array.of(from), ends: Int32Array.of(to) };
    const request = {
      ...rowSetOf(fact, by, [], filters, evaluation),
      segments: by === undefined ? ALL_TIME : days,
      aggregates: [aggregate],
    };
    const [cube] = await store.cubes([request], evaluation.signal);
    return cube.columns[0].cells.reduce((sum, cell) => sum + cell, 0);
  };
  const ROWS: AggregateRequest = { kind: 'rows', where: [] };
  const inside = (filters: readonly Filter[]): Promise<number> => total(filters, role, start, end, ROWS);
  const ever = (...more: readonly Filter[]): Promise<number> =>
    total([...without(conditions, 'entered', 'dates'), ...more], undefined, 0, 0, ROWS);

  /** Day up to which an `until` date is known: a plan's is from the start (A2). */
  const untilKnown = open && fact.roles.get(open.until)?.horizon === 'actual' ? asOf : LAST_DAY;
  const count = async (): Promise<number> => {
    const came = await inside(all);
    if (!open) return came;
    // A level: those that came, less those that went.
    const { from, until } = open;
    const first = frame.bounds(fact, until)?.first ?? start;
    return came - (await total([...all, { kind: 'date', role: from, is: 'present' }], until, first, Math.min(end, untilKnown), ROWS));
  };
  const sample = await store.sample({
    fact,
    role,
    filters: all,
    knownBy,
    first: start,
    last: end,
    ...(open ? { openAt: { until: open.until, day: range.end, asOf: untilKnown } } : {}),
    limit: show,
  });
  const rows: RowsBehind = { count: await count(), ...sample };

  const leftOut: LeftOut[] = [];
  const add = (code: LeftOut['code'], found: number, message: (rows: string) => string): void => {
    if (found > 0) leftOut.push({ code, rows: found, message: message(`${found} ${found === 1 ? 'row' : 'rows'}`) });
  };
  const day = isoOf(asOf);
  if (!open) {
    if (horizonOf(leaf) === 'actual' && periodEnd !== undefined && periodEnd > asOf)
      add(
        'after-as-of',
        await total(without(conditions, 'entered'), role, asOf + 1, periodEnd, ROWS),
        (n) => `${n} of the period lie after the as-of date ${day}`,
      );
    const apart = async (name: keyof Conditions, code: LeftOut['code'], message: (rows: string) => string): Promise<void> => {
      if (conditions[name].length > 0) add(code, (await inside(without(conditions, name))) - rows.count, message);
    };
    await apart('entered', 'entered-later', (n) => `${n} had not been ${fact.enters} by ${day}`);
    await apart('measure', 'measure-filter', (n) => `${n} do not meet the measure's own filter`);
    await apart('question', 'question-filter', (n) => `${n} do not meet the filter of the question`);
    if (aggregate.kind !== 'days-between' && aggregate.column !== undefined) {
      const { column } = aggregate;
      const there = await total(all, role, start, end, { kind: 'count', value: { kind: 'column', column }, where: [] });
      add('blank', rows.count - there, (n) => `${n} have no ${column}`);
    }
  }
  add('no-date', await ever({ kind: 'date', role, is: 'blank' }), (n) => `${n} have no ${role} date and are in no period`);
  const pair = open ?? (aggregate.kind === 'days-between' ? aggregate : undefined);
  if (pair)
    add(
      'reversed-dates',
      await ever({ kind: 'order', from: pair.from, until: pair.until, is: 'reversed' }),
      (n) => `${n} have ${pair.until} before ${pair.from}`,
    );
  const by = knownBy === undefined ? '' : ` recorded by ${isoOf(knownBy)}`;
  return {
    rows,
    leftOut,
    ...spreadOf(leaf, range, evaluation),
    ...(fact.recorded === undefined ? {} : { version: `of each ${fact.versionKey.join(', ')} the last revision${by}` }),
  };
};
