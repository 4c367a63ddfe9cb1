// Files of a model as tables and holidays, loaded when there is one: whoever gives rows does without.
import type { Holiday } from '../../calendar/calendar.ts';
import type { Day } from '../../calendar/day.ts';
import { DurchblickError } from '../../errors.ts';
import type { FileColumn, FileTable } from '../../files/column.ts';
import type { Files, TypedSource } from '../../files/files.ts';
import { readHolidays } from '../../files/ics.ts';
import { partitionsOf, withPartitions } from '../../files/partitions.ts';
import { readFileTable } from '../../files/table.ts';
import type { Model, Source } from '../../model/model.ts';
import { type Table, tableOver } from './table.ts';

type FileSource = Extract<Source, { kind: 'file' }>;

const noFile = (file: string, error: unknown): string =>
  (error as { code?: string }).code === 'ENOENT'
    ? `cannot read ${file} (there is no such file)`
    : `cannot read ${file} (${(error as Error).message})`;

/** A file beside others whose columns it does not have, both in words. */
export const unevenFiles = (name: string, found: string, first: string, wanted: string): DurchblickError =>
  new DurchblickError('uneven-files', `${name} has the columns ${found}, ${first} has ${wanted}`, {
    kind: 'data',
    hint: 'Files that one pattern stands for have the same columns in the same order.',
  });

/** Columns in words, by what two files of one pattern must have in common. */
export const columnsInWords = (columns: readonly Pick<FileColumn, 'name' | 'kind'>[]): string =>
  columns.map(({ name, kind }) => `${name} (${kind})`).join(', ');

/** The same columns of several files, one below the other. */
export const joinedTables = (tables: readonly FileTable[], names: readonly string[]): FileTable => {
  const [first, ...others] = tables;
  if (others.length === 0) return first;
  const wanted = columnsInWords(first.columns);
  for (const [k, { columns }] of others.entries())
    if (columnsInWords(columns) !== wanted) throw unevenFiles(names[k + 1], columnsInWords(columns), names[0], wanted);
  const rows = tables.reduce((sum, table) => sum + table.rows, 0);
  const values = (k: number): ArrayLike<unknown> => {
    const lists = tables.map(({ columns }) => columns[k].values);
    if (lists[0] instanceof Int32Array) return Int32Array.from(lists.flatMap((list) => Array.from(list as Int32Array)));
    if (lists[0] instanceof Float64Array) return Float64Array.from(lists.flatMap((list) => Array.from(list as Float64Array)));
    return lists.flatMap((list) => Array.from(list));
  };
  return { rows, columns: first.columns.map((column, k) => ({ ...column, values: values(k) })) };
};

/** The bytes of a file, or an error that says why not. */
const fileBytes = async (file: string, model: Model, source: string, files: Files): Promise<Uint8Array> => {
  try {
    return await files(file);
  } catch (error) {
    const place = model.locate(['sources', source, 'file']);
    if (error instanceof DurchblickError) throw error.located(place);
    throw new DurchblickError('no-file', noFile(file, error), { place, hint: 'Paths are relative to the model file.' });
  }
};

/** Reads a file source of a model: a file, or all that a pattern stands for. */
export const readSource = async (
  { file, name: source, encoding, sheet }: FileSource,
  model: Model,
  files: Files | undefined,
): Promise<FileTable> => {
  const place = model.locate(['sources', source, 'file']);
  if (!files)
    throw new DurchblickError('no-files', `source "${source}" is the file ${file}, but the engine was given no files`, {
      place,
      hint: 'Pass the table itself, or `files` (see folderFiles and urlFiles).',
    });
  const located = (error: unknown): never => {
    throw error instanceof DurchblickError ? error.located(place) : error;
  };
  const names = files.list ? await files.list(file).catch(located) : [file];
  const tables: FileTable[] = [];
  for (const name of names)
    tables.push(await readFileTable(await fileBytes(name, model, source, files), name, { encoding, sheet }).catch(located));
  try {
    const partitions = partitionsOf(names);
    return joinedTables(
      tables.map((table, k) => withPartitions(table, partitions, k)),
      names,
    );
  } catch (error) {
    return located(error);
  }
};

/** A source that was read typed, as a table: of what the model does not use nobody asks for values. */
const typedTable = ({ rows, columns, written }: TypedSource, name: string): Table => {
  const byName = new Map(columns.map((column) => [column.name, column]));
  const read = tableOver({ rows, columns: columns.map((column) => column.typed ?? { ...column, values: [] }) }, name);
  return {
    ...read,
    column: (own) => {
      const found = byName.get(own);
      if (found && !found.typed && found.kind !== 'unusable') throw new Error(`column ${own} of ${name} was not read`);
      return read.column(own);
    },
    written: { kind: (own) => byName.get(own)?.kind ?? read.kind(own), rows: written },
  };
};

/** A file source as a table: by the fastest reader that reads the very same. */
export const readTable = async (source: FileSource, model: Model, files: Files | undefined): Promise<Table> => {
  const typed = await files?.typed?.(source, model);
  return typed ? typedTable(typed, source.file) : tableOver(await readSource(source, model, files), source.file);
};

/** Every day between two days, inclusive, that an event of the file touches in the time zone (U10). */
export const holidaysIn = async (
  files: Files | undefined,
  model: Model,
  file: string,
  timeZone: string,
  first: Day,
  last: Day,
): Promise<readonly Holiday[]> => {
  const place = model.locate(['calendar', 'workingDays', 'holidays']);
  if (!files)
    throw new DurchblickError('no-files', `the holidays are in ${file}, but the engine was given no files`, {
      place,
      hint: 'Pass `files`, or list the holidays in the model.',
    });
  const bytes = await files(file).catch((error: unknown) => {
    if (error instanceof DurchblickError) throw error.located(place);
    throw new DurchblickError('no-file', `cannot read ${file}`, { place, hint: 'Paths are relative to the model file.' });
  });
  return readHolidays(new TextDecoder().decode(bytes), file, timeZone, first, last);
};
