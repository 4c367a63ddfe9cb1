// Numbers of columns as SQL, exact wherever M10 says so.
import type { Expression } from '../../language/syntax.ts';
import { rateKey } from '../../model/columns.ts';
import { digitsOf } from '../../model/decimal.ts';
import { type Dialect, rawColumn, type SqlColumn } from './dialect.ts';
import {
  type Ask,
  added,
  counted,
  every,
  greatest,
  largest,
  NOTHING,
  rowsWith,
  type Statistic,
  type StatisticValue,
} from './statistics.ts';
import { type DoubleSql, doubleSql } from './values.ts';

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
  /** The sum of the column itself, scaled, where the database adds up its type exactly: cheaper than row by row. */
  readonly sum?: (filter: string) => string;
  /** No row is blank. */
  readonly full?: true;
  /** Some value has more digits than a double is sure of. */
  readonly long?: true;
}

const EXACT = 2 ** 53;
const MOST_DECIMALS = 6;
/** So many values of 16 digits add up to more than 2^53. */
const MANY_LONG = 10;

/** Asks together what is asked at the same time, so that rows are read once for all of it. */
export const together = (ask: Ask): Ask => {
  interface Waiting {
    readonly figures: readonly Statistic[];
    readonly resolve: (values: readonly StatisticValue[]) => void;
    readonly reject: (reason: unknown) => void;
  }
  let waiting: Waiting[] = [];
  const send = async (): Promise<void> => {
    const asked = waiting;
    waiting = [];
    try {
      const values = await ask(asked.flatMap(({ figures }) => figures));
      let at = 0;
      for (const { figures, resolve } of asked) resolve(values.slice(at, (at += figures.length)));
    } catch (error) {
      for (const { reject } of asked) reject(error);
    }
  };
  return (figures) =>
    figures.length === 0
      ? Promise.resolve([])
      : new Promise((resolve, reject) => {
          if (waiting.push({ figures, resolve, reject }) === 1) setTimeout(send, 0);
        });
};

/** A double as a whole number of units of 10^-scale. */
const scaled = (double: string, scale: number): string => (scale === 0 ? double : `round(${double} * ${10 ** scale})`);
const plain = ({ sql, scale }: NumberSql): string => (scale <= 0 ? sql : `(${sql} / 1e${scale})`);

/** What is asked of the rows behind a column's numbers. */
export interface NumberRows {
  readonly dialect: Dialect;
  readonly alias: string;
  readonly rows: Promise<number>;
  readonly ask: Ask;
  /** Texts of an expression in the rows that meet a condition, not many. */
  readonly texts: (expression: string, condition: string) => Promise<readonly string[]>;
}

interface Looked {
  readonly double: DoubleSql;
  readonly value: string;
  readonly greatest: number;
  readonly full: { readonly full?: true };
  /** Decimals that the type fixes. */
  readonly fixed: number | undefined;
  /** Least number of decimals that all values have, those with too many digits aside; undefined where it is above 6. */
  readonly decimals: number | undefined;
  readonly long: number;
}

/**
 * The most decimals that any value needs, one more than counts where some need even more. Values so great that they fit few decimals
 * and not more of them need not be told apart: their sum is too great to be exact in any case.
 */
const decimalsNeeded = ({ guarded, long }: DoubleSql, own: string | undefined): Statistic => {
  if (own !== undefined) return greatest(`max(case when ${long ?? 'false'} then 0 else least(${own}, ${MOST_DECIMALS + 1}) end)`);
  const fits = Array.from({ length: MOST_DECIMALS + 1 }, (_, k) => `when round(${guarded} * 1e${k}) / 1e${k} = ${guarded} then ${k}`);
  const none = `${guarded} is null${long === undefined ? '' : ` or ${long}`}`;
  return greatest(`max(case when ${none} then 0 ${fits.join(' ')} else ${MOST_DECIMALS + 1} end)`);
};

