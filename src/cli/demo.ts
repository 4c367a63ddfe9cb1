// `demo`: lays out the demo and walks through it.
import { cp, mkdtemp, readdir } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { DurchblickError } from '../errors.ts';
import type { Question } from '../model/schema.ts';
import { openBook } from './book.ts';
import { bold, dim, noteLines, resultTable } from './output.ts';
import { deliver } from './write.ts';

interface Stop {
  readonly title: string;
  /** The question as the command line takes it, behind `durchblick ask model.yaml`. */
  readonly command: string;
  readonly question: Question;
}

/** The tour: the questions that this work is about, each as one command. */
export const TOUR: readonly Stop[] = [
  {
    title: 'Revenue by month, by order date and by ship date side by side; what is not shipped yet is said, not lost.',
    command: "revenue 'revenue on shipped' --by month --range 2026-01/2026-05 --totals axis",
    question: { show: ['revenue', 'revenue on shipped'], by: 'month', range: '2026-01/2026-05', totals: ['axis'] },
  },
  {
    title: 'Five windows at 20 May 2026, by region, each against the same days of the year before.',
    command:
      "revenue 'revenue vs year-earlier as change' --by mtd,qtd,fiscal-ytd,rolling-28-days,rolling-3-months --per region --as-of 2026-05-20",
    question: {
      show: ['revenue', 'revenue vs year-earlier as change'],
      by: ['mtd', 'qtd', 'fiscal-ytd', 'rolling-28-days', 'rolling-3-months'],
      per: ['region'],
      asOf: '2026-05-20',
    },
  },
  {
    title: 'Orders by week with the week before. `--by month` or `--by quarter` asks the same of other periods.',
    command: "orders 'orders vs previous' 'orders vs previous as change' --by week --range 2026-W13/2026-W20",
    question: { show: ['orders', 'orders vs previous', 'orders vs previous as change'], by: 'week', range: '2026-W13/2026-W20' },
  },
  {
    title: 'Month to date against the monthly budget, spread over working days and cut at the same day.',
    command: "'revenue over mtd' 'budget over mtd' budget-attainment --by month --per region --range 2026-05 --totals members",
    question: {
      show: ['revenue over mtd', 'budget over mtd', 'budget-attainment'],
      by: 'month',
      per: ['region'],
      range: '2026-05',
      totals: ['members'],
    },
  },
  {
    title: 'The whole budget of 2026 beside what came in so far.',
    command: 'revenue budget --by month --range 2026 --totals axis',
    question: { show: ['revenue', 'budget'], by: 'month', range: '2026', totals: ['axis'] },
  },
  {
    title: 'The last 14 days, each over the same weekday a year earlier (`--chart` draws it).',
    command: "revenue 'revenue vs same-weekdays-last-year' --by day --range last-14-days --chart last-14-days.svg",
    question: { show: ['revenue', 'revenue vs same-weekdays-last-year'], by: 'day', range: 'last-14-days' },
  },
  {
    title: 'Days by name: what each weekday of April sold of its budget, and its share of the month.',
    command: 'revenue budget revenue-share --per weekday --range 2026-04',
    question: {
      show: ['revenue', 'budget', 'revenue-share'],
      per: ['weekday'],
      range: '2026-04',
    },
  },
  {
    title: 'Half of all lines, and nine of ten, were shipped within so many days; who ordered for the first time, and who came back.',
    command: 'median-lead-time slow-orders new-customers returning-customers --by quarter --range 2025-Q3/2026-Q2',
    question: {
      show: ['median-lead-time', 'slow-orders', 'new-customers', 'returning-customers'],
      by: 'quarter',
      range: '2025-Q3/2026-Q2',
    },
  },
  {
    title: 'What is promised for the months to come, against what had been promised by the same day last year.',
    command: "'revenue on promised' 'revenue on promised vs pace' --by month --range 2026-05/2026-07",
    question: { show: ['revenue on promised', 'revenue on promised vs pace'], by: 'month', range: '2026-05/2026-07' },
  },
  {
    title: 'The two best products of each region that sold for more than 5,000 this year, and all others.',
    command: "revenue --per region,product --range 2026 --order 'revenue desc' --keep 'revenue > 5000' --limit 2 --within region --rest",
    question: {
      show: ['revenue'],
      per: ['region', 'product'],
      range: '2026',
      order: ['revenue desc'],
      keep: ['revenue > 5000'],
      limit: 2,
      within: 'region',
      rest: true,
    },
  },
];

/** The demo's model and data as they lie in the package. */
const demoFolder = (): string => fileURLToPath(new URL('../../demo/', import.meta.url));

/** Lays the demo out in a folder where nothing is overwritten. */
export const layOut = async (folder: string): Promise<void> => {
  const there = await readdir(folder).catch(() => []);
  const taken = there.filter((name) => name === 'model.yaml' || name === 'data');
  if (taken.length > 0) {
    throw new DurchblickError('folder-taken', `${folder} already has ${taken.join(' and ')}`, {
      hint: 'Name another folder; nothing is overwritten.',
    });
  }
  await cp(demoFolder(), folder, { recursive: true, filter: (source) => !source.endsWith('generate.ts') });
};

/** Lays the demo out in a folder and walks through the tour. */
export const demo = async (folder?: string): Promise<number> => {
  const target = folder ?? (await mkdtemp(join(tmpdir(), 'gruenhof-')));
  await layOut(target);
  const model = join(target, 'model.yaml');
  const write = (text: string): Promise<void> => deliver(text, undefined, 'words');
  await write(`${bold('Grünhof')}, a made-up chain of plant nurseries, lies in ${target}: model.yaml and data/.\n`);
  const book = await openBook(model);
  try {
    for (const { title, command, question } of TOUR) {
      const result = await book.ask(question);
      await write(`\n${bold(title)}\n${dim(`$ npx durchblick ask ${model} ${command}`)}\n`);
      if (result.caption) await write(`${dim(`${result.caption}, as of ${result.asOf}`)}\n`);
      await write(`${resultTable(result)}${noteLines(result.notes)}`);
    }
    await write(
      `\nNow change a question, or the model in ${model}, and ask again. \`npx durchblick windows ${model}\` shows every window there is.\n`,
    );
    return 0;
  } finally {
    await book.close();
  }
};
