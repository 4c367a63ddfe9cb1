// Lists, sorts, filters and limits members (R1, R4).
import { parseReading } from '../../src/language/parse.ts';
import type { Expression } from '../../src/language/syntax.ts';
import type { Question } from '../../src/model/schema.ts';
import { parseAgainst } from '../../src/windows/syntax.ts';
import { type Ground, isOfDays, MONTHS, type Tuple, tupleKey, WEEKDAYS } from './ground.ts';
import type { Looked } from './measure.ts';
import { type RefPlace, refSeen } from './time.ts';

export type Numbers = readonly (number | null)[];
/** Evaluates readings at one axis row or at the total. */
export type CellsOf = (
  at: number | 'total',
  tuple: Tuple,
  more?: { readonly list?: readonly Expression[]; readonly seen?: Looked; readonly left?: ReadonlySet<string> },
) => Numbers;

export interface Entry {
  readonly tuple: Tuple;
  readonly rows: readonly Numbers[];
  readonly any: boolean;
}

const ORDERS: Readonly<Record<string, readonly string[]>> = {
  size: ['small', 'large'],
  weekday: WEEKDAYS,
  'working-day': ['yes', 'no'],
  'month-of-year': MONTHS,
};
const SIGNS: Readonly<Record<string, (a: number, b: number) => boolean>> = {
  '<': (a, b) => a < b,
  '<=': (a, b) => a <= b,
  '>': (a, b) => a > b,
  '>=': (a, b) => a >= b,
  '=': (a, b) => a === b,
  '!=': (a, b) => a !== b,
};

/** All as-of dates of a question; `at: now` members are those of any of them. */
const asOfDates = ({ model, own }: Ground, question: Question): readonly number[] => {
  const found = new Set([own.asOf]);
  const texts = [...question.show, ...[question.order ?? []].flat(), ...[question.keep ?? []].flat()].map((text) =>
    typeof text === 'string' ? text : text.is,
  );
  const comparisons = texts.flatMap((text) =>
    [...text.matchAll(/vs \[([^\]]*as-of[^\]]*)\]/g)].map(([, inner]) => parseAgainst(inner, model.units)),
  );
  for (let depth = 0; depth < 2; depth++) for (const from of [...found]) for (const { asOf } of comparisons) found.add(refSeen(asOf, from));
  return [...found];
};

/** Combinations of members in the data. Spread amounts add every product of their family. */
const tuplesOfRows = (ground: Ground, question: Question, names: readonly string[]): readonly Tuple[] => {
  if (names.length === 0) return [{}];
  const dates = asOfDates(ground, question);
  const found = new Map<string, Tuple>();
  const add = (members: Tuple) => {
    if (names.every((name) => members[name] !== undefined))
      found.set(tupleKey(names, members), Object.fromEntries(names.map((name) => [name, members[name]])));
  };
  for (const fact of ground.model.facts.values())
    for (const { members, now } of ground.everyRow(fact)) {
      for (const asOf of dates) add({ ...members, ...now?.(asOf) });
      for (const { product, family } of ground.world.products)
        if (members.product === undefined && members.family === family) add({ ...members, product });
    }
  return [...found.values()];
};

/** Combinations of calendar members around the axis (U12). */
const tuplesOfDays = ({ standing }: Ground, places: readonly RefPlace[], names: readonly string[]): readonly Tuple[] => {
  if (names.length === 0) return [{}];
  const found = new Map<string, Tuple>();
  const [first, last] = [Math.min(...places.map(({ start }) => start)) - 4000, Math.max(...places.map(({ end }) => end)) + 4000];
  for (let d = first; d <= last; d++) {
    const members = Object.fromEntries(names.map((name) => [name, standing(name, d)]));
    const key = tupleKey(names, members);
    if (!found.has(key)) found.set(key, members);
  }
  return [...found.values()];
};

/** Combinations with rows; covered calendar members are shown with every member that has rows (U12). */
const entriesOf = (ground: Ground, question: Question, places: readonly RefPlace[], cells: CellsOf): Entry[] => {
  const { per } = ground;
  const [perRows, perDays] = [per.filter((name) => !isOfDays(name)), per.filter(isOfDays)];
  const tuples = tuplesOfRows(ground, question, perRows);
  // An invalid comparison is an error even without members.
  if (tuples.length === 0) for (const row of places.keys()) cells(row, {});
  const covered = new Set<string>();
  const ofDays = tuplesOfDays(ground, places, perDays);
  const entries = tuples.flatMap((tuple) => {
    const found = ofDays.map((days): Entry => {
      const seen = { any: false, days: false };
      const own = { ...tuple, ...days };
      const rows = [...places.keys()].map((row) => cells(row, own, { seen }));
      if (seen.days) covered.add(tupleKey(perDays, days));
      return { tuple: own, rows, any: seen.any };
    });
    return perRows.length === 0 || found.some(({ any }) => any) ? found : [];
  });
  return perDays.length === 0 ? entries : entries.filter(({ tuple }) => covered.has(tupleKey(perDays, tuple)));
};

