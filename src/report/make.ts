// Makes the data of a report: asks its questions in every way that may be switched, and fetches what that takes day by day.
import { answerState } from '../book/answer-state.ts';
import { open } from '../book/open.ts';
import type { Book } from '../book/types.ts';
import { addMonths, isoOf, toDay } from '../calendar/day.ts';
import type { Engine, Store } from '../engines/engine.ts';
import { DurchblickError, suggest } from '../errors.ts';
import { type AttributeRef, attributeOf } from '../model/attributes.ts';
import type { Fact, Model } from '../model/model.ts';
import type { ModelInput, Question, WhereInput } from '../model/schema.ts';
import { bindText, leavesOf } from '../plan/bind.ts';
import { isCalendar } from '../plan/days.ts';
import { reaches } from '../plan/members/kinds.ts';
import { questionNamed } from '../plan/question.ts';
import type { Bounds, RowSet, Segments } from '../plan/request.ts';
import { aggregateKey } from '../plan/request-keys.ts';
import { equalSegments } from '../plan/segments.ts';
import { type Choices, chosen } from './choices.ts';
import type { CubeBase, KeysBase, Offers, ReportData, ReportQuestion, TallyBase } from './data.ts';
import type { SeenRequest } from './keys.ts';
import { type Recording, recording, type WantedCube, type WantedRows } from './record.ts';

export interface ReportOptions {
  /** Names of questions of the model, in the order of the report. */
  readonly questions: readonly string[];
  /** Attributes whose members may be chosen; those that any of the questions splits by when left out. */
  readonly filters?: readonly string[];
  /** Filters fixed for good: what they hide is not in the report (V3). */
  readonly where?: WhereInput;
  /** The present instant in milliseconds; what `today` means. Default: the system clock. */
  readonly clock?: () => number;
}

/** Windows that are offered beside those of the model's own. */
const WINDOWS = ['so-far', 'mtd', 'qtd', 'ytd', 'rolling-7-days', 'rolling-28-days', 'rolling-3-months', 'rolling-12-months'];
const COMPARISONS = ['previous', 'year-earlier'];
/** Languages that answers are written in beside the model's own (R5). */
const LOCALES = ['en-GB', 'de'];
/** Where numbers hang on the as-of date, so many ends of months before it are held. */
const MONTHS = 12;
/** More members are no list to choose from. */
const MOST_CHOICES = 200;
/** More entries than this make no file that is mailed. */
const MOST_ENTRIES = 3_000_000;

const isFault = (error: unknown): undefined => {
  if (!(error instanceof DurchblickError)) throw error;
  return undefined;
};

/** What the model says of itself without what the report does not need: where data lie, and numbers that somebody vouches for. */
const told = ({ input }: Model, questions: readonly string[]): ModelInput => {
  const { figures: _, publications: __, includes: ___, sources = {}, questions: all = {}, calendar, ...rest } = input;
  const { workingDays } = calendar ?? {};
  return {
    ...rest,
    ...(calendar && {
      calendar: {
        ...calendar,
        ...(typeof workingDays?.holidays === 'string' && { workingDays: { ...workingDays, holidays: 'holidays.ics' } }),
      },
    }),
    sources: Object.fromEntries(Object.keys(sources).map((name) => [name, { table: name }])),
    questions: Object.fromEntries(Object.entries(all).filter(([name]) => questions.includes(name))),
  };
};

const factsOf = (model: Model, { show }: Question): readonly Fact[] => [
  ...new Set(
    show.flatMap((shown) => leavesOf(bindText(model, typeof shown === 'string' ? shown : shown.is)).map(({ measure }) => measure.fact)),
  ),
];

/** Members to choose from, of attributes that all facts of a question reach and that it does not filter itself. */
const filtersFor = async (book: Book, question: Question, wanted: readonly string[]): Promise<Record<string, readonly string[]>> => {
  const { model } = book;
  const found: Record<string, readonly string[]> = {};
  for (const name of wanted) {
    const attribute = attributeOf(model, name);
    if (question.where?.[name] !== undefined || isCalendar(attribute)) continue;
    if (!factsOf(model, question).every((fact) => reaches(fact, attribute))) continue;
    const members = await book.members(name);
    if (members.length > 1 && members.length <= MOST_CHOICES) found[name] = members;
  }
  return found;
};

