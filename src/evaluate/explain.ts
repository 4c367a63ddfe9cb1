import type { Day } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Comparison, Model } from '../model/model.ts';
import { type Bound, horizonOf, type Leaf, partsOf } from '../plan/bind.ts';
import type { PlannedMeasure, PlannedView, Scope } from '../plan/planned.ts';

import type { AnswerRow } from './answer.ts';
import { VALUE } from './column.ts';
import { type Evaluation, valuesOf } from './evaluation.ts';
import { daysOf, type ExplainedDays, type LeftOut, type RowsBehind, rowsBehind, type SpreadShare } from './rows-behind.ts';
import { wordsOf } from './shapes/table.ts';

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
  readonly row: AnswerRow;
  /** Last day of the row's period, for what lies after the as-of date. */
  readonly periodEnd: Day;
  /** Rows to show of each measure. */
  readonly show: number;
}

/** The measure that a part comes down to at its time; undefined where it is blank there (G5). */
const measureAt = ({ steps, measures, readings }: PlannedView, reading: number): PlannedMeasure | undefined => {
  let step = steps[readings[reading].step];
  while (step.kind === 'held') step = steps[step.other];
  return step.kind === 'measure' ? measures[step.measure] : undefined;
};

/** What is told of a measure beyond its value: what was counted, by which date, over which days. */
const measurePart = (leaf: Leaf): Partial<ExplainedPart> => {
  const { measure, role, window } = leaf;
  return {
    measure: measure.name,
    aggregate: wordsOf(measure),
    fact: measure.fact.name,
    role: measure.open ? `${measure.open.from} until ${measure.open.until}` : role.name,
    horizon: horizonOf(leaf),
    ...(window ? { window: { name: window.name, is: window.text } } : {}),
  };
};

/** Takes one cell apart (V1): every part with its value, and behind every measure its days, rows, and what was left out. */
export const explainParts = async (wanted: ExplainWanted, evaluation: Evaluation): Promise<ExplainedPart[]> => {
  const { bound, scope, row, show } = wanted;
  const steps = stepsOf(bound, 0, []);
  const { view, data } = await valuesOf(steps.map(placed), scope, [row.members], evaluation);
  const memberOf = ({ key }: AttributeRef): string => row.members[scope.attributes.findIndex((attribute) => attribute.key === key)];
  const parts: ExplainedPart[] = [];
  for (const [k, { depth, bound: own, chain }] of steps.entries()) {
    const column = data.columns[k];
    const range = (chain.length > 0 ? data.compared[k]?.[row.row] : data.covered[k]?.[row.row]) ?? undefined;
    const measure = own.kind === 'leaf' ? measureAt(view, k) : undefined;
    const periodEnd = chain.length > 0 ? undefined : wanted.periodEnd;
    parts.push({
      depth,
      expression: written(own),
      kind: KINDS[own.kind],
      value: column.state[row.row] === VALUE ? column.values[row.row] : null,
      ...(own.kind === 'leaf' ? measurePart(own) : {}),
      ...(chain.length > 0
        ? { comparison: { name: chain.map(({ name }) => name).join(', then '), is: chain.map(({ name }) => name).join(' ') } }
        : {}),
      ...(range && (own.kind === 'leaf' || own.kind === 'days') ? { days: daysOf(range) } : {}),
      ...(range && measure ? await rowsBehind({ measure, range, periodEnd, memberOf, show }, evaluation) : {}),
    });
  }
  return parts;
};

/** How the reading is named in the model, where it is a formula of its own. */
export const formulaText = (model: Model, reading: string): string | undefined => model.formulas.get(reading)?.text;
