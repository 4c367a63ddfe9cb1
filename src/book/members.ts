// Members that filters ask for must exist: a misspelled one would answer nothing (M3).
import { DurchblickError, suggest } from '../errors.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../model/attributes.ts';
import { nameOf } from '../plan/members/kinds.ts';
import type { AskedFilter } from '../plan/question.ts';

/** Checks that the members a filter asks for exist; an error with the nearest one otherwise (M3). */
export const checkMembers = async (
  filters: readonly AskedFilter[],
  members: (attribute: AttributeRef) => Promise<readonly string[]>,
): Promise<void> => {
  for (const { attribute, test } of filters) {
    const asked = [...(test.values ?? []), ...(test.not ?? [])];
    if (asked.length === 0) continue;
    const known = await members(attribute);
    const set = new Set([...known, NONE, UNKNOWN]);
    const unknown = asked.find((text) => !set.has(text));
    if (unknown !== undefined) {
      throw new DurchblickError('unknown-member', `${nameOf(attribute)} has no member "${unknown}"`, {
        hint: suggest(unknown, known, 'members'),
      });
    }
  }
};
