// What columns hold, by the names of their types.
import type { SqlColumn } from '../sql/dialect.ts';

type Typed = Pick<SqlColumn, 'kind' | 'scale' | 'precision' | 'holds'>;

const UNUSABLE: readonly (readonly [RegExp, string])[] = [
  [/^array\(/, 'lists'],
  [/^row\(/, 'records'],
  [/^map\(/, 'maps'],
  [/^(varbinary|hyperloglog|.*digest.*)/, 'bytes'],
  [/^time(\(|$| )/, 'times of day'],
  [/^interval/, 'intervals'],
  [/^json$/, 'records'],
  [/geometry|geography/i, 'shapes'],
];

const KINDS: readonly (readonly [RegExp, Typed])[] = [
  [/^(tinyint|smallint|integer)$/, { kind: 'integer', precision: 10 }],
  [/^bigint$/, { kind: 'integer', precision: 19 }],
  [/^(double|real)$/, { kind: 'double' }],
  [/^boolean$/, { kind: 'boolean' }],
  [/^date$/, { kind: 'date' }],
  [/^timestamp.* with time zone$/, { kind: 'instant' }],
  [/^timestamp/, { kind: 'timestamp' }],
];

export const trinoColumn = (type: string): Typed => {
  const holds = UNUSABLE.find(([pattern]) => pattern.test(type))?.[1];
  if (holds) return { kind: 'unusable', holds };
  const decimal = /^decimal\((\d+),\s*(\d+)\)/.exec(type);
  if (decimal) {
    const [precision, scale] = [Number(decimal[1]), Number(decimal[2])];
    return scale === 0 ? { kind: 'integer', precision } : { kind: 'decimal', scale, precision };
  }
  return KINDS.find(([pattern]) => pattern.test(type))?.[1] ?? { kind: 'text' };
};
