// Checks that the members named by fixed filters exist (V3).
import type { RowsOf } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
import { type AttributeRef, NONE, UNKNOWN } from '../model/attributes.ts';
import { nameOf } from '../plan/members/kinds.ts';
import type { AskedFilter } from '../plan/question.ts';

/**
 * Checks that every member of the fixed filters exists, visible or not (V3): a member may have no rows today, and `not` names hidden
 * ones. Errors: `unknown-member`, without suggestions, which could name hidden members.
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
        hint: 'Check the spelling of the fixed filter. Hidden members are not suggested (V3).',
      });
  }
};
