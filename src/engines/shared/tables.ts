// Tables that a program gives, and the files of a model, as columns with kinds.

import type { ArrowTable, ColumnKind } from '../../basics/columnar.ts';
import { DurchblickError, suggest } from '../../errors.ts';
import type { FileTable } from '../../files/column.ts';
import type { Files } from '../../files/files.ts';
import { columnsOf } from '../../files/rows.ts';
import { dateColumns } from '../../model/columns.ts';
import type { Model, Source } from '../../model/model.ts';
import { type RawColumn, type Table, tableOver } from './table.ts';

export type { ArrowTable } from '../../basics/columnar.ts';

/** A table given by the caller: rows, equally long columns, or an Apache Arrow table. */
export type TableInput = readonly object[] | Readonly<Record<string, RawColumn>> | ArrowTable;

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

/** Rows as a program gives them. */
const rowsGiven = (rows: readonly unknown[], name: string): FileTable => {
  const wrong = rows.findIndex((row) => typeof row !== 'object' || row === null);
  if (wrong >= 0)
    throw new DurchblickError('bad-table', `${name}: row ${wrong + 1} is ${String(rows[wrong])}, and no object`, {
      kind: 'data',
      hint: 'Rows are objects with a property for each column, { day: "2026-05-20", amount: 5 }.',
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
    if (source.kind === 'file') return (await import('./sources.ts')).readTable(source, model, files);
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
