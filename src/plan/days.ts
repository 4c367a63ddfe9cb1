// Which of the days that a reading covers belong to which member of a calendar attribute, and to none that a filter leaves out (U12).
import { lowerBound, upperBound } from '../basics/search.ts';
import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import { type StandingTable, standingTable } from '../calendar/standing-table.ts';
import { DurchblickError, suggest } from '../errors.ts';
import type { AttributeRef } from '../model/attributes.ts';
import { COVERED, EMPTY, type Lay } from '../windows/lay.ts';
import { checkCells } from './limits.ts';
import type { AskedFilter } from './question.ts';
import type { MemberTest, Segments } from './request.ts';
import { pickedSegments } from './segments.ts';

export type CalendarRef = Extract<AttributeRef, { kind: 'calendar' }>;

export const isCalendar = (attribute: AttributeRef): attribute is CalendarRef => attribute.kind === 'calendar';

/** Days of one combination of members, in order, among all that some row covers. */
export interface DayGroup {
  /** One text for each attribute. */
  readonly texts: readonly string[];
  readonly days: Int32Array;
}

/** The days that a reading covers, sorted by members of calendar attributes; those that a filter leaves out are in none. */
export interface DayGroups {
  readonly attributes: readonly CalendarRef[];
  readonly groups: readonly DayGroup[];
  /** The same for the same days, in one model. */
  readonly key: string;
}

/** The combinations of calendar members that are shown already, for the row of the others (R1). */
export interface ShownDays {
  readonly attributes: readonly CalendarRef[];
  readonly list: readonly (readonly string[])[];
}

const badMember = (attribute: CalendarRef, text: string, { members }: StandingTable): DurchblickError =>
  new DurchblickError('unknown-member', `${attribute.name} has no member "${text}"`, { hint: suggest(text, members, 'members') });

/** Which members pass a test, by their number: a member, a longer name of it, its number, or what lies between two of them (U11). */
const passing = (attribute: CalendarRef, test: MemberTest, table: StandingTable): Uint8Array => {
  const find = (text: string | number): number => {
    const found = table.find(String(text));
    if (found < 0) throw badMember(attribute, String(text), table);
    return found;
  };
  const pass = new Uint8Array(table.members.length).fill(test.values ? 0 : 1);
  for (const text of test.values ?? []) pass[find(text)] = 1;
  for (const text of test.not ?? []) pass[find(text)] = 0;
  const from = test.from === undefined ? 0 : find(test.from);
  const to = test.to === undefined ? pass.length : find(test.to);
  if (from > to)
    throw new DurchblickError('bad-filter', `the filter on "${attribute.name}" runs backwards: from ${test.from} to ${test.to}`, {
      hint: 'Members come in the order of time.',
    });
  return pass.map((is, member) => (member < from || member > to ? 0 : is));
};

/** The member of a calendar attribute that a text means; an error with the nearest one where it means none. */
export const calendarMember = (attribute: CalendarRef, text: string, calendar: Calendar): string => {
  const table = standingTable(calendar, attribute.standing);
  const found = table.find(text);
  if (found < 0) throw badMember(attribute, text, table);
  return table.members[found];
};

/** Checks what filters on calendar attributes ask for, whether or not a day is covered. */
export const checkDayFilters = (filters: readonly AskedFilter[], calendar: Calendar): void => {
  for (const { attribute, test } of filters)
    if (isCalendar(attribute)) passing(attribute, test, standingTable(calendar, attribute.standing));
};

/** First and last day that some row covers, and which days between them are. */
const coveredDays = ({ from, to, state }: Lay): { readonly first: Day; readonly covered: Uint8Array } => {
  let [first, last] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (let row = 0; row < state.length; row++) {
    if (state[row] !== COVERED) continue;
    first = Math.min(first, from[row]);
    last = Math.max(last, to[row]);
  }
  if (first > last) return { first: 0, covered: new Uint8Array(0) };
  const changes = new Int32Array(last - first + 2);
  for (let row = 0; row < state.length; row++) {
    if (state[row] !== COVERED) continue;
    changes[from[row] - first]++;
    changes[to[row] - first + 1]--;
  }
  const covered = new Uint8Array(last - first + 1);
  for (let k = 0, depth = 0; k < covered.length; k++) {
    depth += changes[k];
    covered[k] = depth > 0 ? 1 : 0;
  }
  return { first, covered };
};

