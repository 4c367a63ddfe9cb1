// Texts of points, windows, shifts and comparisons, read into plain data (W1 to W3).
import { type Day, type Duration, parseDuration, parseIsoDay } from '../calendar/day.ts';
import { DurchblickError, suggest } from '../errors.ts';

/** A duration added to or taken from a day. */
export interface Move extends Duration {
  readonly sign: 1 | -1;
}

/** One end of a window (W2), with the durations applied to it from left to right. */
export type Point = { readonly moves: readonly Move[] } & (
  | { readonly kind: 'anchor' | 'asof' | 'first' | 'last' }
  | { readonly kind: 'start' | 'end'; readonly unit: string; readonly offset: number }
  | { readonly kind: 'done' | 'since'; readonly unit: string }
  | { readonly kind: 'date'; readonly day: Day }
);

/** From one point to another, or a duration laid against one of them (W1, W3). */
export type Window =
  | { readonly kind: 'points'; readonly from: Point; readonly to: Point }
  | { readonly kind: 'before'; readonly duration: Duration; readonly to: Point }
  | { readonly kind: 'after'; readonly from: Point; readonly duration: Duration };

/** Another time to compare with (C1). Months and days of a shift carry their sign; never both are non-zero. */
export type Shift =
  | { readonly kind: 'previous' }
  | { readonly kind: 'year-earlier' }
  | { readonly kind: 'months'; readonly months: number }
  | { readonly kind: 'days'; readonly days: number }
  | { readonly kind: 'units'; readonly unit: string; readonly count: number }
  | { readonly kind: 'base'; readonly period: string }
  /** The same time, seen as of another day (C11). */
  | { readonly kind: 'stay' };

/** The day that a comparison is seen as of: a date, or so long before or after the question's own (C11). */
export type SeenAs = { readonly kind: 'date'; readonly day: Day } | { readonly kind: 'moved'; readonly move: Move };

/** What a comparison is held against: another time, and perhaps as it was seen or known on another day (C1, C11). */
export interface Against {
  readonly shift: Shift;
  readonly asOf: SeenAs | undefined;
  readonly knownBy: SeenAs | undefined;
}

/** The unit `period` is the axis period itself; all other names are units of the calendar. */
export const PERIOD = 'period';

const fail = (text: string, at: number, message: string, hint: string): never => {
  throw new DurchblickError('bad-window', message, { text, at, hint });
};

const unitOfName = (name: string, units: readonly string[], text: string, at: number): string => {
  if (units.includes(name)) return name;
  if (name.endsWith('s') && units.includes(name.slice(0, -1))) return name.slice(0, -1);
  return fail(text, at, `there is no unit "${name}"`, suggest(name, units, 'units'));
};

const POINT_HINT =
  'A point is anchor, asof, first, last, start(unit), end(unit), done(unit), since(unit) or YYYY-MM-DD, then any +P1D or -P1M.';

