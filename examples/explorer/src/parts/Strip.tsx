import type { ExplainedPart } from 'durchblick';
import { memo, useMemo } from 'react';
import type { Answered } from '../engine/protocol.ts';

const DAY = 86_400_000;
const dayOf = (iso: string): number => Math.round(Date.parse(iso) / DAY);
const ROW = 20;
const TOP = 18;

/** A stretch of days, both inclusive: covered, or compared with what is covered. */
export interface Lane {
  readonly title: string;
  readonly start: string;
  readonly end: string;
  readonly kind: 'covered' | 'compared';
}

/** The days of every measure of an explanation. */
export const lanesOfParts = (parts: readonly ExplainedPart[]): Lane[] =>
  parts.flatMap(({ expression, comparison, days }) =>
    days
      ? [
          {
            title: `${expression}${comparison ? ` (${comparison.name})` : ''}`,
            start: days.start,
            end: days.end,
            kind: comparison ? ('compared' as const) : ('covered' as const),
          },
        ]
      : [],
  );

const around = (
  spans: readonly { readonly start: string; readonly end: string }[],
): { readonly start: string; readonly end: string } | undefined =>
  spans.length === 0
    ? undefined
    : {
        start: spans.reduce((least, { start }) => (start < least ? start : least), spans[0].start),
        end: spans.reduce((most, { end }) => (end > most ? end : most), spans[0].end),
      };

/** The days of an answer: what its periods cover so far, and what each reading compares them with. */
export const lanesOfAnswer = ({ periods, compared, asOf }: Answered): Lane[] => {
  const covered = around(periods.filter(({ start }) => start <= asOf).map(({ start, end }) => ({ start, end: end > asOf ? asOf : end })));
  const lanes: Lane[] = covered ? [{ title: 'covered', ...covered, kind: 'covered' }] : [];
  const seen = new Set<string>();
  for (const [name, list] of Object.entries(compared)) {
    const span = around(list.filter((days) => days !== null));
    const key = JSON.stringify(span);
    if (!span || seen.has(key)) continue;
    seen.add(key);
    lanes.push({ title: name, ...span, kind: 'compared' });
  }
  return lanes;
};

/** Which days are covered, and which are compared, on one scale; the as-of date is a line. */
export const Strip = memo(
  ({ lanes, asOf, locale }: { readonly lanes: readonly Lane[]; readonly asOf: string; readonly locale: string }) => {
    const words = useMemo(
      () => new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' }),
      [locale],
    );
    if (lanes.length === 0) return null;
    const at = dayOf(asOf);
    const first = Math.min(at, ...lanes.map(({ start }) => dayOf(start)));
    const last = Math.max(at, ...lanes.map(({ end }) => dayOf(end)));
    const x = (day: number): number => ((day - first) / (last - first + 1)) * 100;
    const inWords = (day: number): string => words.format(day * DAY);
    const height = TOP + lanes.length * ROW;
    const said = lanes.map(({ kind, start, end }) => `${kind}: ${start} to ${end}`).join('; ');
    return (
      <div className="strip" role="img" aria-label={`Days ${said}; as of ${asOf}`} style={{ height }}>
        <span className="edge">{inWords(first)}</span>
        <span className="edge end">{inWords(last)}</span>
        {lanes.map(({ title, start, end, kind }, k) => {
          const [from, to] = [dayOf(start), dayOf(end)];
          return (
            <div
              key={`${kind} ${title} ${start}`}
              className={kind === 'compared' ? 'bar compared' : 'bar'}
              title={`${title}: ${inWords(from)} – ${inWords(to)}`}
              style={{ top: TOP + k * ROW, left: `${x(from)}%`, width: `max(3px, ${x(to + 1) - x(from)}%)` }}
            />
          );
        })}
        <div className="as-of" style={{ left: `calc(${x(at + 1)}% - 2px)`, top: TOP - 2, height: height - TOP + 2 }} />
      </div>
    );
  },
);
