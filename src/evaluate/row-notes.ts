// Notes that count rows: unknown members (G8), missing rates (G10), rows after the as-of date (D5). Only visible rows count (G11).
import { isoOf } from '../calendar/day.ts';
import { UNKNOWN } from '../model/attributes.ts';
import { rateKey, ratesOf } from '../model/columns.ts';
import type { Fact } from '../model/model.ts';
import { type Leaf, leavesOf } from '../plan/bind.ts';
import { isCalendar } from '../plan/days.ts';
import { reaches } from '../plan/members/kinds.ts';
import { type Asked, factFilters } from '../plan/question.ts';
import type { AggregateRequest, Filter, RowSet } from '../plan/request.ts';
import { additive, rowSetOf, seenFilters } from '../plan/rows.ts';
import { ALL_TIME, cutSegments } from '../plan/segments.ts';
import { placingRole } from '../plan/told.ts';
import type { Evaluation } from './evaluation.ts';
import { cellsOf } from './load.ts';

type Tuples = readonly (readonly string[])[];

interface Placement {
  readonly fact: Fact;
  readonly role: string;
  readonly leaves: readonly Leaf[];
}

/** Facts and roles of a question, with the measures that use them. */
const listPlacements = ({ columns }: Asked): readonly Placement[] => {
  const found = new Map<string, { fact: Fact; role: string; leaves: Leaf[] }>();
  for (const leaf of columns.flatMap(({ bound }) => leavesOf(bound))) {
    const { fact } = leaf.measure;
    const role = placingRole({ leaf });
    const key = JSON.stringify([fact.name, role]);
    const known = found.get(key) ?? { fact, role, leaves: [] };
    found.set(key, known);
    known.leaves.push(leaf);
  }
  return [...found.values()];
};

/** Counts rows whose key is missing in the dimension (G8). */
const addUnknownMembers = async (asked: Asked, tuples: Tuples, { frame, access, over }: Evaluation): Promise<void> => {
  for (const [k, { name, attribute }] of asked.per.entries()) {
    if (isCalendar(attribute) || !tuples.some((tuple) => tuple[k] === UNKNOWN)) continue;
    for (const { fact, role } of listPlacements(asked)) {
      if (!reaches(fact, attribute)) continue;
      const filters = [...factFilters(fact, asked.filters, 'question'), ...seenFilters(fact, role, frame)];
      const rows = rowSetOf(fact, undefined, [attribute], filters, frame);
      const cells = await cellsOf({ rows, segments: ALL_TIME, aggregate: { kind: 'rows', where: [] } }, access);
      const count = cells.cells[cells.tuples.findIndex(([text]) => text === UNKNOWN)] ?? 0;
      if (count === 0) continue;
      over.notes.add(`unknown ${fact.name} ${name}`, {
        code: 'unknown-members',
        fact: fact.name,
        attribute: name,
        dimension: attribute.kind === 'attribute' ? attribute.dimension.name : name,
        rows: count,
      });
    }
  }
};

/** Counts dated rows without a rate, if a reading uses the rate (G10). */
const addMissingRates = async (asked: Asked, { frame, access, over }: Evaluation): Promise<void> => {
  const leaves = asked.columns.flatMap(({ bound }) => leavesOf(bound));
  const countIn = async (rows: RowSet, aggregate: AggregateRequest): Promise<number> =>
    (await cellsOf({ rows, segments: ALL_TIME, aggregate }, access)).cells[0] ?? 0;
  const countMissing = async (fact: Fact, role: string, key: string): Promise<number> => {
    const isDated: Filter = { kind: 'date', role, is: 'present', why: 'told' };
    const rows = rowSetOf(fact, undefined, [], [isDated, ...seenFilters(fact, role, frame)], frame);
    const value = { kind: 'column', column: key } as const;
    return (await countIn(rows, { kind: 'rows', where: [] })) - (await countIn(rows, { kind: 'count', value, where: [] }));
  };
  for (const note of access.store.notes) {
    if (note.code !== 'missing-rates') continue;
    const key = rateKey(note.rate, note.role);
    const leaf = leaves.find(({ measure }) => measure.fact.name === note.fact && ratesOf(measure).has(key));
    const count = leaf ? await countMissing(leaf.measure.fact, note.role, key) : 0;
    if (count > 0) over.notes.add(`data ${note.code} ${note.fact} ${note.rate} ${note.role}`, { ...note, count });
  }
};

/** Counts rows of actual roles after a default as-of date (D5). */
const addAfterAsOf = async (asked: Asked, { frame, access, over }: Evaluation): Promise<void> => {
  const { asOf, dates } = frame;
  for (const { fact, role, leaves } of listPlacements(asked)) {
    const last = dates(fact, role)?.last ?? asOf;
    if (last <= asOf || fact.roles.get(role)?.horizon !== 'actual') continue;
    const rows = rowSetOf(fact, role, [], factFilters(fact, asked.filters, 'question'), frame);
    const countIn = async (aggregate: AggregateRequest): Promise<{ readonly sum: number; readonly scale: number }> => {
      const { cells, scale } = await cellsOf({ rows, segments: cutSegments([asOf + 1], last), aggregate }, access);
      return { sum: cells.reduce((sum, value) => sum + value, 0), scale };
    };
    const { sum: count } = await countIn({ kind: 'rows', where: [] });
    if (count === 0) continue;
    const summed = leaves.find(({ measure }) => measure.aggregate.kind === 'sum');
    const amount = summed && (await countIn(additive(summed, [])));
    over.notes.add(`after ${fact.name} ${role}`, {
      code: 'after-as-of',
      fact: fact.name,
      role,
      asOf: isoOf(asOf),
      rows: count,
      ...(amount ? { measure: summed.measure.name, amount: amount.sum / 10 ** Math.max(amount.scale, 0) } : {}),
    });
  }
};

/** Adds the notes that count rows. */
export const addRowNotes = async (asked: Asked, tuples: Tuples, evaluation: Evaluation): Promise<void> => {
  if (!asked.isAsOfGiven) await addAfterAsOf(asked, evaluation);
  await addUnknownMembers(asked, tuples, evaluation);
  await addMissingRates(asked, evaluation);
};
