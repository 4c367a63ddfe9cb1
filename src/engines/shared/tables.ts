// Tables that a program gives, and the files of a model, as columns with kinds.

import type { ArrowTable, ColumnKind } from '../../basics/columnar.ts';
import { NO_DAY } from '../../calendar/day.ts';
import { DurchblickError, suggest } from '../../errors.ts';
import type { FileColumn, FileTable } from '../../files/column.ts';
import type { Files } from '../../files/files.ts';
import { columnsOf } from '../../files/rows.ts';
import { dateColumns } from '../../model/columns.ts';
import type { Model, Source } from '../../model/model.ts';
import { unknownColumn, unusableColumn } from './faults.ts';

export type { ArrowTable } from '../../basics/columnar.ts';

/** A column as it came: texts, numbers, typed arrays, anything with a length. */
export type RawColumn = ArrayLike<unknown>;

/** A table given by the caller: rows, equally long columns, or an Apache Arrow table. */
export type TableInput = readonly object[] | Readonly<Record<string, RawColumn>> | ArrowTable;

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
}

const isArrow = (input: TableInput): input is ArrowTable => typeof (input as ArrowTable).getChild === 'function';

/** The kind of a list that a program gives; only in a column of dates an Int32Array holds days (D1). */
const kindOfList = (values: RawColumn, isDate: boolean): ColumnKind => {
  if (values instanceof Int32Array) return isDate ? 'date' : 'integer';
  if (values instanceof Float64Array || values instanceof Float32Array) return 'double';
  return ArrayBuffer.isView(values) ? 'integer' : 'mixed';
};

const columnsGiven = (input: Readonly<Record<string, RawColumn>>, name: string, dates: ReadonlySet<string>): FileTable => {
  const names = Object.keys(input);
  const rows = names.length === 0 ? 0 : input[names[0]].length;
  for (const column of names)
    if (input[column].length !== rows)
      throw new DurchblickError(
        'uneven-columns',
        `${name}: column "${column}" has ${input[column].length} values, "${names[0]}" has ${rows}`,
        { kind: 'data', hint: 'All columns of a table are equally long.' },
      );
  return {
    rows,
    columns: names.map((column) => ({ name: column, kind: kindOfList(input[column], dates.has(column)), values: input[column] })),
  };
};

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

/** A table over columns of a file, or over what a program gives. `dates` are columns in which an Int32Array holds days. */
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
  };
};

/** Rows as a program gives them. */
const rowsGiven = (rows: readonly unknown[], name: string): FileTable => {
  const wrong = rows.findIndex((row) => typeof row !== 'object' || row === null);
  if (wrong >= 0)
    throw new DurchblickError('bad-table', `${name}: row ${wrong + 1} is ${String(rows[wrong])}, and no object`, {
      kind: 'data',
      hint: 'Rows are objects with a property for each column, { day: "2026-08-15", amount: 5 }.',
    });
  return columnsOf(rows as readonly Readonly<Record<string, unknown>>[]);
};

/** A table that a program gives. What reads Arrow is loaded when there is some. */
export const tableOf = async (input: TableInput, name: string, dates: ReadonlySet<string> = new Set()): Promise<Table> => {
  if (isArrow(input)) return tableOver((await import('../../files/formats.ts')).arrowColumns(input, name), name);
  const columns = Array.isArray(input) ? rowsGiven(input, name) : columnsGiven(input as Readonly<Record<string, RawColumn>>, name, dates);
  return tableOver(columns, name);
};

/** Reads the sources of a model, each once. */
export const tablesOf = (
  model: Model,
  given: Readonly<Record<string, TableInput>>,
  files: Files | undefined,
): ((source: string) => Promise<Table>) => {
  const known = new Map<string, Promise<Table>>();
  const dates = dateColumns(model);
  const read = async (name: string): Promise<Table> => {
    if (Object.hasOwn(given, name)) return tableOf(given[name], name, dates.get(name));
    const source = model.sources.get(name) as Source;
    if (source.kind === 'file') return tableOver(await (await import('./sources.ts')).readSource(source, model, files), source.file);
    const place = model.locate(['sources', name]);
    if (source.kind === 'given')
      throw new DurchblickError('no-table', `no table was given for source "${name}"`, {
        place,
        hint: suggest(name, Object.keys(given), 'tables given'),
      });
    throw new DurchblickError('no-database', `source "${name}" is a ${source.kind} on a database`, {
      place,
      hint: 'Connect to the database, or pass the rows as a table of this name.',
    });
  };
  return (name) => {
    let table = known.get(name);
    if (!table) {
      table = read(name);
      known.set(name, table);
    }
    return table;
  };
};
