// What the cluster's engine says differently.
import { type Dialect, standardQuotes } from '../sql/dialect.ts';

/** An end of the text, and not of a line before its last line break. */
const pattern = (text: string): string => standardQuotes.text(text.replace(/\$$/, '\\z'));

export const trinoDialect: Dialect = {
  ...standardQuotes,
  name: 'trino',
  dayNumber: (date) => `date_diff('day', date '1970-01-01', ${date})`,
  toDate: (value) => `cast(${value} as date)`,
  // A cast alone takes 2024-2-9 too.
  dayOfText: (text) =>
    `case when regexp_like(${text}, '^[0-9]{4}-[0-9][0-9]-[0-9][0-9]\\z') then date_diff('day', date '1970-01-01', try_cast(${text} as date)) end`,
  seconds: (instant) => `cast(floor(to_unixtime(${instant})) as bigint)`,
  toDouble: (value) => `cast(${value} as double)`,
  tryDouble: (text) => `nullif(nullif(try_cast(${text} as double), infinity()), -infinity())`,
  toInteger: (value) => `cast(${value} as bigint)`,
  // Values of interest have 16 digits at most; more digits before the point are an error, not a wrong number.
  exactly: (value, scale) => `cast(cast(${value} as decimal(24, 6)) * decimal '${10 ** scale}' as bigint)`,
  toText: (value) => `cast(${value} as varchar)`,
  decimalText: (value) => `trim(trailing '.' from trim(trailing '0' from cast(${value} as varchar)))`,
  isNaN: (value) => `is_nan(${value})`,
  matches: (text, form) => `regexp_like(${text}, ${pattern(form)})`,
  group: (text, form, group) => `regexp_extract(${text}, ${pattern(form)}, ${group})`,
  byCodePoint: (text) => text,
  // A list of thousands as an array of its own takes minutes to plan, as a text of JSON no time. Places before the first are asked for by
  // rows that a condition drops.
  lookup: (list, place) => `element_at(cast(json_parse('${JSON.stringify(list)}') as array(integer)), greatest(${place}, 1))`,
  packs: true,
  eachDay: (first, last) => `unnest(sequence(${first}, ${last}))`,
};
