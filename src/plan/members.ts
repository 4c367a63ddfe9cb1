import type { MemberTest } from './request.ts';

const isNumber = (text: string): boolean => text.trim() !== '' && !Number.isNaN(Number(text));

/** Whether a member passes a test (M3): listed, not listed, or between two ends, as numbers where all are. */
export const passes = (text: string, test: MemberTest): boolean => {
  if (test.values && !test.values.includes(text)) return false;
  if (test.not?.includes(text)) return false;
  const before = (a: string, b: string) => (isNumber(a) && isNumber(b) ? Number(a) < Number(b) : a < b);
  if (test.from !== undefined && before(text, String(test.from))) return false;
  return !(test.to !== undefined && before(String(test.to), text));
};
