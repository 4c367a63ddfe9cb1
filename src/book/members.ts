// Members that filters ask for must exist: a misspelled one would answer nothing (M3).
import type { RowsOf } from '../engines/engine.ts';
import { DurchblickError, suggest } from '../errors.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../model/attributes.ts';
import { nameOf } from '../plan/members/kinds.ts';
import type { AskedFilter } from '../plan/question.ts';

/**
 * Checks the members of fixed filters (V3). They are looked for among all members, since one without a row today, or one that is left
 * out, is a member all the same; the error names no other.
 */
export const checkFixedMembers = async (
  filters: readonly AskedFilter[],
  members: (attribute: AttributeRef, rows: RowsOf) => Promise<readonly string[]>,
): Promise<void> => {
  for (const { attribute, test } of filters) {
    const missingIn = async (texts: readonly string[], rows: RowsOf) => {
      if (texts.length === 0) return [];
      const known = new Set([...(await members(attribute, rows)), NONE, UNKNOWN]);
      return texts.filter((text) => !known.has(text));
    };
    const unseen = await missingIn([...(test.values ?? []), ...(test.not ?? [])], 'seen');
    const [unknown] = await missingIn(unseen, 'all');
    if (unknown !== undefined)
      throw new DurchblickError('unknown-member', `${nameOf(attribute)} has no member "${unknown}"`, {
        hint: 'Look at the spelling of the fixed filter: members that it hides are not named here (V3).',
      });
  }
};

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
