import { datePattern, type ZoneStretch } from '../../calendar/dates.ts';
import { parseIsoDay } from '../../calendar/day.ts';
import { NUMBER_TEXT, TO_PLAIN } from '../../model/decimal.ts';
import type { Dialect, SqlColumn } from './dialect.ts';

/** How texts are written as dates (D2); a column is looked through once for which of them it has. */
export const TEXT_FORMS = {
  day: '^\\d{4}-\\d\\d-\\d\\d$',
  local: '^\\d{4}-\\d\\d-\\d\\d[T ]([01]\\d|2[0-3]):[0-5]\\d(:([0-5]\\d|60)([.,]\\d{1,9})?)?$',
  zoned: '^\\d{4}-\\d\\d-\\d\\d[T ]([01]\\d|2[0-3]):[0-5]\\d(:([0-5]\\d|60)([.,]\\d{1,9})?)?\\s?([Zz]|[+-]\\d\\d(:?\\d\\d)?)$',
  key: '^\\d{8}$',
  month: '^\\d{4}-\\d\\d$',
  quarter: '^\\d{4}-Q[1-4]$',
  week: '^\\d{4}-W\\d\\d$',
  year: '^\\d{4}$',
} as const;
export type TextForm = keyof typeof TEXT_FORMS;
/** Forms that only facts coarser than a day may use. */
export const COARSE_FORMS: readonly TextForm[] = ['month', 'quarter', 'week', 'year'];

/** How the dates of a column are read (D2, D3). */
export interface DateReading {
  readonly format: string | undefined;
  readonly blankDates: readonly string[];
  /** Of text columns: the forms that occur. */
  readonly forms: readonly TextForm[];
  /** All texts are of one form, so that none needs to be looked at before it is read. */
  readonly uniform: boolean;
  /** Offsets of the model's time zone over the instants there are. */
  readonly zone: readonly ZoneStretch[];
}

const DAY_MS = 86_400_000;

/** A value that is null, an empty text, or NaN. */
export const isBlankSql = (dialect: Dialect, value: string, { kind }: Pick<SqlColumn, 'kind'>): string => {
  if (kind === 'text') return `(${value} is null or ${value} = '')`;
  if (kind === 'double') return `(${value} is null or ${dialect.isNaN(value)})`;
  return `${value} is null`;
};

/** Civil day of an instant, in milliseconds, by the offsets of a time zone. */
const instantDay = (instant: string, zone: readonly ZoneStretch[]): string => {
  const [first, ...rest] = zone;
  const cases = [...rest].reverse().map(({ from, offset }) => `when ${instant} >= ${from} then ${offset}`);
  const offset = rest.length === 0 ? String(first.offset) : `case ${cases.join(' ')} else ${first.offset} end`;
  return `cast(floor((${instant} + ${offset}) / ${DAY_MS}.0) as integer)`;
};

/** The day number of a date column's value; null for a blank, and for what is no date. */
export const daySql = (dialect: Dialect, value: string, column: SqlColumn, reading: DateReading): string => {
  const days = reading.blankDates.flatMap((text) => parseIsoDay(text) ?? []);
  const placeholder = (day: string): string => (days.length === 0 ? day : `case when ${day} not in (${days.join(', ')}) then ${day} end`);
  switch (column.kind) {
    case 'date':
      return placeholder(dialect.dayNumber(value));
    case 'timestamp':
      return placeholder(dialect.dayNumber(dialect.toDate(value)));
    case 'instant':
      return placeholder(instantDay(dialect.milliseconds(value), reading.zone));
    case 'text':
      return textDay(dialect, value, reading);
    default: {
      const listed = reading.blankDates.filter((text) => /^\d+$/.test(text));
      const text = dialect.toText(dialect.toInteger(value));
      const day = `case when ${value} between 10000101 and 99991231 then ${keyDay(dialect, text)} end`;
      return listed.length === 0 ? day : `case when ${value} not in (${listed.join(', ')}) then ${day} end`;
    }
  }
};

const dayOfText = (dialect: Dialect, text: string): string => dialect.dayNumber(dialect.tryDate(text));
const keyDay = (dialect: Dialect, text: string): string =>
  dayOfText(dialect, `(substr(${text}, 1, 4) || '-' || substr(${text}, 5, 2) || '-' || substr(${text}, 7, 2))`);

const formDay = (dialect: Dialect, text: string, form: TextForm, zone: readonly ZoneStretch[]): string => {
  switch (form) {
    case 'day':
      return dayOfText(dialect, text);
    case 'local':
      return dayOfText(dialect, `substr(${text}, 1, 10)`);
    case 'zoned':
      return instantDay(zonedInstant(dialect, text), zone);
    case 'key':
      return keyDay(dialect, text);
    case 'month':
      return dayOfText(dialect, `(${text} || '-01')`);
    case 'quarter':
      return dayOfText(
        dialect,
        `(substr(${text}, 1, 5) || case substr(${text}, 7, 1) when '1' then '01' when '2' then '04' when '3' then '07' else '10' end || '-01')`,
      );
    case 'year':
      return dayOfText(dialect, `(${text} || '-01-01')`);
    default: {
      // The Monday of the week that holds 4 January; 1970-01-05 was a Monday.
      const monday = (year: string): string => {
        const fourth = dayOfText(dialect, `(${year} || '-01-04')`);
        return `(${fourth} - (${fourth} + 3) % 7)`;
      };
      const year = `substr(${text}, 1, 4)`;
      const next = `substr(cast(cast(${year} as integer) + 10001 as varchar(8)), 2, 4)`;
      const week = `cast(substr(${text}, 7, 2) as integer)`;
      const start = `(${monday(year)} + (${week} - 1) * 7)`;
      return `case when ${week} >= 1 and ${start} < ${monday(next)} then ${start} end`;
    }
  }
};