/** Looks at all values of a column: how large, how many decimals, how many blanks, and whether any has too many digits. */
const look = async (column: SqlColumn, { dialect, alias, rows, ask }: NumberRows): Promise<Looked> => {
  const value = rawColumn(dialect, alias, column);
  const double = doubleSql(dialect, value, column);
  const { needed, scale = 99 } = column;
  const isTyped = column.kind === 'decimal' && scale <= MOST_DECIMALS && (needed ?? scale) === scale;
  const fixed = column.kind === 'integer' ? 0 : isTyped ? scale : undefined;
  const isAsked = fixed === undefined && needed === undefined;
  // What is a number as it stands is turned into a double once, at the end.
  const isPlain = double.guarded === dialect.toDouble(value);
  const [most, there, long, found] = await ask([
    isPlain ? largest(dialect, value) : greatest(`max(abs(${double.guarded}))`),
    rowsWith(isPlain ? value : double.guarded),
    double.long === undefined ? NOTHING : counted(double.long),
    ...(isAsked ? [decimalsNeeded(double, column.kind === 'decimal' ? dialect.decimals?.(value) : undefined)] : []),
  ]);
  return {
    double,
    value,
    greatest: most ?? 0,
    full: there === (await rows) ? { full: true } : {},
    fixed,
    decimals: fixed ?? needed ?? ((found ?? 0) > MOST_DECIMALS ? undefined : (found ?? 0)),
    long: long ?? 0,
  };
};

const inexact = ({ double, full, long }: Looked): NumberSql => ({
  sql: double.value,
  scale: -1,
  most: Number.POSITIVE_INFINITY,
  ...full,
  ...(long > 0 ? { long: true } : {}),
});

/** Scale and exactness of a column's values (M10): the least number of decimals that all of them have. */
export const columnNumber = async (column: SqlColumn, rows: NumberRows): Promise<NumberSql> => {
  const found = await look(column, rows);
  const { dialect, ask } = rows;
  const { double, value, greatest, full, fixed, decimals, long } = found;
  if (decimals === undefined) return inexact(found);
  if (long > 0) return longNumber(found, rows);
  const most = Math.round(greatest * 10 ** decimals);
  const sum =
    fixed === undefined
      ? {}
      : {
          sum: (filter: string): string =>
            dialect.toDouble(fixed === 0 ? `(sum(${value})${filter})` : dialect.exactly(`(sum(${value})${filter})`, fixed)),
        };
  const number = { sql: scaled(double.value, decimals), scale: decimals, most, ...full, ...sum };
  if (most * Math.max(await rows.rows, 1) < EXACT) return number;
  // The bound may be too wide: look at the data themselves.
  const [total] = await ask([added(`sum(abs(${scaled(double.guarded, decimals)}))`)]);
  return (total ?? 0) < EXACT ? number : inexact(found);
};

/** The same where a few values have more digits than a double is sure of: those are scaled by their digits. */
const longNumber = async (found: Looked, { dialect, ask, texts }: NumberRows): Promise<NumberSql> => {
  const { double, full, decimals = 0, fixed } = found;
  if (found.long >= MANY_LONG || double.long === undefined) return inexact(found);
  const digits = (await texts(double.plain, double.long)).map((text) => digitsOf(text));
  const scale = Math.max(fixed ?? 0, decimals, ...digits.map((own) => own?.scale ?? 99));
  if (scale > MOST_DECIMALS) return inexact(found);
  const short = `case when ${double.long} then 0 else ${scaled(double.guarded, scale)} end`;
  const [total] = await ask([added(`sum(abs(${short}))`)]);
  let sum = BigInt(Math.round(total ?? 0));
  for (const own of digits) {
    const whole = own ? own.digits * 10n ** BigInt(scale - own.scale) : 0n;
    sum += whole < 0n ? -whole : whole;
  }
  if (sum >= BigInt(EXACT)) return inexact(found);
  const exact = dialect.toDouble(dialect.exactly(double.plain, scale));
  return {
    sql: `case when ${double.long} then ${exact} else ${scaled(double.value, scale)} end`,
    scale,
    most: Number(sum),
    long: true,
    ...full,
  };
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
    const sizes = await ask(open.map(({ sql }) => greatest(`max(abs(${sql}))`)));
    const tooLarge = open.find((_, k) => (sizes[k] ?? 0) >= EXACT);
    if (tooLarge === undefined) return node.scale < 0 ? plainly(node.sql) : settled(node, await rows, ask);
    plainNodes = new Set([...plainNodes, tooLarge.path]);
  }
};

const plainly = (sql: string): NumberSql => ({ sql, scale: -1, most: Number.POSITIVE_INFINITY });

