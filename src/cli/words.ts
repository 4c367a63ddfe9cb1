// Words for people: nothing that steers a terminal.
import { randomInt } from 'node:crypto';
import { shownText } from '../basics/text.ts';

/** Random marker of our own escape sequences, so that sequences from the data are never mistaken for them. */
const OWN = String(randomInt(1e9, 1e12));
/** A marked SGR sequence; `words` removes the marker before output. */
export const styleOf = (code: number): string => `\u001b[${code};${OWN}m`;
const STYLES = new RegExp(`(\\u001b\\[\\d+;${OWN}m|\\n)`);

/** Words for people: lines and our own colours stay, everything else that would steer a terminal is a dot. */
export const words = (text: string): string =>
  text
    .split(STYLES)
    .map((part, k) => (k % 2 === 1 ? part.replace(`;${OWN}`, '') : shownText(part)))
    .join('');
