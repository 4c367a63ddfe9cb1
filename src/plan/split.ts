// Period attributes of `per`: they cut axis rows into parts, each laid as a period of its unit (U13).
import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import { standingTable } from '../calendar/standing-table.ts';
import type { Unit } from '../calendar/unit.ts';
import type { AttributeRef } from '../model/attributes.ts';
import { NO_PERIOD, type Place, placeOf } from '../windows/place.ts';
import { type Axis, type DayRun, spanPieces } from './axis.ts';
import { isTaken, listAcross } from './bind.ts';
import { type CalendarRef, isCalendar } from './days.ts';
import { checkCells } from './limits.ts';
import type { AxisPart, View } from './places.ts';
import { type Asked, createRestError } from './question.ts';

/** A row of one of several views. */
export interface Spot {
  readonly view: number;
  readonly row: number;
}

/** The parts of an axis. Members whose days are not consecutive have a view of their own. */
export interface Split {
  readonly attributes: readonly CalendarRef[];
  readonly views: readonly View[];
  /** View and view row of a part; undefined if an axis row has no day of these members. */
  readonly find: (row: number, texts: readonly string[]) => Spot | undefined;
  /** View of a member, and its row in the view of members over the whole axis. */
  readonly findMember: (texts: readonly string[]) => Spot;
  /** Members in the order of their first day. */
  readonly members: readonly (readonly string[])[];
}

const keyOf = (texts: readonly string[]): string => JSON.stringify(texts);

/**
 * Attributes of `per` that name periods: units, and each `<unit>-of-<unit>` that names one period together with them. A named
 * period also names the periods that it lies in.
 */
export const listPeriodAttributes = (attributes: readonly AttributeRef[], calendar: Calendar): readonly CalendarRef[] => {
  const own = attributes.filter(isCalendar);
  const found = new Set(own.filter(({ standing }) => standing.kind === 'period'));
  const named = new Set([...found].flatMap(({ standing }) => (standing.kind === 'period' ? calendar.unit(standing.unit) : [])));
  const isNamed = (outer: Unit): boolean => [...named].some((unit) => unit === outer || calendar.nests(unit, outer));
  for (let before = -1; before < found.size; ) {
    before = found.size;
    for (const attribute of own) {
      const { standing } = attribute;
      if (standing.kind !== 'number' || found.has(attribute) || !isNamed(calendar.unit(standing.outer))) continue;
      found.add(attribute);
      named.add(calendar.unit(standing.inner));
    }
  }
  return own.filter((attribute) => found.has(attribute));
};

const listUnits = ({ standing }: CalendarRef, calendar: Calendar): readonly Unit[] =>
  standing.kind === 'period'
    ? [calendar.unit(standing.unit)]
    : standing.kind === 'number'
      ? [calendar.unit(standing.inner), calendar.unit(standing.outer)]
      : [];

const meanDays = ({ starts, ends }: Unit): number => (ends[ends.length - 1] - starts[0] + 1) / starts.length;

/** The unit with the shortest periods. */
const findFinestUnit = (units: readonly Unit[]): Unit =>
  units.reduce((finest, unit) => (meanDays(unit) < meanDays(finest) ? unit : finest));

/** The unit of the rows of a question, if its axis or its members are periods: the finest of them (U13). */
export const findRowUnit = ({ by, per }: Pick<Asked, 'by' | 'per'>, calendar: Calendar): Unit | undefined => {
  const periods =
    by.kind === 'windows'
      ? []
      : listPeriodAttributes(
          per.map(({ attribute }) => attribute),
          calendar,
        );
  const units = [
    ...(by.kind === 'unit' ? [calendar.unit(by.unit)] : []),
    ...periods.flatMap((attribute) => listUnits(attribute, calendar)),
  ];
  return units.length > 0 ? findFinestUnit(units) : undefined;
};

/** Last day with the same period of a unit, or with none. */
const findPeriodEnd = (calendar: Calendar, unit: Unit, day: Day): Day => {
  const index = calendar.indexOf(unit, day);
  return index >= 0 ? unit.ends[index] : (unit.starts[~index] ?? Number.POSITIVE_INFINITY) - 1;
};

interface Piece extends AxisPart {
  readonly place: Place;
}

/** Cuts days wherever one of the attributes changes. */
const cutRun = (
  [first, last]: DayRun,
  row: number,
  attributes: readonly CalendarRef[],
  unit: Unit,
  calendar: Calendar,
  asOf: Day,
): readonly Piece[] => {
  const units = attributes.flatMap((attribute) => listUnits(attribute, calendar));
  const tables = attributes.map(({ standing }) => standingTable(calendar, standing));
  const pieces: Piece[] = [];
  for (let start = first; start <= last; ) {
    const end = Math.min(last, ...units.map((own) => findPeriodEnd(calendar, own, start)));
    const index = calendar.indexOf(unit, start);
    const cut = index >= 0 && { cutStart: start > unit.starts[index], cutEnd: end < unit.ends[calendar.indexOf(unit, end)] };
    const place = placeOf(
      index < 0 ? { start, end, index: NO_PERIOD } : { start, end, index, lastIndex: calendar.indexOf(unit, end), ...cut },
      asOf,
    );
    pieces.push({ row, texts: tables.map(({ members, at }) => members[at(start)]), place });
    start = end + 1;
  }
  return pieces;
};

