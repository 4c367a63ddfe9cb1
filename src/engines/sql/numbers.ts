import type { Expression } from '../../language/syntax.ts';
import type { Dialect, SqlColumn } from './dialect.ts';
import { doubleSql } from './values.ts';

/**
 * A number of every row as SQL: an integer-valued double, scaled by 10^scale, where it is exact, else a plain double
 * (scale -1); null where blank. Doubles hold integers exactly up to 2^53, so such sums do not depend on their order,
 * and are the same on every database (M10).
 */
export interface NumberSql {
  readonly sql: string;
  readonly scale: number;
  /** No value, scaled, is greater than this or less than its negative. */
  readonly most: number;
  /** The column itself, where the database adds up its type exactly: sums are scaled afterwards, not row by row. */
  readonly whole?: string;
  /** No row is blank. */
  readonly full?: true;
}

const EXACT = 2 ** 53;
const MOST_DECIMALS = 6;

/** Values of one row, asked of the database over all rows. */
export type Ask = (expressions: readonly string[]) => Promise<readonly (number | null)[]>;

/** Asks together what is asked at the same time, so that rows are read once for all of it. */
export const together = (ask: Ask): Ask => {
  interface Waiting {
    readonly expressions: readonly string[];
    readonly resolve: (values: readonly (number | null)[]) => void;
    readonly reject: (reason: unknown) => void;
  }
  let waiting: Waiting[] = [];
  const send = async (): Promise<void> => {
    const asked = waiting;
    waiting = [];
    try {
      const values = await ask(asked.flatMap(({ expressions }) => expressions));
      let at = 0;
      for (const { expressions, resolve } of asked) resolve(values.slice(at, (at += expressions.length)));
    } catch (error) {
      for (const { reject } of asked) reject(error);
    }
  };
  return (expressions) =>
    expressions.length === 0
      ? Promise.resolve([])
      : new Promise((resolve, reject) => {
          if (waiting.push({ expressions, resolve, reject }) === 1) setTimeout(send, 0);
        });
};

/** A double as a whole number of units of 10^-scale. */
export const scaled = (double: string, scale: number): string => (scale === 0 ? double : `round(${double} * ${10 ** scale})`);
const plain = ({ sql, scale }: NumberSql): string => (scale <= 0 ? sql : `(${sql} / ${10 ** scale})`);
const flag = (condition: string): string => `min(case when ${condition} then 1 else 0 end)`;

/** Scale and exactness of a column's values (M10): the least number of decimals that all of them have. */
export const columnNumber = async (
  dialect: Dialect,
  value: string,
  column: SqlColumn,
  rows: Promise<number>,
  ask: Ask,
): Promise<NumberSql> => {
  const { value: double, guarded } = doubleSql(dialect, value, column);
  const fixed =
    column.kind === 'integer' ? 0 : column.kind === 'decimal' && (column.scale ?? 99) <= MOST_DECIMALS ? column.scale : undefined;
  const steps = Array.from({ length: MOST_DECIMALS + 1 }, (_, k) => k);
  const has = (k: number): string => flag(`${guarded} is null or round(${guarded} * ${10 ** k}) / ${10 ** k} = ${guarded}`);
  const [greatest, there, ...fits] = await ask([
    `max(abs(${guarded}))`,
    `count(${guarded})`,
    ...(fixed === undefined ? steps.map(has) : []),
  ]);
  const count = await rows;
  const full = there === count ? { full: true as const } : {};
  const found = fixed ?? steps.find((k) => fits[k] !== 0);
  if (found === undefined) return { sql: double, scale: -1, most: Number.POSITIVE_INFINITY, ...full };
  const whole = fixed === undefined ? full : { whole: value, ...full };
  const most = Math.round((greatest ?? 0) * 10 ** found);
  if (most * Math.max(count, 1) < EXACT) return { sql: scaled(double, found), scale: found, most, ...whole };
  // The bound may be too wide, and fewer decimals may do: look at the data themselves.
  const needed = fixed === undefined ? found : await leastScale(found, has, ask);
  const [total] = await ask([`sum(abs(${scaled(guarded, needed)}))`]);
  return (total ?? 0) < EXACT
    ? { sql: scaled(double, needed), scale: needed, most: Math.round((greatest ?? 0) * 10 ** needed), ...whole }
    : { sql: double, scale: -1, most: Number.POSITIVE_INFINITY, ...full };
};

const leastScale = async (most: number, has: (k: number) => string, ask: Ask): Promise<number> => {
  const steps = Array.from({ length: most + 1 }, (_, k) => k);
  const fits = await ask(steps.map(has));
  return steps.find((k) => fits[k] !== 0) ?? most;
};

