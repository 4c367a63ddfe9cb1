/** Code units in the order of the code points that they are parts of: surrogates come after all others. */
const ranked = (unit: number): number => (unit >= 0xe000 ? unit - 0x800 : unit >= 0xd800 ? unit + 0x2000 : unit);

/** Code point order, the same on every engine (R1). */
export const compareTexts = (a: string, b: string): number => {
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    const [x, y] = [a.charCodeAt(i), b.charCodeAt(i)];
    if (x !== y) return ranked(x) - ranked(y);
  }
  return a.length - b.length;
};

/** Control characters, line and paragraph separators, and marks that turn the direction of what follows. */
const CONTROLS = /[\u0000-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufff9-\ufffb]/g;

/** A text of the data as it may be shown to people: what would steer a terminal or a page is a dot. */
export const shownText = (text: string): string => text.replace(CONTROLS, '·');

/** The greatest of some numbers, however many; 0 where there are none. */
export const greatest = (numbers: Iterable<number>): number => {
  let most = 0;
  for (const number of numbers) if (number > most) most = number;
  return most;
};

/** A text as it stands in HTML and SVG, in elements and in quoted attributes. */
export const escapeHtml = (text: string): string => text.replace(/[&<>"']/g, (char) => `&#${char.charCodeAt(0)};`);

/** So many of something, in English: `1 fact`, `12,000 rows`. */
export const counted = (count: number, one: string, many = `${one}s`): string =>
  `${count.toLocaleString('en')} ${count === 1 ? one : many}`;