/** A part with all of its day ranges. */
interface Gathered extends AxisPart {
  readonly pieces: readonly Place[];
}

/** Parts with all of their pieces, in the order of their first days. */
const groupPieces = (pieces: readonly Piece[]): readonly Gathered[] => {
  const found = new Map<string, AxisPart & { readonly pieces: Place[] }>();
  for (const { row, texts, place } of pieces) {
    const key = `${row} ${keyOf(texts)}`;
    const part = found.get(key) ?? { row, texts, pieces: [] };
    found.set(key, part);
    part.pieces.push(place);
  }
  return [...found.values()];
};

/** Days of each axis row, as runs. */
const listRuns = ({ places, pieces, kind, isDefault }: Axis, unit: Unit, calendar: Calendar): readonly (readonly DayRun[])[] => {
  // Without a range, parts are whole periods (A3).
  const widen = isDefault && kind.kind === 'range';
  return places.map((place, row) =>
    (pieces?.[row] ?? [place]).map(({ start, end }): DayRun => {
      const [from, to] = widen ? [calendar.indexOf(unit, start), calendar.indexOf(unit, end)] : [-1, -1];
      return [from < 0 ? start : unit.starts[from], to < 0 ? end : unit.ends[to]];
    }),
  );
};

/** The axis whose rows are these parts. */
const buildPartsAxis = (parts: readonly Gathered[], unit: Unit, asOf: Day): Axis => ({
  kind: { kind: 'unit', unit },
  places: parts.map(({ pieces }) => spanPieces(pieces, asOf)),
  labels: parts.map(({ texts }) => texts.join(' ')),
  windows: undefined,
  ...(parts.some(({ pieces }) => pieces.length > 1) ? { pieces: parts.map(({ pieces }) => pieces) } : {}),
});

const isConsecutive = (places: readonly Place[]): boolean => places.every(({ start }, k) => k === 0 || start === places[k - 1].end + 1);

/** Cuts the rows of an axis into parts. `joined` gives parts the same texts if they are one member of the answer (R1). */
const splitParts = (
  axis: Axis,
  attributes: readonly CalendarRef[],
  unit: Unit,
  calendar: Calendar,
  asOf: Day,
  joined: (texts: readonly string[]) => readonly string[] | undefined = (texts) => texts,
) => {
  const pieces = listRuns(axis, unit, calendar).flatMap((runs, row) =>
    runs.flatMap((run) => cutRun(run, row, attributes, unit, calendar, asOf)),
  );
  return groupPieces(
    pieces.flatMap((piece) => {
      const texts = joined(piece.texts);
      return texts ? [{ ...piece, texts }] : [];
    }),
  );
};

/** The unit of the parts: the finest of the axis and of the attributes. */
const findPartUnit = ({ kind }: Axis, attributes: readonly CalendarRef[], calendar: Calendar): Unit =>
  findFinestUnit([...(kind.kind === 'unit' ? [kind.unit] : []), ...attributes.flatMap((attribute) => listUnits(attribute, calendar))]);

/** Members with days that are not consecutive, in `texts` or in those of its attributes that a reading keeps (M11). */
const listSeparateMembers = (
  parts: readonly Gathered[],
  attributes: readonly CalendarRef[],
  kept: readonly (readonly CalendarRef[])[],
): ReadonlySet<string> => {
  const separate = new Set<string>();
  for (const own of [attributes, ...kept]) {
    const at = own.map((attribute) => attributes.indexOf(attribute));
    const groups = new Map<string, { texts: Set<string>; places: Place[] }>();
    for (const { texts, pieces } of parts) {
      const key = keyOf(at.map((k) => texts[k]));
      const group = groups.get(key) ?? { texts: new Set(), places: [] };
      groups.set(key, group);
      group.texts.add(keyOf(texts));
      group.places.push(...pieces);
    }
    for (const { texts, places } of groups.values())
      if (!isConsecutive([...places].sort((a, b) => a.start - b.start))) for (const key of texts) separate.add(key);
  }
  return separate;
};

