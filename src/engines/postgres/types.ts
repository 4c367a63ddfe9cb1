// What columns of PostgreSQL hold, by the types that it says they have.
import type { SqlColumn } from '../sql/dialect.ts';

/** What is known of a column by its type, and how it is read where it is not usable as it stands. */
export interface TypedColumn extends Pick<SqlColumn, 'kind' | 'scale' | 'precision' | 'holds'> {
  readonly cast?: 'text' | 'bigint' | 'numeric';
}

const KINDS: Readonly<Record<number, TypedColumn>> = {
  16: { kind: 'boolean' },
  17: { kind: 'unusable', holds: 'bytes' },
  20: { kind: 'integer', precision: 19 },
  21: { kind: 'integer', precision: 5 },
  23: { kind: 'integer', precision: 10 },
  25: { kind: 'text' },
  26: { kind: 'integer', precision: 10, cast: 'bigint' },
  114: { kind: 'unusable', holds: 'records' },
  700: { kind: 'double' },
  701: { kind: 'double' },
  790: { kind: 'decimal', cast: 'numeric' },
  1043: { kind: 'text' },
  1082: { kind: 'date' },
  1083: { kind: 'unusable', holds: 'times of day' },
  1114: { kind: 'timestamp' },
  1184: { kind: 'instant' },
  1186: { kind: 'unusable', holds: 'intervals' },
  1266: { kind: 'unusable', holds: 'times of day' },
  3802: { kind: 'unusable', holds: 'records' },
};

/** Categories of other types whose values are no plain ones (pg_type.typcategory). */
const CATEGORIES: Readonly<Record<string, string>> = { A: 'lists', C: 'records', G: 'shapes', R: 'ranges', T: 'intervals', V: 'bits' };

const NUMERIC = 1700;

/** Types of which nothing is known until their categories are looked up. */
export const isKnownType = (type: number): boolean => type === NUMERIC || type in KINDS;

/** A numeric column keeps its precision and scale in its type modifier, off by 4; without one it may have any digits. */
const numericColumn = (modifier: number): TypedColumn => {
  if (modifier < 4) return { kind: 'decimal' };
  const [precision, scale] = [((modifier - 4) >> 16) & 0xffff, (((modifier - 4) & 0x7ff) ^ 1024) - 1024];
  if (scale > 0) return { kind: 'decimal', scale, precision };
  return scale === 0 ? { kind: 'integer', precision } : { kind: 'decimal' };
};

export const columnOfType = (type: number, modifier: number, categories: ReadonlyMap<number, string>): TypedColumn => {
  if (type === NUMERIC) return numericColumn(modifier);
  const holds = CATEGORIES[categories.get(type) ?? ''];
  return KINDS[type] ?? (holds ? { kind: 'unusable', holds } : { kind: 'text', cast: 'text' });
};
