// Values of columns as SQL: dates, numbers and keys, meaning what shared/values.ts and shared/tables.ts say.
import {
  datePattern,
  FIRST_SECOND,
  isNumberFormat,
  LAST_CENTURY,
  LAST_SECOND,
  LAST_SERIAL,
  MONTH_LETTERS,
  type NumberFormat,
  SERIAL_EPOCH,
  SERIAL_LEAP,
  type ZoneStretch,
} from '../../calendar/dates.ts';
import { NUMBER_TEXT, SURE_DIGITS, TO_PLAIN } from '../../model/decimal.ts';
import { blankDays } from '../shared/values.ts';
import { type Dialect, once, type SqlColumn } from './dialect.ts';

/** How texts are written as dates (D2); a column is looked through once for which of them it has. */
const [DATE, TIME] = ['[0-9]{4}-[0-9][0-9]-[0-9][0-9]', '[Tt ]([01][0-9]|2[0-3]):[0-5][0-9](:([0-5][0-9]|60)([.,][0-9]{1,9})?)?'];
const ZONE = '([Zz]|[+-]([01][0-9]|2[0-3])(:?[0-5][0-9])?)';
export const TEXT_FORMS = {
  day: `^${DATE}$`,
  local: `^${DATE}${TIME}$`,
  zoned: `^${DATE}${TIME} ?${ZONE}$`,
  key: '^[0-9]{8}$',
  month: '^[0-9]{4}-[0-9][0-9]$',
  quarter: '^[0-9]{4}-Q[1-4]$',
  week: '^[0-9]{4}-W[0-9][0-9]$',
  year: '^[0-9]{4}$',
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

/** A text without blanks around it; nothing else is taken away. */
export const trimmedSql = (value: string): string => `trim(both ' ' from ${value})`;

/** A value that is null, an empty text, or NaN. */
export const isBlankSql = (dialect: Dialect, value: string, { kind }: Pick<SqlColumn, 'kind'>): string => {
  if (kind === 'text') return `(${value} is null or ${value} = '')`;
  if (kind === 'double') return `(${value} is null or ${dialect.isNaN(value)})`;
  return `${value} is null`;
};

/** Civil day of an instant, in whole seconds, by the offsets of a time zone. */
const instantDay = (seconds: string, zone: readonly ZoneStretch[]): string => {
  const [first, ...rest] = zone;
  const cases = [...rest].reverse().map(({ from, offset }) => `when ${seconds} >= ${from / 1000} then ${offset / 1000}`);
  const offset = rest.length === 0 ? String(first.offset / 1000) : `case ${cases.join(' ')} else ${first.offset / 1000} end`;
  return `cast(floor((${seconds} + ${offset}) / 86400e0) as integer)`;
};

/** A day, null where it is one of those that stand for "no date". */
const settledDay = (day: string, blankDates: readonly string[]): string => {
  const days = blankDays(blankDates);
  return days.length === 0 ? day : `case when ${day} not in (${days.join(', ')}) then ${day} end`;
};

/** Numbers among the values that stand for "no date", as a column of numbers may hold them. */
const blankNumbers = (blankDates: readonly string[]): readonly string[] =>
  blankDates.filter((text) => /^[+-]?\d{1,15}(\.\d{1,6})?$/.test(text)).map((text) => String(Number(text)));

/** The day of a number, null where it is one of those that stand for "no date". */
const numberDay = (value: string, day: string, blankDates: readonly string[]): string => {
  const numbers = blankNumbers(blankDates);
  const settled = settledDay(day, blankDates);
  return numbers.length === 0 ? settled : `case when ${value} not in (${numbers.join(', ')}) then ${settled} end`;
};

/** The day number of a date column's value; null for a blank, and for what is no date. */
export const daySql = (dialect: Dialect, value: string, column: SqlColumn, reading: DateReading): string => {
  const { blankDates, zone } = reading;
  switch (column.kind) {
    case 'date':
      return settledDay(dialect.dayNumber(value), blankDates);
    case 'timestamp':
      return settledDay(dialect.dayNumber(dialect.toDate(value)), blankDates);
    case 'instant':
      return settledDay(instantDay(dialect.seconds(value), zone), blankDates);
    case 'text':
      return textDay(dialect, value, reading);
    case 'integer':
    case 'decimal':
    case 'double': {
      if (isNumberFormat(reading.format)) return numberDay(value, countedDay(dialect.toDouble(value), reading.format, zone), blankDates);
      const text = dialect.toText(dialect.toInteger(value));
      const whole = column.kind === 'integer' ? '' : ` and ${value} = floor(${value})`;
      const day = `case when ${value} between 10000101 and 99991231${whole} then ${keyDay(dialect, text)} end`;
      return numberDay(value, day, blankDates);
    }
    default:
      return 'cast(null as integer)';
  }
};

/** The day of a number that counts days, or seconds; null where it counts none. */
const countedDay = (value: string, format: NumberFormat, zone: readonly ZoneStretch[]): string => {
  const whole = `floor(${value})`;
  if (format === 'unix') return `case when ${value} between ${FIRST_SECOND} and ${LAST_SECOND} then ${instantDay(whole, zone)} end`;
  const day = `cast(${whole} as integer) - ${SERIAL_EPOCH} + case when ${value} < ${SERIAL_LEAP} then 1 else 0 end`;
  return `case when ${whole} between 1 and ${LAST_SERIAL} and ${whole} <> ${SERIAL_LEAP} then ${day} end`;
};

const keyDay = (dialect: Dialect, text: string): string =>
  dialect.dayOfText(`(substr(${text}, 1, 4) || '-' || substr(${text}, 5, 2) || '-' || substr(${text}, 7, 2))`);

const formDay = (dialect: Dialect, text: string, form: TextForm, zone: readonly ZoneStretch[]): string => {
  switch (form) {
    case 'day':
      return dialect.dayOfText(text);
    case 'local':
      return dialect.dayOfText(`substr(${text}, 1, 10)`);
    case 'zoned':
      return once(dialect, zonedInstant(dialect, text), 'instant', (seconds) => instantDay(seconds, zone));
    case 'key':
      return keyDay(dialect, text);
    case 'month':
      return dialect.dayOfText(`(${text} || '-01')`);
    case 'quarter':
      return dialect.dayOfText(
        `(substr(${text}, 1, 5) || case substr(${text}, 7, 1) when '1' then '01' when '2' then '04' when '3' then '07' else '10' end || '-01')`,
      );
    case 'year':
      return dialect.dayOfText(`(${text} || '-01-01')`);
    default: {
      // The Monday of the week that holds 4 January; 1970-01-05 was a Monday, and remainders of days before are negative.
      const monday = (year: string): string =>
        once(dialect, dialect.dayOfText(`(${year} || '-01-04')`), 'fourth', (fourth) => `(${fourth} - ((${fourth} + 3) % 7 + 7) % 7)`);
      const year = `substr(${text}, 1, 4)`;
      const next = `substr(cast(cast(${year} as integer) + 10001 as varchar(8)), 2, 4)`;
      const week = `cast(substr(${text}, 7, 2) as integer)`;
      // The last year that there is has no year behind it: its weeks end with 9999-12-31 itself.
      const end = `case when ${year} = '9999' then 2932897 else ${monday(next)} end`;
      const first = `(${monday(year)} + (${week} - 1) * 7)`;
      return once(dialect, first, 'monday', (start) => `case when ${week} >= 1 and ${start} < ${end} then ${start} end`);
    }
  }
};

/** Whole seconds of a timestamp that is written with its zone. */
const zonedInstant = (dialect: Dialect, text: string): string => {
  const group = dialect.group(text, '([Zz]|[+-][0-9][0-9](?::?[0-9][0-9])?)$', 1);
  const minutes = once(
    dialect,
    group,
    'zone',
    (zone) => `case when upper(${zone}) = 'Z' then 0 else case when substr(${zone}, 1, 1) = '-' then -1 else 1 end
      * (cast(substr(${zone}, 2, 2) as integer) * 60 + coalesce(cast(nullif(replace(substr(${zone}, 4), ':', ''), '') as integer), 0)) end`,
  );
  const seconds = `case when substr(${text}, 17, 1) = ':' then cast(substr(${text}, 18, 2) as integer) else 0 end`;
  return `(${dialect.dayOfText(`substr(${text}, 1, 10)`)} * 86400e0 + (cast(substr(${text}, 12, 2) as integer) * 60
      + cast(substr(${text}, 15, 2) as integer) - ${minutes}) * 60e0 + ${seconds})`;
};

const textDay = (dialect: Dialect, value: string, { format, blankDates, forms, uniform, zone }: DateReading): string => {
  const text = trimmedSql(value);
  const blank = blankDates.length === 0 ? [] : [`when ${text} in (${blankDates.map(dialect.text).join(', ')}) then null`];
  const cases = [...blank];
  if (isNumberFormat(format)) {
    const counted = countedDay(dialect.tryDouble(text), format, zone);
    cases.push(`when ${dialect.matches(text, '^[+-]?[0-9]+([.][0-9]+)?$')} then ${counted}`);
  } else if (format !== undefined) {
    const { source, groups, shortYear, monthName } = datePattern(format);
    const group = (at: number): string => dialect.group(text, source, at);
    const two = (at: number): string => `lpad(${group(at)}, 2, '0')`;
    const year = shortYear
      ? `(case when ${group(groups.year)} < '${LAST_CENTURY}' then '20' else '19' end || ${group(groups.year)})`
      : `lpad(${group(groups.year)}, 4, '0')`;
    const names = MONTH_LETTERS.map((name, k) => `when '${name}' then '${String(k + 1).padStart(2, '0')}'`);
    const month = monthName ? `case lower(substr(${group(groups.month)}, 1, 3)) ${names.join(' ')} end` : two(groups.month);
    const day = dialect.dayOfText(`(${year} || '-' || ${month} || '-' || ${two(groups.day)})`);
    cases.push(`when ${dialect.matches(text, source)} then ${day}`);
  } else {
    // A text of the form that is no date (the 31st of June) gives null by itself.
    if (uniform && forms[0] === 'day' && blank.length === 0) return formDay(dialect, text, 'day', zone);
    for (const form of forms) cases.push(`when ${dialect.matches(text, TEXT_FORMS[form])} then ${formDay(dialect, text, form, zone)}`);
  }
  if (cases.length === 0) return 'cast(null as integer)';
  const day = `case ${cases.join('\n      ')} end`;
  return blankDays(blankDates).length === 0 ? day : once(dialect, day, 'settled', (known) => settledDay(known, blankDates));
};

/** Whether a date column's value is a blank: null, empty, or one of the placeholders. */
export const noDateSql = (dialect: Dialect, value: string, column: SqlColumn, reading: DateReading): string => {
  const blank = isBlankSql(dialect, column.kind === 'text' ? trimmedSql(value) : value, column);
  const { blankDates } = reading;
  if (blankDates.length === 0) return blank;
  const listed = column.kind === 'text' ? [`${trimmedSql(value)} in (${blankDates.map(dialect.text).join(', ')})`] : [];
  const numbers = column.kind === 'integer' || column.kind === 'decimal' || column.kind === 'double' ? blankNumbers(blankDates) : [];
  const days = blankDays(blankDates);
  const plain = daySql(dialect, value, column, { ...reading, blankDates: [] });
  const isListed = [
    ...listed,
    ...(numbers.length > 0 ? [`coalesce(${value} in (${numbers.join(', ')}), false)`] : []),
    ...(days.length > 0 ? [`coalesce((${plain}) in (${days.join(', ')}), false)`] : []),
  ];
  return isListed.length === 0 ? blank : `(${[blank, ...isListed].join(' or ')})`;
};

/** A column's value as a double, null where blank. */
export interface DoubleSql {
  readonly value: string;
  /** Which values are no numbers; undefined where none can be. */
  readonly bad: string | undefined;
  /** The value, null where it is no number; `value` fails there, so that nothing that turns bad later is left out in silence. */
  readonly guarded: string;
  /** Which values have more digits than a double is sure of; undefined where none can have. */
  readonly long: string | undefined;
  /** The value as a plain number, to be read digit by digit. */
  readonly plain: string;
}

const MOST_DOUBLE = '1.7976931348623157e308';

/** More digits than a double is sure of, zeros at both ends aside: isLong of model/decimal.ts. */
const longText = (plain: string): string => {
  const mantissa = `split_part(lower(${plain}), 'e', 1)`;
  return `(length(${plain}) > ${SURE_DIGITS} and length(trim(both '0' from replace(replace(replace(${mantissa}, '-', ''), '+', ''), '.', ''))) > ${SURE_DIGITS})`;
};

export const doubleSql = (dialect: Dialect, value: string, column: SqlColumn): DoubleSql => {
  if (column.kind === 'text') {
    const text = trimmedSql(value);
    const { numbers = 'plain' } = column;
    const plain = numbers === 'plain' ? text : `translate(${text}, ${TO_PLAIN[numbers].map(dialect.text).join(', ')})`;
    const isNumber = dialect.matches(text, NUMBER_TEXT[numbers]);
    const guarded = `case when ${isNumber} then ${dialect.tryDouble(plain)} end`;
    return {
      value: dialect.toDouble(`nullif(${plain}, '')`),
      bad: `(${value} is not null and ${value} <> '' and (${guarded}) is null)`,
      guarded,
      long: `coalesce(${longText(plain)}, false)`,
      plain,
    };
  }
  const text = dialect.toText(value);
  if (column.kind === 'double') {
    const double = `case when not ${dialect.isNaN(value)} then ${dialect.toDouble(value)} end`;
    const bad = `(${value} is not null and not ${dialect.isNaN(value)} and abs(${value}) > ${MOST_DOUBLE})`;
    return { value: double, bad, guarded: `case when not ${bad} then ${double} end`, long: undefined, plain: text };
  }
  if (column.kind === 'integer' || column.kind === 'decimal') {
    const double = dialect.toDouble(value);
    const sure = (column.precision ?? 99) <= SURE_DIGITS;
    const plain = column.kind === 'decimal' ? dialect.decimalText(value) : text;
    const bad = column.kind === 'decimal' ? dialect.noDecimal?.(value) : undefined;
    return { value: double, bad, guarded: double, long: sure ? undefined : `coalesce(${longText(plain)}, false)`, plain };
  }
  return { value: 'null', bad: `${value} is not null`, guarded: 'null', long: undefined, plain: text };
};

/** Whole numbers below this are written by their digits alone. */
const MOST_WHOLE = '9e18';

const UTC: readonly ZoneStretch[] = [{ from: Number.NEGATIVE_INFINITY, offset: 0 }];

/** A key as text: what looks alike is the same (G8); keyReader of shared/values.ts. */
export const keySql = (dialect: Dialect, value: string, { kind, zone = UTC }: Pick<SqlColumn, 'kind' | 'zone'>): string => {
  switch (kind) {
    case 'text':
      return value;
    case 'date':
      return dialect.toText(value);
    case 'timestamp':
      return dialect.toText(dialect.toDate(value));
    case 'instant':
      return dialect.toText(`(date '1970-01-01' + ${instantDay(dialect.seconds(value), zone)})`);
    case 'double': {
      const double = dialect.toDouble(value);
      return `case when ${double} = floor(${double}) and abs(${double}) < ${MOST_WHOLE} then ${dialect.toText(dialect.toInteger(value))} else ${dialect.toText(double)} end`;
    }
    case 'decimal':
      return dialect.decimalText(value);
    default:
      return dialect.toText(value);
  }
};

/** Whether a text could look like a member that stands for rows without one (G8): few do, and are looked at closely. */
export const looksSpecial = (text: string): string => `${text} like '%(none)%' or ${text} like '%(unknown)%'`;
