// Links the rules of a calendar: year systems without contradiction, units of one name each.
import { type CalendarOptions, calendar, type NameSet, parseWorkingWeek, unitNames } from '../../calendar/calendar.ts';
import type { Weekday } from '../../calendar/day.ts';
import type { Faults } from '../faults.ts';
import type { ModelInput, YearSystemInput } from '../schema.ts';

const systemKind = (system: YearSystemInput): 'months' | 'weeks' | 'listed' =>
  system.pattern !== undefined || system.ends !== undefined
    ? 'weeks'
    : system.table !== undefined || system.years !== undefined
      ? 'listed'
      : 'months';

const checkSystem = (name: string, system: YearSystemInput, faults: Faults): void => {
  const path = ['calendar', 'yearSystems', name];
  const listed = system.table !== undefined || system.years !== undefined;
  if (listed && (system.pattern !== undefined || system.ends !== undefined || system.starts !== undefined)) {
    faults.add(
      path,
      'contradiction',
      `year system "${name}" has both a rule and a list of years`,
      'Keep `starts`, or `pattern` with `ends`, or `years`, or `table`.',
    );
  } else if (system.table !== undefined && system.years !== undefined) {
    faults.add(path, 'contradiction', `year system "${name}" has both a table and a list of years`, 'Keep one of them.');
  } else if (system.starts !== undefined && (system.pattern !== undefined || system.ends !== undefined)) {
    faults.add(
      path,
      'contradiction',
      `year system "${name}" is both of months (starts) and of weeks (pattern, ends)`,
      'Keep `starts`, or `pattern` with `ends`.',
    );
  } else if ((system.pattern === undefined) !== (system.ends === undefined)) {
    faults.add(
      path,
      'contradiction',
      `year system "${name}" has ${system.pattern ? 'a pattern without an end' : 'an end without a pattern'}`,
      'Weeks need both, for example `pattern: 4-4-5` and `ends: last saturday of january`.',
    );
  } else if (!listed && system.starts === undefined && system.pattern === undefined) {
    faults.add(
      path,
      'contradiction',
      `year system "${name}" has no rule`,
      'Give it `starts: --10-01`, or `pattern` with `ends`, or `years`, or `table`.',
    );
  } else if (system.table !== undefined && (system.start === undefined || system.label === undefined)) {
    faults.add(
      path,
      'missing-key',
      `year system "${name}" needs the columns of start and label`,
      'For example `{ table: fiscal_years, start: starts_on, label: name }`.',
    );
  }
};

/** Tries every rule of the calendar on one year, so that a wrong one is told with its line. */
const checkCalendarRules = (input: NonNullable<ModelInput['calendar']>, faults: Faults): void => {
  const year = { from: '2024-01-01', to: '2024-12-31' };
  for (const [name, { starts, pattern, ends, numberBy, label }] of Object.entries(input.yearSystems ?? {})) {
    const system =
      starts !== undefined
        ? { starts, numberBy, label }
        : pattern !== undefined && ends !== undefined
          ? { pattern, ends, numberBy, label }
          : undefined;
    if (system) faults.attempt(['calendar', 'yearSystems', name], () => calendar({ ...year, yearSystems: { [name]: system } }));
  }
  const { week } = input;
  if (typeof week === 'object')
    faults.attempt(['calendar', 'week'], () => calendar({ ...year, week: { starts: week.starts as Weekday, minDays: week.minDays } }));
  const working = input.workingDays?.week;
  if (working !== undefined) faults.attempt(['calendar', 'workingDays', 'week'], () => parseWorkingWeek(working));
  for (const set of Object.keys(input.names ?? {}) as NameSet[]) {
    faults.attempt(['calendar', 'names', set], () => calendar({ ...year, names: input.names as CalendarOptions['names'] }).name(set, 0));
  }
};

export interface LinkedCalendar {
  /** Names of all units (U2). */
  readonly units: readonly string[];
  readonly systems: readonly { readonly name: string; readonly kind: ReturnType<typeof systemKind> }[];
  /** Names of the units that the model makes itself (U7). */
  readonly custom: readonly string[];
}

/** Checks the calendar's rules, and names its units. */
export const linkCalendar = (rules: NonNullable<ModelInput['calendar']>, faults: Faults): LinkedCalendar => {
  const given = Object.entries(rules.yearSystems ?? {});
  for (const [name, system] of given) checkSystem(name, system, faults);
  if (faults.list.length === 0) checkCalendarRules(rules, faults);
  const systems = given.map(([name, system]) => ({ name, kind: systemKind(system) }));
  const custom = Object.keys(rules.periods ?? {});
  const standard = unitNames(Object.fromEntries(systems.map(({ name, kind }) => [name, kind])), []);
  for (const name of custom) {
    if (standard.includes(name) || name === 'period')
      faults.add(['calendar', 'periods', name], 'doubled-unit', `there is already a unit "${name}"`, 'Give the custom unit another name.');
  }
  return { units: [...standard, ...custom], systems, custom };
};
