// `book.verify`: the answer computed twice (V2).
import type { Question } from '../../model/schema.ts';
import type { Cancellation } from '../../plan/request.ts';
import { askIn } from '../ask.ts';
import type { BookRecord } from '../record.ts';
import { type State, stateOf } from '../states/state.ts';
import type { Verification } from '../types.ts';
import { differencesOf } from './differences.ts';
import { plainStore } from './store.ts';

/** Answers a question in a state of the data, and once more row by row (V2). */
export const verifyIn = async (
  book: BookRecord,
  state: State,
  question: Question,
  signal: Cancellation | undefined,
): Promise<Verification> => {
  const { model, opening } = book;
  const result = await askIn(book, state, question, signal);
  const plain = await plainStore(model, state.store, opening);
  const again = await askIn(book, { ...stateOf(model, plain.store, plain.cubes), calendarOver: state.calendarOver }, question, signal);
  return { result, ...differencesOf(result, again) };
};