/** Asks a question with something switched, and why its last row is what it is; says whether it can be asked so. */
const asks = async (book: Book, question: Question, choices: Choices, why: 'explained' | 'alone' = 'alone'): Promise<boolean> => {
  const asked = chosen(question, choices);
  const result = await book.ask(asked).catch(isFault);
  if (!result) return false;
  if (why === 'alone') return true;
  const row = result.rows[result.rows.length - 1];
  for (const { kind, expression } of result.columns) {
    if (kind !== 'reading' || !row || typeof asked.by === 'object') continue;
    const members = Object.fromEntries((asked.per ?? []).map((name, at) => [name, String(row[1 + at])]));
    const { asOf, knownBy, where, by } = asked;
    await book
      .explain({
        reading: expression as string,
        at: String(row[0]),
        members,
        asOf,
        knownBy,
        where,
        rows: 0,
        ...(by === undefined ? {} : { by: by as string }),
      })
      .catch(isFault);
  }
  return true;
};

const works = async (book: Book, question: Question, list: readonly string[], key: 'by' | 'over' | 'vs'): Promise<string[]> => {
  const found: string[] = [];
  for (const value of list) if (await asks(book, question, { [key]: value }, key === 'by' ? 'alone' : 'explained')) found.push(value);
  return found;
};

/** What has been asked for so far. */
const sizeOf = ({ cubes, seen, tallies }: Recording): number =>
  [...cubes.values()].reduce((sum, { aggregates }) => sum + aggregates.size, cubes.size + seen.size + tallies.size);

/** Earlier as-of dates: all, where they ask for nothing that was not asked for before. */
const asOfFor = async (book: Book, question: Question, recorded: Recording): Promise<Offers['asOf']> => {
  const own = toDay((await book.ask(question)).asOf);
  const before = sizeOf(recorded);
  const earlier = Array.from({ length: MONTHS }, (_, k) => addMonths(own, -k - 1)).map((day) => isoOf(endOfMonth(day)));
  const found: string[] = [isoOf(own)];
  for (const asOf of earlier) if (await asks(book, question, { asOf })) found.push(asOf);
  if (sizeOf(recorded) > before) return found;
  const first = await firstDay(book, question);
  return { first: isoOf(Math.min(first, own)), last: isoOf(own) };
};

const endOfMonth = (day: number): number => {
  const [year, month] = isoOf(day).split('-').map(Number);
  return addMonths(toDay(`${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-01`), 1) - 1;
};

const firstDay = async (book: Book, question: Question): Promise<number> => {
  const days = await Promise.all(
    factsOf(book.model, question).flatMap((fact) =>
      Array.from(fact.roles.keys(), async (role) => (await book.bounds(fact.name, role))?.first),
    ),
  );
  return Math.min(...days.filter((day): day is number => day !== undefined));
};

const offersFor = async (book: Book, question: Question, recorded: Recording, wanted: readonly string[]): Promise<Offers> => {
  const { model } = book;
  const filters = await filtersFor(book, question, wanted);
  const windows = [
    ...new Set([
      ...WINDOWS.filter((name) => model.windows.has(name)),
      ...[...model.windows.values()].filter(({ builtIn }) => !builtIn).map(({ name }) => name),
    ]),
  ];
  const comparisons = [...new Set([...COMPARISONS, ...Object.keys(model.input.comparisons ?? {})])].filter((name) =>
    model.comparisons.has(name),
  );
  await asks(book, question, {}, 'explained');
  const own = {
    units: await works(book, question, [...model.units], 'by'),
    windows: await works(book, question, windows, 'over'),
    comparisons: await works(book, question, comparisons, 'vs'),
  };
  // Windows and comparisons together, and with members chosen: what they take of the engine is what each takes, and all of it.
  for (const vs of own.comparisons) for (const over of own.windows.slice(0, 1)) await asks(book, question, { vs, over });
  for (const [name, members] of Object.entries(filters)) {
    for (const vs of [undefined, ...own.comparisons])
      await asks(book, question, { where: { [name]: members.slice(0, 1) }, ...(vs ? { vs } : {}) });
  }
  return { ...own, filters, asOf: await asOfFor(book, question, recorded) };
};

