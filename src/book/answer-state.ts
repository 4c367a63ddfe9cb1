// What an answer was computed from (V5).
import { fingerprint, stableText } from '../basics/fingerprint.ts';
import type { DataState } from '../engines/engine.ts';
import type { Model } from '../model/model.ts';
import type { AnswerState } from './types.ts';

const models = new WeakMap<object, string>();
const modelPrint = ({ input }: Model): string => {
  const known = models.get(input) ?? fingerprint(stableText(input));
  models.set(input, known);
  return known;
};

export const answerState = (model: Model, seen: DataState | undefined): AnswerState => ({
  model: modelPrint(model),
  ...(seen ? { data: fingerprint(seen.token), time: new Date(seen.time).toISOString() } : {}),
  ...(seen?.snapshots === undefined ? {} : { snapshots: seen.snapshots }),
});
