// What an evaluation works on, and the way from planned views to their values: loaded at once, then calculated.
import type { Bound } from '../plan/bind.ts';
import { planView } from '../plan/plan.ts';
import type { PlanFrame, PlannedView, Scope } from '../plan/planned.ts';
import type { Reached } from '../plan/reads.ts';
import { calculate } from './calculate.ts';
import { type Access, load } from './load.ts';
import type { Calculation, ViewData } from './scope.ts';

/** What an evaluation works on: the frame of its plans, where rows are asked for, and what calculations share. */
export interface Evaluation {
  readonly frame: PlanFrame;
  readonly access: Access;
  readonly over: Calculation;
  /** Takes over which days a plan reaches. */
  readonly reached: (reads: ReadonlyMap<string, Reached>) => void;
}

type Tuples = readonly (readonly string[])[];

/** Values of a view, once they are loaded. */
export type Values = (view: PlannedView | undefined, known?: Tuples) => ViewData | undefined;

/** Asks an engine for everything that some views need, at once. */
export const loadViews = async (views: readonly (PlannedView | undefined)[], { access, over }: Evaluation): Promise<Values> => {
  const planned = views.filter((view) => view !== undefined);
  const loaded = await Promise.all(planned.map((view) => load(view, access)));
  return (view, known) => view && calculate(view, loaded[planned.indexOf(view)], over, known);
};

/** Values of some readings over a view of their own. */
export const valuesOf = async (
  readings: readonly Bound[],
  scope: Scope,
  tuples: Tuples,
  evaluation: Evaluation,
): Promise<{ readonly view: PlannedView; readonly data: ViewData }> => {
  const { view, reached } = planView(readings, scope, evaluation.frame);
  evaluation.reached(reached);
  const values = await loadViews([view], evaluation);
  return { view, data: values(view, tuples) as ViewData };
};
