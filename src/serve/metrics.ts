// Figures about a program that runs on and on, as OpenMetrics text.

/** Upper bounds of how long answers take, in seconds. */
const BOUNDS = [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30];

interface Series {
  count: number;
  sum: number;
  readonly below: number[];
}

/** What is counted: its name in the plural and with what it takes time, by which two labels, and what they say. */
export interface Counted {
  readonly name: string;
  readonly timed: string;
  readonly by: readonly [of: string, as: string];
  readonly about: string;
  readonly aboutTime: string;
}

export const REQUESTS: Counted = {
  name: 'requests',
  timed: 'request_seconds',
  by: ['route', 'status'],
  about: 'Requests answered, by route and status.',
  aboutTime: 'How long answers took.',
};

export const PUBLICATIONS: Counted = {
  name: 'publications',
  timed: 'publication_seconds',
  by: ['publication', 'state'],
  about: 'Publications computed, by name and by what became of them.',
  aboutTime: 'How long they took.',
};

export const METRICS_TYPE = 'application/openmetrics-text; version=1.0.0; charset=utf-8';

export interface Metrics {
  /** One of what is counted, with what became of it, after so many seconds. */
  readonly done: (of: string, as: string, seconds: number) => void;
  readonly text: (gauges: Readonly<Record<string, readonly [about: string, value: number]>>) => string;
}

const label = (text: string): string => text.replaceAll('\\', '\\\\').replaceAll('"', '\\"').replaceAll('\n', '\\n');

export const metricsOf = ({ name, timed, by: [of, as], about, aboutTime }: Counted): Metrics => {
  const counts = new Map<string, number>();
  const durations = new Map<string, Series>();
  return {
    done: (one, became, seconds) => {
      const own = `${of}="${label(one)}"`;
      const key = `${own},${as}="${label(became)}"`;
      counts.set(key, (counts.get(key) ?? 0) + 1);
      const series = durations.get(own) ?? { count: 0, sum: 0, below: BOUNDS.map(() => 0) };
      durations.set(own, series);
      series.count++;
      series.sum += seconds;
      BOUNDS.forEach((bound, k) => void (seconds <= bound && series.below[k]++));
    },
    text: (gauges) =>
      [
        `# TYPE durchblick_${name} counter`,
        `# HELP durchblick_${name} ${about}`,
        ...[...counts].map(([labels, count]) => `durchblick_${name}_total{${labels}} ${count}`),
        `# TYPE durchblick_${timed} histogram`,
        `# UNIT durchblick_${timed} seconds`,
        `# HELP durchblick_${timed} ${aboutTime}`,
        ...[...durations].flatMap(([labels, { count, sum, below }]) => [
          ...BOUNDS.map((bound, k) => `durchblick_${timed}_bucket{${labels},le="${bound}"} ${below[k]}`),
          `durchblick_${timed}_bucket{${labels},le="+Inf"} ${count}`,
          `durchblick_${timed}_sum{${labels}} ${sum}`,
          `durchblick_${timed}_count{${labels}} ${count}`,
        ]),
        ...Object.entries(gauges).flatMap(([gauge, [aboutGauge, value]]) => [
          `# TYPE durchblick_${gauge} gauge`,
          `# HELP durchblick_${gauge} ${aboutGauge}`,
          `durchblick_${gauge} ${value}`,
        ]),
        '# EOF\n',
      ].join('\n'),
  };
};
