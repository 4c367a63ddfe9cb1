// What files of texts have in common.
import { DurchblickError } from '../errors.ts';
import type { Encoding } from '../model/model.ts';

/** Checks the names of a header: every one once. A column without a name may stand any number of times; nothing can use it. */
export const checkNames = (names: readonly string[], file: string): void => {
  const seen = new Set<string>();
  for (const name of names) {
    if (name !== '' && seen.has(name))
      throw new DurchblickError('bad-csv', `${file} has two columns called "${name}"`, { kind: 'data', hint: 'Rename one of them.' });
    seen.add(name);
  }
};

/** What Windows-1252 has where ISO 8859-1 has control characters; five bytes mean nothing. */
const WINDOWS_1252 = '€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ';
const [FIRST_OWN, LAST_OWN] = [0x80, 0x9f];
const OWN = Array.from(WINDOWS_1252, (char) => new TextEncoder().encode(char));

/** Done here, because runtimes do not agree on it: some read it as ISO 8859-1. */
const windows1252 = (bytes: Uint8Array): Uint8Array => {
  const out = new Uint8Array(bytes.reduce((size, byte) => size + (byte < FIRST_OWN ? 1 : byte <= LAST_OWN ? 3 : 2), 0));
  let at = 0;
  for (const byte of bytes) {
    if (byte < FIRST_OWN) out[at++] = byte;
    else if (byte > LAST_OWN) {
      out[at++] = 0xc0 | (byte >> 6);
      out[at++] = 0x80 | (byte & 0x3f);
    } else {
      const own = OWN[byte - FIRST_OWN];
      if (WINDOWS_1252.charCodeAt(byte - FIRST_OWN) === byte) throw new RangeError('a byte that means nothing');
      out.set(own, at);
      at += own.length;
    }
  }
  return out.subarray(0, at);
};

/** Texts in another encoding as UTF-8; what is no text in it is an error. */
export const asUtf8 = (bytes: Uint8Array, name: string, encoding: Encoding | undefined): Uint8Array => {
  if (encoding === undefined) return bytes;
  // A byte order mark says which way round, and is none of the text; without one the bytes stand as most write them.
  const isBig = encoding === 'utf-16' && bytes[0] === 0xfe && bytes[1] === 0xff;
  try {
    if (encoding === 'windows-1252') return windows1252(bytes);
    const text = new TextDecoder(encoding === 'utf-16' ? (isBig ? 'utf-16be' : 'utf-16le') : encoding, { fatal: true }).decode(bytes);
    return new TextEncoder().encode(text);
  } catch {
    throw new DurchblickError('bad-encoding', `${name} is not ${encoding}`, {
      kind: 'data',
      hint: 'Say at the source how it is written: `encoding: windows-1252`, `iso-8859-15` or `utf-16`; UTF-8 needs none.',
    });
  }
};

export const utf8Text = (bytes: Uint8Array, name: string): string => {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new DurchblickError('bad-encoding', `${name} is not UTF-8`, {
      kind: 'data',
      hint: 'Save the file as UTF-8, or say at the source how it is written: `encoding: windows-1252` (or iso-8859-15, utf-16).',
    });
  }
};
