// Rows of a source as columns with kinds, whoever read or gave them.

import type { ColumnKind } from '../../basics/columnar.ts';
import { NO_DAY } from '../../calendar/day.ts';
import type { FileColumn, FileTable } from '../../files/column.ts';
import type { TypedSource } from '../../files/files.ts';
import { unknownColumn, unusableColumn } from './faults.ts';

/** A column as it came: texts, numbers, typed arrays, anything with a length. */
export type RawColumn = ArrayLike<unknown>;

/** Rows of a source, by column. Asking for a column that is not there, or whose values are of no use, is an error. */
export interface Table {
  /** The file or source, as messages name it. */
  readonly name: string;
  readonly rows: number;
  readonly columnNames: readonly string[];
  /** Whether it has a column; any, where no rows were given that could tell. */
  readonly has: (column: string) => boolean;
  readonly column: (name: string) => RawColumn;
  readonly kind: (name: string) => ColumnKind;
  /** What an unusable column holds, in words. */
  readonly holds: (name: string) => string | undefined;
  /** A value as it may be shown to people, whatever it is. */
  readonly cell: (name: string, row: number) => unknown;
  /** Some rows of its source are not among them (V3). */
  readonly hidden?: true;
  /** Where columns were read typed: what they hold as they stand in their source, and rows as they stand there. */
  readonly written?: { readonly kind: (name: string) => ColumnKind; readonly rows: TypedSource['written'] };
}

const holdsOf = (value: unknown): string => (Array.isArray(value) ? 'a list' : ArrayBuffer.isView(value) ? 'bytes' : 'a record');
const isPlain = (value: unknown): boolean => typeof value !== 'object' || value === null || value instanceof Date;

/** What in a column of any values can be neither date nor member nor number; undefined where all can be. */
const notPlain = ({ values }: FileColumn): string | undefined => {
  let [points, others] = [0, 0];
  for (let row = 0; row < values.length; row++) {
    const value = values[row];
    if (!isPlain(value)) return `${holdsOf(value)} (row ${row + 1})`;
    if (value instanceof Date) points++;
    else if (value !== null && value !== undefined && value !== '') others++;
  }
  // What such a column means nobody can say.
  return points > 0 && others > 0 ? 'points in time beside other values' : undefined;
};

/** A column whose values of any type have been looked at. */
const lookedAt = (column: FileColumn): FileColumn => {
  const holds = column.kind === 'mixed' ? notPlain(column) : undefined;
  return holds === undefined ? column : { ...column, kind: 'unusable', holds };
};

/** A table over columns of a file, or over what a program gives. */
export const tableOver = ({ rows, columns }: FileTable, name: string): Table => {
  const byName = new Map(columns.map((column) => [column.name, column]));
  const columnNames = columns.map((column) => column.name);
  const known = new Map<string, FileColumn>();
  // Of no rows at all nothing is known: every column may be meant.
  const anything = rows === 0 && columns.length === 0;
  const found = (wanted: string): FileColumn => {
    const column = byName.get(wanted) ?? (anything ? { name: wanted, kind: 'mixed' as const, values: [] } : undefined);
    if (!column) throw unknownColumn(name, wanted, columnNames);
    const looked = known.get(wanted) ?? lookedAt(column);
    known.set(wanted, looked);
    return looked;
  };
  return {
    name,
    rows,
    columnNames,
    has: (wanted) => anything || byName.has(wanted),
    kind: (wanted) => found(wanted).kind,
    column: (wanted) => {
      const column = found(wanted);
      if (column.kind === 'unusable') throw unusableColumn(name, wanted, column.holds ?? 'values of an unknown type');
      return column.values;
    },
    holds: (wanted) => found(wanted).holds,
    cell: (wanted, row) => {
      const { kind, values, holds } = found(wanted);
      if (kind === 'unusable') return `(${holds})`;
      const value = values[row];
      return values instanceof Int32Array && value === NO_DAY ? null : value;
    },
  };
};

const gathered = (values: RawColumn, rows: Int32Array): RawColumn => {
  if (values instanceof Int32Array) return Int32Array.from(rows, (row) => values[row]);
  if (values instanceof Float64Array) return Float64Array.from(rows, (row) => values[row]);
  return Array.from(rows, (row) => values[row]);
};

/** Some rows of a table, as if there were no others. */
export const someRows = (table: Table, rows: Int32Array): Table => {
  const known = new Map<string, RawColumn>();
  const { written } = table;
  return {
    ...table,
    rows: rows.length,
    hidden: true,
    column: (name) => {
      const values = known.get(name) ?? gathered(table.column(name), rows);
      known.set(name, values);
      return values;
    },
    cell: (name, row) => table.cell(name, rows[row]),
    ...(written
      ? {
          written: {
            ...written,
            rows: (names, some = [...rows.keys()]) =>
              written.rows(
                names,
                some.map((row) => rows[row]),
              ),
          },
        }
      : {}),
  };
};
