import { spawnSync } from 'node:child_process';
import { cpus } from 'node:os';
import { type Compared, fixedLoop, median } from './rig.ts';

/**
 * All workloads in one table: statements by hand against answers, for files and for rows in memory. Each measurement is a process of its
 * own in which both sides take turns, and nothing else runs; between them a fixed loop says how noisy the machine is. Nothing is moved
 * out of the clock: what is kept for the next opening has a line of its own.
 */
const loops: number[] = [];
const measured = (script: string): readonly Compared[] => {
  loops.push(fixedLoop(), fixedLoop());
  const { status, stdout, stderr } = spawnSync(process.execPath, [`${import.meta.dirname}/${script}.js`], {
    encoding: 'utf8',
    maxBuffer: 2 ** 26,
    env: { ...process.env, BENCH_TABLE: '1' },
  });
  if (status !== 0) throw new Error(`${script}: ${stdout}${stderr}`);
  return stdout.split('\n').flatMap((line) => (line.startsWith('@') ? [JSON.parse(line.slice(1)) as Compared] : []));
};

const time = (value: number): string => (value < 100 ? `${value.toFixed(1)} ms` : `${Math.round(value)} ms`);
const spread = (values: readonly number[]): string =>
  `±${Math.round((50 * (Math.max(...values) - Math.min(...values))) / median(values))} %`;
const times = (value: number): string => (value >= 1 ? `${value.toFixed(2)}x faster` : `${(1 / value).toFixed(2)}x slower`);

const rows = ['readings', 'measures', 'files'].flatMap(measured);
const HEAD = ['workload', 'by hand', 'spread', 'here', 'spread', 'ratio', 'wanted', ''];
const table = [
  HEAD,
  ...rows.map(({ workload, byHand, own, wanted }) => {
    const found = median(byHand) / median(own);
    return [
      workload,
      time(median(byHand)),
      spread(byHand),
      time(median(own)),
      spread(own),
      times(found),
      times(wanted),
      found >= wanted ? 'ok' : 'open',
    ];
  }),
];
const widths = HEAD.map((_, k) => Math.max(...table.map((row) => row[k].length)));
for (const row of table)
  process.stdout.write(`${row.map((text, k) => (k === 0 ? text.padEnd(widths[k]) : text.padStart(widths[k]))).join('  ')}\n`);
process.stdout.write(
  `${cpus().length} cores; a fixed loop took ${time(Math.min(...loops))} to ${time(Math.max(...loops))} between the measurements\n\n`,
);
spawnSync(process.execPath, [`${import.meta.dirname}/growth.js`], { stdio: 'inherit' });
