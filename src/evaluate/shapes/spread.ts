// Coarse amounts laid on finer days: even, by working days, or like another reading (G3, G4).
import { countDays } from '../../plan/days.ts';
import type { PlannedMeasure, PlannedView } from '../../plan/planned.ts';

import type { Segments } from '../../plan/request.ts';
import { VALUE } from '../column.ts';
import type { Calculation, LoadedView, Share } from '../scope.ts';

/** Days, all alike; of some days alone where not all count (U12). */
const evenShare =
  ({ starts, ends }: Segments, days: Int32Array | undefined): Share =>
  (segment, from, to) => [days ? countDays(days, from, to) : to - from + 1, ends[segment] - starts[segment] + 1];

const workingShare = (measure: string, segments: Segments, days: Int32Array | undefined, { frame, notes }: Calculation): Share => {
  const even = evenShare(segments, days);
  const worked = days?.filter((day) => frame.calendar.isWorkingDay(day));
  const { calendar } = frame;
  return (segment, from, to) => {
    const whole = calendar.workingDays(segments.starts[segment], segments.ends[segment]);
    if (whole > 0) return [worked ? countDays(worked, from, to) : calendar.workingDays(from, to), whole];
    notes.add(`spread ${measure}`, { code: 'spread-fallback', measure, why: 'working-days' });
    return even(segment, from, to);
  };
};

/**
 * The shape of another reading, read on every day over all members and before the question's filters. Blank or
 * negative weighs 0; a period with no weight, or with a day that would have to be read after the as-of date, falls
 * back to even (G3).
 */
const shapedShare = (
  measure: string,
  segments: Segments,
  days: Int32Array | undefined,
  view: PlannedView,
  loaded: LoadedView,
  over: Calculation,
): Share => {
  const { starts, ends } = segments;
  const even = evenShare(segments, days);
  const first = view.view.axis.places[0].start;
  const { columns, ahead, rows } = over.shape(view, loaded);
  const [{ values, state }] = columns;
  // Weights and unread days up to each day, so that any stretch is a difference.
  const weight = new Float64Array(rows + 1);
  const unread = new Int32Array(rows + 1);
  for (let k = 0; k < rows; k++) {
    weight[k + 1] = weight[k] + (state[k] === VALUE && values[k] > 0 ? values[k] : 0);
    unread[k + 1] = unread[k] + (ahead[0][k] ? 1 : 0);
  }
  // Of some days alone: the same with nothing on all others.
  const counted = days ? new Float64Array(rows + 1) : weight;
  if (days) {
    const isCounted = new Uint8Array(rows);
    for (const day of days) if (day >= first && day - first < rows) isCounted[day - first] = 1;
    for (let k = 0; k < rows; k++) counted[k + 1] = counted[k] + (isCounted[k] === 1 ? weight[k + 1] - weight[k] : 0);
  }
  return (segment, from, to) => {
    const [low, high] = [starts[segment] - first, ends[segment] - first + 1];
    const whole = weight[high] - weight[low];
    if (whole > 0 && unread[high] === unread[low]) return [counted[to - first + 1] - counted[from - first], whole];
    over.notes.add(`spread ${measure}`, { code: 'spread-fallback', measure, why: 'shape' });
    return even(segment, from, to);
  };
};

/** How a coarse amount lies on finer days (G3). */
export const shareOf = ({ leaf, segments, days, part }: PlannedMeasure, loaded: LoadedView | undefined, over: Calculation): Share => {
  const { name, spread } = leaf.measure;
  const own = part?.days;
  if (days && loaded) return shapedShare(name, segments, own, days, loaded, over);
  return spread === 'working-days' ? workingShare(name, segments, own, over) : evenShare(segments, own);
};
