// Rows that a measure has and no period shows: those without a date (D4), and those between the periods of a coarse fact (G2, U7).

import { unreached } from './fixed.ts';
import type { AskFrame, CubeAsk, MeasureOutline } from './planned.ts';

import type { AggregateRequest, Filter } from './request.ts';
import { additive, rowSetOf } from './rows.ts';
import { ALL_TIME } from './segments.ts';

/** Counts of rows are asked for under a name, and what they amount to under the same with this after it. */
export const AMOUNT = ' amount';

/** The role by whose date a measure's rows are placed. */
export const placingRole = ({ leaf }: Pick<MeasureOutline, 'leaf'>): string => leaf.measure.open?.from ?? leaf.role.name;

const blankDate = (role: string): Filter => ({ kind: 'date', role, is: 'blank', why: 'told' });

/** What is asked for to tell of such rows. */
export const toldOf = (measure: MeasureOutline, frame: AskFrame): Readonly<Record<string, CubeAsk>> => {
  const { leaf, where, filters } = measure;
  const { fact, aggregate } = leaf.measure;
  // What is seen by its share alone has no rows of its own to tell of (V3).
  if (unreached(fact, frame.fixed).length > 0) return {};
  const asks: Record<string, CubeAsk> = {};
  const count = (name: string, by: string | undefined, more: readonly Filter[]): void => {
    const rows = rowSetOf(fact, by, [], [...filters, ...more], frame, where);
    const segments = by === undefined ? ALL_TIME : frame.every(fact, by);
    const ask = (of: AggregateRequest): CubeAsk => ({ rows, segments, aggregate: of });
    asks[name] = ask({ kind: 'rows', where });
    asks[name + AMOUNT] = ask(aggregate.kind === 'sum' ? additive(leaf, where) : { kind: 'rows', where });
  };
  const role = placingRole(measure);
  const { enters } = fact;
  const { asOf, calendar } = frame;
  // Rows that entered after the as-of date do not exist yet; counting by that date keeps the cube for any as-of date.
  if (enters !== undefined && enters !== role && (frame.bounds(fact, enters)?.last ?? asOf) > asOf) {
    count('unplaced by entry', enters, [blankDate(role)]);
    count('unplaced', undefined, [blankDate(role), blankDate(enters)]);
  } else count('unplaced', undefined, [blankDate(role)]);
  if (calendar.unit(fact.grain).basis === 'own') {
    count('dated', undefined, [{ kind: 'date', role, is: 'present', why: 'told' }]);
    count('placed', role, []);
  }
  return asks;
};
