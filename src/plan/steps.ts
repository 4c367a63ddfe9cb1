// From readings to steps: every part of them at every time it is wanted, once each, parts before what is made of them.

import { isoOf } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import type { Comparison } from '../model/model.ts';
import { COVERED, type Lay, MISSING } from '../windows/lay.ts';
import type { NoteOf } from '../words/words.ts';
import { type Bound, type DaysLeaf, hasPart, horizonOf, isTaken, type Leaf } from './bind.ts';
import type { DayGroups } from './days.ts';
import { type Chain, historyOf, layReading, totalOf, type View } from './places.ts';
import type { MeasureOutline, PlanFrame, PlannedReading, Step } from './planned.ts';
import { frameSeeing, type Seen, seenUnder } from './seen.ts';
import { groupMembers, resolveAcross } from './split.ts';

/** A chain of comparisons with a text that tells it from every other. */
interface Time {
  readonly chain: Chain;
  readonly key: string;
}
const HERE: Time = { chain: [], key: '' };
const timeOf = ({ chain, key }: Time, comparison: Comparison): Time => ({
  chain: [...chain, comparison],
  key: `${key}${JSON.stringify([comparison.name, comparison.match])}`,
});

/** Measures at different times, of all readings of a question: more could not be counted with. */
const MOST_MEASURES = 2000;

const tooMany = (): DurchblickError =>
  new DurchblickError('too-long-reading', `the readings come down to more than ${MOST_MEASURES} measures at different times`, {
    hint: 'Comparisons of comparisons multiply them; ask for some of them by themselves.',
  });

/** What is seen under a chain of comparisons (C11). */
const seenAt = (chain: Chain, { asOf, knownBy }: PlanFrame): Seen => chain.reduce(seenUnder, { asOf, knownBy });

type Key = readonly unknown[];
const windowKey = ({ window }: Leaf | DaysLeaf): Key => (window ? [window.text, window.full, window.name] : []);
const acrossKey = ({ across }: Leaf | DaysLeaf) => (typeof across === 'string' ? across : across.map(({ key }) => key));
/** What a measure or a count of days is told apart by: two formulas may each have the same one. */
const leafKey = (leaf: Leaf | DaysLeaf): Key => [
  ...(leaf.kind === 'leaf'
    ? [leaf.measure.name, leaf.role.name]
    : [leaf.count, leaf.horizon, leaf.beside.map(({ measure, role }) => [measure.name, role.name])]),
  acrossKey(leaf),
  windowKey(leaf),
];

/** A view, and the row of it that each row of another view shows. */
interface Across {
  readonly view: View;
  readonly rowOf: readonly number[];
}

/** The view of a reading that leaves out attributes, or time (M11); undefined if it is the view itself. */
const acrossOf = ({ across }: Leaf | DaysLeaf, view: View, { calendar, asOf }: PlanFrame): Across | undefined => {
  const { axis, groups, split } = view;
  if (across !== 'time') return split && resolveAcross(view, (attribute) => !isTaken(across, attribute), calendar, asOf);
  if (groups) return undefined;
  if (axis.windows)
    throw new DurchblickError('no-axis-total', 'windows overlap, so there is no reading across time over them', {
      hint: 'Ask by a unit, or without `across time` (M9, M11).',
    });
  if (split) return groupMembers(view);
  return { view: totalOf(axis), rowOf: axis.places.map(() => 0) };
};

/** Days of some rows, on the rows of another view. */
const onRows = ({ from, to, state, short, ahead, pieces }: Lay, rowOf: readonly number[]): Lay => ({
  pieces,
  from: Int32Array.from(rowOf, (row) => from[row]),
  to: Int32Array.from(rowOf, (row) => to[row]),
  state: Uint8Array.from(rowOf, (row) => state[row]),
  short: Uint8Array.from(rowOf, (row) => short[row]),
  ahead: Uint8Array.from(rowOf, (row) => ahead[row]),
});

/** Lays readings, those that lie on the same days once, and says what is to be told of their days. */
const layer = (view: View, frame: PlanFrame, notes: (readonly [string, NoteOf])[]) => {
  const lays = new Map<string, Lay>();
  return (leaf: Leaf | DaysLeaf, { chain, key: time }: Time): Lay => {
    const isMeasure = leaf.kind === 'leaf';
    const horizon = isMeasure ? horizonOf(leaf) : leaf.horizon;
    const seen = seenAt(chain, frame);
    const history = historyOver(isMeasure ? [leaf] : leaf.beside, frameSeeing(frame, seen));
    // Without parts, only `across time` has another view.
    const elsewhere = view.split ? acrossKey(leaf) : leaf.across === 'time';
    const key = JSON.stringify([windowKey(leaf), horizon, history.first, history.last, time, elsewhere]);
    const laid = (at: View): Lay => layReading({ window: leaf.window, horizon, history, chain }, at, frame, frame.compare);
    const layOver = (across: Across | undefined): Lay => (across ? onRows(laid(across.view), across.rowOf) : laid(view));
    const lay = lays.get(key) ?? layOver(acrossOf(leaf, view, frame));
    lays.set(key, lay);
    if (isMeasure) notes.push(...noteMissing(lay, chain));
    notes.push(...noteCut(leaf, lay, seen));
    return lay;
  };
};

