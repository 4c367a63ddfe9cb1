// The kinds of measures, each once: which measures are of it, what it asks of an engine, what makes its cells, and what is said of it.

import type { DaysBetween, Measure, Model } from '../../model/model.ts';
import { type Bound, leavesOf, withShapes } from '../../plan/bind.ts';
import type { NothingShown, PlannedKind } from '../../plan/planned.ts';

import { hasComparison } from '../../plan/steps.ts';
import type { Compare } from '../../windows/compare.ts';
import { filled, type Phrases } from '../../words/phrases.ts';
import { wordsOf as languageOf } from '../../words/words.ts';
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
  /** What it is, in words (V1). */
  readonly words: (measure: Measure, spoken: Spoken) => string;
  /** How it adds up. */
  readonly adds: (measure: Measure) => 'addsUp' | 'addsOverMembers' | 'addsOverTime' | 'addsNowhere';
}

const nowhere = () => 'addsNowhere' as const;
const overMembers = () => 'addsOverMembers' as const;

/** How what measures are made of is said: phrases of a language, and what a column is called. */
export interface Spoken {
  readonly phrases: Phrases;
  readonly column: (name: string) => string;
  readonly role: (name: string) => string;
  /** Over which rows, where that is said. */
  readonly over?: string;
}

/** As models write them, in English. */
const plain = (): Spoken => ({ phrases: languageOf('en').phrases, column: (name) => name, role: (name) => name });

const daysWords = ({ days, from, until }: DaysBetween, { phrases, role }: Spoken): string =>
  filled(days === 'working' ? phrases.workingDaysBetween : phrases.daysBetween, { from: role(from), until: role(until) });

const valueWords = (measure: Measure, spoken: Spoken): string =>
  `${aggregateWords(measure, spoken)}${spoken.over === undefined ? '' : ` ${spoken.over}`}`;

const aggregateWords = ({ aggregate }: Measure, spoken: Spoken): string => {
  const { phrases, column } = spoken;
  switch (aggregate.kind) {
    case 'days-between':
      return filled(phrases.averageOf, { of: daysWords(aggregate, spoken) });
    case 'percentile': {
      const of = aggregate.of.kind === 'column' ? column(aggregate.of.column) : daysWords(aggregate.of, spoken);
      return aggregate.at === 0.5 ? filled(phrases.median, { of }) : filled(phrases.percentile, { at: aggregate.at, of });
    }
    case 'first-time':
      return filled(phrases.firstTime, { of: column(aggregate.column) });
    case 'count':
      return aggregate.column === undefined ? phrases.count : filled(phrases.countOf, { of: column(aggregate.column) });
    case 'count-distinct':
      return filled(phrases.distinct, { of: column(aggregate.column) });
    default:
      return filled(phrases[aggregate.kind], { of: column(aggregate.column) });
  }
};

const ACROSS = { last: 'last', 'last-known': 'lastKnown', first: 'first', average: 'mean', min: 'least', max: 'greatest' } as const;
const overDays = (measure: Measure, spoken: Spoken): string =>
  filled(spoken.phrases.overTime, {
    value: valueWords(measure, spoken),
    across: spoken.phrases[ACROSS[measure.acrossTime ?? 'last']],
  });
const openWords = (measure: Measure, spoken: Spoken): string => {
  const { from = '', until = '' } = measure.open ?? {};
  return filled(spoken.phrases.open, { value: valueWords(measure, spoken), from: spoken.role(from), until: spoken.role(until) });
};
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
    words: openWords,
    adds: overMembers,
  },
  {
    is: ({ acrossTime }) => acrossTime === 'last-known',
    kind: ({ sightingsKind }) => sightingsKind('latest'),
    nothing: sumOrBlank,
    words: overDays,
    adds: overMembers,
  },
  {
    is: ({ acrossTime }) => acrossTime !== undefined,
    kind: ({ overTimeKind }) => overTimeKind,
    nothing: sumOrBlank,
    words: overDays,
    adds: overMembers,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'count-distinct',
    kind: ({ sightingsKind }) => sightingsKind('distinct'),
    nothing: (measure) => both('zero', measure),
    words: valueWords,
    adds: nowhere,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'days-between',
    kind: ({ betweenKind }) => betweenKind,
    nothing: (measure) => both('blank', measure),
    words: valueWords,
    adds: nowhere,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'percentile',
    kind: ({ percentileKind }) => percentileKind,
    nothing: (measure) => both('blank', measure),
    words: valueWords,
    adds: nowhere,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'first-time',
    kind: ({ firstTimeKind }) => firstTimeKind,
    nothing: (measure) => both('zero', measure),
    words: valueWords,
    adds: () => 'addsOverTime',
  },
  {
    is: () => true,
    kind: 'additive',
    nothing: (measure) => (measure.aggregate.kind === 'count' ? both('zero', measure) : sumOrBlank(measure)),
    words: valueWords,
    adds: ({ aggregate }) => (aggregate.kind === 'sum' || aggregate.kind === 'count' ? 'addsUp' : 'addsNowhere'),
  },
];

const shapeOf = (measure: Measure): Shape => SHAPES.find(({ is }) => is(measure)) as Shape;

/** What a measure aggregates, in words: as the model writes it, or as it is said to people (V1). */
export const measureWords = (measure: Measure, spoken: Spoken = plain()): string => shapeOf(measure).words(measure, spoken);

/** How a measure's numbers add up. */
export const addingOf = (measure: Measure): ReturnType<Shape['adds']> => shapeOf(measure).adds(measure);

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
