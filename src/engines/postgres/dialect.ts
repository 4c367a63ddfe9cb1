// What PostgreSQL says differently.
import { type Dialect, standardQuotes } from '../sql/dialect.ts';
import { quoteText } from './settings.ts';

/** The greatest double, and the least number that is not taken for 0. */
const [MOST, LEAST] = ['1.7976931348623157e308', '2.4703282292062328e-324'];

/** A value as the only column of a row of its own: `offset 0` keeps what it is made of from being written into each use of it. */
const once: Dialect['once'] & {} = (value, name, body) => `(select ${body(`${name}.v`)} from (select ${value} as v offset 0) as ${name})`;

export const postgresDialect: Dialect = {
  ...standardQuotes,
  text: quoteText,
  name: 'postgres',
  dayNumber: (date) => `(case isfinite(${date}) when true then ${date} - date '1970-01-01' when false then 2147483647 end)`,
  toDate: (value) => `${value}::date`,
  dayOfText: (given) =>
    once(
      given,
      'written',
      (text) => `case when ${text} ~ '^[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])$' and substr(${text}, 1, 4) <> '0000'
        and (substr(${text}, 9, 2) <= '28'
          or cast(substr(${text}, 9, 2) as integer) <= extract(day from cast(substr(${text}, 1, 7) || '-01' as date) + interval '1 month - 1 day'))
        then cast(${text} as date) - date '1970-01-01' end`,
    ),
  once,
  seconds: (instant) =>
    `(case isfinite(${instant}) when true then extract(epoch from date_trunc('second', ${instant})) when false then 1e13 end)`,
  toDouble: (value) => `${value}::double precision`,
  // A cast fails where the number is too large, or so small that it is 0; most texts are too short for either.
  tryDouble: (text) =>
    `case when length(${text}) < 300 and ${text} !~ '[eE]' then ${text}::double precision
      when abs(${text}::numeric) <= ${MOST}::numeric then case when abs(${text}::numeric) < ${LEAST}::numeric then 0 else ${text}::double precision end end`,
  toInteger: (value) => `${value}::bigint`,
  exactly: (value, scale) => `(${value}::numeric * ${10 ** scale})::bigint`,
  toText: (value) => `${value}::text`,
  decimalText: (value) => `trim_scale(${value})::text`,
  decimals: (value) => `scale(trim_scale(${value}))`,
  noDecimal: (value) => `coalesce(${value} in ('NaN', 'Infinity', '-Infinity'), false)`,
  isNaN: (value) => `${value} = 'NaN'`,
  matches: (text, pattern) => `${text} ~ ${quoteText(pattern)}`,
  group: (text, pattern, group) => `(regexp_match(${text}, ${quoteText(pattern)}))[${group}]`,
  byCodePoint: (text) => `${text} collate "C"`,
  eachDay: (first, last) => `generate_series(${first}, ${last})`,
};
