import { DurchblickError, suggest } from '../../errors.ts';
import { type ArrowTable, arrowColumn } from '../../files/arrow.ts';
import type { Files } from '../../files/files.ts';
import { readRows } from '../../files/table.ts';
import type { Model, Source } from '../../model/model.ts';
import type { RawColumn } from './columns.ts';

export type { ArrowTable } from '../../files/arrow.ts';

/** A table given by the caller: rows, equally long columns, or an Apache Arrow table. */
export type TableInput = readonly Readonly<Record<string, unknown>>[] | Readonly<Record<string, RawColumn>> | ArrowTable;

/** What is used of an Apache Arrow table; any version's will do. */
export interface Table {
  /** The file or source, as messages name it. */
  readonly name: string;
  readonly rows: number;
  readonly columnNames: readonly string[];
  readonly column: (name: string) => RawColumn;
}

const missing = (table: string, name: string, names: readonly string[]): never => {
  throw new DurchblickError('unknown-column', `${table} has no column "${name}"`, { hint: suggest(name, names, 'columns') });
};

const isArrow = (input: TableInput): input is ArrowTable => typeof (input as ArrowTable).getChild === 'function';

export const tableOf = (input: TableInput, name: string): Table => {
  if (isArrow(input)) {
    const columnNames = input.schema.fields.map((field) => field.name);
    return {
      name,
      rows: input.numRows,
      columnNames,
      column: (column) => {
        return arrowColumn(input, column) ?? missing(name, column, columnNames);
      },
    };
  }
  if (Array.isArray(input)) {
    const rows = input as readonly Readonly<Record<string, unknown>>[];
    const columnNames = [...new Set(rows.slice(0, 1000).flatMap((row) => Object.keys(row)))];
    return {
      name,
      rows: rows.length,
      columnNames,
      column: (column) =>
        rows.length > 0 && !columnNames.includes(column) ? missing(name, column, columnNames) : rows.map((row) => row[column]),
    };
  }
  const columns = input as Readonly<Record<string, RawColumn>>;
  const columnNames = Object.keys(columns);
  const rows = columnNames.length === 0 ? 0 : columns[columnNames[0]].length;
  for (const column of columnNames) {
    if (columns[column].length !== rows) {
      throw new DurchblickError(
        'uneven-columns',
        `${name}: column "${column}" has ${columns[column].length} values, "${columnNames[0]}" has ${rows}`,
        { kind: 'data', hint: 'All columns of a table are equally long.' },
      );
    }
  }
  return {
    name,
    rows,
    columnNames,
    column: (column) => (Object.hasOwn(columns, column) ? columns[column] : missing(name, column, columnNames)),
  };
};

const fileTable = async (file: string, model: Model, source: string, files: Files | undefined): Promise<Table> => {
  const place = model.locate(['sources', source, 'file']);
  if (!files)
    throw new DurchblickError('no-files', `source "${source}" is the file ${file}, but the engine was given no files`, {
      place,
      hint: 'Pass the table itself, or `files` (see folderFiles and urlFiles).',
    });
  let bytes: Uint8Array;
  try {
    bytes = await files(file);
  } catch (error) {
    throw new DurchblickError(
      'no-file',
      `cannot read ${file} (${(error as { code?: string }).code === 'ENOENT' ? 'there is no such file' : (error as Error).message})`,
      { place, hint: 'Paths are relative to the model file.' },
    );
  }
  const rows = await readRows(bytes, file).catch((error: unknown) => {
    throw error instanceof DurchblickError && error.kind === 'request' ? error.located(place) : error;
  });
  return tableOf(rows, file);
};

/** Reads the sources of a model, each once. */
export const tablesOf = (
  model: Model,
  given: Readonly<Record<string, TableInput>>,
  files: Files | undefined,
): ((source: string) => Promise<Table>) => {
  const known = new Map<string, Promise<Table>>();
  const read = async (name: string): Promise<Table> => {
    if (Object.hasOwn(given, name)) return tableOf(given[name], name);
    const source = model.sources.get(name) as Source;
    if (source.kind === 'file') return fileTable(source.file, model, name, files);
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
