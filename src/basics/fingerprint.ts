// Short names for long texts: told apart, not kept secret.

/** A value as a text that does not depend on the order of its keys; what is undefined is not there. */
export const stableText = (value: unknown): string => JSON.stringify(inOrder(value)) ?? '';

const inOrder = (value: unknown): unknown => {
  if (Array.isArray(value)) return value.map(inOrder);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, own]) => own !== undefined)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([key, own]) => [key, inOrder(own)]),
  );
};

/** Two sums of 32 bits that start and step differently, so that texts which one confuses the other tells apart. */
const sum = (text: string, start: number, factor: number): number => {
  let hash = start;
  for (let k = 0; k < text.length; k++) hash = Math.imul(hash ^ text.charCodeAt(k), factor);
  return (hash ^ (hash >>> 15)) >>> 0;
};

/** Sixteen hexadecimal digits that differ where texts do. */
export const fingerprint = (text: string): string =>
  [sum(text, 0x811c9dc5, 0x01000193), sum(text, 0x9e3779b9, 0x85ebca6b)].map((half) => half.toString(16).padStart(8, '0')).join('');
