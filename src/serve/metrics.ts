// Figures about the server itself, as OpenMetrics text.

/** Upper bounds of how long answers take, in seconds. */
const BOUNDS = [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30];

interface Series {
  count: number;
  sum: number;
  readonly below: number[];
}

export interface Metrics {
  /** One answer: of a route, with a status, after so many seconds. */
  readonly answered: (route: string, status: number, seconds: number) => void;
  readonly text: (gauges: Readonly<Record<string, readonly [about: string, value: number]>>) => string;
}

const label = (text: string): string => text.replaceAll('\\', '\\\\').replaceAll('"', '\\"').replaceAll('\n', '\\n');

export const metricsOf = (): Metrics => {
  const requests = new Map<string, number>();
  const durations = new Map<string, Series>();
  return {
    answered: (route, status, seconds) => {
      const key = `route="${label(route)}",status="${status}"`;
      requests.set(key, (requests.get(key) ?? 0) + 1);
      const own = `route="${label(route)}"`;
      const series = durations.get(own) ?? { count: 0, sum: 0, below: BOUNDS.map(() => 0) };
      durations.set(own, series);
      series.count++;
      series.sum += seconds;
      BOUNDS.forEach((bound, k) => void (seconds <= bound && series.below[k]++));
    },
    text: (gauges) =>
      [
        '# TYPE durchblick_requests counter',
        '# HELP durchblick_requests Requests answered, by route and status.',
        ...[...requests].map(([labels, count]) => `durchblick_requests_total{${labels}} ${count}`),
        '# TYPE durchblick_request_seconds histogram',
        '# UNIT durchblick_request_seconds seconds',
        '# HELP durchblick_request_seconds How long answers took.',
        ...[...durations].flatMap(([labels, { count, sum, below }]) => [
          ...BOUNDS.map((bound, k) => `durchblick_request_seconds_bucket{${labels},le="${bound}"} ${below[k]}`),
          `durchblick_request_seconds_bucket{${labels},le="+Inf"} ${count}`,
          `durchblick_request_seconds_sum{${labels}} ${sum}`,
          `durchblick_request_seconds_count{${labels}} ${count}`,
        ]),
        ...Object.entries(gauges).flatMap(([name, [about, value]]) => [
          `# TYPE durchblick_${name} gauge`,
          `# HELP durchblick_${name} ${about}`,
          `durchblick_${name} ${value}`,
        ]),
        '# EOF\n',
      ].join('\n'),
  };
};