const parsePoint = (text: string, offset: number, length: number, units: readonly string[]): Point => {
  const end = offset + length;
  const piece = text.slice(offset, end);
  const head = /^(?:(\d{4}-\d\d-\d\d)|([a-z]+))\s*/.exec(piece);
  if (!head) return fail(text, offset, piece.trim() === '' ? 'a point is missing' : `"${piece.trim()}" is not a point`, POINT_HINT);
  let at = offset + head[0].length;
  const name = head[2];
  let base: Record<string, unknown>;
  if (head[1]) {
    const day = parseIsoDay(head[1]);
    if (day === undefined) return fail(text, offset, `there is no day ${head[1]}`, 'Dates are written YYYY-MM-DD.');
    base = { kind: 'date', day };
  } else if (['anchor', 'asof', 'first', 'last'].includes(name)) {
    base = { kind: name };
  } else if (['start', 'end', 'done', 'since'].includes(name)) {
    const inner = /^\(\s*(?:([+-]\d{1,6})\s+)?([a-z][a-z0-9-]*|"[^"]*")\s*\)\s*/.exec(text.slice(at, end));
    if (!inner) return fail(text, at, `"${name}" needs a unit in parentheses`, 'For example start(month) or end(-1 quarter).');
    const unitAt = at + inner[0].indexOf(inner[2]);
    const written = inner[2].replaceAll('"', '');
    const relative = name === 'start' || name === 'end';
    if (inner[1] && !relative)
      return fail(text, at, `${name}(…) takes a unit without a number`, 'Only start(…) and end(…) take one, as in start(-1 month).');
    const known = relative && !inner[1] ? [...units, PERIOD] : units;
    const unit = unitOfName(written, known, text, unitAt);
    base = relative ? { kind: name, unit, offset: Number(inner[1] ?? 0) } : { kind: name, unit };
    at += inner[0].length;
  } else {
    const names = ['anchor', 'asof', 'first', 'last', 'start', 'end', 'done', 'since'];
    return fail(text, offset, `"${name}" is not a point`, suggest(name, names, 'points'));
  }
  const moves: Move[] = [];
  while (at < end) {
    const move = /^([+-])\s*(P[0-9A-Z]*)\s*/.exec(text.slice(at, end));
    const duration = move && parseDuration(move[2]);
    if (!move || !duration)
      return fail(text, at, `"${text.slice(at, end).trim()}" is not a duration to add`, 'Durations are written like +P1M, -P7D or +P1Y6M.');
    moves.push({ ...duration, sign: move[1] === '-' ? -1 : 1 });
    at += move[0].length;
  }
  return { ...base, moves } as unknown as Point;
};

/** Reads a window text such as `start(month)/anchor` or `P28D/anchor` (W1, W2). `units` are the calendar's unit names. */
export const parseWindow = (text: string, units: readonly string[]): Window => {
  const slash = text.indexOf('/');
  if (slash < 0)
    return fail(text, text.length, 'a window has two ends with a slash between them', 'For example start(month)/anchor or P28D/anchor.');
  const again = text.indexOf('/', slash + 1);
  if (again >= 0) return fail(text, again, 'a window has only one slash', 'For example start(month)/anchor.');
  const lead = (part: string, at: number): [number, number] => [at + part.length - part.trimStart().length, part.trim().length];
  const [leftAt, leftLength] = lead(text.slice(0, slash), 0);
  const [rightAt, rightLength] = lead(text.slice(slash + 1), slash + 1);
  const duration = (at: number, length: number): Duration | undefined => {
    const piece = text.slice(at, at + length);
    if (!piece.startsWith('P')) return undefined;
    return parseDuration(piece) ?? fail(text, at, `"${piece}" is not a duration`, 'Durations are written like P28D, P3M or P1Y.');
  };
  const left = duration(leftAt, leftLength);
  const right = duration(rightAt, rightLength);
  if (left && right) return fail(text, leftAt, 'both ends are durations', 'One end must be a point, for example P28D/anchor.');
  if (left) return { kind: 'before', duration: left, to: parsePoint(text, rightAt, rightLength, units) };
  const from = parsePoint(text, leftAt, leftLength, units);
  return right ? { kind: 'after', from, duration: right } : { kind: 'points', from, to: parsePoint(text, rightAt, rightLength, units) };
};

/** Reads a single point, as an as-of date may be (A1). */
export const parsePointText = (text: string, units: readonly string[]): Point =>
  parsePoint(text, text.length - text.trimStart().length, text.trim().length, units);

/** Reads a shift such as `-P1Y` or `-1 fiscal-year`. Months and days may not be mixed (C3). */
export const parseShift = (text: string, units: readonly string[]): Shift => {
  const m = /^\s*([+-])\s*(?:(P[0-9A-Z]*)|(\d{1,6})\s+("[^"]*"|[a-z][a-z0-9-]*))\s*$/.exec(text);
  if (!m) return fail(text, 0, `"${text.trim()}" is not a shift`, 'Shifts are written like -P1Y, -P52W or -1 fiscal-year.');
  const sign = m[1] === '-' ? -1 : 1;
  if (m[3]) {
    const unit = unitOfName(m[4].replaceAll('"', ''), units, text, text.indexOf(m[4], text.indexOf(m[3]) + m[3].length));
    return { kind: 'units', unit, count: sign * Number(m[3]) };
  }
  const duration = parseDuration(m[2]);
  if (!duration) return fail(text, text.indexOf('P'), `"${m[2]}" is not a duration`, 'Durations are written like P1Y, P3M or P52W.');
  if (duration.months !== 0 && duration.days !== 0) {
    return fail(text, text.indexOf('P'), 'a shift may not mix months or years with weeks or days', 'Shift by one of them (C3).');
  }
  if (duration.months !== 0) return { kind: 'months', months: sign * duration.months };
  return { kind: 'days', days: sign * duration.days };
};

const SEEN_HINT = "It takes a date, 2026-01-15, or a duration with its sign, -P1W, from the question's own.";

/** Reads the day that a comparison is seen as of: `2026-01-15` or `-P1W` (C11). */
export const parseSeenAs = (text: string, what: 'as-of' | 'known-by'): SeenAs => {
  const written = text.trim();
  const day = parseIsoDay(written);
  if (day !== undefined) return { kind: 'date', day };
  const moved = /^([+-])\s*(P[0-9A-Z]*)$/.exec(written);
  const duration = moved ? parseDuration(moved[2]) : undefined;
  if (!moved || !duration)
    return fail(text, text.length - text.trimStart().length, `"${written}" is no ${what} date to compare with`, SEEN_HINT);
  return { kind: 'moved', move: { ...duration, sign: moved[1] === '-' ? -1 : 1 } };
};

const SEEN_AT = /(?:^|\s)(as-of|known-by)(?:\s+|$)/g;

/** Errors inside a part point into the whole text. */
const within = <T>(whole: string, at: number, run: () => T): T => {
  try {
    return run();
  } catch (error) {
    if (!(error instanceof DurchblickError)) throw error;
    throw new DurchblickError(error.code, error.message, { text: whole, at: at + (error.at ?? 0), hint: error.hint });
  }
};

/** Reads a comparison in brackets: a shift, or a period's label as a base, then `as-of` and `known-by` (C1, C6, C11). */
export const parseAgainst = (text: string, units: readonly string[]): Against => {
  const marks = [...text.matchAll(SEEN_AT)];
  const time = text.slice(0, marks[0]?.index ?? text.length);
  const found: { -readonly [K in keyof Against]?: Against[K] } = {};
  for (const [k, mark] of marks.entries()) {
    const from = mark.index + mark[0].length;
    const what = mark[1] as 'as-of' | 'known-by';
    const key = what === 'as-of' ? 'asOf' : 'knownBy';
    if (found[key]) return fail(text, mark.index, `"${what}" stands twice`, 'Each may stand once, as in [-P1Y as-of -P1Y].');
    const part = text.slice(from, marks[k + 1]?.index ?? text.length);
    found[key] = within(text, from, () => parseSeenAs(part, what));
  }
  const isEmpty = time.trim() === '';
  if (isEmpty && marks.length === 0) return fail(text, 0, 'the comparison says nothing', 'For example [-P1Y], [2026-01] or [as-of -P7D].');
  const shift: Shift = isEmpty
    ? { kind: 'stay' }
    : /^\s*([+-]|P\d)/.test(time)
      ? within(text, 0, () => parseShift(time, units))
      : { kind: 'base', period: time.trim() };
  return { shift, asOf: found.asOf, knownBy: found.knownBy };
};