/** Drops decimals that no value uses, and checks the sum of all (M10). */
const settled = async ({ sql, scale, most }: NumberSql, rows: number, ask: Ask): Promise<NumberSql> => {
  const divides = (k: number): Statistic => every(`${sql} is null or round(${sql} / 1e${k}) * 1e${k} = ${sql}`);
  const fits = most * Math.max(rows, 1) < EXACT;
  // Where the sum fits and the last decimal is in use, nothing is left to look at.
  if (fits && scale <= MOST_DECIMALS && (scale === 0 || (await ask([divides(1)]))[0] === 0)) return { sql, scale, most };
  const steps = Array.from({ length: scale }, (_, k) => k + 1);
  const [sum, ...found] = await ask([added(`sum(abs(${sql}))`), ...steps.map(divides)]);
  const drop = steps.filter((_, k) => found[k] !== 0).length;
  const left = scale - drop;
  const trimmed = drop === 0 ? sql : `round(${sql} / 1e${drop})`;
  const total = (sum ?? 0) / 10 ** drop;
  return left > MOST_DECIMALS || total >= EXACT
    ? plainly(plain({ sql: trimmed, scale: left, most }))
    : { sql: trimmed, scale: left, most: most / 10 ** drop };
};

const literalNumber = (value: number): NumberSql => {
  for (let scale = 0; scale <= MOST_DECIMALS; scale++) {
    const whole = Math.round(value * 10 ** scale);
    if (whole / 10 ** scale === value) return { sql: `${whole}e0`, scale, most: Math.abs(whole) };
  }
  return plainly(`${value.toExponential()}`);
};

/** Rounds half away from zero, as halfAway of model/decimal.ts: what databases have differs where a value lies in the middle. */
const halfAwaySql = (sql: string): string => `(case when ${sql} < 0 then -floor(-(${sql}) + 0.5) else floor(${sql} + 0.5) end)`;

/** The functions of readings over the columns of one row (M14); a blank makes a blank. */
const called = ({ name, args }: Extract<Expression, { kind: 'call' }>, parts: readonly Node[]): Node => {
  const [first] = parts;
  const steps = parts.flatMap((part) => part.steps);
  if (name === 'abs') return { sql: `abs(${first.sql})`, scale: first.scale, most: first.most, steps };
  if (name === 'round') {
    const digits = args[1]?.kind === 'number' ? args[1].value : 0;
    if (first.scale >= 0 && first.scale <= digits) return { ...first, steps };
    const units = first.scale < 0 ? `(${first.sql} * 1e${digits})` : `(${first.sql} / 1e${first.scale - digits})`;
    // Of a double nobody knows how great it is; the sum of all is looked at in the end.
    const most = first.scale < 0 ? Number.POSITIVE_INFINITY : first.most / 10 ** (first.scale - digits) + 1;
    return { sql: halfAwaySql(units), scale: digits, most, steps };
  }
  const exact = parts.every(({ scale }) => scale >= 0);
  const scale = exact ? Math.max(...parts.map((part) => part.scale)) : -1;
  const list = parts.map((part) => (!exact ? plain(part) : part.scale === scale ? part.sql : `(${part.sql} * 1e${scale - part.scale})`));
  const blank = list.map((sql) => `(${sql}) is null`).join(' or ');
  const sql = `(case when ${blank} then null else ${name === 'min' ? 'least' : 'greatest'}(${list.join(', ')}) end)`;
  const most = Math.max(...parts.map((part) => part.most * 10 ** Math.max(scale - part.scale, 0)));
  return exact ? { sql, scale, most, steps } : { ...plainly(sql), steps };
};

const build = async (node: Expression, column: (name: string) => Promise<NumberSql>, plainNodes: Plain, path: string): Promise<Node> => {
  switch (node.kind) {
    case 'number':
      return { ...literalNumber(node.value), steps: [] };
    case 'name': {
      const { sql, scale, most } = await column(node.name);
      return { sql, scale, most, steps: [] };
    }
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
        node.operator === '*' || part.scale === scale ? part.sql : `${part.sql} * 1e${scale - part.scale}`;
      const sql = `(${raised(a)} ${node.operator} ${raised(b)})`;
      const most = node.operator === '*' ? a.most * b.most : a.most * 10 ** (scale - a.scale) + b.most * 10 ** (scale - b.scale);
      return { sql, scale, most, steps: [...steps, { path, sql, most }] };
    }
    case 'rate': {
      const { sql, scale, most } = await column(rateKey(node.name, node.role as string));
      return { sql, scale, most, steps: [] };
    }
    case 'call':
      return called(node, await Promise.all(node.args.map((arg, k) => build(arg, column, plainNodes, `${path}c${k}`))));
    default:
      throw new Error('computed columns have arithmetic only');
  }
};