interface Node extends NumberSql {
  /** Steps that must stay below 2^53 to be exact, each with its place in the expression. */
  readonly steps: readonly { readonly path: string; readonly sql: string; readonly most: number }[];
}

/** Places of steps that do not fit, and are taken in double precision. */
type Plain = ReadonlySet<string>;

/**
 * A computed column (M13): `+ - *` in scaled integers as long as every step stays below 2^53 over all rows, `/` in
 * double precision. Built on the assumption that all fit; what does not is built again in double precision.
 */
export const computedNumber = async (
  expression: Expression,
  column: (name: string) => Promise<NumberSql>,
  rows: Promise<number>,
  ask: Ask,
): Promise<NumberSql> => {
  let plainNodes: Plain = new Set<string>();
  for (;;) {
    const node = await build(expression, column, plainNodes, '');
    // What the parts allow at most is often enough to know that a step fits.
    const open = node.steps.filter(({ most }) => most >= EXACT);
    const sizes = await ask(open.map(({ sql }) => `max(abs(${sql}))`));
    const tooLarge = open.find((_, k) => (sizes[k] ?? 0) >= EXACT);
    if (tooLarge === undefined) return node.scale < 0 ? plainly(node.sql) : settled(node, await rows, ask);
    plainNodes = new Set([...plainNodes, tooLarge.path]);
  }
};

const plainly = (sql: string): NumberSql => ({ sql, scale: -1, most: Number.POSITIVE_INFINITY });

/** Drops decimals that no value uses, and checks the sum of all (M10). */
const settled = async ({ sql, scale, most }: NumberSql, rows: number, ask: Ask): Promise<NumberSql> => {
  const divides = (k: number): string => flag(`${sql} is null or round(${sql} / ${10 ** k}) * ${10 ** k} = ${sql}`);
  const fits = most * Math.max(rows, 1) < EXACT;
  // Where the sum fits and the last decimal is in use, nothing is left to look at.
  if (fits && scale <= MOST_DECIMALS && (scale === 0 || (await ask([divides(1)]))[0] === 0)) return { sql, scale, most };
  const steps = Array.from({ length: scale }, (_, k) => k + 1);
  const [sum, ...found] = await ask([`sum(abs(${sql}))`, ...steps.map(divides)]);
  const drop = steps.filter((_, k) => found[k] !== 0).length;
  const left = scale - drop;
  const trimmed = drop === 0 ? sql : `round(${sql} / ${10 ** drop})`;
  const total = (sum ?? 0) / 10 ** drop;
  return left > MOST_DECIMALS || total >= EXACT
    ? plainly(plain({ sql: trimmed, scale: left, most }))
    : { sql: trimmed, scale: left, most: most / 10 ** drop };
};

const literalNumber = (value: number): NumberSql => {
  for (let scale = 0; scale <= MOST_DECIMALS; scale++) {
    const whole = Math.round(value * 10 ** scale);
    if (whole / 10 ** scale === value) return { sql: `${whole}.0`, scale, most: Math.abs(whole) };
  }
  return plainly(String(value));
};

const build = async (node: Expression, column: (name: string) => Promise<NumberSql>, plainNodes: Plain, path: string): Promise<Node> => {
  switch (node.kind) {
    case 'number':
      return { ...literalNumber(node.value), steps: [] };
    case 'name':
      return { ...(await column(node.name)), steps: [] };
    case 'negate': {
      const of = await build(node.of, column, plainNodes, `${path}n`);
      return { sql: `(-${of.sql})`, scale: of.scale, most: of.most, steps: of.steps };
    }
    case 'binary': {
      const a = await build(node.left, column, plainNodes, `${path}l`);
      const b = await build(node.right, column, plainNodes, `${path}r`);
      const steps = [...a.steps, ...b.steps];
      if (node.operator === '/') return { ...plainly(`(${plain(a)} / nullif(${plain(b)}, 0))`), steps };
      if (a.scale < 0 || b.scale < 0 || plainNodes.has(path)) return { ...plainly(`(${plain(a)} ${node.operator} ${plain(b)})`), steps };
      const scale = node.operator === '*' ? a.scale + b.scale : Math.max(a.scale, b.scale);
      const raised = (part: NumberSql): string =>
        node.operator === '*' || part.scale === scale ? part.sql : `${part.sql} * ${10 ** (scale - part.scale)}`;
      const sql = `(${raised(a)} ${node.operator} ${raised(b)})`;
      const most = node.operator === '*' ? a.most * b.most : a.most * 10 ** (scale - a.scale) + b.most * 10 ** (scale - b.scale);
      return { sql, scale, most, steps: [...steps, { path, sql, most }] };
    }
    default:
      throw new Error('computed columns have arithmetic only');
  }
};
