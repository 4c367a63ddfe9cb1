// Sheets of a workbook: cells keep their types, and a date is a date.
import type { ColumnKind } from '../basics/columnar.ts';
import { isoOf, NO_DAY } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import { type FileColumn, type FileTable, timestampText } from './column.ts';
import { checkNames } from './text.ts';

type Cell = string | number | boolean | Date | null;
interface Sheet {
  readonly sheet: string;
  readonly data: readonly (readonly Cell[])[];
}

const DAY_MS = 86_400_000;

const loadReader = async (name: string) =>
  (
    await import('read-excel-file/universal').catch((error: Error) => {
      throw new DurchblickError('no-package', `${name} needs read-excel-file`, {
        kind: 'engine',
        hint: `Install it: npm install read-excel-file. (${error.message.split('\n')[0]})`,
      });
    })
  ).default;

const sheetsOf = async (bytes: Uint8Array, name: string): Promise<readonly Sheet[]> => {
  const read = await loadReader(name);
  try {
    return (await read(bytes.slice().buffer as ArrayBuffer, { trim: false })) as unknown as readonly Sheet[];
  } catch (error) {
    throw new DurchblickError('bad-file', `${name} is no workbook, or is damaged`, {
      kind: 'data',
      hint: `It must be what its ending says. (${(error as Error).message.split('\n')[0]})`,
    });
  }
};

/** The sheet that is named, or the only one that has anything in it. */
const chosen = (sheets: readonly Sheet[], name: string, wanted: string | undefined): Sheet => {
  const names = sheets.map(({ sheet }) => sheet).join(', ');
  const filled = sheets.filter(({ data }) => data.length > 0);
  const found = wanted === undefined ? (filled.length === 1 ? filled[0] : undefined) : sheets.find(({ sheet }) => sheet === wanted);
  if (found) return found;
  throw new DurchblickError('unknown-sheet', wanted === undefined ? `${name} has several sheets` : `${name} has no sheet "${wanted}"`, {
    kind: 'data',
    hint: filled.length === 0 ? 'All of its sheets are empty.' : `Name one at the source, sheet: ${filled[0].sheet}. Sheets: ${names}.`,
  });
};

const isMidnight = (value: Date): boolean => value.getTime() % DAY_MS === 0;
const dateText = (value: Date): string =>
  isMidnight(value) ? isoOf(value.getTime() / DAY_MS) : timestampText(value.getTime(), 'milli', isoOf);

/** The kind that all cells of a column have; `mixed` where they have several. */
const kindOf = (values: readonly Cell[]): ColumnKind => {
  const kinds = new Set(
    values.flatMap((value): ColumnKind[] => {
      if (value === null) return [];
      if (value instanceof Date) return [isMidnight(value) ? 'date' : 'timestamp'];
      if (typeof value === 'number') return [Number.isInteger(value) ? 'integer' : 'double'];
      return [typeof value === 'boolean' ? 'boolean' : 'text'];
    }),
  );
  const [first = 'text', ...others] = [...kinds].sort();
  if (others.length === 0) return first;
  const both = [first, ...others].join(' ');
  // Whole numbers among others, and days among points in time, are these.
  return both === 'double integer' ? 'double' : both === 'date timestamp' ? 'timestamp' : 'mixed';
};

const columnOf = (name: string, values: readonly Cell[]): FileColumn => {
  const kind = kindOf(values);
  if (kind === 'date')
    return { name, kind, values: Int32Array.from(values, (value) => (value === null ? NO_DAY : (value as Date).getTime() / DAY_MS)) };
  if (kind === 'timestamp')
    return { name, kind, values: values.map((value) => value && timestampText((value as Date).getTime(), 'milli', isoOf)) };
  return { name, kind, values: values.map((value) => (value instanceof Date ? dateText(value) : value)) };
};

/** Reads a sheet: its first row has the names of the columns; rows without a value are none. */
export const readXlsx = async (bytes: Uint8Array, name: string, wanted: string | undefined): Promise<FileTable> => {
  const { data } = chosen(await sheetsOf(bytes, name), name, wanted);
  const [header = [], ...all] = data;
  const names = header.map((cell) => (cell === null ? '' : cell instanceof Date ? dateText(cell) : String(cell)));
  checkNames(names, name);
  const rows = all.filter((row) => row.some((cell) => cell !== null && cell !== ''));
  const wide = rows.findIndex((row) => row.slice(names.length).some((cell) => cell !== null));
  if (wide >= 0)
    throw new DurchblickError('bad-file', `${name}: a row has more cells than the header has names`, {
      kind: 'data',
      hint: 'The first row of a sheet has the names of all columns, and nothing stands above it.',
    });
  return {
    rows: rows.length,
    columns: names.map((own, k) =>
      columnOf(
        own,
        rows.map((row) => row[k] ?? null),
      ),
    ),
  };
};
