// Answers a question row by row: every cell scans every row of the fact. Slow, written for readability.
import { parseReading } from '../../src/language/parse.ts';
import type { NamedWindow } from '../../src/model/model.ts';
import type { Question } from '../../src/model/schema.ts';
import { evaluatorOf } from './evaluate.ts';
import { type Ground, groundOf, isOfDays, type RefWorld } from './ground.ts';
import { byValues, type CellsOf, membersOf, orderOf } from './members.ts';
import { iso, type RefPlace, type RefTime, type RefUnit, refPlace, refUnit, type Span } from './time.ts';

type Row = readonly (string | number | null)[];

export interface RefAnswer {
  /** Names of the axis periods, in order. */
  readonly labels: readonly string[];
  readonly rows: readonly Row[];
  readonly totals: readonly Row[];
}

interface RangeEnd extends Span {
  readonly unit: string;
}

/** Parses `2026`, `2026-Q3`, `2026-W07`, `2026-08`, `2026-08-15`; the reference supports no other labels. */
const periodText = (text: string, world: RefWorld): RangeEnd => {
  const [y, rest, d] = text.split('-');
  const name =
    rest === undefined ? 'year' : d !== undefined ? 'day' : rest.startsWith('Q') ? 'quarter' : rest.startsWith('W') ? 'week' : 'month';
  const month = rest === undefined ? 1 : name === 'quarter' ? Number(rest[1]) * 3 : name === 'week' ? 1 : Number(rest);
  const at =
    name === 'week'
      ? Date.UTC(Number(y), 0, 4) / 86_400_000 + (Number(rest.slice(1)) - 1) * 7
      : Date.UTC(Number(y), month - 1, Number(d ?? 1)) / 86_400_000;
  return { ...(refUnit(name, world.model, world.listed).at(at) as Span), unit: name };
};

interface Axis {
  readonly kind: 'unit' | 'windows' | 'range';
  /** The unit in which comparisons count periods. */
  readonly counting: RefUnit;
  readonly places: readonly RefPlace[];
  /** The day ranges of each place, if period filters leave more than one (U13). */
  readonly pieces?: readonly (readonly RefPlace[])[];
  readonly labels: readonly string[];
  readonly windows?: readonly NamedWindow[];
}

/** The day ranges that pass the period filters (U13). */
const runsOf = ({ rowFilters, standing }: Ground, first: number, last: number): readonly Span[] => {
  if (rowFilters.length === 0) return [{ start: first, end: last }];
  const runs: { start: number; end: number }[] = [];
  for (let d = first; d <= last; d++) {
    if (!rowFilters.every(({ name, keep }) => keep.has(standing(name, d)))) continue;
    const before = runs[runs.length - 1];
    if (before?.end === d - 1) before.end = d;
    else runs.push({ start: d, end: d });
  }
  return runs;
};

const hullOf = (pieces: readonly RefPlace[], asOf: number): RefPlace | undefined => {
  const [first, last] = [pieces[0], pieces[pieces.length - 1]];
  return first === last ? first : refPlace(first.start, last.end, asOf, { cutStart: first.cutStart, cutEnd: last.cutEnd });
};

