// What files of texts have in common.
import { DurchblickError } from '../errors.ts';

/** Checks the names of a header: every one once. A column without a name may stand any number of times; nothing can use it. */
export const checkNames = (names: readonly string[], file: string): void => {
  const seen = new Set<string>();
  for (const name of names) {
    if (name !== '' && seen.has(name))
      throw new DurchblickError('bad-csv', `${file} has two columns called "${name}"`, { kind: 'data', hint: 'Rename one of them.' });
    seen.add(name);
  }
};

export const utf8Text = (bytes: Uint8Array, name: string): string => {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new DurchblickError('bad-encoding', `${name} is not UTF-8`, { kind: 'data', hint: 'Save the file as UTF-8.' });
  }
};