/** Milliseconds of a timestamp that is written with its zone. */
const zonedInstant = (dialect: Dialect, text: string): string => {
  const zone = dialect.group(text, '([Zz]|[+-]\\d\\d(?::?\\d\\d)?)$', 1);
  const minutes = `case when upper(${zone}) = 'Z' then 0 else case when substr(${zone}, 1, 1) = '-' then -1 else 1 end
      * (cast(substr(${zone}, 2, 2) as integer) * 60 + coalesce(cast(nullif(replace(substr(${zone}, 4), ':', ''), '') as integer), 0)) end`;
  const seconds = `case when substr(${text}, 17, 1) = ':' then cast(substr(${text}, 18, 2) as integer) else 0 end`;
  return `(${dayOfText(dialect, `substr(${text}, 1, 10)`)} * 86400000.0 + (cast(substr(${text}, 12, 2) as integer) * 60
      + cast(substr(${text}, 15, 2) as integer) - ${minutes}) * 60000.0 + ${seconds} * 1000.0)`;
};

const textDay = (dialect: Dialect, value: string, { format, blankDates, forms, uniform, zone }: DateReading): string => {
  const text = `trim(${value})`;
  const blank = blankDates.length === 0 ? [] : [`when ${text} in (${blankDates.map(dialect.text).join(', ')}) then null`];
  const cases = [...blank];
  if (format !== undefined) {
    const { source, groups } = datePattern(format);
    const part = (group: number, width: number): string => `lpad(${dialect.group(text, source, group)}, ${width}, '0')`;
    const day = dayOfText(dialect, `(${part(groups.year, 4)} || '-' || ${part(groups.month, 2)} || '-' || ${part(groups.day, 2)})`);
    cases.push(`when ${dialect.matches(text, source)} then ${day}`);
  } else {
    // A text of the form that is no date (the 31st of June) gives null by itself.
    if (uniform && forms[0] === 'day' && blank.length === 0) return formDay(dialect, text, 'day', zone);
    for (const form of forms) cases.push(`when ${dialect.matches(text, TEXT_FORMS[form])} then ${formDay(dialect, text, form, zone)}`);
  }
  return cases.length === 0 ? 'cast(null as integer)' : `case ${cases.join('\n      ')} end`;
};

/** Whether a date column's value is a blank: null, empty, or one of the placeholders. */
export const noDateSql = (dialect: Dialect, value: string, column: SqlColumn, { blankDates }: Pick<DateReading, 'blankDates'>): string => {
  const blank = isBlankSql(dialect, column.kind === 'text' ? `trim(${value})` : value, column);
  if (blankDates.length === 0) return blank;
  if (column.kind === 'text') return `(${blank} or trim(${value}) in (${blankDates.map(dialect.text).join(', ')}))`;
  const days = blankDates.flatMap((text) => parseIsoDay(text) ?? []);
  const keys = blankDates.filter((text) => /^\d+$/.test(text));
  if (column.kind === 'date' && days.length > 0) return `(${blank} or ${dialect.dayNumber(value)} in (${days.join(', ')}))`;
  if (column.kind === 'timestamp' && days.length > 0)
    return `(${blank} or ${dialect.dayNumber(dialect.toDate(value))} in (${days.join(', ')}))`;
  return column.kind === 'integer' && keys.length > 0 ? `(${blank} or ${value} in (${keys.join(', ')}))` : blank;
};

/** A column's value as a double, null where blank. */
export interface DoubleSql {
  readonly value: string;
  /** Which values are no numbers; undefined where none can be. */
  readonly bad: string | undefined;
  /** The value, null where it is no number; `value` fails there, so that nothing that turns bad later is left out in silence. */
  readonly guarded: string;
}

export const doubleSql = (dialect: Dialect, value: string, column: SqlColumn): DoubleSql => {
  const sure = (double: string): DoubleSql => ({ value: double, bad: undefined, guarded: double });
  if (column.kind === 'text') {
    const text = `trim(${value})`;
    const { numbers = 'plain' } = column;
    const isNumber = dialect.matches(text, NUMBER_TEXT[numbers]);
    const plain = numbers === 'plain' ? text : `translate(${text}, ${TO_PLAIN[numbers].map(dialect.text).join(', ')})`;
    return {
      value: dialect.toDouble(`nullif(${plain}, '')`),
      bad: `(${value} is not null and ${value} <> '' and not coalesce(${isNumber}, false))`,
      guarded: `case when ${isNumber} then ${dialect.toDouble(plain)} end`,
    };
  }
  if (column.kind === 'double') return sure(`case when not ${dialect.isNaN(value)} then ${dialect.toDouble(value)} end`);
  if (column.kind === 'integer' || column.kind === 'decimal') return sure(dialect.toDouble(value));
  return { value: 'null', bad: `${value} is not null`, guarded: 'null' };
};

/** A key as text: what looks alike is the same (G8). */
export const keySql = (dialect: Dialect, value: string, { kind }: Pick<SqlColumn, 'kind'>): string => {
  if (kind === 'text') return value;
  if (kind === 'date' || kind === 'timestamp') return dialect.toText(dialect.toDate(value));
  if (kind === 'double')
    return `case when ${value} = trunc(${value}) then ${dialect.toText(dialect.toInteger(value))} else ${dialect.toText(value)} end`;
  return dialect.toText(value);
};
