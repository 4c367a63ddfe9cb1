// The kinds of measures, each once: which measures are of it, what makes their cells, and what is said of them.
import type { Measure } from '../../model/model.ts';
import type { Evaluation, LeafData, LeafTask, NothingShown } from '../scope.ts';
import { additiveCells } from './additive.ts';

/** Cells of a measure, from what the engine answers and the days that its windows cover. */
export type MeasureCells = (task: LeafTask, evaluation: Evaluation) => Promise<LeafData>;

/** A kind of measure. One more is one file beside this one, and one entry below. */
interface Shape {
  readonly is: (measure: Measure) => boolean;
  /** Loads what makes the cells: what few measures need is loaded for them. */
  readonly load: () => MeasureCells | Promise<MeasureCells>;
  /** What is shown with nothing to aggregate. */
  readonly nothing: (measure: Measure) => NothingShown;
  /** How `explain` says it (V1). */
  readonly words: (measure: Measure) => string;
}

const valueWords = ({ aggregate }: Measure): string => {
  if (aggregate.kind === 'days-between')
    return `average of ${aggregate.days === 'working' ? 'working ' : ''}days between ${aggregate.from} and ${aggregate.until}`;
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
    load: async () => (await import('./seldom.ts')).level,
    // Nothing open is 0, and no day at all no level (M5).
    nothing: () => ({ covered: 'zero', empty: 'blank' }),
    words: (measure) =>
      `${valueWords(measure)}, of rows that are open: from ${measure.open?.from} until ${measure.open?.until}, at the last day covered`,
  },
  {
    is: ({ acrossTime }) => acrossTime === 'last-known',
    load: async () => (await import('./seldom.ts')).bySightings('latest'),
    nothing: sumOrBlank,
    words: overDays,
  },
  {
    is: ({ acrossTime }) => acrossTime !== undefined,
    load: async () => (await import('./seldom.ts')).overTime,
    nothing: sumOrBlank,
    words: overDays,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'count-distinct',
    load: async () => (await import('./seldom.ts')).bySightings('distinct'),
    nothing: (measure) => both('zero', measure),
    words: valueWords,
  },
  {
    is: ({ aggregate }) => aggregate.kind === 'days-between',
    load: async () => (await import('./seldom.ts')).between,
    nothing: (measure) => both('blank', measure),
    words: valueWords,
  },
  {
    is: () => true,
    load: () => additiveCells,
    nothing: (measure) => (measure.aggregate.kind === 'count' ? both('zero', measure) : sumOrBlank(measure)),
    words: valueWords,
  },
];

export const shapeOf = (measure: Measure): Shape => SHAPES.find(({ is }) => is(measure)) as Shape;
