// A measure in a view: which members it has values of its own for, and which conditions its rows must meet (G5, G6, M3, M11).

import { DurchblickError } from '../errors.ts';
import { type AttributeRef, attributeOfLink, reachable } from '../model/attributes.ts';
import type { Measure } from '../model/model.ts';
import type { Lay } from '../windows/lay.ts';
import { type DaysLeaf, isTaken as isTakenFrom, type Leaf } from './bind.ts';
import { dayGroups, daysPassing, isCalendar, stretchesOf } from './days.ts';
import { spreadsTo, unreached } from './fixed.ts';
import { reaches, rowMapOf } from './members/kinds.ts';
import type { MeasureOutline, PlanFrame, Scope } from './planned.ts';
import { type AskedFilter, factFilters, filtersOf } from './question.ts';
import type { Filter } from './request.ts';
import { frameSeeing, type Seen } from './seen.ts';

const unrelated = (measure: Measure, what: string, { model }: PlanFrame): DurchblickError => {
  const names = reachable(model, measure.fact);
  return new DurchblickError('unrelated', `${measure.name} cannot be ${what}: fact "${measure.fact.name}" has no link to it`, {
    hint: `It can be split by ${names.length > 0 ? names.join(', ') : 'nothing'}; or set \`unrelated: repeat\` or \`unrelated: blank\` on the measure (G5).`,
  });
};

const eachOnce = (attributes: readonly AttributeRef[]): readonly AttributeRef[] => [
  ...new Map(attributes.map((attribute) => [attribute.key, attribute])).values(),
];

/** A measure's own conditions on days as a condition on its rows. */
const daysAsFilter = ({ measure, role }: Leaf, where: readonly AskedFilter[], { bounds, calendar }: PlanFrame): Filter[] => {
  const all = bounds(measure.fact, role.name);
  if (!all || measure.fact.grain !== 'day' || !where.some(({ attribute }) => isCalendar(attribute))) return [];
  const days = daysPassing(where, all.first, all.last, calendar);
  return [{ kind: 'days', role: role.name, stretches: stretchesOf(days), why: 'measure' }];
};

/** A measure as it stands in a view; undefined where it is blank there (G5). */
export const measureOutline = (
  leaf: Leaf,
  lay: Lay,
  seen: Seen,
  scope: Scope,
  frame: PlanFrame,
  resolved: Map<Measure, readonly AskedFilter[]>,
): MeasureOutline | undefined => {
  const { measure, across } = leaf;
  const { fact } = measure;
  const isTaken = (attribute: AttributeRef): boolean => isTakenFrom(across, attribute);
  const isSeen = (attribute: AttributeRef): boolean => reaches(fact, attribute) || spreadsTo(measure, attribute);
  // What a fixed filter leaves of a fact that it cannot reach: a share, or nothing (V3).
  const asked = [...unreached(fact, frame.fixed), ...scope.filters];
  const strange = [
    ...scope.attributes.filter((attribute) => !isTaken(attribute) && !isSeen(attribute)).map(({ key }) => `split by ${key}`),
    ...asked.filter(({ attribute }) => !isSeen(attribute)).map(({ attribute }) => `filtered on ${attribute.key}`),
  ];
  if (strange.length > 0 && measure.unrelated === 'error') throw unrelated(measure, strange[0], frame);
  if (strange.length > 0 && measure.unrelated === 'blank') return undefined;
  const kept = scope.attributes.filter((attribute) => !isTaken(attribute) && isSeen(attribute));

  const { combinations } = scope;
  const listed = combinations?.attributes ?? [];
  const isListed = combinations !== undefined && listed.every((attribute) => !isTaken(attribute) && isSeen(attribute));
  const listedDays = listed.filter(isCalendar);
  const isOwn = isListed && listed.every((attribute) => rowMapOf(fact, attribute) !== undefined);
  const filters: Filter[] = [...factFilters(fact, scope.filters, 'question'), ...(isOwn && combinations ? [combinations] : [])];
  if (!resolved.has(measure)) resolved.set(measure, filtersOf(frame.model, measure.where));
  const where = resolved.get(measure) as readonly AskedFilter[];
  const attributes = kept.filter((attribute) => rowMapOf(fact, attribute) !== undefined);

  const finer = asked.filter(({ attribute }) => spreadsTo(measure, attribute));
  const finerListed = isListed && !isOwn && listedDays.length === 0 ? combinations : undefined;
  const below = eachOnce(
    [...kept, ...finer.map(({ attribute }) => attribute), ...(finerListed?.attributes ?? [])].filter((attribute) =>
      spreadsTo(measure, attribute),
    ),
  );
  const by = () =>
    eachOnce([
      ...attributes,
      ...fact.links.flatMap((link) => attributeOfLink(link) ?? []),
      ...(finerListed?.attributes ?? []).filter((attribute) => reaches(fact, attribute)),
    ]);
  return {
    leaf,
    lay,
    seen,
    split: kept.length === scope.attributes.length && across !== 'time' ? 'own' : 'repeated',
    attributes,
    kept,
    filters,
    where: factFilters(fact, where, 'measure'),
    whereDays: measure.aggregate.kind === 'first-time' ? daysAsFilter(leaf, where, frameSeeing(frame, seen)) : [],
    fine: below.length > 0 ? { attributes: below, filters: finer, combinations: finerListed, by: by() } : undefined,
    onDays: dayGroups(
      lay,
      kept.filter(isCalendar),
      [...scope.filters, ...where],
      isListed && combinations && listedDays.length > 0 ? { attributes: listedDays, list: combinations.list } : undefined,
      frame.calendar,
    ),
  };
};

/** The days that a count of days is about, by calendar member (M12, U12). */
export const countedDays = ({ across }: DaysLeaf, lay: Lay, { attributes, filters, combinations }: Scope, { calendar }: PlanFrame) => {
  const isTaken = (attribute: AttributeRef): boolean => isTakenFrom(across, attribute);
  const shown = combinations?.attributes.filter(isCalendar).filter((attribute) => !isTaken(attribute)) ?? [];
  return dayGroups(
    lay,
    attributes.filter(isCalendar).filter((attribute) => !isTaken(attribute)),
    filters,
    combinations && shown.length > 0 ? { attributes: shown, list: combinations.list } : undefined,
    calendar,
  );
};
