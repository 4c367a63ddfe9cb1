// Two models, or one over two states of the data: what is defined differently, which numbers differ, and what each is to blame on.
import { loadZones } from '../calendar/dates.ts';
import { type Store, UNFILTERED } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
import { columnsOfSource } from '../model/columns.ts';
import type { Question } from '../model/schema.ts';
import { askedOf } from '../plan/question.ts';
import type { ResultJson } from '../result/types.ts';
import { loadWords } from '../words/words.ts';
import { alone, causeOf } from './causes.ts';
import { definitionChanges, factorsOf } from './definitions.ts';
import type { Cause, CellDifference, DiffReport, QuestionDifference, ReadingDifference } from './report.ts';
import { type RowChange, rowChange } from './rows.ts';
import { booksOf, FACTORS, type Factor, mixOf, type Side, type World } from './sides.ts';

export interface AskedOnBoth {
  readonly name: string;
  readonly question: Question;
}

export interface DiffOptions {
  /** Rows are compared one by one to tell what changed; `no` where there are too many. */
  readonly rows?: 'compare' | 'no';
}

/** Doubles that lie beside each other by no more than sums of them may (R3). */
const isSame = (a: number | null, b: number | null): boolean =>
  a === b || (a !== null && b !== null && Math.abs(a - b) <= 1e-12 * Math.max(Math.abs(a), Math.abs(b)));

interface Cells {
  /** Rows by period and members, in JSON. */
  readonly keys: readonly string[];
  readonly at: (key: string, reading: string) => number | null;
}

/** Cells of an answer by period and members, for each reading. */
const cellsOf = ({ columns, rows }: ResultJson): Cells => {
  const labels = columns.filter(({ kind }) => kind !== 'reading').length;
  const byKey = new Map(rows.map((row) => [JSON.stringify(row.slice(0, labels)), row]));
  const index = new Map(columns.map(({ name }, k) => [name, k]));
  return {
    keys: [...byKey.keys()],
    at: (key, reading) => {
      const value = byKey.get(key)?.[index.get(reading) ?? -1];
      return typeof value === 'number' ? value : null;
    },
  };
};

const sizeOf = ({ was, now }: CellDifference): number => Math.abs((now ?? 0) - (was ?? 0));

const problemOf = (error: unknown): DurchblickError => {
  if (error instanceof DurchblickError && error.kind === 'request') return error;
  throw error;
};

/** Readings of a question that both models can answer, and those that one cannot. */
const onBoth = (sides: readonly [Side, Side], question: Question) => {
  const oneSided: { reading: string; only: 'old' | 'new'; problem: string }[] = [];
  const shared = question.show.filter((column) => {
    const problems = sides.map(({ model }) => {
      try {
        askedOf(model, alone(question, [column]));
        return undefined;
      } catch (error) {
        return problemOf(error);
      }
    });
    if (problems[0] === undefined && problems[1] === undefined) return true;
    const reading = typeof column === 'string' ? column : (column.label ?? column.is);
    const [before, after] = problems;
    if (before && after) {
      const { message, hint, text, at } = after;
      throw new DurchblickError('unanswerable', `neither side can answer "${reading}": ${message}`, { hint, text, at });
    }
    oneSided.push({ reading, only: before ? 'new' : 'old', problem: ((before ?? after) as DurchblickError).message });
    return false;
  });
  return { shared, oneSided };
};

/** Compares the answers to a question, and asks again with one thing changed at a time where several differ. */
const questionDifference = async ({ name, question }: AskedOnBoth, world: World): Promise<QuestionDifference> => {
  const { books } = world;
  const { shared, oneSided } = onBoth(world.sides, question);
  if (shared.length === 0) return { question: name, readings: [], oneSided };
  const asked: Question = { ...question, show: shared };
  const [before, after] = [await books.ask(mixOf(0), asked), await books.ask(mixOf(1), asked)];
  const pair: Pair = { asked, before, after, old: cellsOf(before), now: cellsOf(after) };
  const names = after.columns.filter(({ kind }) => kind === 'reading').map((column) => column.name);
  const differing = new Map(names.map((reading) => [reading, changed(reading, pair, pair.now)]));
  const isAnything = [...differing.values()].some((keys) => keys.length > 0);
  const tried = isAnything && world.differ.length > 1 ? await oneByOne(asked, world) : new Map();
  const readings = names.map((reading): ReadingDifference => {
    const keys = differing.get(reading) as readonly string[];
    const list = keys.map((key) => differenceAt(key, reading, pair)).sort((a, b) => sizeOf(b) - sizeOf(a));
    return { reading, cells: keysOf(pair).length, differing: list, why: causesOf(reading, keys, pair, tried, world) };
  });
  return { question: name, readings, oneSided };
};

/** The answers of both sides to one question. */
interface Pair {
  readonly asked: Question;
  readonly before: ResultJson;
  readonly after: ResultJson;
  readonly old: Cells;
  readonly now: Cells;
}

/** An answer with one thing of the new side, and all else of the old one. */
interface Tried {
  readonly asOf: string;
  readonly cells: Cells;
}

const keysOf = ({ old, now }: Pair): readonly string[] => [...new Set([...now.keys, ...old.keys])];

/** Cells of a reading that another answer has otherwise than the old one. */
const changed = (reading: string, pair: Pair, other: Cells): readonly string[] =>
  keysOf(pair).filter((key) => !isSame(pair.old.at(key, reading), other.at(key, reading)));

