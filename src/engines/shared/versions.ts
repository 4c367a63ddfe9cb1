// Versions of a dimension's keys: which of them holds on a day (G9).
import { compareTexts } from '../../basics/text.ts';
import { type Day, FIRST_DAY, isoOf, LAST_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import type { Dimension } from '../../model/model.ts';

/** A version: the days on which it holds, the first inclusive, the second no longer. */
export interface Held {
  readonly from: Day;
  readonly until: Day;
}

/** A blank from is always, and a blank until is still. */
export const heldDays = (from: Day | undefined, until: Day | undefined): Held => ({
  from: from ?? FIRST_DAY,
  until: until ?? LAST_DAY + 1,
});

export const overlappingVersions = (
  table: string,
  { name, key: column }: Pick<Dimension, 'name' | 'key'>,
  found: { readonly key: string; readonly from: Day; readonly to: Day } | undefined,
): DurchblickError =>
  new DurchblickError(
    'overlapping-versions',
    found
      ? `${table}: the key ${column} = "${found.key}" has two versions from ${isoOf(found.from)} to ${found.to >= LAST_DAY ? 'now' : isoOf(found.to)}`
      : `${table}: a key of ${column} has two versions on one day`,
    { kind: 'data', hint: `On each day one version of a ${name} holds; \`until\` is the first day on which it no longer does (G9).` },
  );

/** Versions by key, each list in order; two that hold on one day are an error that names the first of them. */
export const versionsByKey = <V extends Held>(
  versions: Iterable<readonly [key: string, version: V]>,
  table: string,
  dimension: Pick<Dimension, 'name' | 'key'>,
  hidden: boolean,
): ReadonlyMap<string, readonly V[]> => {
  const found = new Map<string, V[]>();
  for (const [key, version] of versions) {
    // What ends before it begins holds on no day.
    if (version.until <= version.from) continue;
    const list = found.get(key) ?? [];
    found.set(key, list);
    list.push(version);
  }
  let first: { key: string; from: Day; to: Day } | undefined;
  for (const [key, list] of found) {
    list.sort((a, b) => a.from - b.from || a.until - b.until);
    const at = list.findIndex((version, k) => k > 0 && version.from < list[k - 1].until);
    if (at > 0 && (!first || compareTexts(key, first.key) < 0))
      first = { key, from: list[at].from, to: Math.min(list[at].until, list[at - 1].until) - 1 };
  }
  if (first) throw overlappingVersions(table, dimension, hidden ? undefined : first);
  return found;
};

/** The version of a list that holds on a day; undefined where none does. Asked for each row, so it makes no list of its own. */
export const versionAt = <V extends Held>(list: readonly V[] | undefined, day: Day | undefined): V | undefined => {
  if (!list || day === undefined) return undefined;
  let [low, high] = [0, list.length];
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (list[middle].from <= day) low = middle + 1;
    else high = middle;
  }
  return low > 0 && day < list[low - 1].until ? list[low - 1] : undefined;
};
