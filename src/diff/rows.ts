// Which rows of a source differ between two states of the data.

export type SourceRow = Readonly<Record<string, unknown>>;

/** How the rows of a source differ, in the columns that both models read. */
export interface RowChange {
  readonly source: string;
  readonly added: number;
  readonly removed: number;
  /** Rows with the same key and other values. */
  readonly changed: number;
  /** Rows that revise others, recorded later for the same version key (G7). */
  readonly revised: number;
  /** The columns that changed rows differ in. */
  readonly columns: readonly string[];
  /** What tells one row from another; empty where nothing does, and two that differ in one column are one that changed. */
  readonly key: readonly string[];
}

interface Keys {
  /** What the model says tells rows apart: the key of a dimension, or that of versions. */
  readonly key?: readonly string[];
  readonly recorded?: string;
}

const textOf = (row: SourceRow, columns: readonly string[]): string => JSON.stringify(columns.map((column) => row[column] ?? null));

/** The rows of a list that another does not have, as often as they are more. */
const beyond = (rows: readonly SourceRow[], others: readonly SourceRow[], columns: readonly string[]): SourceRow[] => {
  const left = new Map<string, number>();
  for (const row of others) {
    const text = textOf(row, columns);
    left.set(text, (left.get(text) ?? 0) + 1);
  }
  return rows.filter((row) => {
    const text = textOf(row, columns);
    const count = left.get(text) ?? 0;
    if (count > 0) left.set(text, count - 1);
    return count === 0;
  });
};

const isUnique = (rows: readonly SourceRow[], columns: readonly string[]): boolean =>
  new Set(rows.map((row) => textOf(row, columns))).size === rows.length &&
  rows.every((row) => columns.every((column) => row[column] != null));

/** A column that tells all rows of both lists apart. */
const keyColumn = (old: readonly SourceRow[], now: readonly SourceRow[], columns: readonly string[]): string | undefined =>
  columns.find(
    (column) =>
      isUnique(old, [column]) &&
      isUnique(now, [column]) &&
      [...old, ...now].every((row) => typeof row[column] !== 'number' || Number.isInteger(row[column])),
  );

type Pair = readonly [was: SourceRow, now: SourceRow];

/** Rows of two lists that are the same in some columns, each once. */
const pairsBy = (gone: readonly SourceRow[], come: readonly SourceRow[], columns: readonly string[]): readonly Pair[] => {
  const before = new Map<string, SourceRow[]>();
  for (const row of gone) {
    const text = textOf(row, columns);
    before.set(text, [...(before.get(text) ?? []), row]);
  }
  return come.flatMap((row): Pair[] => {
    const other = before.get(textOf(row, columns))?.shift();
    return other ? [[other, row]] : [];
  });
};

/** Where nothing tells rows apart, two that differ in one column alone are one that changed. */
const pairsButOne = (gone: readonly SourceRow[], come: readonly SourceRow[], columns: readonly string[]): readonly Pair[] => {
  let [left, right] = [gone, come];
  return columns.flatMap((column) => {
    const pairs = pairsBy(
      left,
      right,
      columns.filter((other) => other !== column),
    );
    const [was, now] = [new Set(pairs.map(([row]) => row)), new Set(pairs.map(([, row]) => row))];
    left = left.filter((row) => !was.has(row));
    right = right.filter((row) => !now.has(row));
    return pairs;
  });
};

/** Compares the rows of a source; undefined where they are the same. */
export const rowChange = (
  source: string,
  old: readonly SourceRow[],
  now: readonly SourceRow[],
  columns: readonly string[],
  { key: given, recorded }: Keys,
): RowChange | undefined => {
  const [gone, come] = [beyond(old, now, columns), beyond(now, old, columns)];
  if (gone.length === 0 && come.length === 0) return undefined;
  if (recorded !== undefined && given) {
    const known = new Set(old.map((row) => textOf(row, given)));
    const revised = come.filter((row) => known.has(textOf(row, given))).length;
    return { source, added: come.length - revised, removed: gone.length, changed: 0, revised, columns: [], key: given };
  }
  const found = keyColumn(old, now, columns);
  const key = given && isUnique(old, given) && isUnique(now, given) ? given : found === undefined ? [] : [found];
  const pairs = key.length > 0 ? pairsBy(gone, come, key) : pairsButOne(gone, come, columns);
  return {
    source,
    added: come.length - pairs.length,
    removed: gone.length - pairs.length,
    changed: pairs.length,
    revised: 0,
    columns: columns.filter((column) => pairs.some(([a, b]) => textOf(a, [column]) !== textOf(b, [column]))),
    key,
  };
};
