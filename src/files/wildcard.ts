// Matches file names: `*`, `?` and `[…]`. Time is linear in the name for each `*`.
import { DurchblickError } from '../errors.ts';

type Token = 'star' | ((character: string) => boolean);

const CLASS = /^\[(!?)([^\]]+)\]/;

/** The characters of `[…]`: single ones and ranges. */
const parseClass = (negation: string, body: string, pattern: string): Token => {
  const characters = [...body];
  const ranges: (readonly [first: string, last: string])[] = [];
  for (let k = 0; k < characters.length; k++) {
    const isRange = characters[k + 1] === '-' && k + 2 < characters.length;
    const [first, last] = [characters[k], isRange ? characters[k + 2] : characters[k]];
    if (last < first)
      throw new DurchblickError('bad-path', `"[${negation}${body}]" in "${pattern}" is not a character range`, {
        hint: `Write the lower character first: [${last}-${first}].`,
      });
    ranges.push([first, last]);
    if (isRange) k += 2;
  }
  return (character) => ranges.some(([first, last]) => first <= character && character <= last) !== (negation === '!');
};

const parsePattern = (pattern: string): readonly Token[] => {
  const tokens: Token[] = [];
  for (let rest = pattern; rest !== ''; ) {
    const group = CLASS.exec(rest);
    const [character] = rest;
    if (group) tokens.push(parseClass(group[1], group[2], pattern));
    else if (character === '*') tokens.push('star');
    else tokens.push(character === '?' ? () => true : (other) => other === character);
    rest = rest.slice(group ? group[0].length : character.length);
  }
  return tokens;
};

/** Whether names match a pattern. Errors: `bad-path` for a range of characters that runs backwards. */
export const matchName = (pattern: string): ((name: string) => boolean) => {
  const tokens = parsePattern(pattern);
  return (name) => {
    const characters = [...name];
    let [at, token] = [0, 0];
    // Backtrack to the last star and let it match one more character.
    let [starToken, starAt] = [-1, 0];
    while (at < characters.length) {
      const own = tokens[token];
      if (own === 'star') {
        starToken = token++;
        starAt = at;
      } else if (own?.(characters[at])) {
        token++;
        at++;
      } else if (starToken >= 0) {
        token = starToken + 1;
        at = ++starAt;
      } else return false;
    }
    while (tokens[token] === 'star') token++;
    return token === tokens.length;
  };
};

/** Whether paths match a pattern; `**` matches folders of any depth. Paths and patterns separate names by `/`. */
export const matchPath = (pattern: string): ((path: string) => boolean) => {
  const steps = pattern.split('/').map((step) => (step === '**' ? undefined : matchName(step)));
  const matches = (names: readonly string[], step: number): boolean => {
    if (step === steps.length) return names.length === 0;
    const test = steps[step];
    if (test) return names.length > 0 && test(names[0]) && matches(names.slice(1), step + 1);
    return matches(names, step + 1) || (names.length > 0 && matches(names.slice(1), step));
  };
  return (path) => matches(path.split('/'), 0);
};
