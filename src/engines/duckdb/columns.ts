// Which types of DuckDB hold the values of a column as they are.
import type { ColumnKind } from '../../basics/columnar.ts';
import type { RawColumn } from '../shared/table.ts';
import { isBlank, numberKey } from '../shared/values.ts';
import type { SqlColumn } from '../sql/dialect.ts';

/** The type a column gets, the kind it has there, and how its values are handed over. */
export interface Loading {
  readonly type: string;
  readonly kind: SqlColumn['kind'];
  readonly as: 'text' | 'double' | 'integer' | 'boolean' | 'date';
}

const TEXT: Loading = { type: 'varchar', kind: 'text', as: 'text' };
const DOUBLE: Loading = { type: 'double', kind: 'double', as: 'double' };
const INTEGER: Loading = { type: 'bigint', kind: 'integer', as: 'integer' };
const BOOLEAN: Loading = { type: 'boolean', kind: 'boolean', as: 'boolean' };
const DATE: Loading = { type: 'date', kind: 'date', as: 'date' };
const point = (kind: 'timestamp' | 'instant', type: string): Loading => ({ type, kind, as: 'text' });

const [LEAST, MOST] = [-(2n ** 63n), 2n ** 63n - 1n];
const fitsInteger = (value: unknown): boolean =>
  typeof value === 'bigint' ? value >= LEAST && value <= MOST : Number.isInteger(value) && Math.abs(value as number) < 2 ** 63;

/** What values of any type have in common. */
const common = (values: RawColumn): Loading => {
  let [numbers, whole, booleans, points, others] = [0, 0, 0, 0, 0];
  for (let i = 0; i < values.length; i++) {
    const value = values[i];
    if (isBlank(value)) continue;
    if (typeof value === 'number' || typeof value === 'bigint') {
      numbers++;
      if (fitsInteger(value)) whole++;
      else if (typeof value === 'bigint') others++;
    } else if (typeof value === 'boolean') booleans++;
    else if (value instanceof Date) points++;
    else others++;
  }
  const kinds = [numbers, booleans, points, others].filter((count) => count > 0).length;
  if (kinds !== 1 || others > 0) return TEXT;
  if (points > 0) return point('instant', 'timestamp');
  if (booleans > 0) return BOOLEAN;
  return whole === numbers ? INTEGER : DOUBLE;
};

/** Nanoseconds need a type of their own, which reaches less far. */
const pointType = (values: RawColumn): string => {
  for (let i = 0; i < values.length; i++) if (/\.\d{7,}/.test(String(values[i] ?? ''))) return 'timestamp_ns';
  return 'timestamp';
};

export const loadingOf = (kind: ColumnKind, values: RawColumn): Loading => {
  switch (kind) {
    case 'date':
      return DATE;
    case 'timestamp':
    case 'instant':
      return point(kind, pointType(values));
    case 'integer':
      return values instanceof Int32Array || Array.from(values).every((value) => isBlank(value) || fitsInteger(value)) ? INTEGER : TEXT;
    case 'double':
      return DOUBLE;
    case 'boolean':
      return BOOLEAN;
    case 'mixed':
      return common(values);
    default:
      return TEXT;
  }
};

/** A value as the text that is handed over: instants are in UTC, which their type does not say. */
export const handedText = (value: unknown, { kind }: Pick<Loading, 'kind'>): string => {
  const text = typeof value === 'number' ? numberKey(value) : value instanceof Date ? value.toISOString() : String(value);
  return kind === 'instant' ? text.replace('Z', '') : text;
};

/** Names of a relation's columns: their own, and where two differ in case alone, others. */
export const physicalNames = (names: readonly string[]): string[] => {
  const taken = new Set<string>();
  return names.map((name, k) => {
    let own = name === '' ? `column_${k}` : name;
    while (taken.has(own.toLowerCase())) own = `${own}_${k}`;
    taken.add(own.toLowerCase());
    return own;
  });
};

/** Columns by these names, called as they can be called beside each other. */
export const columnsNamed = (names: readonly string[], kinds: readonly Omit<SqlColumn, 'name' | 'as'>[]): SqlColumn[] =>
  physicalNames(names).map((as, k) => ({ ...kinds[k], name: names[k], as }));
