// The kinds of measures, each once: which measures are of it, what it asks of an engine, what makes its cells, and what is said of it.

import type { DaysBetween, Measure, Model } from '../../model/model.ts';
import { type Bound, leavesOf, withShapes } from '../../plan/bind.ts';
import type { NothingShown, PlannedKind } from '../../plan/planned.ts';

import { hasComparison } from '../../plan/steps.ts';
import type { Compare } from '../../windows/compare.ts';
import type { Kind, Spreads } from '../scope.ts';
import { additiveKind } from './additive.ts';
import type * as Seldom from './seldom.ts';

/** A kind of measure. One more is one file beside this one, and one entry below. */
interface Shape {
  readonly is: (measure: Measure) => boolean;
  /** What few measures need is loaded for them. */
  readonly kind: 'additive' | ((seldom: typeof Seldom) => Kind);
  /** What is shown with nothing to aggregate. */
  readonly nothing: (measure: Measure) => NothingShown;
  /** How `explain` says it (V1). */
  readonly words: (measure: Measure) => string;
}

const daysWords = ({ days, from, until }: DaysBetween): string =>
  `${days === 'working' ? 'working ' : ''}days between ${from} and ${until}`;
const percentileWords = (at: number): string => (at === 0.5 ? 'median' : `percentile at ${at}`);
const valueWords = ({ aggregate }: Measure): string => {
  if (aggregate.kind === 'days-between') return `average of ${daysWords(aggregate)}`;
  if (aggregate.kind === 'percentile')
    return `${percentileWords(aggregate.at)} of ${aggregate.of.kind === 'column' ? aggregate.of.column : daysWords(aggregate.of)}`;
  if (aggregate.kind === 'first-time') return `values of ${aggregate.column} seen for the first time of all`;
  if (aggregate.kind === 'count') return `count of ${aggregate.column === undefined ? 'rows' : `rows with ${aggregate.column}`}`;
  return `${aggregate.kind === 'count-distinct' ? 'distinct values' : aggregate.kind} of ${aggregate.column}`;
};
const overDays = (measure: Measure): string => `${valueWords(measure)}, over time the ${measure.acrossTime} of the days that have rows`;
/** The same in a covered and in an empty window; `empty` of the measure decides over what is usual (M2). */
const both = (usual: NothingShown['covered'], { empty, aggregate }: Measure): NothingShown => {
  const shown = empty === 'zero' ? 'zero' : empty === 'blank' ? (aggregate.kind === 'sum' ? 'nothing' : 'blank') : usual;
  return { covered: shown, empty: shown };
};
const sumOrBlank = (measure: Measure): NothingShown => both(measure.aggregate.kind === 'sum' ? 'nothing' : 'blank', measure);

/** The first that fits is a measure's shape. */
const SHAPES: readonly Shape[] = [
  {
    is: ({ open }) => open !== undefined,
    kind: ({ levelKind }) => levelKind,
    // Nothing open is 0, and no day at all no level (M5).
    nothing: () => ({ covered: 'zero', empty: 'blank' }),
    words: (measure) =>
      `${valueWords(measure)}, of rows that are open: from ${measure.open?.from} until ${measure.open?.until}, at the last day covered`,
  },
  {
    is: ({ acrossTime }) => acrossTime === 'last-known',
    kind: ({ sightingsKind }) => sightingsKind('latest'),
    nothing: sumOrBlank,
    words: overDays,
  },
  {
    is: ({ acrossTime }) => acrossTime !== undefined,
    kind: ({ overTimeKind }) => overTimeKind,
    nothing: sumOrBlank,
    words: overDays,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'count-distinct',
    kind: ({ sightingsKind }) => sightingsKind('distinct'),
    nothing: (measure) => both('zero', measure),
    words: valueWords,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'days-between',
    kind: ({ betweenKind }) => betweenKind,
    nothing: (measure) => both('blank', measure),
    words: valueWords,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'percentile',
    kind: ({ percentileKind }) => percentileKind,
    nothing: (measure) => both('blank', measure),
    words: valueWords,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'first-time',
    kind: ({ firstTimeKind }) => firstTimeKind,
    nothing: (measure) => both('zero', measure),
    words: valueWords,
  },
  {
    is: () => true,
    kind: 'additive',
    nothing: (measure) => (measure.aggregate.kind === 'count' ? both('zero', measure) : sumOrBlank(measure)),
    words: valueWords,
  },
];

const shapeOf = (measure: Measure): Shape => SHAPES.find(({ is }) => is(measure)) as Shape;

/** How `explain` says what a measure aggregates (V1). */
export const wordsOf = (measure: Measure): string => shapeOf(measure).words(measure);

/** Kinds of measures with all that they need loaded. */
export interface Kinds {
  readonly kindOf: (measure: Measure) => Kind & PlannedKind;
  readonly compare: Compare | undefined;
  readonly spreads: Spreads | undefined;
}

/** Loads what readings need beyond what nearly all need. */
export const kindsFor = async (readings: readonly Bound[], model: Model): Promise<Kinds> => {
  const measures = withShapes(readings, model)
    .flatMap(leavesOf)
    .map(({ measure }) => measure);
  const isCommon = (measure: Measure): boolean =>
    shapeOf(measure).kind === 'additive' && measure.fact.grain === 'day' && measure.spreadAcross.size === 0;
  const isPlain = measures.every(isCommon) && !readings.some(hasComparison);
  const seldom = isPlain ? undefined : await import('./seldom.ts');
  return {
    kindOf: (measure) => {
      const { kind, nothing } = shapeOf(measure);
      const made = kind === 'additive' ? additiveKind : kind(seldom as typeof Seldom);
      return { ...made, nothing: nothing(measure) };
    },
    compare: seldom?.compare,
    spreads: seldom,
  };
};
