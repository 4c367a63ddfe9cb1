// `book.ask`: one question in one state of the data.
import { answer } from '../evaluate/answer.ts';
import type { Question } from '../model/schema.ts';
import type { Cancellation } from '../plan/request.ts';
import { resultOf } from '../result/result.ts';
import { answerState } from './answer-state.ts';
import { prepared } from './prepare.ts';
import type { BookRecord } from './record.ts';
import type { State } from './states/state.ts';
import { withFiles } from './travelled.ts';
import type { Result } from './types.ts';

/** Answers a question in a state of the data. */
export const askIn = async (book: BookRecord, state: State, question: Question, signal: Cancellation | undefined): Promise<Result> => {
  const { asked, axis, split, evaluation, found, asOf } = await prepared(book, state, question, signal);
  if (state.turnedBad !== undefined)
    evaluation.over.notes.add('turned-bad', { code: 'turned-bad', reason: state.turnedBad, time: state.seen?.time ?? 0 });
  return withFiles(
    resultOf(await answer(asked, axis, split, evaluation), asked, book.model, asOf, found),
    answerState(book.model, state.seen),
  );
};