const buildSplit = (
  base: Axis,
  attributes: readonly CalendarRef[],
  parts: readonly Gathered[],
  separate: ReadonlySet<string>,
  unit: Unit,
  asOf: Day,
): Split => {
  const chunks = new Map<string, { readonly view: number; readonly list: Gathered[]; members: number }>();
  const [cells, members] = [new Map<string, Spot>(), new Map<string, Spot & { readonly texts: readonly string[] }>()];
  for (const part of parts) {
    const key = keyOf(part.texts);
    const name = separate.has(key) ? key : '';
    const chunk = chunks.get(name) ?? { view: chunks.size, list: [], members: 0 };
    chunks.set(name, chunk);
    const { view, list } = chunk;
    if (!members.has(key)) members.set(key, { view, row: chunk.members++, texts: part.texts });
    cells.set(`${part.row} ${key}`, { view, row: list.length });
    list.push(part);
  }
  return {
    attributes,
    views: Array.from(chunks.values(), ({ list }) => ({
      axis: buildPartsAxis(list, unit, asOf),
      split: { base, attributes, parts: list.map(({ row, texts }) => ({ row, texts })) },
    })),
    find: (row, texts) => cells.get(`${row} ${keyOf(texts)}`),
    findMember: (texts) => members.get(keyOf(texts)) ?? { view: 0, row: 0 },
    members: Array.from(members.values(), ({ texts }) => texts),
  };
};

/** Splits an axis by the period attributes of `per`; undefined without any. Windows have no periods: their days are split (U12). */
export const splitAxis = (asked: Asked, axis: Axis, calendar: Calendar, asOf: Day): Split | undefined => {
  if (axis.windows) return undefined;
  const attributes = listPeriodAttributes(
    asked.per.map(({ attribute }) => attribute),
    calendar,
  );
  if (attributes.length === 0) return undefined;
  if (asked.rest && attributes.length < asked.per.length)
    throw createRestError(
      asked.per,
      attributes.map(({ name }) => name),
    );
  const unit = findPartUnit(axis, attributes, calendar);
  const parts = splitParts(axis, attributes, unit, calendar, asOf);
  checkCells(parts.length * asked.columns.length);
  const acrosses = [...asked.columns, ...asked.order, ...asked.keep].flatMap(({ bound }) => listAcross(bound));
  const kept = acrosses.map((across) => attributes.filter((attribute) => !isTaken(across, attribute)));
  return buildSplit(axis, attributes, parts, listSeparateMembers(parts, attributes, kept), unit, asOf);
};

/** The split whose parts are what a limit left out of each group of members (R1). */
export const splitOthers = (
  split: Split,
  shown: readonly (readonly string[])[],
  within: number,
  axis: Axis,
  calendar: Calendar,
  asOf: Day,
): Split => {
  const { attributes } = split;
  const unit = findPartUnit(axis, attributes, calendar);
  const isShown = new Set(shown.map(keyOf));
  const parts = splitParts(axis, attributes, unit, calendar, asOf, (texts) =>
    isShown.has(keyOf(texts)) ? undefined : texts.slice(0, within),
  );
  const groups = attributes.slice(0, within);
  return buildSplit(axis, groups, parts, new Set(parts.map(({ texts }) => keyOf(texts))), unit, asOf);
};

/** A view whose rows are the members of all parts of another, over the whole axis (M9). */
export const groupMembers = ({ axis, split }: View): { readonly view: View; readonly rowOf: readonly number[] } => {
  const places = new Map<string, number>();
  const groups: number[][] = [];
  const rowOf = (split?.parts ?? []).map(({ texts }, row) => {
    const key = keyOf(texts);
    const place = places.get(key) ?? groups.push([]) - 1;
    places.set(key, place);
    groups[place].push(row);
    return place;
  });
  return { view: { axis, split, groups }, rowOf };
};

/** The view without some period attributes, and the row of it that each row of a view belongs to (M11). */
export const resolveAcross = (
  { split, groups }: View,
  isKept: (attribute: CalendarRef) => boolean,
  calendar: Calendar,
  asOf: Day,
): { readonly view: View; readonly rowOf: readonly number[] } | undefined => {
  if (!split || split.attributes.every(isKept)) return undefined;
  const { base, parts } = split;
  const kept = split.attributes.filter(isKept);
  const at = kept.map((attribute) => split.attributes.indexOf(attribute));
  const own = parts.map(({ row, texts }) => `${row} ${keyOf(at.map((k) => texts[k]))}`);
  const unit = findPartUnit(base, split.attributes, calendar);
  const wanted = new Set(own);
  const above =
    kept.length === 0
      ? undefined
      : splitParts(base, kept, unit, calendar, asOf).filter(({ row, texts }) => wanted.has(`${row} ${keyOf(texts)}`));
  const rows = new Map(above?.map(({ row, texts }, k) => [`${row} ${keyOf(texts)}`, k]));
  const rowOf = above ? own.map((key) => rows.get(key) ?? 0) : parts.map(({ row }) => row);
  const view = { axis: above ? buildPartsAxis(above, unit, asOf) : base };
  if (!groups) return { view, rowOf };
  // A group of parts belongs to what its parts belong to, together.
  const lists = groups.map((group) => [...new Set(group.map((row) => rowOf[row]))]);
  return { view: { ...view, groups: lists }, rowOf: lists.map((_, k) => k) };
};