const oneByOne = async (asked: Question, { books, differ }: World): Promise<ReadonlyMap<Factor, Tried>> => {
  const tried = new Map<Factor, Tried>();
  for (const factor of differ) {
    try {
      const json = await books.ask(mixOf(0, factor), asked);
      tried.set(factor, { asOf: json.asOf, cells: cellsOf(json) });
    } catch (error) {
      // A mix that cannot be asked, for a column that only one side has, explains nothing alone.
      problemOf(error);
    }
  }
  return tried;
};

const differenceAt = (key: string, reading: string, { before, old, now }: Pair): CellDifference => {
  const [period, ...members] = JSON.parse(key) as string[];
  const labels = before.columns.filter(({ kind }) => kind === 'attribute').map(({ name }) => name);
  return {
    period,
    members: Object.fromEntries(labels.map((label, k) => [label, members[k]])),
    was: old.at(key, reading),
    now: now.at(key, reading),
  };
};

/** The reading behind a column's name. */
const readingOf = (name: string, { show }: Question): string => {
  const column = show.find((own) => typeof own !== 'string' && (own.label ?? own.is) === name);
  return typeof column === 'object' ? column.is : name;
};

/** One change explains all; of several each is blamed for what it does alone. */
const causesOf = (
  reading: string,
  keys: readonly string[],
  pair: Pair,
  tried: ReadonlyMap<Factor, Tried>,
  world: World,
): readonly Cause[] => {
  const { asked, before, after } = pair;
  const text = readingOf(reading, asked);
  const moved = (asOf: string): readonly [string, string] | undefined => (asOf === before.asOf ? undefined : [before.asOf, asOf]);
  if (keys.length === 0) return [];
  if (world.differ.length === 1) return causeOf(world.differ[0], text, asked, keys.length, moved(after.asOf), world);
  const differing = new Set(keys);
  const explained = new Set<string>();
  const why = [...tried].flatMap(([factor, { asOf, cells }]) => {
    const own = changed(reading, pair, cells).filter((key) => differing.has(key));
    for (const key of own) explained.add(key);
    return own.length === 0 ? [] : causeOf(factor, text, asked, own.length, moved(asOf), world);
  });
  const rest = keys.length - explained.size;
  return rest === 0 ? why : [...why, { code: 'together', cells: rest, text: 'none of the changes alone, but all of them together' }];
};

/** Which rows differ between the data of two sides, source by source, in the columns that both models read. */
const rowChanges = async (sides: readonly [Side, Side]): Promise<readonly RowChange[]> => {
  const stores: Store[] = [];
  try {
    for (const { model, engine } of sides) {
      await loadZones(model.timeZone);
      stores.push(await engine(model).open(model, UNFILTERED));
    }
    const found: RowChange[] = [];
    const [old, now] = sides.map(({ model }) => model);
    for (const source of now.sources.keys()) {
      if (!old.sources.has(source)) continue;
      const known = new Set(columnsOfSource(source, old));
      const columns = columnsOfSource(source, now).filter((column) => known.has(column));
      if (columns.length === 0) continue;
      const fact = [...now.facts.values()].find((one) => one.source === source);
      const dimension = [...now.dimensions.values()].find((one) => one.source === source);
      const keys = fact?.recorded ? { key: fact.versionKey, recorded: fact.recorded } : dimension?.key ? { key: [dimension.key] } : {};
      const [before, after] = [await stores[0].rows(source, columns), await stores[1].rows(source, columns)];
      const change = rowChange(source, before, after, columns, keys);
      if (change) found.push(change);
    }
    return found;
  } finally {
    for (const store of stores) await store.close();
  }
};

/** Compares two sides by their definitions, and by the answers to questions. */
export const diffSides = async (
  old: Side,
  now: Side,
  questions: readonly AskedOnBoth[],
  options: DiffOptions = {},
): Promise<DiffReport> => {
  const sides = [old, now] as const;
  for (const { model } of sides) await loadWords(model.locale);
  const definitions = definitionChanges(old.model, now.model);
  const [before, after] = [factorsOf(old.model.input), factorsOf(now.model.input)];
  const differences: Readonly<Record<Factor, boolean>> = {
    definition: before.definition !== after.definition,
    calendar: before.calendar !== after.calendar,
    data: before.data !== after.data || old.data !== now.data,
    asOf: (old.asOf ?? before.asOf) !== (now.asOf ?? after.asOf),
    knownBy: old.knownBy !== now.knownBy,
  };
  const rows = differences.data && options.rows !== 'no' ? await rowChanges(sides) : [];
  // Data that are the same, row by row, explain nothing.
  const isDifferent = (factor: Factor): boolean => differences[factor] && (factor !== 'data' || options.rows === 'no' || rows.length > 0);
  const books = booksOf(sides);
  try {
    const world: World = { sides, books, differ: FACTORS.filter(isDifferent), definitions, rows: options.rows === 'no' ? undefined : rows };
    const found: QuestionDifference[] = [];
    for (const asked of questions) found.push(await questionDifference(asked, world));
    const same =
      definitions.length === 0 &&
      found.every(({ readings, oneSided }) => oneSided.length === 0 && readings.every(({ differing }) => differing.length === 0));
    return { definitions, rows, questions: found, same };
  } finally {
    await books.close();
  }
};
