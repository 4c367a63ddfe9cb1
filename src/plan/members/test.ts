// Whether a member passes a filter's test (M3).
import { NONE, UNKNOWN } from '../../model/attributes.ts';
import type { MemberTest } from '../request.ts';

const isNumber = (text: string): boolean => text.trim() !== '' && !Number.isNaN(Number(text));

/** Which of two members comes first between two ends: as numbers where both are, else by code points. */
export const isBefore = (a: string, b: string): boolean => (isNumber(a) && isNumber(b) ? Number(a) < Number(b) : a < b);

/**
 * Whether a member passes a test (M3): listed, not listed, or between two ends, both inclusive. Rows without a member
 * lie between no ends.
 */
export const passes = (text: string, test: MemberTest): boolean => {
  if (test.values && !test.values.includes(text)) return false;
  if (test.not?.includes(text)) return false;
  const { from, to } = test;
  if (from === undefined && to === undefined) return true;
  if (text === NONE || text === UNKNOWN) return false;
  return !((from !== undefined && isBefore(text, String(from))) || (to !== undefined && isBefore(String(to), text)));
};