const special = (text: string): number => (text === '(none)' ? 1 : text === '(unknown)' ? 2 : 0);

/** Compares members in their own order; `(none)` and `(unknown)` last. */
const inOwnOrder = (ground: Ground, names: readonly string[]): ((a: Entry, b: Entry) => number) => {
  const orders: Readonly<Record<string, readonly string[]>> = { ...ORDERS, season: [...ground.world.names.values()] };
  const order = (name: string, x: string, y: string): number =>
    special(x) - special(y) ||
    (orders[name] ? orders[name].indexOf(x) - orders[name].indexOf(y) : 0) ||
    (name.includes('-of-') && name !== 'month-of-year' ? Number(x) - Number(y) : 0) ||
    (x < y ? -1 : x > y ? 1 : 0);
  return (a, b) => names.reduce((found, name) => found || order(name, a.tuple[name], b.tuple[name]), 0);
};

interface Sort {
  readonly reading: Expression;
  readonly sign: 1 | -1;
}

/** The sort keys of a query; `limit` without `order` sorts by the first reading, descending. */
export const orderOf = ({ order, limit, show, per = [] }: Question): readonly Sort[] => {
  const texts = [
    order ?? (limit === undefined || per.length === 0 ? [] : `${typeof show[0] === 'string' ? show[0] : show[0].is} desc`),
  ].flat();
  return texts.map((text) => ({ reading: parseReading(text.replace(/ (asc|desc)$/, '')), sign: text.endsWith(' desc') ? -1 : 1 }));
};

/** Compares values; blanks sort last in both directions. */
export const byValues = (a: Numbers, b: Numbers, order: readonly Sort[]): number => {
  for (const [k, { sign }] of order.entries()) {
    const [x, y] = [a[k], b[k]];
    if (x === y) continue;
    return x === null || y === null ? (x === null ? 1 : -1) : sign * (x - y);
  }
  return 0;
};

/** Sorts members by readings over the whole range, within the groups of a limit. */
const sortEntries = (ground: Ground, question: Question, entries: Entry[], cells: CellsOf, within: number): void => {
  const { per } = ground;
  const natural = inOwnOrder(ground, per);
  entries.sort(natural);
  const order = orderOf(question);
  if (order.length === 0) return;
  const list = order.map(({ reading }) => reading);
  const ranks = new Map(entries.map((entry) => [entry, cells('total', entry.tuple, { list })]));
  const byGroup = inOwnOrder(ground, per.slice(0, within));
  entries.sort((a, b) => {
    const grouped = byGroup(a, b);
    if (grouped !== 0) return grouped;
    return byValues(ranks.get(a) as Numbers, ranks.get(b) as Numbers, order) || natural(a, b);
  });
};

const keptBy = (question: Question, cells: CellsOf): ((entry: Entry) => boolean) => {
  const keep = [question.keep ?? []].flat().map((text) => {
    const [, of, sign, bound] = /^(.*) (<|>|<=|>=|=|!=) (-?[0-9.]+)$/.exec(text) as RegExpExecArray;
    return { reading: parseReading(of), meets: (v: number | null) => v !== null && SIGNS[sign](v, Number(bound)) };
  });
  const list = keep.map(({ reading }) => reading);
  return ({ tuple }) => {
    const values = cells('total', tuple, { list });
    return keep.every(({ meets }, k) => meets(values[k]));
  };
};

export interface Members {
  /** Maps members in order, with the `(others)` row of each group. */
  readonly rowsOf: <T>(own: (entry: Entry) => T, others: (tuple: Tuple, texts: readonly string[]) => T) => T[];
  /** Keys of the listed members. */
  readonly listed: ReadonlySet<string>;
}

export const membersOf = (ground: Ground, question: Question, places: readonly RefPlace[], cells: CellsOf): Members => {
  const { per } = ground;
  const within = question.within === undefined ? 0 : per.indexOf(question.within) + 1;
  const [outer, inner] = [per.slice(0, within), per.slice(within)];
  const entries = entriesOf(ground, question, places, cells);
  sortEntries(ground, question, entries, cells, within);
  const groupOf = ({ tuple }: Entry) => tupleKey(outer, tuple);
  const kept = entries.filter(keptBy(question, cells));
  const list = [...new Set(kept.map(groupOf))].flatMap((group) => {
    const own = kept.filter((entry) => groupOf(entry) === group);
    return own.slice(0, question.limit);
  });
  const left = new Set(question.rest ? entries.filter((entry) => !list.includes(entry)).map(groupOf) : []);
  const groups = [...new Set([...list.map(groupOf), ...left])];
  return {
    listed: new Set(list.map(({ tuple }) => tupleKey(per, tuple))),
    rowsOf: (own, others) =>
      groups.flatMap((group) => {
        const texts = JSON.parse(group) as string[];
        const tuple = Object.fromEntries(texts.map((text, k) => [per[k], text]));
        return [
          ...list.filter((entry) => groupOf(entry) === group).map(own),
          ...(left.has(group) ? [others(tuple, [...texts, ...inner.map(() => '(others)')])] : []),
        ];
      }),
  };
};
