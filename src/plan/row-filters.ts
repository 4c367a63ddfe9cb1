// Period filters: they select axis rows and do not restrict windows or comparisons (U13).
import type { Calendar } from '../calendar/calendar.ts';
import type { Unit } from '../calendar/unit.ts';
import type { DayRun, RowFilters, Stretch } from './axis.ts';
import { daysPassing, isCalendar, stretchesOf } from './days.ts';
import type { Asked, AskedFilter } from './question.ts';
import { findRowUnit } from './split.ts';

/** Whether a filter selects rows: a unit, or `<unit>-of-<unit>` whose first unit contains the periods of the rows. */
const isOfRows = ({ attribute }: AskedFilter, unit: Unit | undefined, calendar: Calendar): boolean => {
  if (!isCalendar(attribute)) return false;
  const { standing } = attribute;
  if (standing.kind === 'period') return true;
  if (standing.kind !== 'number' || !unit) return false;
  return standing.inner === unit.name || calendar.nests(unit, calendar.unit(standing.inner));
};

const unitNamed = ({ attribute }: AskedFilter): string | undefined =>
  isCalendar(attribute) && attribute.standing.kind === 'period' ? attribute.standing.unit : undefined;

/** First and last day of the listed periods, or of those between two. */
const namedStretch = (filters: readonly AskedFilter[], calendar: Calendar): Stretch | undefined => {
  const naming = filters.filter((filter) => unitNamed(filter) && (filter.test.values || (filter.test.from && filter.test.to)));
  if (naming.length === 0) return undefined;
  const days = daysPassing(naming, calendar.first, calendar.last, calendar);
  const [first, last] = days.length === 0 ? [calendar.first, calendar.first - 1] : [days[0], days[days.length - 1]];
  return { first, last, unit: undefined };
};

/** Splits the filters of a question into those that select rows and all others. */
export const splitRowFilters = (
  asked: Asked,
  calendar: Calendar,
): { readonly rows: RowFilters | undefined; readonly others: readonly AskedFilter[] } => {
  const unit = findRowUnit(asked, calendar);
  const filters = asked.filters.filter((filter) => isOfRows(filter, unit, calendar));
  const others = asked.filters.filter((filter) => !filters.includes(filter));
  if (filters.length === 0) return { rows: undefined, others };
  const units = filters.flatMap((filter) => unitNamed(filter) ?? []).map((name) => calendar.unit(name));
  const isWhole = (unit: Unit, run: DayRun): boolean => {
    const [from, to] = run.map((day) => calendar.indexOf(unit, day));
    return from >= 0 && to >= 0 && unit.starts[from] === run[0] && unit.ends[to] === run[1];
  };
  const rows: RowFilters = {
    names: filters.map(({ attribute: { key } }) => key.replace(/^calendar\./, '')),
    named: namedStretch(filters, calendar),
    runsIn: (first, last) => stretchesOf(daysPassing(filters, first, last, calendar)),
    unitOf: (runs, range) => [...units, ...(range ? [range] : [])].find((unit) => runs.every((run) => isWhole(unit, run))),
  };
  return { rows, others };
};
