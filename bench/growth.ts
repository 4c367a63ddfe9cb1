import { memory } from '../src/engines/memory/index.ts';
import { defineModel, open, type Question } from '../src/index.ts';
import { median, ms, timed } from './rig.ts';

/**
 * How the cost of a first answer, and of asking again with another unit, grows with rows, members, readings, the length of windows and
 * years: each is doubled several times while the others stay. The exponent is the slope of a straight line through the logarithms: 1
 * grows in proportion, 0 does not grow.
 */
const START = 18_628;
const model = defineModel({
  sources: { lines: {} },
  dimensions: { shop: {} },
  facts: {
    lines: { source: 'lines', dates: { ordered: 'ordered' }, links: { shop: 'shop' }, measures: { revenue: { sum: 'amount' } } },
  },
});

interface Size {
  readonly rows: number;
  readonly members: number;
  readonly readings: number;
  /** Days of a window. */
  readonly window: number;
  readonly years: number;
}
const USUAL: Size = { rows: 1_000_000, members: 32, readings: 4, window: 28, years: 4 };

/** Numbers without a pattern, the same each time. */
const mixed = (k: number): number => Math.imul(k ^ (k >>> 15), 0x2c1b3c6d) >>> 4;
const tables = ({ rows, members, years }: Size) => ({
  lines: {
    ordered: Int32Array.from({ length: rows }, (_, k) => START + (mixed(k) % (years * 365))),
    shop: Int32Array.from({ length: rows }, (_, k) => mixed(k * 3 + 1) % members),
    amount: Float64Array.from({ length: rows }, (_, k) => (mixed(k * 7 + 2) % 100_000) / 100),
  },
});
const question = ({ readings, window, years }: Size, by: string): Question => ({
  show: Array.from({ length: readings }, (_, k) => `revenue over [P${window + k}D/anchor]`),
  by,
  per: ['shop'],
  range: `2021/${2020 + years}`,
});

const ROUNDS = Number(process.env.BENCH_ROUNDS ?? 5);
const cost = async (size: Size): Promise<readonly [first: number, again: number]> => {
  const rows = tables(size);
  const [first, again]: [number[], number[]] = [[], []];
  for (let round = 0; round <= ROUNDS; round++) {
    const book = await open(model, memory(rows));
    const cold = (await timed(() => book.ask(question(size, 'month'))))[0];
    const warm = (await timed(() => book.ask(question(size, 'week'))))[0];
    await book.close();
    // The first round warms the machine up.
    if (round > 0) {
      first.push(cold);
      again.push(warm);
    }
  }
  return [median(first), median(again)];
};

/** The slope of a straight line through the logarithms. */
const exponent = (xs: readonly number[], ys: readonly number[]): number => {
  const [a, b] = [xs.map(Math.log2), ys.map(Math.log2)];
  const [ma, mb] = [a, b].map((list) => list.reduce((sum, v) => sum + v, 0) / list.length);
  return a.reduce((sum, v, k) => sum + (v - ma) * (b[k] - mb), 0) / a.reduce((sum, v) => sum + (v - ma) ** 2, 0);
};

const STEPS: Readonly<Record<keyof Size, readonly number[]>> = {
  rows: [500_000, 1_000_000, 2_000_000, 4_000_000, 8_000_000],
  members: [8, 16, 32, 64, 128],
  readings: [2, 4, 8, 16, 32],
  window: [7, 28, 112, 448],
  years: [2, 4, 8, 16],
};
process.stdout.write(
  `${'grows with'.padEnd(12)}${'from … to'.padEnd(24)}${'first answer'.padEnd(30)}${'asked again, by week'.padEnd(30)}\n`,
);
for (const [name, steps] of Object.entries(STEPS) as [keyof Size, readonly number[]][]) {
  const costs: (readonly [number, number])[] = [];
  for (const step of steps) costs.push(await cost({ ...USUAL, [name]: step }));
  const said = [0, 1].map((k) => {
    const times = costs.map((own) => own[k]);
    return `${ms(times[0])} … ${ms(times[times.length - 1])}, ^${exponent(steps, times).toFixed(2)}`.padEnd(30);
  });
  process.stdout.write(`${name.padEnd(12)}${`${steps[0]} … ${steps[steps.length - 1]}`.padEnd(24)}${said.join('')}\n`);
}
