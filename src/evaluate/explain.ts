// Takes one cell apart: its parts, their days and the rows behind them (V1).
import { tupleKey } from '../basics/tuples.ts';
import type { Day } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Comparison, Model } from '../model/model.ts';
import { type Bound, horizonOf, type Leaf, partsOf } from '../plan/bind.ts';
import { countDays, layOnDays } from '../plan/days.ts';
import type { PlannedMeasure, PlannedPart, Step as PlannedStep, PlannedView, Scope } from '../plan/planned.ts';
import { frameSeeing } from '../plan/seen.ts';
import { COVERED } from '../windows/lay.ts';

import { columnValue } from './column.ts';
import { type Evaluation, valuesOf } from './evaluation.ts';
import { daysOf, type ExplainedDays, type LeftOut, type RowsBehind, rowsBehind, type SpreadShare } from './rows-behind.ts';
import type { DayRange } from './scope.ts';
import { measureWords } from './shapes/table.ts';

export type { ExplainedDays, LeftOut, RowsBehind, SpreadShare } from './rows-behind.ts';

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
      const from =
        typeof across === 'string' ? ` across ${across}` : across.length > 0 ? ` across (${across.map(({ key }) => key).join(', ')})` : '';
      return `${measure.name}${measure.open ? '' : ` on ${role.name}`}${window ? ` over ${window.name}` : ''}${from}`;
    }
    case 'days':
      return `${bound.count}${bound.on === undefined ? '' : ` on ${bound.on}`}${bound.window ? ` over ${bound.window.name}` : ''}`;
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

/** An explanation of more parts than this nobody reads. */
const MOST_STEPS = 1000;

/** The reading and all that it is made of, from above; a comparison has its two times below it. */
const stepsOf = (bound: Bound, depth: number, chain: readonly Comparison[], left = { steps: MOST_STEPS }): Step[] => {
  if (--left.steps < 0)
    throw new DurchblickError('too-long-reading', `the explanation would have more than ${MOST_STEPS} parts`, {
      hint: 'Explain one of the formulas that it is made of.',
    });
  const below = (part: Bound, at: readonly Comparison[]): Step[] => stepsOf(part, depth + 1, at, left);
  const own = bound.kind === 'vs' && bound.form === 'value' ? [] : partsOf(bound).flatMap((part) => below(part, chain));
  const other = bound.kind === 'vs' ? below(bound.of, [...chain, bound.comparison]) : [];
  return [{ depth, bound, chain }, ...own, ...other];
};

/** A part at the other time: its own value there. */
const placed = ({ bound, chain }: Step): Bound =>
  [...chain].reverse().reduce<Bound>((of, comparison) => ({ kind: 'vs', of, comparison, form: 'value' }), bound);

/** A cell whose reading is taken apart. */
export interface ExplainWanted {
  readonly bound: Bound;
  readonly scope: Scope;
  /** The cell's row in the view, and its members of rows. */
  readonly row: number;
  readonly members: readonly string[];
  /** Last day of the row's period, for what lies after the as-of date. */
  readonly periodEnd: Day;
  /** Rows to show of each measure. */
  readonly show: number;
}

/** The measure or count of days that a part comes down to at its time; one that is blank there has days alone (G5). */
const stepAt = ({ steps, readings }: PlannedView, reading: number): PlannedStep => {
  let step = steps[readings[reading].step];
  while (step.kind === 'held') step = steps[step.other];
  return step;
};

/** The days that a part covers on a row: of calendar members those that are their own, and how many (U12). */
const daysAt = (
  step: PlannedStep | undefined,
  measure: PlannedMeasure | undefined,
  row: number,
  memberOf: (attribute: AttributeRef) => string,
): { readonly range?: DayRange; readonly part?: PlannedPart; readonly days?: number } => {
  if (!step || !('lay' in step)) return {};
  const onDays = step.kind === 'days' ? step.onDays : measure?.onDays;
  const wanted = onDays && tupleKey(onDays.attributes.map(memberOf));
  const at = onDays?.groups.findIndex(({ texts }) => tupleKey(texts) === wanted) ?? -1;
  if (onDays && at < 0) return {};
  const { from, to, state } = onDays ? layOnDays(step.lay, onDays.groups[at].days) : step.lay;
  if (state[row] !== COVERED) return {};
  const range = { start: from[row], end: to[row] };
  return onDays ? { range, part: measure?.parts?.[at], days: countDays(onDays.groups[at].days, range.start, range.end) } : { range };
};

/** What is told of a measure beyond its value: what was counted, by which date, over which days. */
const measurePart = (leaf: Leaf): Partial<ExplainedPart> => {
  const { measure, role, window } = leaf;
  return {
    measure: measure.name,
    aggregate: measureWords(measure),
    fact: measure.fact.name,
    role: measure.open ? `${measure.open.from} until ${measure.open.until}` : role.name,
    horizon: horizonOf(leaf),
    ...(window ? { window: { name: window.name, is: window.text } } : {}),
  };
};

/** What is asked of rows as a measure sees them (C11). */
const seeing = (evaluation: Evaluation, { seen }: PlannedMeasure): Evaluation => ({
  ...evaluation,
  frame: frameSeeing(evaluation.frame, seen),
});

/** Takes one cell apart (V1): every part with its value, and behind every measure its days, rows, and what was left out. */
export const explainParts = async (wanted: ExplainWanted, evaluation: Evaluation): Promise<ExplainedPart[]> => {
  const { bound, scope, row, members, show } = wanted;
  const steps = stepsOf(bound, 0, []);
  const { view, data } = await valuesOf(steps.map(placed), scope, [members], evaluation);
  const memberOf = ({ key }: AttributeRef): string => members[scope.attributes.findIndex((attribute) => attribute.key === key)];
  const parts: ExplainedPart[] = [];
  for (const [k, { depth, bound: own, chain }] of steps.entries()) {
    const column = data.columns[k];
    const step = own.kind === 'leaf' || own.kind === 'days' ? stepAt(view, k) : undefined;
    const measure = step?.kind === 'measure' ? view.measures[step.measure] : undefined;
    const { range, part, days } = daysAt(step, measure, row, memberOf);
    const periodEnd = chain.length > 0 ? undefined : wanted.periodEnd;
    parts.push({
      depth,
      expression: written(own),
      kind: KINDS[own.kind],
      value: columnValue(column, row),
      ...(own.kind === 'leaf' ? measurePart(own) : {}),
      ...(chain.length > 0
        ? { comparison: { name: chain.map(({ name }) => name).join(', then '), is: chain.map(({ name }) => name).join(' ') } }
        : {}),
      ...(range ? { days: { ...daysOf(range), ...(days === undefined ? {} : { days }) } } : {}),
      ...(range && measure ? await rowsBehind({ measure, range, part, periodEnd, memberOf, show }, seeing(evaluation, measure)) : {}),
    });
  }
  return parts;
};

/** How the reading is named in the model, where it is a formula of its own. */
export const formulaText = (model: Model, reading: string): string | undefined => model.formulas.get(reading)?.text;
