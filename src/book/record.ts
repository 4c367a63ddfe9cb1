// What all methods of a book work on: one plain record, made once when a model is opened.
import type { Calendar } from '../calendar/calendar.ts';
import type { Day } from '../calendar/day.ts';
import type { OpenOptions } from '../engines/engine.ts';
import type { Model } from '../model/model.ts';
import { asOfDay, asOfReach, type FactBounds } from '../plan/axis.ts';
import { dataDays, periodBounds, type Reaching } from '../plan/extent.ts';
import type { AskedFilter } from '../plan/question.ts';
import { NO_REACH } from '../plan/reach.ts';
import type { Bounds } from '../plan/request.ts';
import type { FactSegments } from '../plan/segments.ts';
import type { State, States } from './states/state.ts';

export interface BookRecord {
  readonly model: Model;
  readonly states: States;
  /** The present day in the model's time zone. */
  readonly today: () => Day;
  /** Filters fixed for good, as they were asked and as engines take them (V3). */
  readonly fixed: readonly AskedFilter[];
  readonly opening: OpenOptions;
  /** The range that the model fixes for its calendar. */
  readonly range: Bounds | undefined;
  readonly segments: FactSegments;
  /** The book answers one question: what serves others as well is not fetched from a database. */
  readonly once: boolean;
}

/** Days that a calendar must cover for a state of the data and an as-of date. */
export const anchorDays = async ({ model, range, today }: BookRecord, state: State, asOf: Day): Promise<Day[]> => {
  const days = dataDays(model, await state.bounds(undefined), range);
  return range ? [range.first, range.last, asOf] : [...(days.length > 0 ? days : [today()]), asOf];
};

/** The as-of date of a text in a state of the data (A1). */
export const asOfIn = async (book: BookRecord, state: State, text: string): Promise<Day> => {
  const { model, today } = book;
  const raw = await state.bounds(undefined);
  const rough = asOfDay(text, model, undefined, today(), raw);
  const calendar = await state.calendarOver(await anchorDays(book, state, rough), (unitDays) => asOfReach(text, model, unitDays));
  return asOfDay(text, model, calendar, today(), periodBounds(raw, calendar));
};

/** The as-of date of a text in the present state; the model's own when left out. */
export const asOfNow = (book: BookRecord, text = book.model.asOf): Promise<Day> => book.states.run((state) => asOfIn(book, state, text));

/** What a calendar must cover beyond the data and the as-of date. */
export interface More {
  readonly days?: readonly Day[];
  readonly reaching?: Reaching;
}

/** Something done with a calendar over the data of the present state, an as-of date and more, and with the bounds in it. */
export const within = <T>(
  book: BookRecord,
  text: string | undefined,
  { days = [], reaching = () => NO_REACH }: More,
  run: (asOf: Day, calendar: Calendar, bounds: FactBounds) => T | Promise<T>,
): Promise<T> =>
  book.states.run(async (state) => {
    const asOf = await asOfIn(book, state, text ?? book.model.asOf);
    const calendar = await state.calendarOver([...(await anchorDays(book, state, asOf)), ...days], reaching);
    return run(asOf, calendar, periodBounds(await state.bounds(undefined), calendar));
  });
