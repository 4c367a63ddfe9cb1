import { compareTexts } from '../basics/text.ts';
import type { Store } from '../engines/engine.ts';
import { type AttributeRef, NONE, reach, UNKNOWN } from '../model/attributes.ts';
import type { Axis } from '../plan/axis.ts';
import { horizonOf, type Leaf, leavesOf } from '../plan/bind.ts';
import type { View } from '../plan/places.ts';
import { type Asked, factFilters } from '../plan/question.ts';
import { ALL_TIME, type Filter } from '../plan/request.ts';
import { type Column, VALUE } from './column.ts';
import { evaluateView } from './readings.ts';
import type { Evaluation, Scope, ViewData } from './scope.ts';
import { rowSetOf } from './shapes/measure-cells.ts';

/** What a row sums up: one cell of the result, the members left out by a limit, or a total. */
export type RowKind = 'cell' | 'others' | 'total';

export interface AnswerRow {
  readonly kind: RowKind;
  /** Index of the axis period; undefined in totals over the axis. */
  readonly period: number | undefined;
  /** One text an attribute; `Total` where it is summed up. */
  readonly members: readonly string[];
  /** Where its values are: a view, a row of it, and the place in its columns. */
  readonly data: ViewData;
  readonly row: number;
  readonly at: number;
}

/** Value of a reading on a row of the answer. */
export const readingOf = ({ data, at }: AnswerRow, reading: number): number | null => cell(data.columns[reading], at);

export interface Answer {
  readonly axis: Axis;
  readonly rows: readonly AnswerRow[];
  readonly totals: readonly AnswerRow[];
}

export const TOTAL = 'Total';
export const OTHERS = '(others)';

const isSpecial = (text: string): boolean => text === NONE || text === UNKNOWN;
const specialRank = (text: string): number => (text === NONE ? 1 : text === UNKNOWN ? 2 : 0);

/** Sorts members by their attributes' order, `(none)` and `(unknown)` last (R1). */
const memberOrder = async (
  attributes: readonly AttributeRef[],
  store: Store,
): Promise<(a: readonly string[], b: readonly string[]) => number> => {
  const positions = await Promise.all(
    attributes.map(async (attribute) => new Map((await store.members(attribute)).map((text, i) => [text, i]))),
  );
  return (a, b) => {
    for (let k = 0; k < attributes.length; k++) {
      const special = specialRank(a[k]) - specialRank(b[k]);
      if (special !== 0) return special;
      const [x, y] = [positions[k].get(a[k]) ?? Number.MAX_SAFE_INTEGER, positions[k].get(b[k]) ?? Number.MAX_SAFE_INTEGER];
      if (x !== y) return x - y;
      const text = compareTexts(a[k], b[k]);
      if (text !== 0) return text;
    }
    return 0;
  };
};

const cell = (column: Column, at: number): number | null => (column.state[at] === VALUE ? column.values[at] : null);

type RowMaker = (row: number, tuple: number, kind: RowKind, period: number | undefined, members: readonly string[]) => AnswerRow;

const rowsOf =
  (data: ViewData): RowMaker =>
  (row, tuple, kind, period, members) => ({ kind, period, members, data, row, at: row * data.tuples.length + tuple });

