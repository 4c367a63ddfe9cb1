import { memory } from '../src/engines/memory/index.ts';
import { open, type Question } from '../src/index.ts';
import { makeRows, median, model, ms, print, ROWS, ratio, timed } from './rig.ts';

/** What days by name cost beside the same question without them, and first times beside distinct counts: books opened anew, in turns. */
const { tables } = await makeRows();
const PAIRS: readonly (readonly [name: string, plain: Question, more: Question])[] = [
  [
    'revenue by month and region; by weekday as well',
    { show: ['revenue'], by: 'month', per: ['region'], range: '2021/2025', asOf: '2025-12-31' },
    { show: ['revenue'], by: 'month', per: ['region', 'weekday'], range: '2021/2025', asOf: '2025-12-31' },
  ],
  [
    'revenue by year; by month of the year as well',
    { show: ['revenue'], per: ['year'], range: '2021/2025', asOf: '2025-12-31' },
    { show: ['revenue'], per: ['year', 'month-of-year'], range: '2021/2025', asOf: '2025-12-31' },
  ],
  [
    'distinct customers by month and region; first-time customers',
    { show: ['customers'], by: 'month', per: ['region'], range: '2021/2025', asOf: '2025-12-31' },
    { show: ['new-customers'], by: 'month', per: ['region'], range: '2021/2025', asOf: '2025-12-31' },
  ],
  [
    'distinct customers by region; by weekday as well',
    { show: ['customers'], per: ['region'], range: '2021/2025', asOf: '2025-12-31' },
    { show: ['customers'], per: ['region', 'weekday'], range: '2021/2025', asOf: '2025-12-31' },
  ],
];
const rounds = Number(process.env.BENCH_ROUNDS ?? 7);
for (const [name, plain, more] of PAIRS) {
  const times: [number[], number[]] = [[], []];
  for (let round = 0; round < rounds; round++)
    for (const [k, question] of [plain, more].entries()) {
      const book = await open(model, memory(tables));
      const [time] = await timed(() => book.ask(question));
      if (round > 0) times[k].push(time);
      await book.close();
    }
  const [a, b] = times.map(median);
  print(`${ROWS} rows: ${name}`, '');
  print('  first answer', `${ms(a)} → ${ms(b)}  ${ratio(b / a)}`);
}
