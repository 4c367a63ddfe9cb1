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

const isText = (value: unknown): boolean => typeof value === 'string';
const isObject = (value: unknown): boolean => typeof value === 'object' && value !== null && !Array.isArray(value);
const isListOf =
  (isOne: (value: unknown) => boolean) =>
  (value: unknown): boolean =>
    Array.isArray(value) && value.every(isOne);
const isCell = (value: unknown): boolean => value === null || isText(value) || typeof value === 'number';

/** Checks for each required key of a serialized result. */
const PARTS: Readonly<Record<string, (value: unknown) => boolean>> = {
  asOf: isText,
  periods: isListOf((period) => isObject(period) && isText((period as { label?: unknown }).label)),
  columns: isListOf((column) => isObject(column) && isText((column as { name?: unknown }).name)),
  rows: isListOf(isListOf(isCell)),
  totals: isListOf(isListOf(isCell)),
  compared: isObject,
  notes: isListOf(isObject),
  locale: isText,
};

/**
 * A result again from its `toJson()`, after it travelled from a server or a worker: it can be written as a table, CSV or
 * Parquet, and drawn, without model or data. Throws `bad-json` if a key is missing or has the wrong type.
 */
export const resultFromJson = (json: ResultJson): Result => {
  const given = (json ?? {}) as unknown as Readonly<Record<string, unknown>>;
  const wrong = (what: string): DurchblickError =>
    new DurchblickError('bad-json', `this is not a serialized result: ${what}`, { hint: 'Pass the return value of toJson().' });
  for (const [part, isRight] of Object.entries(PARTS)) {
    if (given[part] === undefined) throw wrong(`"${part}" is missing`);
    if (!isRight(given[part])) throw wrong(`"${part}" has the wrong type`);
  }
  const width = json.columns.length;
  if (![...json.rows, ...json.totals].every((row) => row.length === width)) throw wrong(`its rows must have ${width} cells each`);
  return withFiles(withOutputs(json), undefined);
};
