import type { OpenedModel } from './engine/protocol.ts';

export interface Completion {
  /** What stands in the field once it is chosen. */
  readonly text: string;
  /** The word that is put in. */
  readonly word: string;
  readonly kind: string;
}

const MODIFIERS = ['on', 'over', 'vs', 'as', 'across'] as const;
const FORMS = ['value', 'difference', 'change', 'ratio', 'index'];

/** What can stand at the end of a reading that is being typed, nearest first. */
export const completions = (typed: string, model: OpenedModel): Completion[] => {
  const begun = /[a-z0-9.-]*$/i.exec(typed)?.[0] ?? '';
  const before = typed.slice(0, typed.length - begun.length);
  const words = before.trim().split(/[\s(]+/);
  const last = words[words.length - 1] ?? '';
  const owner = [...words].reverse().find((word) => model.measures.includes(word));
  const lists: readonly (readonly [string, readonly string[]])[] =
    last === 'on'
      ? [['role', owner && model.rolesOf[owner].length > 0 ? model.rolesOf[owner] : model.roles]]
      : last === 'over'
        ? [['window', [...model.ownWindows, ...model.windows.filter((name) => !model.ownWindows.includes(name))]]]
        : last === 'vs'
          ? [['comparison', model.comparisons]]
          : last === 'as'
            ? [['form', FORMS]]
            : last === 'across'
              ? [['attribute', ['all', 'time', ...model.attributes.map(({ name }) => name)]]]
              : words.some((word) => model.measures.includes(word) || model.formulas.includes(word)) && !/[-+*/(]\s*$/.test(before)
                ? [['word', MODIFIERS.filter((word) => !words.includes(word) && (word !== 'as' || words.includes('vs')))]]
                : [
                    ['measure', model.measures],
                    ['formula', model.formulas],
                  ];
  const wanted = begun.toLowerCase();
  return lists
    .flatMap(([kind, names]) => names.map((word) => ({ word, kind, text: `${before}${word}` })))
    .filter(({ word }) => word.toLowerCase().includes(wanted) && word !== begun)
    .sort((a, b) => Number(b.word.startsWith(wanted)) - Number(a.word.startsWith(wanted)))
    .slice(0, 40);
};
