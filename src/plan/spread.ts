// How coarse amounts lie on finer days and members: the readings whose shapes they take, as plans of their own (G3, G6).

import type { AttributeRef } from '../model/attributes.ts';
import { unitPlaces } from '../windows/place.ts';
import { bindText, leavesOf } from './bind.ts';
import { unreached } from './fixed.ts';
import { reaches } from './members/kinds.ts';
import type { AskFrame, MeasureOutline, PlanFrame, PlannedShare, PlannedView, Scope, Wanted } from './planned.ts';
import type { Segments } from './request.ts';
import { isCut, runsOf } from './runs.ts';

type Own = MeasureOutline & { readonly segments: Segments };
type PlanOne = (wanted: Wanted, frame: PlanFrame) => PlannedView;

/** Periods that end after the as-of date are unfinished and unseen, where a coarse fact is not a plan (A2, G4). */
export const unseenAfter = ({ leaf }: Pick<MeasureOutline, 'leaf'>, { asOf }: PlanFrame): number | undefined =>
  leaf.measure.fact.grain !== 'day' && leaf.role.horizon === 'actual' ? asOf : undefined;

const shapeScope = (frame: PlanFrame, unitName: string, { starts, ends }: Segments, asOf: number): Scope => {
  const unit = frame.calendar.unit(unitName);
  const places = unitPlaces(frame.calendar, unit, starts[0], ends[ends.length - 1], asOf);
  const axis = { kind: { kind: 'unit' as const, unit }, places, labels: [], windows: undefined };
  return { view: { axis }, attributes: [], filters: [] };
};

/**
 * The reading whose days are the weights of cut periods, on every day there is, over all members and before the question's
 * filters; undefined where no period is cut, or days weigh by themselves (G3).
 */
export const daysShape = (own: Own, frame: AskFrame, plan: PlanOne): PlannedView | undefined => {
  const { lay, segments, leaf, onDays } = own;
  const { spread } = leaf.measure;
  if (typeof spread !== 'object' || segments.starts.length === 0) return undefined;
  if (!onDays && !isCut(runsOf(lay, segments, unseenAfter(own, frame)))) return undefined;
  return plan({ readings: [bindText(frame.model, spread.like)], scope: shapeScope(frame, 'day', segments, frame.asOf) }, frame);
};

const isOf = (part: string) => (attribute: AttributeRef) => attribute.kind === 'attribute' && attribute.part === part;

/** The readings in whose shapes amounts lie on the finer members that are asked for (G6). */
export const membersShapes = ({ leaf, fine, segments }: Own, frame: AskFrame, plan: PlanOne): PlannedShare[] => {
  const { measure } = leaf;
  const { fact } = measure;
  if (!fine || segments.starts.length === 0) return [];
  // A share is one of the whole, hidden members included.
  const read = unreached(fact, frame.fixed).length > 0 ? (frame.whole ?? frame) : frame;
  // Laid as if every period were over: a shape is that of the whole period.
  const scope = shapeScope(frame, fact.grain, segments, Number.POSITIVE_INFINITY);
  const shares: PlannedShare[] = [];
  let from = fine.by;
  for (const [part, text] of measure.spreadAcross) {
    const below = fine.attributes.filter(isOf(part));
    const [first] = below;
    if (first?.kind !== 'attribute') continue;
    const shape = bindText(frame.model, text);
    const facts = leavesOf(shape).map((other) => other.measure.fact);
    const before = from;
    const seen = before.filter((attribute) => facts.every((other) => reaches(other, attribute)));
    shares.push({
      dimension: first.dimension,
      part,
      from: before,
      seen,
      below,
      above: before.filter(isOf(part)),
      shape: plan({ readings: [shape], scope: { ...scope, attributes: [...seen, ...below] } }, read),
    });
    from = [...before, ...below];
  }
  return shares;
};