const tooLarge = (): never => {
  throw new DurchblickError('report-too-large', 'the report would be larger than 5 MB', {
    hint: 'Leave out filters (--filter with fewer attributes), or questions with distinct counts, percentiles or many members.',
  });
};

/** Single days over all that a role has; of coarse facts the periods that were asked for. */
const segmentsFor = async (
  store: Store,
  { fact, role, knownBy, hidden }: RowSet,
  asked: ReadonlyMap<number, number>,
): Promise<Segments> => {
  if (role !== undefined && fact.grain === 'day') {
    const bounds: Bounds | undefined = (await store.bounds(fact, knownBy, hidden === 'counted' ? 'all' : 'seen')).get(role);
    return equalSegments(bounds ?? { first: 0, last: -1 }, 1);
  }
  const starts = Int32Array.from(asked.keys()).sort();
  return { key: `asked:${starts.join()}`, starts, ends: starts.map((start) => asked.get(start) as number) };
};

const cubeBase = async (store: Store, { request, attributes, aggregates, segments: asSegments }: WantedCube): Promise<CubeBase> => {
  const keys = [...attributes.keys()];
  const segments = await segmentsFor(store, request, asSegments);
  const asked = { ...request, attributes: [...attributes.values()], segments, aggregates: [...aggregates.values()] };
  const [{ tuples, columns }] = await store.cubes([asked]);
  const rows = columns[0].cells;
  const [day, member, kept]: [number[], number[], number[]] = [[], [], []];
  // By member and then by day: what is alike stands together.
  for (let m = 0; m < tuples.length; m++)
    for (let s = 0; s < segments.starts.length; s++) {
      const at = s * tuples.length + m;
      if (!(rows[at] > 0)) continue;
      day.push(segments.starts[s]);
      member.push(m);
      kept.push(at);
    }
  return {
    attributes: keys,
    tuples,
    day,
    member,
    columns: Object.fromEntries(
      asked.aggregates.map((aggregate, k) => {
        const { scale, long, cells } = columns[k];
        return [
          aggregateKey(aggregate),
          { scale, ...(long ? { long } : {}), cells: kept.map((at) => (Number.isFinite(cells[at]) ? cells[at] : null)) },
        ];
      }),
    ),
  };
};

const keysBase = async (store: Store, { request, attributes: known, segments: asSegments }: WantedRows<SeenRequest>): Promise<KeysBase> => {
  if (!store.seenKeys)
    throw new DurchblickError('no-seen-keys', 'this engine cannot tell what distinct counts are made of', {
      kind: 'engine',
      hint: 'Make the report with another engine.',
    });
  const attributes = [...known.values()];
  const segments = await segmentsFor(store, request, asSegments);
  const [first, last] = [segments.starts[0] ?? 0, segments.ends[segments.ends.length - 1] ?? -1];
  const windows = first <= last ? [{ from: Int32Array.of(first), to: Int32Array.of(last) }] : [];
  const found = windows.length === 0 ? undefined : await store.seenKeys({ ...request, attributes, segments, windows });
  return {
    attributes: attributes.map(({ key }) => key),
    tuples: found?.tuples ?? [],
    key: Array.from(found?.key ?? []),
    member: Array.from(found?.member ?? []),
    day: Array.from(found?.day ?? []),
    ...(found?.weight ? { weight: Array.from(found.weight) } : {}),
    scale: found?.scale ?? 0,
  };
};

/** Whatever is filtered later must be told apart, whether or not a question was asked so. */
const withFilters = ({ cubes, seen, tallies }: Recording, filters: readonly AttributeRef[]): void => {
  for (const { request, attributes } of [...cubes.values(), ...seen.values(), ...tallies.values()]) {
    if (request.hidden === 'counted')
      throw new DurchblickError('hidden-shares', `what ${request.fact.name} is spread in the shape of has rows that fixed filters hide`, {
        hint: 'A report would hold them: leave out measures that are spread across members.',
      });
    for (const attribute of filters) if (reaches(request.fact, attribute)) attributes.set(attribute.key, attribute);
  }
};

