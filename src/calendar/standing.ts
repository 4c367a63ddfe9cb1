// Where a day stands in the calendar (U11): the attributes that every fact has, because its rows have dates.

/** What is said of a day: its weekday, whether it is worked on, its holiday, the number of a period in a longer one, or a period. */
export type Standing =
  | { readonly kind: 'weekday' }
  | { readonly kind: 'working-day' }
  | { readonly kind: 'holiday' }
  | { readonly kind: 'number'; readonly inner: string; readonly outer: string }
  | { readonly kind: 'period'; readonly unit: string };

const NAMED = ['weekday', 'working-day', 'holiday'] as const;
export const OF = '-of-';

/** Reads the name of a calendar attribute: `weekday`, `week-of-week-year`, `season`; undefined where it is none. */
export const standingOf = (name: string, units: readonly string[]): Standing | undefined => {
  const named = NAMED.find((known) => known === name);
  if (named) return { kind: named };
  if (units.includes(name)) return { kind: 'period', unit: name };
  for (let at = name.indexOf(OF); at >= 0; at = name.indexOf(OF, at + 1)) {
    const [inner, outer] = [name.slice(0, at), name.slice(at + OF.length)];
    if (units.includes(inner) && units.includes(outer)) return { kind: 'number', inner, outer };
  }
  return undefined;
};

/** Built-in units from the shortest to the longest; each lies in those after it, weeks in their own years alone. */
const LADDER = ['day', 'week', 'month', 'quarter', 'half', 'year'];

/** Whether periods of a unit lie in those of another, told by their names: a week in no month, a period of a system in its own. */
const seemsToNest = (inner: string, outer: string): boolean => {
  if (inner === outer || outer === 'day') return false;
  if (inner === 'day') return true;
  if (inner === 'week' || outer === 'week-year') return inner === 'week' && outer === 'week-year';
  const cut = (name: string): readonly [system: string, step: number] => {
    const dash = name.lastIndexOf('-');
    return [name.slice(0, Math.max(dash, 0)), LADDER.indexOf(name.slice(dash + 1))];
  };
  const [[system, step], [other, longer]] = [cut(inner), cut(outer)];
  return system === other && step >= 0 && step < longer;
};

/** Names of calendar attributes, for lists and suggestions: those that surely work. */
export const standingNames = (units: readonly string[]): string[] => [
  ...NAMED,
  ...units,
  ...units.flatMap((outer) => units.filter((inner) => seemsToNest(inner, outer)).map((inner) => `${inner}${OF}${outer}`)),
];