/** Answers a resolved question on its axis: rows by period and member, ordered and limited, with totals (R1, M9). */
export const answer = async (asked: Asked, axis: Axis, evaluation: Evaluation): Promise<Answer> => {
  const readings = asked.columns.map(({ bound }) => bound);
  const attributes = asked.per.map(({ attribute }) => attribute);
  const scope = (
    rows: View['rows'],
    split: readonly AttributeRef[],
    tuples?: Scope['tuples'],
    combinations?: Scope['combinations'],
  ): Scope => ({
    view: { axis, rows },
    attributes: split,
    filters: asked.filters,
    combinations,
    tuples,
  });
  const data = await evaluateView(readings, scope('periods', attributes), evaluation);
  const bySpecial = (tuple: readonly string[]) => tuple.some(isSpecial);
  const natural = await memberOrder(attributes, evaluation.store);
  const ordered = data.tuples.map((tuple, index) => ({ tuple, index })).sort((a, b) => natural(a.tuple, b.tuple));
  if (asked.order.length > 0 && attributes.length > 0) {
    const readingsOfOrder = asked.order.map(({ bound }) => bound);
    const ranking = await evaluateView(readingsOfOrder, scope(axis.windows ? 'periods' : 'total', attributes, data.tuples), evaluation);
    const value = (index: number, k: number): number | null => (ranking.rows === 0 ? null : cell(ranking.columns[k], index));
    ordered.sort((a, b) => {
      const special = Number(bySpecial(a.tuple)) - Number(bySpecial(b.tuple));
      if (special !== 0) return special;
      for (let k = 0; k < asked.order.length; k++) {
        const [x, y] = [value(a.index, k), value(b.index, k)];
        // Blanks last, whatever the direction.
        if (x === null || y === null) {
          if (x !== y) return x === null ? 1 : -1;
          continue;
        }
        if (x !== y) return asked.order[k].descending ? y - x : x - y;
      }
      return natural(a.tuple, b.tuple);
    });
  }
  let shown = ordered;
  let others: { readonly rows: ViewData; readonly total: ViewData | undefined } | undefined;
  if (asked.limit !== undefined) {
    const regular = ordered.filter(({ tuple }) => !bySpecial(tuple));
    const special = ordered.filter(({ tuple }) => bySpecial(tuple));
    shown = [...regular.slice(0, asked.limit), ...special];
    if (asked.rest && regular.length > asked.limit) {
      const combinations: Extract<Filter, { kind: 'combinations' }> = {
        kind: 'combinations',
        attributes,
        list: shown.map(({ tuple }) => tuple),
        keep: 'others',
      };
      others = {
        rows: await evaluateView(readings, scope('periods', [], undefined, combinations), evaluation),
        total: asked.totals.axis ? await evaluateView(readings, scope('total', [], undefined, combinations), evaluation) : undefined,
      };
    }
  }
  const rows: AnswerRow[] = [];
  const totals: AnswerRow[] = [];
  const memberTotals = asked.totals.members ? await evaluateView(readings, scope('periods', []), evaluation) : undefined;
  const rowIn = rowsOf(data);
  const totalIn = memberTotals && rowsOf(memberTotals);
  const otherIn = others && rowsOf(others.rows);
  const width = data.tuples.length;
  const label = (text: string): string[] => attributes.map(() => text);
  for (let row = 0; row < data.rows; row++) {
    for (const { tuple, index } of shown) {
      if (asked.gaps === 'hide' && data.seen[row * width + index] === 0) continue;
      rows.push(rowIn(row, index, 'cell', row, tuple));
    }
    if (others && otherIn && (asked.gaps === 'show' || others.rows.seen[row] === 1))
      rows.push(otherIn(row, 0, 'others', row, label(OTHERS)));
    if (memberTotals && totalIn && (asked.gaps === 'show' || memberTotals.seen[row] === 1))
      totals.push(totalIn(row, 0, 'total', row, label(TOTAL)));
  }
  if (asked.totals.axis && data.rows > 0) {
    const tuples = shown.map(({ tuple }) => tuple);
    const total = await evaluateView(readings, scope('total', attributes, tuples), evaluation);
    const totalOf = rowsOf(total);
    tuples.forEach((tuple, m) => void totals.push(totalOf(0, m, 'total', undefined, tuple)));
    if (others?.total) totals.push(rowsOf(others.total)(0, 0, 'total', undefined, label(OTHERS)));
    if (asked.totals.members) {
      const corner = await evaluateView(readings, scope('total', []), evaluation);
      totals.push(rowsOf(corner)(0, 0, 'total', undefined, label(TOTAL)));
    }
  }
  await noteUnknown(
    asked,
    shown.map(({ tuple }) => tuple),
    evaluation,
  );
  notePartial(asked, axis, evaluation);
  return { axis, rows, totals };
};

/** Rows whose key the dimension does not have are kept, and counted over all time for each fact (G8). */
const noteUnknown = async (asked: Asked, tuples: readonly (readonly string[])[], evaluation: Evaluation): Promise<void> => {
  const facts = new Set(asked.columns.flatMap(({ bound }) => leavesOf(bound)).map(({ measure }) => measure.fact));
  for (const [k, { name, attribute }] of asked.per.entries()) {
    if (!tuples.some((tuple) => tuple[k] === UNKNOWN)) continue;
    for (const fact of facts) {
      if (!reach(fact, attribute)) continue;
      const rowSet = rowSetOf(fact, undefined, [attribute], factFilters(fact, asked.filters), evaluation);
      const cells = await evaluation.cubes.cells(rowSet, ALL_TIME, { kind: 'rows', where: [] }, evaluation.signal);
      const rows = cells.cells[cells.tuples.findIndex(([text]) => text === UNKNOWN)] ?? 0;
      if (rows === 0) continue;
      evaluation.notes.add(`unknown ${fact.name} ${name}`, {
        code: 'unknown-members',
        fact: fact.name,
        attribute: name,
        rows,
        message: `${fact.name}: ${rows} ${rows === 1 ? 'row has a key' : 'rows have keys'} for ${name} that ${attribute.kind === 'attribute' ? attribute.dimension.name : name} does not have, kept under ${UNKNOWN}`,
      });
    }
  }
};

/** A formula that sets the part of a period so far against the whole of a plan (W6). */
const notePartial = (asked: Asked, axis: Axis, { notes }: Evaluation): void => {
  const rows = axis.places.filter((place) => place.partial).length;
  if (rows === 0 || axis.kind.kind === 'windows') return;
  const plain = (leaf: Leaf) => leaf.window === undefined;
  for (const { reading, bound } of asked.columns) {
    const leaves = leavesOf(bound).filter(plain);
    const mixed =
      bound.kind !== 'leaf' && leaves.some((leaf) => horizonOf(leaf) === 'actual') && leaves.some((leaf) => horizonOf(leaf) === 'plan');
    if (mixed) {
      notes.add(`partial ${reading}`, {
        code: 'partial-against-whole',
        reading,
        rows,
        message: `${reading}: the running period is set against a whole one; \`over so-far\` compares like with like`,
      });
    }
  }
};
