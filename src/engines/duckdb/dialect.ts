import { type ColumnKind, type Dialect, standardQuotes } from '../sql/dialect.ts';

export const duckdbDialect: Dialect = {
  ...standardQuotes,
  name: 'duckdb',
  dayNumber: (date) => `(${date} - date '1970-01-01')::integer`,
  toDate: (value) => `${value}::date`,
  tryDate: (text) => `try_cast(${text} as date)`,
  milliseconds: (instant) => `epoch_ms(${instant})::double`,
  toDouble: (value) => `${value}::double`,
  toInteger: (value) => `${value}::bigint`,
  toText: (value) => `${value}::varchar`,
  isNaN: (value) => `isnan(${value})`,
  matches: (text, pattern) => `regexp_matches(${text}, ${standardQuotes.text(pattern)})`,
  group: (text, pattern, group) => `regexp_extract(${text}, ${standardQuotes.text(pattern)}, ${group})`,
  byCodePoint: (text) => text,
  integers: (name, columns) =>
    `(select ${Object.entries(columns)
      .map(([column, list]) => `unnest([${Array.from(list).join(', ')}]) as ${column}`)
      .join(', ')}) as ${name}`,
};

/** The kind of a column by the name of its type. */
export const duckdbKind = (type: string): { readonly kind: ColumnKind; readonly scale?: number } => {
  const decimal = /^DECIMAL\(\d+,(\d+)\)/.exec(type);
  if (decimal) return Number(decimal[1]) === 0 ? { kind: 'integer' } : { kind: 'decimal', scale: Number(decimal[1]) };
  if (/^U?(TINYINT|SMALLINT|INTEGER|BIGINT|HUGEINT)$/.test(type)) return { kind: 'integer' };
  if (type === 'DOUBLE' || type === 'FLOAT') return { kind: 'double' };
  if (type === 'DATE') return { kind: 'date' };
  if (type === 'TIMESTAMP WITH TIME ZONE') return { kind: 'instant' };
  if (type.startsWith('TIMESTAMP')) return { kind: 'timestamp' };
  return { kind: type === 'BOOLEAN' ? 'boolean' : 'text' };
};

/**
 * What a connection is told first. Days times members are a dense range of small integers: up to 2^20 groups DuckDB
 * then adds up in an array instead of a hash table, twice as fast.
 */
export const DUCKDB_SETTINGS = 'set perfect_ht_threshold = 20';
