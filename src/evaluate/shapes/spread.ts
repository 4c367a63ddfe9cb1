import { type Bound, bindText, type Leaf } from '../../plan/bind.ts';
import type { Segments } from '../../plan/request.ts';
import { unitPlaces } from '../../windows/place.ts';
import { VALUE } from '../column.ts';
import type { Evaluation } from '../scope.ts';
import type { Share } from './segment-runs.ts';

/** Days, all alike. */
const evenShare =
  ({ starts, ends }: Segments): Share =>
  (segment, from, to) => [to - from + 1, ends[segment] - starts[segment] + 1];

const workingShare = (measure: string, segments: Segments, { frame, notes }: Evaluation): Share => {
  const even = evenShare(segments);
  const { calendar } = frame;
  return (segment, from, to) => {
    const whole = calendar.workingDays(segments.starts[segment], segments.ends[segment]);
    if (whole > 0) return [calendar.workingDays(from, to), whole];
    const message = `${measure}: a period without working days is spread evenly`;
    notes.add(`spread ${measure}`, { code: 'spread-fallback', measure, message });
    return even(segment, from, to);
  };
};

/**
 * The shape of another reading, read on every day over all members and before the question's filters. Blank or
 * negative weighs 0; a period with no weight, or with a day that would have to be read after the as-of date, falls
 * back to even (G3).
 */
const shapedShare = async (measure: string, shape: Bound, segments: Segments, evaluation: Evaluation): Promise<Share> => {
  const { calendar, asOf } = evaluation.frame;
  const { starts, ends } = segments;
  const even = evenShare(segments);
  if (starts.length === 0) return even;
  const [first, last] = [starts[0], ends[ends.length - 1]];
  const unit = calendar.unit('day');
  const places = unitPlaces(calendar, unit, first, last, asOf);
  const axis = { kind: { kind: 'unit' as const, unit }, places, labels: [], windows: undefined };
  const scope = { view: { axis, rows: 'periods' as const }, attributes: [], filters: [], combinations: undefined, tuples: undefined };
  const { columns, ahead } = await evaluation.view([shape], scope);
  const [{ values, state }] = columns;
  // Weights and unread days up to each day, so that any stretch is a difference.
  const weight = new Float64Array(places.length + 1);
  const unread = new Int32Array(places.length + 1);
  for (let k = 0; k < places.length; k++) {
    weight[k + 1] = weight[k] + (state[k] === VALUE && values[k] > 0 ? values[k] : 0);
    unread[k + 1] = unread[k] + (ahead[0][k] ? 1 : 0);
  }
  return (segment, from, to) => {
    const [low, high] = [starts[segment] - first, ends[segment] - first + 1];
    const whole = weight[high] - weight[low];
    if (whole > 0 && unread[high] === unread[low]) return [weight[to - first + 1] - weight[from - first], whole];
    const message = `${measure}: a period for which its shape says nothing is spread evenly`;
    evaluation.notes.add(`spread ${measure}`, { code: 'spread-fallback', measure, message });
    return even(segment, from, to);
  };
};

/** How a coarse amount lies on finer days (G3). */
export const shareOf = async (leaf: Leaf, segments: Segments, evaluation: Evaluation): Promise<Share> => {
  const { name, spread } = leaf.measure;
  if (typeof spread === 'object') return shapedShare(name, bindText(evaluation.frame.model, spread.like), segments, evaluation);
  return spread === 'working-days' ? workingShare(name, segments, evaluation) : evenShare(segments);
};
