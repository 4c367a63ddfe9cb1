import { type Day, isoOf } from '../calendar/day.ts';
import type { AttributeRef } from '../model/attributes.ts';
import { reach } from '../model/attributes.ts';
import type { Comparison, Fact, Model } from '../model/model.ts';
import { type Bound, horizonOf, type Leaf } from '../plan/bind.ts';
import type { AskedFilter } from '../plan/question.ts';
import { filtersOf } from '../plan/question.ts';
import { ALL_TIME, type Filter, type RowSet, type Segments } from '../plan/request.ts';
import type { AnswerRow } from './answer.ts';
import { VALUE } from './column.ts';
import type { DayRange, Evaluation, Scope } from './scope.ts';
import { factFilters } from './view.ts';

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

/** A part of a reading, with its value; parts stand below what they are parts of. */
export interface ExplainedPart {
  readonly depth: number;
  readonly expression: string;
  readonly kind: 'measure' | 'days' | 'number' | 'operation' | 'function' | 'comparison';
  readonly value: number | null;
  /** Only of measures: what was counted, by which date, over which days, and what lay behind it. */
  readonly measure?: string;
  readonly aggregate?: string;
  readonly fact?: string;
  readonly role?: string;
  readonly horizon?: 'actual' | 'plan';
  readonly window?: { readonly name: string; readonly is: string };
  /** The other time at which a compared measure was read. */
  readonly comparison?: { readonly name: string; readonly is: string };
  readonly days?: ExplainedDays;
  readonly rows?: RowsBehind;
  readonly leftOut?: readonly LeftOut[];
  readonly spread?: SpreadShare;
  /** Which revision of a row counts (G7). */
  readonly version?: string;
}

const written = (bound: Bound): string => {
  switch (bound.kind) {
    case 'leaf': {
      const { measure, role, window, across } = bound;
      const from = across === 'all' ? ' across all' : across.length > 0 ? ` across (${across.map(({ key }) => key).join(', ')})` : '';
      return `${measure.name}${measure.open ? '' : ` on ${role.name}`}${window ? ` over ${window.name}` : ''}${from}`;
    }
    case 'days':
      return `${bound.count}${bound.window ? ` over ${bound.window.name}` : ''}`;
    case 'number':
      return String(bound.value);
    case 'negate':
      return `-(${written(bound.of)})`;
    case 'binary':
      return `(${written(bound.left)}) ${bound.operator} (${written(bound.right)})`;
    case 'call':
      return `${bound.name}(${bound.args.map(written).join(', ')})`;
    default:
      return `(${written(bound.of)}) vs ${bound.comparison.name}${bound.form === 'value' ? '' : ` as ${bound.form}`}`;
  }
};

const KINDS = {
  leaf: 'measure',
  days: 'days',
  number: 'number',
  negate: 'operation',
  binary: 'operation',
  call: 'function',
  vs: 'comparison',
} as const;

interface Step {
  readonly depth: number;
  readonly bound: Bound;
  readonly chain: readonly Comparison[];
}

/** The reading and all that it is made of, from above; a comparison has its two times below it. */
const stepsOf = (bound: Bound, depth: number, chain: readonly Comparison[]): Step[] => {
  const below = (() => {
    switch (bound.kind) {
      case 'negate':
        return stepsOf(bound.of, depth + 1, chain);
      case 'binary':
        return [...stepsOf(bound.left, depth + 1, chain), ...stepsOf(bound.right, depth + 1, chain)];
      case 'call':
        return bound.args.flatMap((arg) => stepsOf(arg, depth + 1, chain));
      case 'vs': {
        const own = bound.form === 'value' ? [] : stepsOf(bound.of, depth + 1, chain);
        return [...own, ...stepsOf(bound.of, depth + 1, [...chain, bound.comparison])];
      }
      default:
        return [];
    }
  })();
  return [{ depth, bound, chain }, ...below];
};

/** A part at the other time: its own value there. */
const placed = ({ bound, chain }: Step): Bound =>
  [...chain].reverse().reduce<Bound>((of, comparison) => ({ kind: 'vs', of, comparison, form: 'value' }), bound);

const daysOf = ({ start, end }: DayRange): ExplainedDays => ({ start: isoOf(start), end: isoOf(end), days: end - start + 1 });

const aggregateOf = ({ aggregate, open, acrossTime }: Leaf['measure']): string => {
  const what =
    aggregate.kind === 'days-between'
      ? `average of ${aggregate.days === 'working' ? 'working ' : ''}days between ${aggregate.from} and ${aggregate.until}`
      : aggregate.kind === 'count'
        ? `count of ${aggregate.column === undefined ? 'rows' : `rows with ${aggregate.column}`}`
        : `${aggregate.kind === 'count-distinct' ? 'distinct values' : aggregate.kind} of ${aggregate.column}`;
  if (open) return `${what}, of rows that are open: from ${open.from} until ${open.until}, at the last day covered`;
  return acrossTime ? `${what}, over time the ${acrossTime} of the days that have rows` : what;
};

