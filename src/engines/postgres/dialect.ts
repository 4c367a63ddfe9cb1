import { type Dialect, standardQuotes } from '../sql/dialect.ts';

export const postgresDialect: Dialect = {
  ...standardQuotes,
  name: 'postgres',
  dayNumber: (date) => `(${date} - date '1970-01-01')`,
  toDate: (value) => `${value}::date`,
  tryDate: (text) =>
    `case when ${text} ~ '^\\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\\d|3[01])$' and substr(${text}, 1, 4) <> '0000'
      and cast(substr(${text}, 9, 2) as integer) <= extract(day from cast(substr(${text}, 1, 7) || '-01' as date) + interval '1 month - 1 day')
      then cast(${text} as date) end`,
  milliseconds: (instant) => `(extract(epoch from ${instant}) * 1000)::double precision`,
  toDouble: (value) => `${value}::double precision`,
  toInteger: (value) => `${value}::bigint`,
  toText: (value) => `${value}::text`,
  isNaN: (value) => `${value} = 'NaN'`,
  matches: (text, pattern) => `${text} ~ ${standardQuotes.text(pattern)}`,
  group: (text, pattern, group) => `(regexp_match(${text}, ${standardQuotes.text(pattern)}))[${group}]`,
  byCodePoint: (text) => `${text} collate "C"`,
  integers: (name, columns) =>
    `unnest(${Object.values(columns)
      .map((list) => `array[${Array.from(list).join(', ')}]::integer[]`)
      .join(', ')}) as ${name} (${Object.keys(columns).join(', ')})`,
};