const basesOf = async (recorded: Recording, filters: readonly AttributeRef[]): Promise<Pick<ReportData, 'cubes' | 'keys' | 'tallies'>> => {
  const store = recorded.store();
  withFilters(recorded, filters);
  let entries = 0;
  const counted = (count: number): void => {
    entries += count;
    if (entries > MOST_ENTRIES) tooLarge();
  };
  const cubes: Record<string, CubeBase> = {};
  for (const [key, wanted] of recorded.cubes) {
    cubes[key] = await cubeBase(store, wanted);
    counted(cubes[key].day.length * wanted.aggregates.size);
  }
  const keys: Record<string, KeysBase> = {};
  for (const [key, wanted] of recorded.seen) {
    keys[key] = await keysBase(store, wanted);
    counted(keys[key].day.length);
  }
  const tallies: Record<string, TallyBase> = {};
  for (const [key, { request, attributes, segments: asked }] of recorded.tallies) {
    const own = [...attributes.values()];
    const segments = await segmentsFor(store, request, asked);
    const found = await store.tallies({ ...request, attributes: own, segments });
    counted(found.segment.length);
    tallies[key] = {
      attributes: own.map((attribute) => attribute.key),
      tuples: found.tuples,
      day: Array.from(found.segment, (segment) => segments.starts[segment]),
      member: Array.from(found.member),
      value: Array.from(found.value),
      count: Array.from(found.count),
      scale: found.scale,
    };
  }
  return { cubes, keys, tallies };
};

/** Holidays long before and after the data: calendars grow with what is asked. */
const holidaysIn = async (model: Model, store: Store, first: number, last: number): Promise<ReportData['holidays']> => {
  const holidays = model.input.calendar?.workingDays?.holidays;
  if (typeof holidays !== 'string') return [];
  const found = await store.holidays(holidays, model.timeZone, first, last);
  return found.map(({ day, name }) => ({ day: typeof day === 'string' ? toDay(day) : day, name }));
};

const YEARS_AROUND = 12;

/** Everything that a report holds. Its questions are asked in one state of the data. */
export const reportData = async (model: Model, engine: Engine, options: ReportOptions): Promise<ReportData> => {
  const now = (options.clock ?? Date.now)();
  const recorded = recording(engine);
  const book = await open(model, recorded.engine, {
    clock: () => now,
    ...(options.where ? { where: options.where } : {}),
  });
  try {
    for (const name of options.filters ?? []) attributeOf(model, name);
    const questions: ReportQuestion[] = [];
    const filters = options.filters ?? [...new Set(options.questions.flatMap((name) => model.questions.get(name)?.question.per ?? []))];
    for (const name of options.questions) {
      if (!model.questions.has(name))
        throw new DurchblickError('unknown-question', `there is no question "${name}"`, {
          hint: suggest(name, model.questions.keys(), 'questions'),
        });
      const question = questionNamed(model, name);
      // What is wrong with the question as it stands is told.
      await book.ask(question);
      questions.push({ name, question, offers: await offersFor(book, question, recorded, filters) });
    }
    const store = recorded.store();
    const calendar = await book.calendar();
    return {
      made: new Date(now).toISOString(),
      state: answerState(model, store.sees ?? store.opened),
      model: told(model, options.questions),
      now,
      questions,
      locales: [...new Set([model.locale, ...LOCALES])],
      notes: store.notes,
      called: Object.fromEntries(recorded.called),
      holidays: await holidaysIn(model, store, calendar.first - YEARS_AROUND * 366, calendar.last + YEARS_AROUND * 366),
      ...(await basesOf(
        recorded,
        [...new Set(questions.flatMap(({ offers }) => Object.keys(offers.filters)))].map((name) => attributeOf(model, name)),
      )),
    };
  } finally {
    await book.close();
  }
};
