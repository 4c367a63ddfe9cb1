import type { ExplainedPart } from 'durchblick';

const DAY = 86_400_000;
const dayOf = (iso: string): number => Math.round(Date.parse(iso) / DAY);
const ROW = 20;
const TOP = 18;

/** Which days each measure covers, and which are compared, on one scale; the as-of date is a line. */
export const Strip = ({
  parts,
  asOf,
  locale,
}: {
  readonly parts: readonly ExplainedPart[];
  readonly asOf: string;
  readonly locale: string;
}) => {
  const lanes = parts.flatMap((part, k) => (part.days ? [{ key: k, part, days: part.days }] : []));
  if (lanes.length === 0) return null;
  const at = dayOf(asOf);
  const first = Math.min(at, ...lanes.map(({ days }) => dayOf(days.start)));
  const last = Math.max(at, ...lanes.map(({ days }) => dayOf(days.end)));
  const x = (day: number): number => ((day - first) / (last - first + 1)) * 100;
  const words = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' });
  const inWords = (day: number): string => words.format(day * DAY);
  const height = TOP + lanes.length * ROW;
  const said = lanes.map(({ part, days }) => `${part.comparison ? 'compared' : 'covered'}: ${days.start} to ${days.end}`).join('; ');
  return (
    <div className="strip" role="img" aria-label={`Days ${said}; as of ${asOf}`} style={{ height }}>
      <span className="edge">{inWords(first)}</span>
      <span className="edge end">{inWords(last)}</span>
      {lanes.map(({ key, part, days }, k) => {
        const [from, to] = [dayOf(days.start), dayOf(days.end)];
        return (
          <div
            key={key}
            className={part.comparison ? 'bar compared' : 'bar'}
            title={`${part.expression}${part.comparison ? ` (${part.comparison.name})` : ''}: ${inWords(from)} – ${inWords(to)}`}
            style={{ top: TOP + k * ROW, left: `${x(from)}%`, width: `max(3px, ${x(to + 1) - x(from)}%)` }}
          />
        );
      })}
      <div className="as-of" style={{ left: `${x(at + 1)}%`, top: TOP - 2, height: height - TOP + 2 }} />
    </div>
  );
};