/** Sorts the days that a reading covers; undefined where nothing asks for it. */
export const dayGroups = (
  lay: Lay,
  attributes: readonly CalendarRef[],
  filters: readonly AskedFilter[],
  shown: ShownDays | undefined,
  calendar: Calendar,
): DayGroups | undefined => {
  const own = filters.flatMap(({ attribute, test }) => (isCalendar(attribute) ? [{ attribute, test }] : []));
  const { pieces } = lay;
  if (attributes.length === 0 && own.length === 0 && !shown && !pieces) return undefined;
  const tables = attributes.map(({ standing }) => standingTable(calendar, standing));
  const tests = own.map(({ attribute, test }) => {
    const table = standingTable(calendar, attribute.standing);
    return { at: table.at, pass: passing(attribute, test, table) };
  });
  const others = shown && {
    tables: shown.attributes.map(({ standing }) => standingTable(calendar, standing)),
    list: new Set(shown.list.map((texts) => JSON.stringify(texts))),
  };
  const isOther = (day: Day): boolean =>
    others === undefined || !others.list.has(JSON.stringify(others.tables.map(({ members, at }) => members[at(day)])));
  const { first, covered } = coveredDays(pieces ?? lay);
  const found = new Map<string, { readonly texts: readonly string[]; readonly days: Day[] }>();
  for (let k = 0; k < covered.length; k++) {
    const day = first + k;
    if (covered[k] === 0 || !tests.every(({ at, pass }) => pass[at(day)] === 1) || !isOther(day)) continue;
    const members = tables.map(({ at }) => at(day));
    const key = members.join();
    const group = found.get(key) ?? { texts: members.map((member, a) => tables[a].members[member]), days: [] };
    found.set(key, group);
    group.days.push(day);
  }
  checkCells(found.size * lay.state.length);
  const groups = Array.from(found.values(), ({ texts, days }) => ({ texts, days: Int32Array.from(days) }));
  const key = JSON.stringify([
    attributes.map((one) => one.key),
    own.map(({ attribute, test }) => [attribute.key, test]),
    shown?.list,
    pieces && [...pieces.from, ...pieces.to],
  ]);
  return { attributes, groups, key };
};

/** Days between two, both inclusive, that pass all filters on days. */
export const daysPassing = (filters: readonly AskedFilter[], first: Day, last: Day, calendar: Calendar): Int32Array => {
  const tests = filters.flatMap(({ attribute, test }) => {
    if (!isCalendar(attribute)) return [];
    const table = standingTable(calendar, attribute.standing);
    const pass = passing(attribute, test, table);
    return [(day: Day) => pass[table.at(day)] === 1];
  });
  return Int32Array.from({ length: last - first + 1 }, (_, k) => first + k).filter((day) => tests.every((test) => test(day)));
};

/** How many of some days, in order, lie between two days, both inclusive. */
export const countDays = (days: Int32Array, from: Day, to: Day): number => upperBound(days, to) - lowerBound(days, from);

/** The days of a group as stretches without gaps, in order. */
export const stretchesOf = (days: Int32Array): (readonly [first: Day, last: Day])[] => {
  const found: [Day, Day][] = [];
  for (const day of days) {
    const last = found[found.length - 1];
    if (last && last[1] === day - 1) last[1] = day;
    else found.push([day, day]);
  }
  return found;
};

/** A lay on the days of a group alone: from the first to the last of them in each window; without one the window is empty (W5). */
export const layOnDays = (lay: Lay, days: Int32Array): Lay => {
  const [from, to, state] = [lay.from.slice(), lay.to.slice(), lay.state.slice()];
  for (let row = 0; row < state.length; row++) {
    if (state[row] !== COVERED) continue;
    const [i, j] = [lowerBound(days, from[row]), upperBound(days, to[row]) - 1];
    if (i > j) {
      state[row] = EMPTY;
      [from[row], to[row]] = [0, -1];
    } else [from[row], to[row]] = [days[i], days[j]];
  }
  return { ...lay, from, to, state };
};

/** Segments that hold a day of a group, where they stand among all, and which of them have no other day. */
export interface GroupSegments {
  readonly segments: Segments;
  readonly places: Int32Array;
  readonly whole: Uint8Array;
}

export const segmentsOnDays = (all: Segments, { days, texts }: DayGroup, key: string): GroupSegments => {
  const [places, whole]: [number[], number[]] = [[], []];
  const { starts, ends } = all;
  const span = `${days[0]}:${days[days.length - 1]}`;
  for (let s = 0, k = 0; s < starts.length && k < days.length; s++) {
    while (k < days.length && days[k] < starts[s]) k++;
    const before = k;
    while (k < days.length && days[k] <= ends[s]) k++;
    if (k === before) continue;
    places.push(s);
    whole.push(k - before === ends[s] - starts[s] + 1 ? 1 : 0);
  }
  const at = Int32Array.from(places);
  return { segments: pickedSegments(all, at, `${key} ${JSON.stringify(texts)} ${span}`), places: at, whole: Uint8Array.from(whole) };
};
