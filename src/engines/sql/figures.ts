// Numbers about all rows of a relation: how they are asked for, and how those about more rows come of those about fewer.
import type { Session } from './database.ts';

/** A number about all rows, and how that of two sets of rows comes of those of each: added up, or the least or greatest of both. */
export interface Figure {
  readonly sql: string;
  readonly of: 'sum' | 'least' | 'greatest';
}

/** Null where no row has anything to say. */
export type FigureValue = number | null;

export type Ask = (figures: readonly Figure[]) => Promise<readonly FigureValue[]>;

export const added = (sql: string): Figure => ({ sql, of: 'sum' });
export const least = (sql: string): Figure => ({ sql, of: 'least' });
export const greatest = (sql: string): Figure => ({ sql, of: 'greatest' });
/** How many rows meet a condition. */
export const counted = (condition: string): Figure => added(`sum(case when ${condition} then 1 else 0 end)`);
/** 1 where some row meets a condition, else 0. */
export const some = (condition: string): Figure => greatest(`max(case when ${condition} then 1 else 0 end)`);
/** 1 where every row meets it. */
export const every = (condition: string): Figure => least(`min(case when ${condition} then 1 else 0 end)`);
export const ALL_ROWS: Figure = added('count(*)');
/** What need not be asked. */
export const NOTHING: Figure = added('0');

const both = ({ of }: Figure, a: FigureValue, b: FigureValue): FigureValue => {
  if (a === null || b === null) return a ?? b;
  return of === 'sum' ? a + b : of === 'least' ? Math.min(a, b) : Math.max(a, b);
};

/**
 * What is known of the rows that a relation had in an earlier state, where since then there were only more of them (V6). Nothing else
 * that its statements touch has changed.
 */
export interface Grown {
  /** The relation itself, as its statements name it. */
  readonly base: string;
  /** The rows that came since, in the place of all; undefined where none did. */
  readonly gained: string | undefined;
  /** Figures of the earlier rows, by {@link figureKey}. */
  readonly before: ReadonlyMap<string, FigureValue>;
}

/** Rows that figures are asked of, and what is known of them. */
export interface FigureRows {
  /** What stands behind FROM. */
  readonly from: string;
  /** Rows that cannot change: what statements about all of them found out may be kept. */
  readonly found?: {
    readonly recall: (sql: string) => readonly FigureValue[] | undefined;
    readonly remember: (sql: string, values: readonly FigureValue[]) => void;
  };
  /** Where more of them may come while a book is open: what is known from before, and where figures are put down for the next time. */
  readonly grown?: Grown;
  readonly figures?: Map<string, FigureValue>;
}

/** The same of the rows that came since alone; undefined where that cannot be said of these statements. */
export const gainedFrom = (from: string, { base, gained }: Pick<Grown, 'base' | 'gained'>): string | undefined => {
  const parts = from.split(base);
  // Named twice, it may be joined to itself.
  return parts.length === 2 && gained !== undefined ? parts.join(gained) : undefined;
};

const figureKey = (from: string, { sql }: Figure): string => `${sql}\n${from}`;

const readFigures = async (figures: readonly Figure[], from: string, about: string, run: Session['run']): Promise<FigureValue[]> => {
  if (figures.length === 0) return [];
  const { columns } = await run({ about, sql: figuresSql(figures, from) });
  return columns.map((column) => (column[0] === null || column[0] === undefined ? null : Number(column[0])));
};

const figuresSql = (figures: readonly Figure[], from: string): string =>
  `select ${figures.map(({ sql }) => sql).join(',\n  ')}\nfrom ${from}`;

/** Figures that are known of earlier rows are asked of those alone that came since. */
const sinceThen = async (
  figures: readonly Figure[],
  alias: string,
  { from, grown }: { readonly from: string; readonly grown: Grown },
  about: string,
  run: Session['run'],
): Promise<FigureValue[]> => {
  const gained = gainedFrom(from, grown);
  const isKnown = (figure: Figure): boolean =>
    grown.before.has(figureKey(from, figure)) && (grown.gained === undefined || gained !== undefined);
  const [known, others] = [figures.filter(isKnown), figures.filter((figure) => !isKnown(figure))];
  const more = gained === undefined ? [] : await readFigures(known, `${gained} as ${alias}`, `${about}, of rows that came since`, run);
  const rest = await readFigures(others, `${from} as ${alias}`, about, run);
  return figures.map((figure) => {
    const at = known.indexOf(figure);
    if (at < 0) return rest[others.indexOf(figure)];
    const before = grown.before.get(figureKey(from, figure)) as FigureValue;
    return gained === undefined ? before : both(figure, before, more[at]);
  });
};

/** Figures of a relation's rows, from what was found out about them before as far as that holds. */
export const figuresOf = async (
  { from, found, grown, figures: kept }: FigureRows,
  alias: string,
  figures: readonly Figure[],
  about: string,
  run: Session['run'],
): Promise<readonly FigureValue[]> => {
  if (figures.length === 0) return [];
  const sql = figuresSql(figures, `${from} as ${alias}`);
  const known = found?.recall(sql);
  if (known) return known;
  const values = grown
    ? await sinceThen(figures, alias, { from, grown }, about, run)
    : await readFigures(figures, `${from} as ${alias}`, about, run);
  found?.remember(sql, values);
  figures.forEach((figure, k) => void kept?.set(figureKey(from, figure), values[k]));
  return values;
};
