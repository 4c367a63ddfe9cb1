// A model opened over an engine: the record that every method works on, and the methods.

import { loadZones, zoneDays } from '../calendar/dates.ts';
import { isoOf } from '../calendar/day.ts';
import type { Engine } from '../engines/engine.ts';
import { DurchblickError, suggest } from '../errors.ts';
import { attributeOf } from '../model/attributes.ts';
import type { Model } from '../model/model.ts';
import type { Names } from '../model/names.ts';
import type { Question } from '../model/schema.ts';
import { orAborted } from '../plan/cancel.ts';
import { fixedRange } from '../plan/extent.ts';
import { fixedFilters } from '../plan/fixed.ts';
import { questionNamed } from '../plan/question.ts';
import { factSegments } from '../plan/segments.ts';
import type { CheckedWhere, WhereOf } from '../plan/typed.ts';
import { loadWords, noteText, wordsOf } from '../words/words.ts';
import { asOfNow, type BookRecord, within } from './record.ts';
import { statesOf } from './states/open-states.ts';
import type { State } from './states/state.ts';
import type { AskOptions, Book, OpenBookOptions } from './types.ts';

const MOST_SECONDS = 1e9;

/** Seconds for which a state of the data may be taken for the present one, in milliseconds. */
const refreshOf = (seconds: number | undefined): number => {
  if (seconds === undefined) return 0;
  if (typeof seconds === 'number' && seconds >= 0 && seconds <= MOST_SECONDS) return seconds * 1000;
  throw new DurchblickError('bad-option', `\`refresh\` is ${String(seconds)}`, { hint: 'It takes seconds, 0 or more.' });
};

const CACHE_BYTES = 256 * 2 ** 20;

const recordOf = async (model: Model, engine: Engine, options: OpenBookOptions): Promise<BookRecord> => {
  await loadZones(model.timeZone);
  await loadWords(model.locale);
  const fixed = fixedFilters(model, options.where);
  const opening = {
    fixed: fixed.byFact,
    hiding: fixed.asked.map(({ attribute, test }) => ({ kind: 'members' as const, attribute, test, why: 'fixed' as const })),
  };
  const range = fixedRange(model);
  const clock = options.clock ?? (() => Date.now());
  const inZone = zoneDays(model.timeZone);
  const states = await statesOf(model, {
    openStore: () => engine.open(model, opening),
    check: async (state) => {
      if (fixed.asked.length > 0) await (await import('./fixed-members.ts')).checkFixedMembers(fixed.asked, state.store.members);
    },
    cacheBytes: options.cacheBytes ?? CACHE_BYTES,
    refresh: refreshOf(options.refresh),
    keepsGood: options.whenBad === 'keep',
  });
  return {
    model,
    states,
    today: () => inZone(clock()),
    fixed: fixed.asked,
    opening,
    range,
    segments: factSegments(),
    once: options.asked === 'once',
  };
};

/** First and last day with data in a role. */
const boundsOf = (book: BookRecord, fact: string, role: string): ReturnType<Book['bounds']> => {
  const { facts } = book.model;
  const known = facts.get(fact);
  if (!known?.roles.has(role))
    throw new DurchblickError('unknown-role', `there is no fact "${fact}" with a date "${role}"`, {
      hint: suggest(fact, facts.keys(), 'facts'),
    });
  return within(book, undefined, {}, (_, __, bounds) => bounds(known, role));
};

/** Opens a model over an engine: reads and checks dates, builds the calendar, and answers questions from then on. */
export const open = async <N extends Names, const W extends WhereOf<N> = WhereOf<N>>(
  model: Model<N>,
  engine: Engine,
  options: OpenBookOptions<NoInfer<N>, W & CheckedWhere<W, NoInfer<N>>> = {},
): Promise<Book<N>> => {
  const book = await recordOf(model, engine, options as OpenBookOptions);
  const { states } = book;
  // Tables of periods and holidays are read and laid out now: what is wrong with them is told before any answer.
  await asOfNow(book).catch(async (error: unknown) => {
    await states.close();
    throw error;
  });
  /** Something that may be given up, in the present state. */
  const inState = <T>(run: (state: State) => Promise<T>, { signal }: AskOptions): Promise<T> =>
    orAborted(() => states.run(run, signal), signal);
  // What answers a question is loaded beside the data, so that a page shows itself before.
  const answering = () => import('./ask.ts');
  answering().catch(() => undefined);
  const ask = (question: string | Question, asking: AskOptions = {}) =>
    inState(async (state) => (await answering()).askIn(book, state, questionNamed(model, question), asking.signal), asking);
  // What is asked for seldom is loaded when it is asked for.
  return {
    model,
    isFiltered: book.fixed.length > 0,
    ask: ask as Book<N>['ask'],
    // Loaded under way: a book that is closed meanwhile waits for it.
    verify: ((question: string | Question, asking: AskOptions = {}) =>
      inState(
        async (state) => (await import('./seldom.ts')).verifyIn(book, state, questionNamed(model, question), asking.signal),
        asking,
      )) as Book<N>['verify'],
    explain: (request, asking = {}) =>
      inState(async (state) => (await import('./seldom.ts')).explainIn(book, state, request, asking.signal), asking),
    asOf: (text) => asOfNow(book, text),
    calendar: async (range) => (await import('./seldom.ts')).calendarOf(book, range),
    range: async (text, asOf) => (await import('./seldom.ts')).rangeDays(book, text, asOf),
    windows: async (asked) => (await import('./seldom.ts')).windowsOf(book, asked),
    alerts: async (text) => (await import('./seldom.ts')).alertsAt(book, isoOf(await asOfNow(book, text)), ask),
    figures: async () => (await import('./seldom.ts')).figuresOf(book),
    check: async () => (await import('./seldom.ts')).checkBook(book),
    names: async (locale = model.locale) => {
      await loadWords(locale);
      return (await import('./seldom.ts')).namesOf(model, locale);
    },
    bounds: (fact, role) => boundsOf(book, fact, role),
    members: async (name) => {
      const attribute = attributeOf(model, name);
      if (attribute.kind !== 'calendar') return states.run((state) => state.store.members(attribute));
      const { standingTable } = await import('../calendar/standing-table.ts');
      return within(book, undefined, {}, (_, calendar) => standingTable(calendar, attribute.standing).members);
    },
    get dataNotes() {
      const words = wordsOf(model.locale);
      return states.notes().map((note) => ({ ...note, message: noteText(note, words) }));
    },
    refresh: async () => {
      const { seen, turnedBad } = await states.refresh();
      return seen && { ...(await import('./answer-state.ts')).answerState(model, seen), ...(turnedBad === undefined ? {} : { turnedBad }) };
    },
    cost: states.cost,
    close: states.close,
  };
};