export interface ExplainWanted {
  readonly bound: Bound;
  readonly scope: Scope;
  readonly row: AnswerRow;
  readonly attributes: readonly AttributeRef[];
  readonly filters: readonly AskedFilter[];
  /** Last day of the row's period, for what lies after the as-of date. */
  readonly periodEnd: Day;
  /** Rows to show of each measure. */
  readonly show: number;
}

const one = (key: string, start: Day, end: Day): Segments => ({ key, starts: Int32Array.of(start), ends: Int32Array.of(end) });

/** Takes one cell apart (V1): every part with its value, and behind every measure its days, rows, and what was left out. */
export const explainParts = async (wanted: ExplainWanted, evaluation: Evaluation): Promise<ExplainedPart[]> => {
  const { bound, scope, row, attributes, filters } = wanted;
  const { frame, store } = evaluation;
  const { model } = frame;
  const steps = stepsOf(bound, 0, []);
  const data = await evaluation.view(steps.map(placed), { ...scope, tuples: [row.members] });
  const parts: ExplainedPart[] = [];
  for (const [k, step] of steps.entries()) {
    const { depth, bound: own, chain } = step;
    const column = data.columns[k];
    const value = column.state[row.row] === VALUE ? column.values[row.row] : null;
    const part: ExplainedPart = { depth, expression: written(own), kind: KINDS[own.kind], value };
    const range = (chain.length > 0 ? data.compared[k]?.[row.row] : data.covered[k]?.[row.row]) ?? undefined;
    const comparison =
      chain.length > 0 ? { name: chain.map(({ name }) => name).join(', then '), is: chain.map(({ name }) => name).join(' ') } : undefined;
    if (own.kind !== 'leaf') {
      parts.push({ ...part, ...(comparison ? { comparison } : {}), ...(range && own.kind === 'days' ? { days: daysOf(range) } : {}) });
      continue;
    }
    const { measure, role, window } = own;
    parts.push({
      ...part,
      measure: measure.name,
      aggregate: aggregateOf(measure),
      fact: measure.fact.name,
      role: measure.open ? `${measure.open.from} until ${measure.open.until}` : role.name,
      horizon: horizonOf(own),
      ...(window ? { window: { name: window.name, is: window.text } } : {}),
      ...(comparison ? { comparison } : {}),
      ...(range ? { days: daysOf(range) } : {}),
      ...(range ? await behind(own, range, chain.length > 0 ? undefined : wanted.periodEnd) : {}),
    });
  }
  return parts;

  async function behind(
    leaf: Leaf,
    range: DayRange,
    periodEnd: Day | undefined,
  ): Promise<Pick<ExplainedPart, 'rows' | 'leftOut' | 'spread' | 'version'>> {
    const { measure } = leaf;
    const { fact, open, aggregate } = measure;
    const role = open?.from ?? leaf.role.name;
    const { asOf } = frame;
    const taken = (attribute: AttributeRef): boolean => leaf.across === 'all' || leaf.across.some(({ key }) => key === attribute.key);
    const members: Filter[] = attributes.flatMap((attribute, k) =>
      reach(fact, attribute) && !taken(attribute) ? [{ kind: 'members' as const, attribute, test: { values: [row.members[k]] } }] : [],
    );
    const asked = factFilters(fact, filters);
    const own = factFilters(fact, filtersOf(model, measure.where));
    const entered: Filter[] =
      fact.enters !== undefined && fact.enters !== role && evaluation.entersLate(fact, role)
        ? [{ kind: 'entered', role: fact.enters, by: asOf }]
        : [];
    const order: Filter[] = open
      ? [
          { kind: 'order', from: open.from, until: open.until, is: 'forward' },
          // Open at the last day: came by then, and has not gone by then.
        ]
      : aggregate.kind === 'days-between'
        ? [
            { kind: 'date', role: aggregate.from, is: 'present' },
            { kind: 'date', role: aggregate.until, is: 'present' },
            { kind: 'order', from: aggregate.from, until: aggregate.until, is: 'forward' },
          ]
        : [];
    const bounds = frame.bounds(fact, role);
    const first = open ? (bounds?.first ?? range.start) : range.start;
    const coarse = fact.grain !== 'day';
    const unit = frame.calendar.unit(fact.grain);
    const stretch = coarse ? coarseStretch(fact, range) : { start: first, end: range.end };
    const count = async (by: string | undefined, rowFilters: readonly Filter[], from: Day, to: Day): Promise<number> => {
      if (from > to) return 0;
      const rowSet: RowSet = { fact, role: by, attributes: [], filters: rowFilters, knownBy: evaluation.knownBy };
      const segments = by === undefined ? ALL_TIME : one(`explain:${from}:${to}`, from, to);
      const [cube] = await store.cubes([{ ...rowSet, segments, aggregates: [{ kind: 'rows', where: [] }] }], evaluation.signal);
      return cube.columns[0].cells.reduce((sum, cell) => sum + cell, 0);
    };
    const all: readonly Filter[] = [...members, ...asked, ...own, ...entered, ...order];
    const { start, end } = stretch;
    let rows: RowsBehind | undefined;
    if (open) {
      // Rows that were still open: those that came, less those that went.
      const [came, went] = [
        await count(open.from, all, start, end),
        await count(
          open.until,
          [...all, { kind: 'date', role: open.from, is: 'present' }],
          frame.bounds(fact, open.until)?.first ?? start,
          Math.min(end, fact.roles.get(open.until)?.horizon === 'actual' ? asOf : end),
        ),
      ];
      const sample = await store.sample({
        fact,
        role,
        filters: all,
        knownBy: evaluation.knownBy,
        first: start,
        last: end,
        openAt: { until: open.until, day: range.end, asOf },
        limit: wanted.show,
      });
      rows = { count: came - went, ...sample };
    } else {
      const sample = await store.sample({
        fact,
        role,
        filters: all,
        knownBy: evaluation.knownBy,
        first: start,
        last: end,
        limit: wanted.show,
      });
      rows = { count: await count(role, all, start, end), ...sample };
    }
    const leftOut: LeftOut[] = [];
    const add = (code: LeftOut['code'], n: number, message: (rows: string) => string): void => {
      if (n > 0) leftOut.push({ code, rows: n, message: message(`${n} ${n === 1 ? 'row' : 'rows'}`) });
    };
    const day = isoOf(asOf);
    if (horizonOf(leaf) === 'actual' && periodEnd !== undefined && periodEnd > asOf && !open)
      add(
        'after-as-of',
        await count(role, [...members, ...asked, ...own, ...order], asOf + 1, periodEnd),
        (n) => `${n} of the period lie after the as-of date ${day}`,
      );
    if (entered.length > 0) {
      const without = await count(role, [...members, ...asked, ...own, ...order], start, end);
      add('entered-later', without - rows.count, (n) => `${n} had not been ${fact.enters} by ${day}`);
    }
    if (own.length > 0) {
      const without = await count(role, [...members, ...asked, ...entered, ...order], start, end);
      if (!open) add('measure-filter', without - rows.count, (n) => `${n} do not meet the measure's own filter`);
    }
    if (asked.length > 0 && !open) {
      const without = await count(role, [...members, ...own, ...entered, ...order], start, end);
      add('question-filter', without - rows.count, (n) => `${n} do not meet the filter of the question`);
    }
    add(
      'no-date',
      await count(undefined, [...members, ...asked, ...own, { kind: 'date', role, is: 'blank' }], 0, 0 + 1),
      (n) => `${n} have no ${role} date and are in no period`,
    );
    const pair = open ?? (aggregate.kind === 'days-between' ? aggregate : undefined);
    if (pair)
      add(
        'reversed-dates',
        await count(undefined, [...members, ...asked, ...own, { kind: 'order', from: pair.from, until: pair.until, is: 'reversed' }], 0, 1),
        (n) => `${n} have ${pair.until} before ${pair.from}`,
      );
    return {
      rows,
      leftOut,
      ...(coarse && aggregate.kind === 'sum' ? spreadOf(leaf, range, unit.name) : {}),
      ...(fact.recorded === undefined
        ? {}
        : {
            version: `of each ${fact.versionKey.join(', ')} the last revision${evaluation.knownBy === undefined ? '' : ` recorded by ${isoOf(evaluation.knownBy)}`}`,
          }),
    };
  }

  /** Whole periods of a coarse fact that the days touch; rows stand on any day of them. */
  function coarseStretch(fact: Fact, { start, end }: DayRange): DayRange {
    const { calendar } = frame;
    return {
      start: calendar.floor(fact.grain, start) > start ? start : calendar.floor(fact.grain, start),
      end: Math.max(end, calendar.ceil(fact.grain, end)),
    };
  }

  function spreadOf(leaf: Leaf, range: DayRange, grain: string): { readonly spread?: SpreadShare } {
    const { calendar } = frame;
    const { spread } = leaf.measure;
    const [start, end] = [calendar.floor(grain, range.end), calendar.ceil(grain, range.end)];
    const from = Math.max(start, range.start);
    if (from <= start && range.end >= end) return {};
    const period = daysOf({ start, end });
    if (typeof spread === 'object') return { spread: { spread: `like ${spread.like}`, period } };
    const weigh = (a: Day, b: Day): number => (spread === 'working-days' ? calendar.workingDays(a, b) : b - a + 1);
    return { spread: { spread, period, covered: weigh(from, range.end), whole: weigh(start, end) } };
  }
};

/** How the reading is named in the model, where it is a formula of its own. */
export const formulaText = (model: Model, reading: string): string | undefined => model.formulas.get(reading)?.text;
