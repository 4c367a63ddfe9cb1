// The first day of each value of a column, and one row for each member that has it on that day (M15).
import { NO_DAY } from '../../calendar/day.ts';
import type { AggregateRequest, CubeRequest } from '../../plan/request.ts';
import type { Opened } from './open-fact.ts';
import { segmentTable } from './segment-table.ts';

type FirstTime = Extract<AggregateRequest, { kind: 'first-time' }>;

/** Days of a role as they stand: of coarse rows the first day of their period; `NO_DAY` where a row is on none. */
const standingDays = ({ data }: Opened, { fact, role, segments }: CubeRequest): Int32Array => {
  const column = data.roles.get(role as string);
  if (!column) throw new Error('first times need a role');
  if (fact.grain === 'day') return column.days;
  const table = segmentTable(segments, column.first, column.last);
  return column.days.map((day) => {
    const segment = day === NO_DAY ? -1 : table[day - column.first];
    return segment < 0 ? NO_DAY : segments.starts[segment];
  });
};

/**
 * 1 on one row for each value and member of a request's rows, on the first day of the value over all rows that there are: those that
 * meet the measure's filter and have entered, before any other filter.
 */
export const firstSightings = (opened: Opened, request: CubeRequest, { column, where }: FirstTime): Uint8Array => {
  const { data, mask, combine } = opened;
  const { filters, knownBy, attributes } = request;
  const days = standingDays(opened, request);
  const { codes, count } = data.keys(column);
  const all = mask([...where, ...filters.filter(({ why }) => why === 'entered')], knownBy);
  const shown = mask([...where, ...filters], knownBy);
  const first = new Int32Array(count).fill(2 ** 31 - 1);
  for (let row = 0; row < days.length; row++) {
    const code = codes[row];
    if (code >= 0 && days[row] !== NO_DAY && (!all || all[row] === 1) && days[row] < first[code]) first[code] = days[row];
  }
  const members = combine(attributes);
  const one = new Uint8Array(days.length);
  // Nearly all values have one member on their first day; only the others are remembered one by one.
  const firstMember = new Int32Array(count).fill(-1);
  const more = new Set<number>();
  for (let row = 0; row < days.length; row++) {
    const code = codes[row];
    if (code < 0 || days[row] !== first[code] || (shown && shown[row] === 0)) continue;
    const member = members.codes ? members.codes[row] : 0;
    if (firstMember[code] === member) continue;
    if (firstMember[code] < 0) firstMember[code] = member;
    else {
      const key = code * members.count + member;
      if (more.has(key)) continue;
      more.add(key);
    }
    one[row] = 1;
  }
  return one;
};
