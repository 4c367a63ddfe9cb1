// Notes that count rows an answer rests on: without a member (G8), without a rate (G10). They count what the as-of date lets see (G11).
import { UNKNOWN } from '../model/attributes.ts';
import { rateKey, ratesOf } from '../model/columns.ts';
import type { Fact } from '../model/model.ts';
import { leavesOf } from '../plan/bind.ts';
import { isCalendar } from '../plan/days.ts';
import { reaches } from '../plan/members/kinds.ts';
import { type Asked, factFilters } from '../plan/question.ts';
import type { AggregateRequest, Filter, RowSet } from '../plan/request.ts';
import { rowSetOf, seenFilters } from '../plan/rows.ts';
import { ALL_TIME } from '../plan/segments.ts';
import { placingRole } from '../plan/told.ts';
import type { Evaluation } from './evaluation.ts';
import { cellsOf } from './load.ts';

type Tuples = readonly (readonly string[])[];

/** The leaves of a question, one for each fact and role. */
const placements = ({ columns }: Asked) => {
  const leaves = columns.flatMap(({ bound }) => leavesOf(bound));
  return [...new Map(leaves.map((leaf) => [JSON.stringify([leaf.measure.fact.name, placingRole({ leaf })]), leaf])).values()].map(
    (leaf) => ({
      fact: leaf.measure.fact,
      role: placingRole({ leaf }),
    }),
  );
};

/** Rows whose key the dimension does not have (G8). */
const noteUnknown = async (asked: Asked, tuples: Tuples, { frame, access, over }: Evaluation): Promise<void> => {
  for (const [k, { name, attribute }] of asked.per.entries()) {
    if (isCalendar(attribute) || !tuples.some((tuple) => tuple[k] === UNKNOWN)) continue;
    for (const { fact, role } of placements(asked)) {
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

/** Rows that have a date and no rate on it, where a reading takes the rate (G10). */
const noteRates = async (asked: Asked, { frame, access, over }: Evaluation): Promise<void> => {
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

/** Adds the notes on rows that an answer needs. */
export const noteRows = async (asked: Asked, tuples: Tuples, evaluation: Evaluation): Promise<void> => {
  await noteUnknown(asked, tuples, evaluation);
  await noteRates(asked, evaluation);
};
