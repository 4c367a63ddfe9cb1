// Members that fixed filters name must exist (V3).
import type { RowsOf } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
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
