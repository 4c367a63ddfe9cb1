// Two models, or one over two states of the data: what is defined differently, which numbers differ, and what each is to blame on.
import { open } from '../book/open.ts';
import type { Book } from '../book/types.ts';
import { loadZones } from '../calendar/dates.ts';
import type { Engine, Store } from '../engines/engine.ts';
import { DurchblickError } from '../errors.ts';
import { columnsOfSource } from '../model/columns.ts';
import type { Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { leavesOf } from '../plan/bind.ts';
import { defineParts } from '../plan/define.ts';
import { askedOf } from '../plan/question.ts';
import type { ResultJson } from '../result/types.ts';
import { loadWords } from '../words/words.ts';
import { type DefinitionChange, definitionChanges, factorsOf, mixedInput } from './definitions.ts';
import { namesIn } from './mentioned.ts';
import type { Cause, CauseCode, CellDifference, DiffReport, QuestionDifference, ReadingDifference } from './report.ts';
import { type RowChange, rowChange } from './rows.ts';

/** One side of a comparison: a model, its data, and what is seen of them. */
export interface Side {
  readonly model: Model;
  /** An engine over the data of this side, for any model that reads the same sources. */
  readonly engine: (model: Model) => Engine;
  /** What tells the data of this side from those of the other: a folder, an address. */
  readonly data: string;
  readonly asOf?: string;
  readonly knownBy?: string;
}

export interface AskedOnBoth {
  readonly name: string;
  readonly question: Question;
}

export interface DiffOptions {
  /** Rows are compared one by one to tell what changed; `no` where there are too many. */
  readonly rows?: 'compare' | 'no';
}

/** What may differ between two sides, each by itself. */
const FACTORS = ['definition', 'calendar', 'data', 'asOf', 'knownBy'] as const;
type Factor = (typeof FACTORS)[number];
/** Which side each factor is taken from. */
type Mix = Readonly<Record<Factor, 0 | 1>>;

const mixOf = (side: 0 | 1, flipped?: Factor): Mix => {
  const mix = { definition: side, calendar: side, data: side, asOf: side, knownBy: side };
  return flipped === undefined ? mix : { ...mix, [flipped]: 1 - side };
};

/** Doubles that lie beside each other by no more than sums of them may (R3). */
const isSame = (a: number | null, b: number | null): boolean =>
  a === b || (a !== null && b !== null && Math.abs(a - b) <= 1e-12 * Math.max(Math.abs(a), Math.abs(b)));

/** Books over every mix of two sides, opened when they are asked. */
const booksOf = (sides: readonly [Side, Side]) => {
  const known = new Map<string, Promise<Book>>();
  const modelOf = ({ definition, calendar, data }: Mix): Model => {
    if (definition === calendar && calendar === data) return sides[data].model;
    const written = mixedInput(sides[definition].model.input, sides[calendar].model.input, sides[data].model.input);
    return defineParts([{ written, locate: () => undefined }]);
  };
  const bookOf = (mix: Mix): Promise<Book> => {
    const key = `${mix.definition}${mix.calendar}${mix.data}`;
    const book =
      known.get(key) ??
      (async () => {
        const model = modelOf(mix);
        return (await open(model, sides[mix.data].engine(model))) as Book;
      })();
    known.set(key, book);
    return book;
  };
  return {
    ask: async (mix: Mix, question: Question): Promise<ResultJson> => {
      const book = await bookOf(mix);
      const knownBy = sides[mix.knownBy].knownBy ?? question.knownBy;
      const asked: Question = {
        ...question,
        asOf: sides[mix.asOf].asOf ?? question.asOf ?? sides[mix.asOf].model.asOf,
        ...(knownBy === undefined ? {} : { knownBy }),
      };
      return (await book.ask(asked as never)).toJson();
    },
    close: async (): Promise<void> => {
      for (const book of known.values()) await (await book.catch(() => undefined))?.close();
    },
  };
};

type Books = ReturnType<typeof booksOf>;

/** Cells of an answer by period and members, for each reading. */
const cellsOf = ({
  columns,
  rows,
}: ResultJson): { readonly keys: readonly string[]; readonly at: (key: string, reading: string) => number | null } => {
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

const problemOf = (error: unknown): string => {
  if (error instanceof DurchblickError && error.kind === 'request') return error.message;
  throw error;
};

/** Readings of a question that both models can answer, and those that one cannot. */
const onBoth = (sides: readonly [Side, Side], question: Question) => {
  const oneSided: { reading: string; only: 'old' | 'new'; problem: string }[] = [];
  const shared = question.show.filter((column) => {
    const problems = sides.map(({ model }) => {
      try {
        askedOf(model, {
          ...question,
          show: [column],
          order: undefined,
          keep: undefined,
          limit: undefined,
          within: undefined,
          rest: undefined,
        });
        return undefined;
      } catch (error) {
        return problemOf(error);
      }
    });
    if (problems[0] === undefined && problems[1] === undefined) return true;
    const reading = typeof column === 'string' ? column : (column.label ?? column.is);
    if (problems[0] !== undefined && problems[1] !== undefined)
      throw new DurchblickError('unanswerable', `neither side can answer "${reading}": ${problems[1]}`);
    oneSided.push({ reading, only: problems[0] === undefined ? 'old' : 'new', problem: (problems[0] ?? problems[1]) as string });
    return false;
  });
  return { shared, oneSided };
};

interface World {
  readonly sides: readonly [Side, Side];
  readonly books: Books;
  /** Factors in which the sides differ. */
  readonly differ: readonly Factor[];
  readonly definitions: readonly DefinitionChange[];
  readonly rows: readonly RowChange[] | undefined;
}

const counted = (count: number, one: string, many = `${one}s`): string => `${count.toLocaleString('en')} ${count === 1 ? one : many}`;

/** Sources whose rows a reading looks at: those of its facts, of the dimensions that they are split and filtered by, and of rates. */
const sourcesOf = (reading: string, question: Question, model: Model): ReadonlySet<string> => {
  const { columns, per, filters } = askedOf(model, {
    ...question,
    show: [reading],
    order: undefined,
    keep: undefined,
    limit: undefined,
    within: undefined,
    rest: undefined,
  });
  const found = new Set<string>();
  for (const { measure } of columns.flatMap(({ bound }) => leavesOf(bound))) {
    found.add(measure.fact.source);
    for (const rate of model.rates.values()) found.add(rate.source);
    for (const name of Object.keys(measure.where ?? {}))
      for (const dimension of model.dimensions.values())
        if (dimension.source && dimension.attributes.has(name)) found.add(dimension.source);
  }
  for (const { attribute } of [...per, ...filters])
    if (attribute.kind === 'attribute' && attribute.dimension.source) found.add(attribute.dimension.source);
  return found;
};

/** What of the data a reading's numbers are to blame on. */
const dataCauses = (
  reading: string,
  question: Question,
  cells: number,
  moved: readonly [string, string] | undefined,
  { sides, rows }: World,
): readonly Cause[] => {
  const found: Cause[] = [];
  const add = (code: CauseCode, text: string): void => void found.push({ code, cells, text });
  const sources = sourcesOf(reading, question, sides[0].model);
  for (const { source, added, removed, changed, revised, columns } of rows?.filter((change) => sources.has(change.source)) ?? []) {
    if (added > 0) add('rows-added', `${counted(added, 'row')} added to ${source}`);
    if (removed > 0) add('rows-removed', `${counted(removed, 'row')} removed from ${source}`);
    if (changed > 0) add('rows-changed', `${counted(changed, 'row')} changed in ${source} (${columns.join(', ')})`);
    if (revised > 0) add('revision', `${counted(revised, 'row')} revised in ${source}`);
  }
  if (found.length === 0 && moved) add('as-of', `the latest day moved from ${moved[0]} to ${moved[1]}`);
  if (found.length === 0) add('data', 'the data differ');
  return found;
};

/** Which changed definitions a reading leans on. */
const definitionCause = (reading: string, question: Question, cells: number, { sides, definitions }: World): Cause => {
  const names = new Set(sides.flatMap(({ model }) => namesIn(reading, question, model)));
  const own = definitions.filter(({ kind, name, of }) => names.has(`${kind} ${of === undefined ? '' : `${of} `}${name}`));
  const list = own.map(({ kind, name }) => `${kind} ${name}`);
  return { code: 'definition', cells, text: list.length > 0 ? `defined differently: ${list.join(', ')}` : 'definitions differ' };
};

const causeOf = (
  factor: Factor,
  reading: string,
  question: Question,
  cells: number,
  moved: readonly [string, string] | undefined,
  world: World,
): readonly Cause[] => {
  const [old, now] = world.sides;
  switch (factor) {
    case 'definition':
      return [definitionCause(reading, question, cells, world)];
    case 'calendar': {
      const list = world.definitions.filter(
        ({ kind, name }) => kind === 'calendar' || (kind === 'setting' && name !== 'name' && name !== 'as-of'),
      );
      return [{ code: 'calendar', cells, text: `the calendar differs: ${list.map(({ name }) => name).join(', ')}` }];
    }
    case 'data':
      return dataCauses(reading, question, cells, moved, world);
    case 'asOf':
      return [{ code: 'as-of', cells, text: `seen as of ${now.asOf ?? now.model.asOf} instead of ${old.asOf ?? old.model.asOf}` }];
    case 'knownBy':
      return [{ code: 'revision', cells, text: `as known by ${now.knownBy ?? 'now'} instead of ${old.knownBy ?? 'now'}` }];
  }
};

/** Compares the answers to a question, and asks again with one thing changed at a time where several differ. */
const questionDifference = async ({ name, question }: AskedOnBoth, world: World): Promise<QuestionDifference> => {
  const { books, differ, sides } = world;
  const { shared, oneSided } = onBoth(sides, question);
  if (shared.length === 0) return { question: name, readings: [], oneSided };
  const asked: Question = { ...question, show: shared };
  const [before, after] = [await books.ask(mixOf(0), asked), await books.ask(mixOf(1), asked)];
  const [old, now] = [cellsOf(before), cellsOf(after)];
  const labels = before.columns.filter(({ kind }) => kind === 'attribute').map(({ name: attribute }) => attribute);
  const keys = [...new Set([...now.keys, ...old.keys])];
  const names = after.columns.filter(({ kind }) => kind === 'reading').map((column) => column.name);
  const changed = (reading: string, other: typeof now): ReadonlySet<string> =>
    new Set(keys.filter((key) => !isSame(old.at(key, reading), other.at(key, reading))));
  const finals = new Map(names.map((reading) => [reading, changed(reading, now)]));
  const anything = [...finals.values()].some((set) => set.size > 0);
  // One change explains all; of several, each is tried alone.
  const alone = new Map<Factor, { readonly json: ResultJson; readonly cells: ReturnType<typeof cellsOf> }>();
  if (anything && differ.length > 1)
    for (const factor of differ) {
      try {
        const json = await books.ask(mixOf(0, factor), asked);
        alone.set(factor, { json, cells: cellsOf(json) });
      } catch (error) {
        // A mix that cannot be asked, for a column that only one side has, explains nothing alone.
        problemOf(error);
      }
    }
  const readings = names.map((reading): ReadingDifference => {
    const differing = finals.get(reading) as ReadonlySet<string>;
    const text =
      shared
        .map((column) => (typeof column === 'string' ? { is: column, label: column } : { is: column.is, label: column.label ?? column.is }))
        .find(({ label }) => label === reading)?.is ?? reading;
    const why: Cause[] = [];
    const explained = new Set<string>();
    const movedTo = (asOf: string): readonly [string, string] | undefined => (asOf === before.asOf ? undefined : [before.asOf, asOf]);
    if (differing.size > 0 && differ.length === 1) why.push(...causeOf(differ[0], text, asked, differing.size, movedTo(after.asOf), world));
    else if (differing.size > 0) {
      for (const [factor, { json, cells }] of alone) {
        const own = [...changed(reading, cells)].filter((key) => differing.has(key));
        for (const key of own) explained.add(key);
        if (own.length > 0) why.push(...causeOf(factor, text, asked, own.length, movedTo(json.asOf), world));
      }
      const rest = differing.size - explained.size;
      if (rest > 0) why.push({ code: 'together', cells: rest, text: 'none of the changes alone, but all of them together' });
    }
    const list = [...differing].map((key): CellDifference => {
      const [period, ...members] = JSON.parse(key) as string[];
      return {
        period,
        members: Object.fromEntries(labels.map((label, k) => [label, members[k]])),
        was: old.at(key, reading),
        now: now.at(key, reading),
      };
    });
    return { reading, cells: keys.length, differing: list.sort((a, b) => sizeOf(b) - sizeOf(a)), why };
  });
  return { question: name, readings, oneSided };
};

const ALL_ROWS = { fixed: new Map(), hiding: [] };

/** Which rows differ between the data of two sides, source by source, in the columns that both models read. */
const rowChanges = async (sides: readonly [Side, Side]): Promise<readonly RowChange[]> => {
  const stores: Store[] = [];
  try {
    for (const { model, engine } of sides) {
      await loadZones(model.timeZone);
      stores.push(await engine(model).open(model, ALL_ROWS));
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
  for (const { model } of sides) await Promise.all([loadWords('en'), loadWords(model.locale)]);
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
