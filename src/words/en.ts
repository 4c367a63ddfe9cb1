// What results say in English (R5).
import { builtInWindow, unitParts } from './built-in.ts';
import type { Words } from './language.ts';
import { minute } from './phrases.ts';

const UNITS = { day: 'day', week: 'week', month: 'month', quarter: 'quarter', half: 'half-year', year: 'year', 'week-year': 'week-year' };

const unitText = (unit: string): string => {
  const [system, civil] = unitParts(unit, UNITS);
  if (civil === undefined) return system;
  return `${system}${system ? ' ' : ''}${UNITS[civil as keyof typeof UNITS]}`;
};

const counted = (count: number, one: string, many = `${one}s`): string => `${count} ${count === 1 ? one : many}`;
const have = (rows: number): string => `${counted(rows, 'row')} ${rows === 1 ? 'has' : 'have'}`;
const are = (count: number): string => (count === 1 ? 'is' : 'are');

export const en: Words = {
  period: 'period',
  total: 'Total',
  others: '(others)',
  against: (own, other) => `${own} against ${other}`,
  actualsTo: (days, last) => `${days} (actuals to ${last})`,
  notBegun: (days) => `${days} (not begun)`,
  stoodOn: (day) => ` as it stood on ${day}`,
  knownOn: (day) => ` as it was known on ${day}`,
  asOf: (day) => `as of ${day}`,
  until: (day) => `to ${day}`,
  reading: 'reading',
  value: 'value',
  days: 'days',
  compared: 'compared with',
  limit: (kind, value) => `${kind.replace('-', ' ')} ${value}`,
  window: (name) => {
    const window = builtInWindow(name);
    switch (window?.kind) {
      case undefined:
        return undefined;
      case 'so-far':
        return 'so far';
      case 'ever':
        return 'since the first day';
      case 'rolling':
        return `last ${counted(window.count, window.unit)}`;
      case 'last-complete':
        return window.count === 1 ? `last full ${unitText(window.unit)}` : `last ${window.count} full ${unitText(window.unit)}s`;
      case 'to-date':
        return window.complete ? `${unitText(window.unit)} to the last full month` : `${unitText(window.unit)} to date`;
    }
  },
  comparison: (name) => (name === 'previous' ? 'the time before' : name === 'year-earlier' ? 'a year earlier' : undefined),
  form: (comparison, form) => {
    if (form === 'value') return comparison;
    return `${form} ${form === 'change' ? 'on' : form === 'index' ? 'of' : 'to'} ${comparison}`;
  },
  acrossAll: 'over all',
  acrossTime: 'over all of the range',
  across: (attributes) => `over all ${attributes.join(' and ')}`,
  attribute: () => undefined,
  phrases: {
    sum: 'sum of {of}',
    average: 'average of {of}',
    min: 'min of {of}',
    max: 'max of {of}',
    count: 'count of rows',
    countOf: 'count of rows with {of}',
    distinct: 'distinct values of {of}',
    median: 'median of {of}',
    percentile: 'percentile at {at} of {of}',
    firstTime: 'values of {of} seen for the first time of all',
    averageOf: 'average of {of}',
    daysBetween: 'days between {from} and {until}',
    workingDaysBetween: 'working days between {from} and {until}',
    overTime: '{value}, over time the {across} of the days that have rows',
    open: '{value}, of rows that are open: from {from} until {until}, at the last day covered',
    last: 'last',
    lastKnown: 'last-known',
    first: 'first',
    mean: 'average',
    least: 'min',
    greatest: 'max',
    over: 'over {fact}',
    where: 'where {tests}',
    byDay: 'by the day {role}',
    byPlan: 'by the day {role}, a plan',
    addsUp: 'adds up over everything',
    addsOverMembers: 'adds up over members, not over time',
    addsNowhere: 'does not add up: taken anew from the rows of each period and member',
    addsOverTime: 'adds up over time, not over members',
    keptBy: 'kept by {grain}',
    spreadEven: 'spread evenly over its days',
    spreadWorkingDays: 'spread over its working days',
    spreadLike: 'spread over its days like {shape}',
    spreadNone: 'blank where a part of it is asked for',
    spreadAcross: 'spread across {dimension} like {shape}',
    unrelatedBlank: 'blank when split by what it has no link to',
    unrelatedRepeat: 'repeated when split by what it has no link to',
    isOneOf: '{attribute} is {members}',
    isNot: '{attribute} is not {members}',
    isBetween: '{attribute} is between {from} and {to}',
    and: ' and ',
    or: ' or ',
    dictionary: 'What the numbers mean',
    search: 'Search',
    nothingFound: 'Nothing here has these words.',
    measures: 'Measures',
    formulas: 'Formulas',
    windows: 'Windows',
    comparisons: 'Comparisons',
    attributes: 'Attributes',
    facts: 'Facts',
    sources: 'Sources',
    calendar: 'Calendar',
    alerts: 'Alerts',
    figures: 'Figures',
    questions: 'Questions',
    owner: 'Owner',
    written: 'Written like',
    from: 'Made from',
    usedIn: 'Used in',
    better: 'Better',
    higher: 'higher',
    lower: 'lower',
    rows: 'Rows',
    dates: 'Dates',
    year: 'Year',
    begins: 'Begins',
    ends: 'Ends',
    length: 'Days',
    workingDays: 'Working days',
    noDay: 'no day',
    against: 'against a {unit}',
    builtIn: 'in every model',
    of: 'of {dimension}',
    weekStarts: 'Weeks begin on {day}',
    timeZone: 'Days are those of {zone}',
    vouched: '{value} in {at}',
  },
  notes: {
    'no-counterpart': ({ comparison, rows }) => `vs ${comparison}: ${have(rows)} no counterpart and ${are(rows)} blank`,
    'short-history': ({ measure, window, first, rows }) =>
      `${measure} over ${window} reaches before the first day${first === undefined ? '' : `, ${first},`} on ${counted(rows, 'row')}: computed on what there is`,
    'cut-at-as-of': ({ window, asOf, rows }) =>
      `over ${window} reaches past the as-of date, ${asOf}, on ${counted(rows, 'row')} and is cut there`,
    overflow: ({ measure, cells }) => `${measure}: ${counted(cells, 'value')} ${are(cells)} greater than a number can hold, and blank`,
    inexact: ({ measure, why, digits }) =>
      why === 'sum'
        ? `${measure} is summed in double precision: its column has more than 6 decimals or too large amounts`
        : `${measure}: values have more than ${digits} digits, and are shown as the nearest double`,
    'reversed-dates': ({ measure, rows, from, until }) => `${measure}: ${have(rows)} ${until} before ${from} and ${are(rows)} left out`,
    'spread-fallback': ({ measure, why, dimension }) => {
      if (why === 'members') return `${measure}: amounts for which the shape says nothing lie on all ${dimension} members alike`;
      return why === 'shape'
        ? `${measure}: a period for which its shape says nothing is spread evenly`
        : `${measure}: a period without working days is spread evenly`;
    },
    'coarse-grain': ({ measure, grain, rows }) =>
      `${measure} is kept by ${grain} and not spread: blank where a window cuts a ${grain} (${counted(rows, 'row')})`,
    'unfinished-period': ({ fact, grain, start, end, asOf }) =>
      `${fact} is kept by ${grain}; the ${grain} from ${start} to ${end} is not over on ${asOf} and not seen`,
    'unknown-members': ({ fact, attribute, dimension, rows }) =>
      `${fact}: ${rows} ${rows === 1 ? 'row has a key' : 'rows have keys'} for ${attribute} that ${dimension} does not have, kept under (unknown)`,
    'after-as-of': ({ fact, role, asOf, rows, measure, amount }) =>
      `${fact}: ${counted(rows, 'row')} after ${asOf} by ${role} ${are(rows)} excluded${amount === undefined ? '' : ` (${measure} ${amount})`}; set \`horizon: plan\` if the dates are planned`,
    'unused-range': ({ names }) =>
      `windows are laid at the as-of date: ${names.join(' and ')} ${names.length === 1 ? 'selects' : 'select'} no rows`,
    'partial-against-whole': ({ reading }) =>
      `${reading}: compares part of a period with a whole one; \`over so-far\` compares equal parts`,
    'unplaced-dates': ({ measure, role, rows, amount, grain }) =>
      grain === undefined
        ? `${measure} on ${role}: ${have(rows)} no ${role} date and ${are(rows)} in no period${amount === undefined ? '' : ` (${measure} ${amount})`}`
        : `${measure} on ${role}: ${have(rows)} a ${role} date in no ${grain}`,
    alert: ({ label, heading, limits, cells }) =>
      `${label}: ${heading} is ${limits.map(({ kind, value }) => `${kind.replace('-', ' ')} ${value}`).join(' or ')} in ${counted(cells, 'cell')}`,
    'bad-dates': ({ fact, role, column, count }) =>
      `${fact}: ${counted(count, 'value')} of ${role} (${column}) ${are(count)} no date and taken as blank`,
    'missing-rates': ({ fact, rate, role, first, count }) =>
      `${fact}: ${have(count)} no ${rate} on ${role}, the first on ${first}, and ${are(count)} blank in what takes it`,
    'turned-bad': ({ reason, time }) => `the data have turned bad: ${reason}; this is answered from what they were at ${minute(time)}`,
    'unpinned-state': ({ fact }) =>
      `the database keeps no states of the table of ${fact}: what is written while a question runs may be seen in part`,
    'unreadable-fact': ({ fact }) => `${fact} may not be read: its dates count neither for the calendar nor for the latest date`,
  },
};
