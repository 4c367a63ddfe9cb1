// What DuckDB says differently.
import { type Dialect, type SqlColumn, type SqlKind, standardQuotes } from '../sql/dialect.ts';

/** Characters of an expression that takes longer to compute than to keep. */
const LONG = 200;

export const duckdbDialect: Dialect = {
  ...standardQuotes,
  name: 'duckdb',
  dayNumber: (date) => `(${date} - date '1970-01-01')::integer`,
  toDate: (value) => `${value}::date`,
  // In the branches of a CASE it does not share a repeated expression; a short expression costs less than a list of one.
  once: (value, name, body) => (value.length > LONG ? `list_transform([${value}], lambda ${name}: ${body(name)})[1]` : body(value)),
  dayOfText: (text) => `(try_cast(${text} as date) - date '1970-01-01')::integer`,
  seconds: (instant) => `epoch(date_trunc('second', ${instant}))`,
  toDouble: (value) => `${value}::double`,
  // What is greater than any double is no error there, but infinite.
  tryDouble: (text) => `nullif(nullif(try_cast(${text} as double), 'infinity'::double), '-infinity'::double)`,
  toInteger: (value) => `${value}::bigint`,
  // Values of interest have 16 digits at most; more digits before the point are an error, not a wrong number.
  exactly: (value, scale) => `cast(cast(${value} as decimal(24, 6)) * ${10 ** scale} as bigint)`,
  toText: (value) => `${value}::varchar`,
  decimalText: (value) => `rtrim(rtrim(${value}::varchar, '0'), '.')`,
  isNaN: (value) => `isnan(${value})`,
  matches: (text, pattern) => `regexp_matches(${text}, ${standardQuotes.text(pattern)})`,
  group: (text, pattern, group) => `regexp_extract(${text}, ${standardQuotes.text(pattern)}, ${group})`,
  byCodePoint: (text) => text,
  eachDay: (first, last) => `unnest(range(${first}, ${last} + 1))`,
};

const UNUSABLE: readonly (readonly [RegExp, string])[] = [
  [/\[\d*\]$/, 'lists'],
  [/^STRUCT/, 'records'],
  [/^MAP/, 'maps'],
  [/^UNION/, 'values of several types'],
  [/^(BLOB|BIT|GEOMETRY)/, 'bytes'],
  [/^TIME( |$|_NS)/, 'times of day'],
  [/^INTERVAL/, 'intervals'],
];

/** The kind of a column by the name of its type. */
export const duckdbKind = (type: string): Pick<SqlColumn, 'kind' | 'scale' | 'precision' | 'holds'> => {
  const holds = UNUSABLE.find(([pattern]) => pattern.test(type))?.[1];
  if (holds) return { kind: 'unusable', holds };
  const decimal = /^DECIMAL\((\d+),\s*(\d+)\)/.exec(type);
  if (decimal) {
    const [precision, scale] = [Number(decimal[1]), Number(decimal[2])];
    return scale === 0 ? { kind: 'integer', precision } : { kind: 'decimal', scale, precision };
  }
  if (/^U?(TINYINT|SMALLINT|INTEGER|BIGINT|HUGEINT)$/.test(type))
    return { kind: 'integer', precision: /TINY|SMALL|^U?INTEGER/.test(type) ? 10 : 39 };
  if (type === 'DOUBLE' || type === 'FLOAT') return { kind: 'double' };
  if (type === 'DATE') return { kind: 'date' };
  if (type === 'TIMESTAMP WITH TIME ZONE') return { kind: 'instant' };
  if (type.startsWith('TIMESTAMP')) return { kind: 'timestamp' };
  return { kind: (type === 'BOOLEAN' ? 'boolean' : 'text') satisfies SqlKind };
};

/**
 * What a connection is told first. Days times members are a dense range of small integers: up to 2^20 groups DuckDB
 * then adds up in an array instead of a hash table, twice as fast.
 */
export const DUCKDB_SETTINGS = 'set perfect_ht_threshold = 20';
