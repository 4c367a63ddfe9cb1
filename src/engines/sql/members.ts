// Members of attributes, as far as they may be seen (R1, V3).

import type { AttributeRef } from '../../model/attributes.ts';
import { orderedMembers } from '../../model/members.ts';
import type { Fact, Model } from '../../model/model.ts';
import { listedMembers, nameOf, rowMapOf } from '../../plan/members/kinds.ts';
import { passes } from '../../plan/members/test.ts';
import type { Filter } from '../../plan/request.ts';
import type { RowsOf } from '../engine.ts';
import { hidingFilters } from '../shared/hiding.ts';
import type { Database } from './database.ts';
import { rankSql } from './dimensions.ts';
import { attributeText, type SqlWorld, selectOf } from './select.ts';
import { type Run, type SqlState, worldOf } from './tables.ts';

export interface MemberLook {
  readonly model: Model;
  readonly state: SqlState;
  readonly database: Database;
  readonly run: Run;
  readonly rows: RowsOf;
  /** Fixed filters that hide rows of dimensions. */
  readonly fixed: readonly Filter[];
}

/** Texts of some attributes in every row of a dimension that may be seen, with what puts the first in order. */
export const dimensionTexts = async (
  attribute: Extract<AttributeRef, { kind: 'attribute' }>,
  names: readonly string[],
  { state, database, run, fixed }: Omit<MemberLook, 'rows' | 'model'>,
): Promise<readonly (readonly [texts: readonly string[], rank: unknown])[]> => {
  const { dialect } = database;
  const { relation } = await state.dimension(attribute.dimension.name);
  const filters = hidingFilters(fixed, attribute.part);
  const tested = filters.map((filter) => nameOf(filter.attribute));
  const column = (name: string): string => attribute.dimension.attributes.get(name)?.column as string;
  const texts = [...names, ...tested].map((name, k) => `${attributeText(dialect, relation, column(name), 'd')} as c${k}`);
  const rank = rankSql(dialect, relation, attribute.dimension.attributes.get(names[0])?.order, 'd');
  const { count, columns } = await run({
    about: `members of ${attribute.dimension.name}`,
    sql: `select distinct ${[...texts, `${rank} as c${texts.length}`].join(', ')}\nfrom ${relation.from} as d`,
  });
  return Array.from({ length: count }, (_, row) => row)
    .filter((row) => filters.every(({ test }, k) => passes(String(columns[names.length + k][row]), test)))
    .map((row) => [names.map((_, k) => String(columns[k][row])), columns[texts.length][row]] as const);
};

/** Members of an attribute in their order, `(none)` and `(unknown)` aside. */
export const membersIn = async (attribute: AttributeRef, look: MemberLook): Promise<readonly string[]> => {
  const { model } = look;
  const listed = listedMembers(attribute, model);
  if (listed || attribute.kind !== 'attribute') return listed ?? [];
  if (attribute.dimension.source !== undefined) return membersOfDimension(attribute, look);
  const texts: [string, null][] = [];
  for (const fact of model.facts.values()) {
    if (!fact.links.some((link) => link.part === attribute.part)) continue;
    for (const text of await namedIn(fact, attribute, look)) texts.push([text, null]);
  }
  return orderedMembers(texts, 'by-text');
};

/** The members in a dimension's table. Where the state before is known at all, dimensions are what they were. */
const membersOfDimension = async (
  attribute: Extract<AttributeRef, { kind: 'attribute' }>,
  look: MemberLook,
): Promise<readonly string[]> => {
  const { named, namedBefore } = look.state;
  const key = JSON.stringify([look.rows, attribute.key]);
  const inOrder = async (): Promise<readonly string[]> => {
    const isFiltered = look.rows === 'seen' && look.fixed.length > 0;
    const found = await dimensionTexts(attribute, [attribute.attribute], isFiltered ? look : { ...look, fixed: [] });
    const ranked = attribute.dimension.attributes.get(attribute.attribute)?.order === undefined ? 'by-text' : 'ranked';
    const members = orderedMembers(
      found.map(([[text], rank]) => [text, rank] as const),
      ranked,
    );
    if (!isFiltered) return members;
    const named = new Set<string>();
    for (const fact of look.model.facts.values())
      if (rowMapOf(fact, attribute) && !(await look.state.denied(fact)))
        for (const text of await namedIn(fact, attribute, look)) named.add(text);
    return members.filter((text) => named.has(text));
  };
  const members = namedBefore.get(key) ?? (await inOrder());
  named.set(key, members);
  return members;
};

/** The members that a fact's own column names: those that rows name which came since the state before, beside those known from then. */
const namedIn = async (fact: Fact, attribute: AttributeRef, { state, database, run, rows }: MemberLook): Promise<readonly string[]> => {
  const key = JSON.stringify([rows, fact.name, attribute.key]);
  const before = state.namedBefore.get(key);
  const gained = before === undefined ? undefined : await state.gained(fact, rows);
  const known = gained === undefined ? [] : (before ?? []);
  const found = [...known];
  if (gained !== 'nothing') {
    const world: SqlWorld = { ...(await worldOf(state, database)), heldOn: 'any' };
    const select = selectOf(gained ?? (await state.fact(fact, rows)), world, undefined);
    const { count, columns } = await run({
      about: `members of ${attribute.key} in ${fact.name}`,
      sql: `select distinct ${select.member(attribute)} as c0\nfrom ${select.from()}`,
    });
    const there = new Set(known);
    for (let k = 0; k < count; k++) if (!there.has(String(columns[0][k]))) found.push(String(columns[0][k]));
  }
  state.named.set(key, found);
  return found;
};