/** First and last day over the facts of these measures (W11, M12). */
const historyOver = (leaves: readonly Leaf[], frame: PlanFrame): ReturnType<typeof historyOf> => {
  const all = leaves.map(({ measure, role }) => historyOf(measure.fact, measure.open?.from ?? role.name, frame));
  const [firsts, lasts] = [all.flatMap(({ first }) => first ?? []), all.flatMap(({ last }) => last ?? [])];
  return {
    first: firsts.length > 0 ? Math.min(...firsts) : undefined,
    last: lasts.length > 0 ? Math.max(...lasts) : undefined,
  };
};

interface Stepped {
  readonly steps: readonly Step[];
  readonly measures: readonly MeasureOutline[];
  readonly readings: readonly PlannedReading[];
  readonly notes: readonly (readonly [string, NoteOf])[];
}

/** The steps that readings take over a view. `outlineOf` says how a measure stands in it, or that it is blank there. */
export const stepsOf = (
  readings: readonly Bound[],
  view: View,
  frame: PlanFrame,
  outlineOf: (leaf: Leaf, lay: Lay, seen: Seen) => MeasureOutline | undefined,
  daysOf: (leaf: DaysLeaf, lay: Lay) => DayGroups | undefined,
): Stepped => {
  const [steps, measures, notes]: [Step[], MeasureOutline[], (readonly [string, NoteOf])[]] = [[], [], []];
  const layOf = layer(view, frame, notes);
  const known = new Map<string, number>();
  const numbers = new Map<Bound, number>();
  const keyOf = (bound: Bound, { key }: Time): string => {
    if (bound.kind === 'leaf' || bound.kind === 'days') return JSON.stringify([leafKey(bound), key]);
    if (!numbers.has(bound)) numbers.set(bound, numbers.size);
    return `${numbers.get(bound)} ${key}`;
  };
  let leaves = 0;
  const leafStep = (leaf: Leaf | DaysLeaf, time: Time): Step => {
    if (++leaves > MOST_MEASURES) throw tooMany();
    const lay = layOf(leaf, time);
    const seen = seenAt(time.chain, frame);
    if (leaf.kind === 'days') return { kind: 'days', count: leaf.count, lay, seen, onDays: daysOf(leaf, lay) };
    const outline = outlineOf(leaf, lay, seen);
    if (!outline) return { kind: 'blank', lay, seen };
    notes.push(...noteHistory(leaf, lay, frameSeeing(frame, seen)));
    return { kind: 'measure', measure: measures.push(outline) - 1, lay, seen };
  };
  const stepFor = (bound: Bound, time: Time): Step => {
    switch (bound.kind) {
      case 'leaf':
      case 'days':
        return leafStep(bound, time);
      case 'number':
        return bound;
      case 'negate':
        return { kind: 'negate', of: at(bound.of, time) };
      case 'binary': {
        const left = at(bound.left, time);
        return { kind: 'binary', operator: bound.operator, left, right: at(bound.right, time) };
      }
      case 'call': {
        const [first, second] = bound.args;
        const isRound = bound.name === 'round';
        const args = (isRound ? [first] : bound.args).map((arg) => at(arg, time));
        return { kind: 'call', name: bound.name, args, digits: isRound && second?.kind === 'number' ? second.value : 0 };
      }
      case 'vs': {
        // `as value` shows the other time alone, yet its own days are laid for the caption.
        const own = at(bound.of, time);
        return { kind: 'held', form: bound.form, own, other: at(bound.of, timeOf(time, bound.comparison)) };
      }
    }
  };
  const at = (bound: Bound, time: Time): number => {
    const key = keyOf(bound, time);
    const before = known.get(key);
    if (before !== undefined) return before;
    const step = stepFor(bound, time);
    const number = steps.push(step) - 1;
    known.set(key, number);
    return number;
  };
  const roots = readings.map((reading) => at(reading, HERE));
  return { steps, measures, notes, readings: roots.map((step, k) => plannedReading(step, steps, hasComparison(readings[k]))) };
};

