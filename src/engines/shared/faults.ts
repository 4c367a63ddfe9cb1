// Faults in the data that every engine tells in the same words.

import type { ColumnKind } from '../../basics/columnar.ts';
import { DurchblickError, suggest } from '../../errors.ts';
import { NUMBER_HINT, type NumberForm } from '../../model/decimal.ts';
import type { Dimension } from '../../model/model.ts';
import { type DataNote, MOST_TALLIES } from '../../plan/request.ts';
import { shown } from './values.ts';

export const unknownColumn = (table: string, name: string, known: Iterable<string>): DurchblickError =>
  new DurchblickError('unknown-column', `${table} has no column "${name}"`, { hint: suggest(name, known, 'columns') });

/** A column that can be neither date nor member nor number. */
export const unusableColumn = (table: string, name: string, holds: string): DurchblickError =>
  new DurchblickError('unusable-column', `${table}: column ${name} holds ${holds}`, {
    kind: 'data',
    hint: 'Dates, members and numbers are plain values: dates, timestamps, numbers, texts, true and false.',
  });

/** Where a value stands; rows count from 1, and are not told where some are hidden (V3). */
const cell = (table: string, row: number | undefined, column: string): string =>
  `${table}${row === undefined ? '' : `, row ${row}`}, column ${column}`;
const countText = (count: number): string => `${count} bad ${count === 1 ? 'value' : 'values'}`;

/** Values of a date column that are no dates: the first of them, its row (from 1), and how many there are (D3). */
export const badDates = (table: string, row: number | undefined, column: string, value: unknown, count: number): DurchblickError =>
  new DurchblickError('bad-dates', `${cell(table, row, column)}: ${shown(value)} is not a date (${countText(count)})`, {
    kind: 'data',
    hint: 'Dates are YYYY-MM-DD, ISO 8601 timestamps or yyyymmdd keys; other texts need a `format`; `on-bad-date: blank` and `blank-dates` let some pass.',
  });

export const badDatesNote = (fact: string, role: string, column: string, count: number): DataNote => ({
  code: 'bad-dates',
  fact,
  role,
  column,
  count,
});

export const badNumber = (table: string, row: number | undefined, column: string, value: unknown, form: NumberForm): DurchblickError =>
  new DurchblickError('bad-number', `${cell(table, row, column)}: ${shown(value)} is not a number`, {
    kind: 'data',
    hint: NUMBER_HINT[form],
  });

/** A key that stands twice in a dimension (G8); neither key nor rows are told where rows are hidden (V3). */
export const doubledKey = (
  table: string,
  { name, key: column }: Pick<Dimension, 'name' | 'key'>,
  key: string | undefined,
  rows?: readonly [number, number],
): DurchblickError =>
  new DurchblickError(
    'doubled-key',
    `${table}: ${key === undefined ? `a key of ${column}` : `the key ${column} = "${key}"`} stands ${rows ? `in rows ${rows[0]} and ${rows[1]}` : 'more than once'}`,
    { kind: 'data', hint: `Every ${name} has one row (G8).` },
  );

/** More values than are counted one by one (M14). */
export const tooManyTallies = (): DurchblickError =>
  new DurchblickError(
    'too-many-values',
    `the question needs more than ${MOST_TALLIES.toLocaleString('en')} counts of values by day and member`,
    {
      kind: 'engine',
      hint: 'Take a coarser value, as in `columns: { rough: "round(net, 1)" }`, a shorter range, or fewer attributes (M14).',
    },
  );

/** Kinds of columns that no number is ever read from. */
export const isNumberless = (kind: ColumnKind): boolean =>
  kind === 'date' || kind === 'timestamp' || kind === 'instant' || kind === 'boolean';

/** A fault in rows that may not be seen: that there is one is told, and nothing of the rows (V3). */
export const hiddenFault = (table: string, error: unknown): unknown =>
  error instanceof DurchblickError && error.kind === 'data'
    ? new DurchblickError(error.code, `${table}: a row that may not be seen cannot be read`, { kind: 'data' })
    : error;

/** A statement took longer than the limit, in milliseconds. */
export const createTimeoutError = (engine: string, limit: number, during: string): DurchblickError =>
  new DurchblickError('timeout', `${engine} took longer than ${limit.toLocaleString('en')} ms (${during})`, {
    kind: 'engine',
    hint: 'Use a shorter range, or a higher limit: `statementTimeout` in the library, `--timeout` on the command line.',
  });
