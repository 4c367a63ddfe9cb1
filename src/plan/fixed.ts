// Filters fixed for good when a model is opened (V3): what they mean for each fact, or why they cannot be.

import { DurchblickError } from '../errors.ts';
import { type AttributeRef, reachable } from '../model/attributes.ts';
import { checked } from '../model/keys.ts';
import { type Fact, type Measure, type Model, NOW } from '../model/model.ts';
import { type WhereInput, whereSchema } from '../model/schema.ts';
import { mapOf, reaches } from './members/kinds.ts';
import { type AskedFilter, factFilters, filtersOf } from './question.ts';
import type { Filter } from './request.ts';

export interface FixedFilters {
  readonly asked: readonly AskedFilter[];
  /** The conditions that rows of each fact must meet, by its name. */
  readonly byFact: ReadonlyMap<string, readonly Filter[]>;
}

export const NOTHING_FIXED: FixedFilters = { asked: [], byFact: new Map() };

/** Whether a measure says how it lies on the members of an attribute that its fact does not reach (G6). */
export const spreadsTo = (measure: Measure, attribute: AttributeRef): boolean =>
  attribute.kind === 'attribute' && measure.spreadAcross.has(attribute.part) && !reaches(measure.fact, attribute);

/** Fixed filters that a fact does not reach and is not open to everyone in spite of: its measures are blank under them, or seen by their share. */
export const unreached = (fact: Fact, fixed: readonly AskedFilter[]): readonly AskedFilter[] =>
  fact.openTo === 'everyone' ? [] : fixed.filter(({ attribute }) => !reaches(fact, attribute));

/** Reads the filters that a book is opened with. A fact that they cannot reach is refused, not shown whole. */
export const fixedFilters = (model: Model, written: unknown): FixedFilters => {
  if (written === undefined) return NOTHING_FIXED;
  const where = checked(whereSchema, written, 'where', (path) => ({ path: ['where', ...path].join('.') })) as WhereInput;
  const asked = filtersOf(model, where);
  if (asked.length === 0)
    throw new DurchblickError('empty-filter', '`where` filters nothing', {
      place: { path: 'where' },
      hint: 'Leave it out to show everything; an empty filter is taken for a slip (V3).',
    });
  for (const { attribute } of asked)
    if (attribute.kind === 'calendar')
      throw new DurchblickError('bad-filter', `"${attribute.name}" says something of days, and cannot be fixed for good`, {
        place: { path: `where.${attribute.name}` },
        hint: 'Fixed filters say which rows somebody may see, by attributes of dimensions and bands (V3); ask with `where` for days.',
      });
  for (const fact of model.facts.values())
    for (const { attribute } of asked) {
      const map = mapOf(fact, attribute);
      if (map?.kind === 'key-day' && map.at === NOW)
        throw new DurchblickError('bad-filter', `"${attribute.key}" is seen as it holds now, and cannot be fixed for good`, {
          place: { path: 'where' },
          hint: `Link fact "${fact.name}" to it at one of its dates: what a reader may see must not change with the as-of date (V3, G9).`,
        });
    }
  for (const fact of model.facts.values()) {
    const measures = [...model.measures.values()].filter((measure) => measure.fact === fact);
    for (const { attribute } of unreached(fact, asked)) {
      if (measures.every((measure) => measure.unrelated === 'blank' || spreadsTo(measure, attribute))) continue;
      throw new DurchblickError('unfiltered-fact', `fact "${fact.name}" cannot be filtered on ${attribute.key}, and would be shown whole`, {
        place: model.locate(['facts', fact.name]),
        hint: `It has ${reachable(model, fact).join(', ') || 'no attributes'}. Link it, or say \`open-to: everyone\` if all may see it whole, or \`unrelated: blank\` (V3).`,
      });
    }
  }
  const byFact = new Map<string, readonly Filter[]>();
  for (const fact of model.facts.values()) byFact.set(fact.name, factFilters(fact, asked, 'fixed'));
  return { asked, byFact };
};
