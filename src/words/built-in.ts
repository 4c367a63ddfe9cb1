// What the names of built-in windows are made of, for every language to put into its own words (W10).

/** A built-in window, taken apart. */
export type BuiltInWindow =
  | { readonly kind: 'to-date'; readonly unit: string; readonly complete?: true }
  | { readonly kind: 'last-complete'; readonly unit: string; readonly count: number }
  | { readonly kind: 'rolling'; readonly unit: 'day' | 'month'; readonly count: number }
  | { readonly kind: 'so-far' | 'ever' };

const LETTERS: Readonly<Record<string, string>> = { w: 'week', m: 'month', q: 'quarter', h: 'half', y: 'year' };

const TO_DATE = /^(?:(.+)-)?([wmqhy])td(-complete)?$/;
const LAST = /^last-complete-(.+)$/;
const LAST_SOME = /^last-(\d+)-complete-(week|month|quarter)s$/;
const ROLLING = /^rolling-(\d+)-(day|month)s$/;
const OF_UNIT = /^(.+)-to-date$/;

/** Takes the name of a built-in window apart; undefined where it is none. */
export const builtInWindow = (name: string): BuiltInWindow | undefined => {
  if (name === 'so-far') return { kind: 'so-far' };
  if (name === 'to-date') return { kind: 'ever' };
  const toDate = TO_DATE.exec(name);
  if (toDate) {
    const [, system, letter, complete] = toDate;
    const unit = system === undefined ? LETTERS[letter] : `${system}-${LETTERS[letter]}`;
    return { kind: 'to-date', unit, ...(complete ? { complete: true } : {}) };
  }
  const some = LAST_SOME.exec(name);
  if (some) return { kind: 'last-complete', unit: some[2], count: Number(some[1]) };
  const last = LAST.exec(name);
  if (last) return { kind: 'last-complete', unit: last[1], count: 1 };
  const rolling = ROLLING.exec(name);
  if (rolling) return { kind: 'rolling', unit: rolling[2] as 'day' | 'month', count: Number(rolling[1]) };
  const ofUnit = OF_UNIT.exec(name);
  return ofUnit ? { kind: 'to-date', unit: ofUnit[1] } : undefined;
};

/** A unit's system and its civil name: `fiscal` and `month`; units of the model's own have neither. */
export const unitParts = (unit: string, civil: Readonly<Record<string, unknown>>): readonly [system: string, civil: string | undefined] => {
  if (Object.hasOwn(civil, unit)) return ['', unit];
  const dash = unit.lastIndexOf('-');
  const last = unit.slice(dash + 1);
  return dash > 0 && Object.hasOwn(civil, last) ? [unit.slice(0, dash), last] : [unit, undefined];
};
