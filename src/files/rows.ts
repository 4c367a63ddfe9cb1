// Rows as columns.
import type { FileTable } from './column.ts';

type Row = Readonly<Record<string, unknown>>;

/** Rows as columns in the order in which their names first occur; a name that a row does not have is blank there. */
export const columnsOf = (rows: readonly Row[]): FileTable => {
  const names = new Set<string>();
  for (const row of rows) for (const name of Object.keys(row)) names.add(name);
  return {
    rows: rows.length,
    columns: Array.from(names, (name) => ({
      name,
      kind: 'mixed',
      values: rows.map((row) => (Object.hasOwn(row, name) ? (row[name] ?? null) : null)),
    })),
  };
};
