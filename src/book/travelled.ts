// Results that came as JSON from elsewhere, and the ways out that need code of their own.
import { DurchblickError } from '../errors.ts';
import { withOutputs } from '../result/outputs.ts';
import type { PlainResult, ResultJson } from '../result/types.ts';
import type { AnswerState, Result } from './types.ts';

/** A result with the ways out that need code of their own. */
export const withFiles = (result: PlainResult, state: AnswerState | undefined): Result => ({
  ...result,
  ...(state ? { state } : {}),
  toArrow: async () => (await import('../files/formats.ts')).arrowTable(result.toColumns()),
  toParquet: async () => (await import('../files/formats.ts')).parquetOf(result.toColumns()),
});

const PARTS = ['asOf', 'periods', 'columns', 'rows', 'totals', 'compared', 'notes', 'locale'] as const;

/**
 * A result again from its `toJson()`, after it travelled from a server or a worker: it can be written as a table, CSV or
 * Parquet, and drawn, without model or data. Throws `bad-json` where a part of it is missing.
 */
export const resultFromJson = (json: ResultJson): Result => {
  const missing = PARTS.find((part) => (json as Partial<ResultJson> | null)?.[part] === undefined);
  if (missing !== undefined)
    throw new DurchblickError('bad-json', `this is no answer: it has no "${missing}"`, {
      hint: 'It takes what toJson() of a result gave.',
    });
  return withFiles(withOutputs(json), undefined);
};
