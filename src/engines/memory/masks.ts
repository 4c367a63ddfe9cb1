// Filters and versions as masks: one byte a row, 1 where it counts.
import { upperBound } from '../../basics/search.ts';
import { compareTexts } from '../../basics/text.ts';
import { tupleIndex, tupleKey } from '../../basics/tuples.ts';
import { NO_DAY } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import { passes } from '../../plan/members/test.ts';
import type { Filter } from '../../plan/request.ts';
import { filterKey } from '../../plan/request.ts';
import type { FactData } from './facts.ts';
import type { Lists } from './lists.ts';

/** Sets to 0 the rows of a mask that do not meet a filter. */
export const applyFilter = (mask: Uint8Array, filter: Filter, data: Pick<FactData, 'roles' | 'members'>): void => {
  const days = (role: string): Int32Array => data.roles.get(role)?.days as Int32Array;
  const rows = mask.length;
  switch (filter.kind) {
    case 'members': {
      const { codes, texts } = data.members(filter.attribute);
      const pass = texts.map((text) => passes(text, filter.test));
      for (let i = 0; i < rows; i++) if (!pass[codes[i]]) mask[i] = 0;
      return;
    }
    case 'combinations': {
      const columns = filter.attributes.map((attribute) => data.members(attribute));
      const listed = tupleIndex(filter.list);
      const wanted = filter.keep === 'listed';
      const known = new Map<string, boolean>();
      for (let i = 0; i < rows; i++) {
        const key = columns.map(({ codes }) => codes[i]).join();
        let keep = known.get(key);
        if (keep === undefined) {
          keep = listed(columns.map(({ codes, texts }) => texts[codes[i]])) >= 0 === wanted;
          known.set(key, keep);
        }
        if (!keep) mask[i] = 0;
      }
      return;
    }
    case 'days': {
      const column = days(filter.role);
      const [starts, ends] = [filter.stretches.map(([first]) => first), filter.stretches.map(([, last]) => last)];
      for (let i = 0; i < rows; i++) {
        const at = upperBound(starts, column[i]) - 1;
        if (at < 0 || column[i] > ends[at]) mask[i] = 0;
      }
      return;
    }
    case 'date': {
      const column = days(filter.role);
      const blank = filter.is === 'blank';
      for (let i = 0; i < rows; i++) if ((column[i] === NO_DAY) !== blank) mask[i] = 0;
      return;
    }
    case 'entered': {
      // A blank is the smallest number there is, and seen (A2).
      const column = days(filter.role);
      for (let i = 0; i < rows; i++) if (column[i] > filter.by) mask[i] = 0;
      return;
    }
    case 'by': {
      const column = days(filter.role);
      for (let i = 0; i < rows; i++) if (column[i] > filter.day || column[i] === NO_DAY) mask[i] = 0;
      return;
    }
    case 'order': {
      const [from, until] = [days(filter.from), days(filter.until)];
      const wanted = filter.is === 'reversed';
      for (let i = 0; i < rows; i++) {
        const reversed = until[i] !== NO_DAY && from[i] !== NO_DAY && until[i] < from[i];
        if (reversed !== wanted) mask[i] = 0;
      }
      return;
    }
  }
};

/** Which of two moments on one day is the later: of instants and numbers by value, of texts by their characters. */
const sameDayOrder = (a: unknown, b: unknown): number => {
  if (a instanceof Date && b instanceof Date) return a.getTime() - b.getTime();
  if (typeof a === 'number' && typeof b === 'number') return a - b;
  return compareTexts(String(a ?? ''), String(b ?? ''));
};

/** Rows that are the last version of their key recorded on or before a day (G7). */
const versions = (mask: Uint8Array, data: FactData, recordedDays: Int32Array, knownBy: number | undefined): void => {
  const { fact, table } = data;
  const recorded = table.column(fact.recorded as string);
  const columns = fact.versionKey.map((name) => ({ values: table.column(name), text: data.keyText(name) }));
  const recordedText = data.keyText(fact.recorded as string);
  const latest = new Map<string, number>();
  // Revisions at the same time are a fault even where a later one hides them: whatever the order of rows.
  const moments = new Map<string, number>();
  for (let i = 0; i < mask.length; i++) {
    if (knownBy !== undefined && (recordedDays[i] > knownBy || recordedDays[i] === NO_DAY)) continue;
    const key = tupleKey(columns.map(({ values, text }) => text(values[i])));
    const moment = `${key} ${recordedDays[i]} ${String(recorded[i] instanceof Date ? (recorded[i] as Date).getTime() : recorded[i])}`;
    const same = moments.get(moment);
    moments.set(moment, i);
    const before = latest.get(key);
    if (before === undefined) {
      latest.set(key, i);
      continue;
    }
    const later = recordedDays[i] - recordedDays[before] || sameDayOrder(recorded[i], recorded[before]);
    if (later === 0 || same !== undefined) {
      throw new DurchblickError(
        'doubled-version',
        `${table.name}: ${table.hidden ? 'two rows' : `rows ${(same ?? before) + 1} and ${i + 1}`} were both recorded at ${recordedText(recorded[i])} for ${fact.versionKey.map((name, k) => `${name} = ${columns[k].text(columns[k].values[i])}`).join(', ')}`,
        {
          kind: 'data',
          hint: 'For every key there is one row at a time (G7).',
        },
      );
    }
    if (later > 0) latest.set(key, i);
  }
  const kept = new Set(latest.values());
  for (let i = 0; i < mask.length; i++) if (!kept.has(i)) mask[i] = 0;
};

/** Makes masks of rows for lists of filters; undefined where all rows count. Keeps the last few. */
export const masksOf = (data: FactData, recordedDays: () => Int32Array, lists: Lists) => {
  const known = new Map<string, Uint8Array | undefined>();
  return (filters: readonly Filter[], knownBy: number | undefined): Uint8Array | undefined => {
    const all = filters.filter((filter) => !always(filter, data));
    const versioned = data.fact.recorded !== undefined;
    if (all.length === 0 && !versioned) return undefined;
    const key = JSON.stringify([all.map(filterKey), versioned ? (knownBy ?? null) : null]);
    if (known.has(key)) return known.get(key);
    const mask = lists.make(Uint8Array, data.rows).fill(1);
    if (versioned) versions(mask, data, recordedDays(), knownBy);
    for (const filter of all) applyFilter(mask, filter, data);
    if (known.size >= 24) known.delete(known.keys().next().value as string);
    known.set(key, mask);
    return mask;
  };
};

/** Filters that no row meets need no scan: a blank date in a role that has none, dates in the wrong order where all are in the right one. */
export const never = (filters: readonly Filter[], data: FactData): boolean =>
  filters.some(
    (filter) =>
      (filter.kind === 'date' && filter.is === 'blank' && data.roles.get(filter.role)?.blanks === 0) ||
      (filter.kind === 'order' && filter.is === 'reversed' && !data.reversed(filter.from, filter.until)),
  );

/** Filters that every row meets need no mask: no blank to find, nothing entered later. */
const always = (filter: Filter, data: FactData): boolean => {
  if (filter.kind === 'date') return filter.is === 'present' && data.roles.get(filter.role)?.blanks === 0;
  if (filter.kind === 'order') return filter.is === 'forward' && !data.reversed(filter.from, filter.until);
  if (filter.kind === 'entered') return (data.roles.get(filter.role)?.last ?? 0) <= filter.by;
  return false;
};
