// The order of members: by an order column, else by code points (R1).
import { compareTexts } from '../basics/text.ts';
import { NONE, UNKNOWN } from './attributes.ts';

const isNumeric = (value: unknown): boolean =>
  typeof value === 'number' ||
  typeof value === 'bigint' ||
  (typeof value === 'string' && value.trim() !== '' && !Number.isNaN(Number(value)));

/** Which of two values of an order column comes first: numbers by value, all else as text. */
const compareRanks = (a: unknown, b: unknown): number =>
  isNumeric(a) && isNumeric(b) ? Number(a) - Number(b) : compareTexts(String(a ?? ''), String(b ?? ''));

/**
 * Members in their order (R1): by the least value of their order column where there is one, else by code points.
 * `(none)` and `(unknown)` are no members of their own.
 */
export const orderedMembers = (texts: Iterable<readonly [text: string, rank: unknown]>, ranked: 'ranked' | 'by-text'): string[] => {
  const ranks = new Map<string, unknown>();
  for (const [text, rank] of texts) {
    if (text === NONE || text === UNKNOWN) continue;
    if (!ranks.has(text) || compareRanks(rank, ranks.get(text)) < 0) ranks.set(text, rank);
  }
  return [...ranks].sort(([a, x], [b, y]) => (ranked === 'ranked' ? compareRanks(x, y) : 0) || compareTexts(a, b)).map(([text]) => text);
};