const axisOf = (ground: Ground, { by, range }: Question): Axis => {
  const { model, own, unit } = ground;
  const { asOf } = own;
  if (by !== undefined && !(typeof by === 'string' && model.units.includes(by))) {
    const windows = [by as string | string[]].flat().map((name) => model.windows.get(name) as NamedWindow);
    return {
      kind: 'windows',
      counting: unit('day'),
      places: windows.map(() => refPlace(asOf, asOf, asOf)),
      labels: windows.map(({ name }) => name),
      windows,
    };
  }
  if (range === undefined) throw new Error('the reference wants a range');
  const ends = range.split('/').map((text) => periodText(text, ground.world));
  const [from, to] = [ends[0], ends[ends.length - 1]];
  const runs = runsOf(ground, from.start, to.end);
  if (by === undefined) {
    const own = from.unit === to.unit && (from.unit !== 'day' || from.start === to.start) ? [from.unit] : [];
    const units = [...ground.rowFilters.map(({ name }) => name).filter((name) => !name.includes('-of-')), ...own].map(unit);
    const isWhole = (whole: RefUnit) => (run: Span) => whole.at(run.start)?.start === run.start && whole.at(run.end)?.end === run.end;
    const pieces = runs.map((run) => refPlace(run.start, run.end, asOf));
    const place = hullOf(pieces, asOf);
    return {
      kind: 'range',
      counting: units.find((whole) => runs.every(isWhole(whole))) ?? unit('day'),
      places: place ? [place] : [],
      labels: place ? [`${iso(place.start)}/${iso(place.end)}`] : [],
      ...(pieces.length > 1 ? { pieces: [pieces] } : {}),
    };
  }
  const counting = unit(by as string);
  const pieces: RefPlace[][] = [];
  const labels: string[] = [];
  let period = counting.at(from.start);
  for (let d = from.start; !period; d++) period = counting.at(d);
  for (; period && period.start <= to.end; period = counting.step(period, 1)) {
    const { start, end } = period;
    const own = runs.filter((run) => run.start <= end && run.end >= start);
    if (own.length === 0) continue;
    pieces.push(
      own.map((run) =>
        refPlace(Math.max(start, run.start), Math.min(end, run.end), asOf, { cutStart: run.start > start, cutEnd: run.end < end }),
      ),
    );
    labels.push(iso(start));
  }
  return {
    kind: 'unit',
    counting,
    places: pieces.map((list) => hullOf(list, asOf) as RefPlace),
    labels,
    ...(runs.length > 1 ? { pieces } : {}),
  };
};

export const reference = (world: RefWorld, question: Question): RefAnswer => {
  const ground = groundOf(world, question);
  const { per, own } = ground;
  const { kind, counting, places, pieces, labels, windows } = axisOf(ground, question);
  const time: RefTime = { unit: ground.unit, listed: world.listed, asOf: own.asOf, axis: { kind, unit: counting } };
  const evaluate = evaluatorOf(ground, time);
  const readings = question.show.map((show) => parseReading(typeof show === 'string' ? show : show.is));
  const splitsDays = per.some(isOfDays);
  const cells: CellsOf = (at, tuple, { list = readings, seen = { any: false, days: false }, left } = {}) =>
    list.map((reading) => {
      const [mode, row] = at === 'total' ? (['total', 0] as const) : (['row', at] as const);
      const others = splitsDays ? { othersDays: left } : { others: left };
      const cell = evaluate(reading, { places, pieces, mode, windows, row, tuple, chain: [], base: own, seen, time, ...others });
      return cell.kind === 'value' ? cell.v : null;
    });
  const members = membersOf(ground, question, places, cells);
  const left = members.listed;
  const wanted = question.totals === true ? ['members', 'axis'] : question.totals || [];
  const total = per.map(() => 'Total');
  // Without members, `order` and `limit` apply to periods (R1).
  const order = per.length === 0 ? orderOf(question) : [];
  const list = order.map(({ reading }) => reading);
  const ranks = labels.map((_, row) => cells(row, {}, { list }));
  const sorted = [...labels.keys()]
    .sort((a, b) => byValues(ranks[a], ranks[b], order))
    .slice(0, per.length === 0 ? question.limit : undefined);
  const ofMembers = wanted.includes('members') && per.length > 0;
  const ofAxis = wanted.includes('axis') && kind === 'unit' && places.length > 0;
  return {
    labels,
    rows: sorted.flatMap((row) =>
      members.rowsOf<Row>(
        ({ tuple, rows }) => [labels[row], ...per.map((name) => tuple[name]), ...rows[row]],
        (tuple, texts) => [labels[row], ...texts, ...cells(row, tuple, { left })],
      ),
    ),
    totals: [
      ...(ofMembers ? sorted.map((row) => [labels[row], ...total, ...cells(row, {})]) : []),
      ...(ofAxis
        ? members.rowsOf<Row>(
            ({ tuple }) => ['Total', ...per.map((name) => tuple[name]), ...cells('total', tuple)],
            (tuple, texts) => ['Total', ...texts, ...cells('total', tuple, { left })],
          )
        : []),
      ...(ofAxis && ofMembers ? [['Total', ...total, ...cells('total', {})]] : []),
    ],
  };
};
