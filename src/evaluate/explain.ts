import type { Day } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { Comparison, Model } from '../model/model.ts';
import { type Bound, horizonOf } from '../plan/bind.ts';
import type { AskedFilter } from '../plan/question.ts';
import type { AnswerRow } from './answer.ts';
import { VALUE } from './column.ts';
import { daysOf, type ExplainedDays, type LeftOut, type RowsBehind, rowsBehind, type SpreadShare } from './rows-behind.ts';
import type { Evaluation, Scope } from './scope.ts';
import { shapeOf } from './shapes/table.ts';

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
  const below = (() => {
    switch (bound.kind) {
      case 'negate':
        return stepsOf(bound.of, depth + 1, chain, left);
      case 'binary':
        return [...stepsOf(bound.left, depth + 1, chain, left), ...stepsOf(bound.right, depth + 1, chain, left)];
      case 'call':
        return bound.args.flatMap((arg) => stepsOf(arg, depth + 1, chain, left));
      case 'vs': {
        const own = bound.form === 'value' ? [] : stepsOf(bound.of, depth + 1, chain, left);
        return [...own, ...stepsOf(bound.of, depth + 1, [...chain, bound.comparison], left)];
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

/** Takes one cell apart (V1): every part with its value, and behind every measure its days, rows, and what was left out. */
export const explainParts = async (wanted: ExplainWanted, evaluation: Evaluation): Promise<ExplainedPart[]> => {
  const { bound, scope, row, attributes, filters, show } = wanted;
  const cell = { members: row.members, attributes, filters, show };
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
      aggregate: shapeOf(measure).words(measure),
      fact: measure.fact.name,
      role: measure.open ? `${measure.open.from} until ${measure.open.until}` : role.name,
      horizon: horizonOf(own),
      ...(window ? { window: { name: window.name, is: window.text } } : {}),
      ...(comparison ? { comparison } : {}),
      ...(range ? { days: daysOf(range) } : {}),
      ...(range
        ? await rowsBehind({ ...cell, leaf: own, range, periodEnd: chain.length > 0 ? undefined : wanted.periodEnd }, evaluation)
        : {}),
    });
  }
  return parts;
};

/** How the reading is named in the model, where it is a formula of its own. */
export const formulaText = (model: Model, reading: string): string | undefined => model.formulas.get(reading)?.text;