export const hasComparison = (bound: Bound): boolean => hasPart(bound, ({ kind }) => kind === 'vs');

/** Steps that a step is made of. */
const partsOf = (step: Step): readonly number[] => {
  switch (step.kind) {
    case 'negate':
      return [step.of];
    case 'binary':
      return [step.left, step.right];
    case 'call':
      return step.args;
    case 'held':
      return [step.own, step.other];
    default:
      return [];
  }
};

/** For each step the last one that is made of it; its own number where none is. */
export const lastUses = (steps: readonly Step[]): Int32Array => {
  const last = Int32Array.from(steps, (_, k) => k);
  steps.forEach((step, k) => {
    for (const part of partsOf(step)) last[part] = k;
  });
  return last;
};

/** The earliest of several dates that are seen from; undefined of none. */
const earliest = (seens: readonly Seen[]): Seen | undefined => {
  if (seens.length === 0) return undefined;
  const known = seens.flatMap(({ knownBy }) => knownBy ?? []);
  return { asOf: Math.min(...seens.map(({ asOf }) => asOf)), knownBy: known.length > 0 ? Math.min(...known) : undefined };
};

/**
 * Position of a part relative to the outermost comparison: `outside`, on the `own` side, on the `other` side, or `within` a nested
 * comparison on the own side. Only `other` counts as compared (C9).
 */
type Side = 'outside' | 'own' | 'other' | 'within';
const SIDES: readonly Side[] = ['outside', 'own', 'other', 'within'];
const sideOfOther = (side: Side): Side => (side === 'outside' ? 'other' : side === 'own' ? 'within' : side);

/** The lays of a reading: own, compared, and those that contribute to its value. */
const plannedReading = (root: number, steps: readonly Step[], compared: boolean): PlannedReading => {
  const [own, others, read] = [new Set<Lay>(), new Set<Lay>(), new Set<Lay>()];
  const seens: Seen[] = [];
  /** Bits for each pair of side and `isRead` already visited. */
  const visited = new Uint8Array(root + 1);
  const visit = (number: number, side: Side, isRead: boolean): void => {
    const mark = 1 << (2 * SIDES.indexOf(side) + Number(isRead));
    if ((visited[number] & mark) !== 0) return;
    visited[number] |= mark;
    const step = steps[number];
    if ('lay' in step) {
      if (side === 'outside' || side === 'own') own.add(step.lay);
      if (isRead) read.add(step.lay);
      if (isRead && side === 'other') {
        others.add(step.lay);
        seens.push(step.seen);
      }
    }
    if (step.kind === 'held') {
      visit(step.own, side === 'outside' ? 'own' : side, isRead && step.form !== 'value');
      visit(step.other, sideOfOther(side), isRead);
    } else for (const part of partsOf(step)) visit(part, side, isRead);
  };
  visit(root, 'outside', true);
  return { step: root, own: [...own], others: compared ? [...others] : undefined, seen: earliest(seens), read: [...read] };
};

const noteMissing = (lay: Lay, chain: Chain): [string, NoteOf][] => {
  const rows = lay.state.reduce((count, state) => count + (state === MISSING ? 1 : 0), 0);
  if (rows === 0) return [];
  const names = chain.map(({ name }) => name).join(', ');
  return [[`no counterpart ${names}`, { code: 'no-counterpart', comparison: names, rows }]];
};

/** A window that reaches before a fact's first day shows what there is (W8). */
const noteHistory = ({ measure, role, window: over }: Leaf, { short }: Lay, frame: PlanFrame): [string, NoteOf][] => {
  const rows = short.reduce((sum, one) => sum + one, 0);
  if (rows === 0) return [];
  const day = historyOf(measure.fact, role.name, frame).first;
  const first = day === undefined ? undefined : isoOf(day);
  const window = over?.name ?? 'the window';
  return [[`short ${measure.name} ${role.name} ${window}`, { code: 'short-history', measure: measure.name, window, rows, first }]];
};

/** A window that a reading names and that reaches past the as-of date shows less than its name says. */
const noteCut = ({ window }: Leaf | DaysLeaf, { ahead, state }: Lay, seen: Seen): [string, NoteOf][] => {
  if (!window) return [];
  const rows = ahead.reduce((count, reaches, row) => count + (reaches === 1 && state[row] === COVERED ? 1 : 0), 0);
  if (rows === 0) return [];
  const asOf = isoOf(seen.asOf);
  return [[`cut ${window.name}`, { code: 'cut-at-as-of', window: window.name, asOf, rows }]];
};
