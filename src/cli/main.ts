#!/usr/bin/env node
import { existsSync, readFileSync } from 'node:fs';
import { Command, CommanderError } from 'commander';
import type { AskCommandOptions } from './ask.ts';
import { collect, withEngine } from './book.ts';
import type { CalendarCommandOptions } from './calendar.ts';
import type { CheckOptions } from './check.ts';
import type { DictionaryOptions } from './dictionary.ts';
import type { DiffCommandOptions } from './diff.ts';
import type { ExplainOptions } from './explain.ts';
import type { FiguresOptions } from './figures.ts';
import type { InitOptions } from './init.ts';
import type { NamesOptions } from './names.ts';
import { exitCodeOf, report } from './output.ts';
import type { PublishCommandOptions } from './publish.ts';
import { withQuestion } from './question.ts';
import type { ReportCommandOptions } from './report.ts';
import type { ServeCommandOptions } from './serve.ts';
import type { SqlOptions } from './sql.ts';
import type { WindowsCommandOptions } from './windows.ts';
import { listenToStreams } from './write.ts';

// Commands are imported when they run: showing help must not load engines and charts.
const packageOf = (url: URL): { readonly version?: string } => JSON.parse(readFileSync(url, 'utf8')) as { version?: string };

/** Packages that are taken where they are installed; answers differ in nothing, but faults may. */
const OPTIONAL = ['@duckdb/node-api', 'pg', 'apache-arrow', 'read-excel-file', 'vega', 'vega-lite', '@resvg/resvg-js'];

/** The package's version, the versions of the formats it reads, and of what it runs on. */
const version = (): string => {
  const own = packageOf(new URL('../../package.json', import.meta.url)).version;
  const others = OPTIONAL.flatMap((name) => {
    for (let folder = new URL('../../', import.meta.url); ; folder = new URL('../', folder)) {
      const file = new URL(`node_modules/${name}/package.json`, folder);
      if (existsSync(file)) return [`${name} ${packageOf(file).version}`];
      if (folder.pathname === '/') return [];
    }
  });
  return `${own}\nmodel format 1, question format 1\nNode.js ${process.versions.node}${others.length > 0 ? `; ${others.join(', ')}` : ''}`;
};

const program = new Command('durchblick')
  .description('Reusable time calculations for semantic layers: asked by any unit, explained to the day.')
  .version(version())
  .showHelpAfterError('(--help shows how it is used)')
  .exitOverride()
  .configureHelp({ showGlobalOptions: false });

const run =
  (action: (...args: never[]) => Promise<number>) =>
  async (...args: unknown[]): Promise<void> => {
    process.exitCode = await (action as (...args: unknown[]) => Promise<number>)(...args);
  };

program
  .command('demo')
  .argument('[folder]', 'where to lay out the demo; a temporary folder when left out')
  .description('lay out the demo of Grünhof and run a short tour of real questions on it')
  .addHelpText('after', '\nExample:\n  npx durchblick demo gruenhof')
  .action(run(async (folder?: string) => (await import('./demo.ts')).demo(folder)));

program
  .command('init')
  .argument(
    '[files...]',
    'CSV or Parquet files (and JSON, NDJSON, Arrow, workbooks); - for CSV from standard input; with --connect tables, all when left out',
  )
  .option('--connect <url>', 'draft from tables of a database: postgres://user@host/database, or duckdb:file.duckdb')
  .option('-o, --output <file>', 'the model file to write; stdout when left out')
  .description('draft a first model from files: dates become roles, numbers measures, ids links; what is a guess is said')
  .addHelpText('after', '\nExample:\n  npx durchblick init demo/data/order_lines.csv demo/data/products.csv demo/data/budget.csv')
  .action(run(async (files: string[], options: InitOptions) => (await import('./init.ts')).init(files, options)));

withEngine(
  withQuestion(
    program
      .command('ask')
      .argument('<model>', 'model file, or the folder of a model.yaml')
      .argument('[readings...]', "what to show, each in quotes: 'revenue over mtd vs year-earlier as change'")
      .description('answer a question'),
  ),
)
  .option('--format <format>', 'table, csv, json, ndjson, markdown, arrow or parquet', 'table')
  .option('--output <file>', 'write the answer to a file instead of stdout')
  .option('--chart <file>', 'draw the answer: .svg, .png, .html or .vl.json (repeatable)', collect)
  .option('--spreadsheet', 'in CSV, put an apostrophe before texts that a spreadsheet would run as formulas')
  .option('--quiet', 'no caption and no notes')
  .option('--time', 'say where the time went, and what was scanned, cached and transferred')
  .option('--verify', 'compute the answer a second time, row by row; exit code 4 when a cell differs')
  .addHelpText(
    'after',
    "\nExample:\n  npx durchblick ask demo/model.yaml revenue 'revenue vs year-earlier as change' --by month --range 2026-01/2026-05",
  )
  .action(
    run(async (path: string, readings: string[], options: AskCommandOptions) => (await import('./ask.ts')).ask(path, readings, options)),
  );

withEngine(
  program
    .command('explain')
    .argument('<model>', 'model file, or the folder of a model.yaml')
    .argument('<reading>', "the reading, in quotes: 'revenue over mtd vs year-earlier as change'")
    .description('say why one number is what it is: its parts, days and rows, and what was left out'),
)
  .option('--at <period>', 'the period of the cell (2026-05, 2026-W21, FY27), a range of periods, or a window (mtd)')
  .option('--by <unit>', 'the axis the cell stands on, where it is not the unit of the period')
  .option('--member <attribute=member>', 'the members of the cell (repeatable)', collect)
  .option('--where <filter>', "the question's filters: 'region=North,South' (repeatable)", collect)
  .option('--as-of <date>', 'the last day that may be seen')
  .option('--known-by <date>', 'versions recorded later are not seen')
  .option('--rows <n>', 'rows to show behind each measure', '5')
  .option('--locale <tag>', 'language of words and form of numbers: en-GB, de')
  .option('--format <format>', 'text or json', 'text')
  .option('--output <file>', 'write to a file instead of stdout')
  .addHelpText('after', '\nExample:\n  npx durchblick explain demo/model.yaml budget-attainment --at 2026-05 --member region=West')
  .action(
    run(async (path: string, reading: string, options: ExplainOptions) => (await import('./explain.ts')).explain(path, reading, options)),
  );

withEngine(
  withQuestion(
    program
      .command('sql')
      .argument('<model>', 'model file, or the folder of a model.yaml')
      .argument('[readings...]', 'what to show, each in quotes')
      .description('print the statements that a database is asked for a question; they run as printed'),
  ),
)
  .option('--output <file>', 'write them to a file instead of stdout')
  .addHelpText(
    'after',
    "\nExample:\n  npx durchblick sql demo/model.yaml 'revenue over mtd' --by month --per region --range 2026-01/2026-05",
  )
  .action(run(async (path: string, readings: string[], options: SqlOptions) => (await import('./sql.ts')).sql(path, readings, options)));

withEngine(program.command('windows'))
  .argument('<model>', 'model file, or the folder of a model.yaml')
  .argument('[only...]', "windows and comparisons to show, by name or as '[P10D/anchor]' and '[-P2Y]'; all when left out")
  .option('--as-of <date>', 'the day to lay them at: YYYY-MM-DD, latest, today, yesterday or a point')
  .option('--at <dates>', 'several such days, to see how windows move (repeatable)', collect)
  .option('--by <unit>', 'the unit whose period at that day comparisons are held against; month, or the next that works')
  .option('--over <window>', 'the window they are held against instead of the period so far')
  .option('--locale <tag>', 'language of labels: en-GB, de')
  .option('--format <format>', 'table, csv, json or markdown', 'table')
  .option('--output <file>', 'write to a file instead of stdout')
  .option('--chart <file>', 'draw them: .svg, .png, .html or .vl.json (repeatable)', collect)
  .description('show every window and comparison with its days at the as-of date, and a picture of them')
  .addHelpText(
    'after',
    "\nExample:\n  npx durchblick windows demo/model.yaml mtd rolling-28-days '[P10D/anchor-P1D]' same-weekdays-last-year --at 2026-02-28,2026-05-20",
  )
  .action(
    run(async (path: string, only: string[], options: WindowsCommandOptions) =>
      (await import('./windows.ts')).windows(path, only, options),
    ),
  );

withEngine(program.command('names'))
  .argument('<model>', 'model file, or the folder of a model.yaml')
  .argument(
    '[kind]',
    'measures, formulas, roles, windows, comparisons, units, attributes, members or questions; all but members when left out',
  )
  .option('--members', 'list the members of attributes of the data too; reads the data')
  .option('--locale <tag>', 'language of labels and descriptions: en-GB, de')
  .option('--format <format>', 'text, csv or json', 'text')
  .option('--output <file>', 'write to a file instead of stdout')
  .description('list what there is to ask for: every name with what it is')
  .addHelpText('after', '\nExample:\n  npx durchblick names demo/model.yaml measures')
  .action(
    run(async (path: string, kind: string | undefined, options: NamesOptions) => (await import('./names.ts')).names(path, kind, options)),
  );

withEngine(program.command('calendar'))
  .argument('<model>', 'model file, or the folder of a model.yaml')
  .option('--range <range>', 'periods or dates, 2025-01/2026-12; the years of the data when left out')
  .option('--as-of <date>', 'adds offsets and to-date flags against this day')
  .option('--format <format>', 'picture, csv, json, ndjson, markdown, sql, arrow or parquet', 'picture')
  .option('--output <file>', 'write to a file instead of stdout')
  .option('--table <name>', 'name of the table in SQL', 'calendar')
  .description('show a year of the calendar, or write all its days as a table')
  .addHelpText('after', '\nExample:\n  npx durchblick calendar demo/model.yaml --range 2026 --as-of 2026-05-20 --format csv')
  .action(run(async (path: string, options: CalendarCommandOptions) => (await import('./calendar.ts')).calendar(path, options)));

withEngine(
  withQuestion(
    program
      .command('figures')
      .argument('<model>', 'model file, or the folder of a model.yaml')
      .argument('[readings...]', 'what to vouch for, each in quotes')
      .description("write numbers to vouch for from today's answer, to be reviewed and put into the model"),
  ),
)
  .option('--format <format>', 'yaml or json', 'yaml')
  .option('--output <file>', 'write them to a file instead of stdout')
  .addHelpText('after', '\nExample:\n  npx durchblick figures demo/model.yaml revenue --by year')
  .action(
    run(async (path: string, readings: string[], options: FiguresOptions) =>
      (await import('./figures.ts')).figures(path, readings, options),
    ),
  );

withEngine(
  withQuestion(
    program
      .command('diff')
      .argument('<old>', 'model file, or the folder of a model.yaml')
      .argument('[new-and-readings...]', 'the other model, left out where only what is seen differs; then what to compare, each in quotes')
      .description('say what two models define differently, which numbers change, and why; exit code 4 when anything differs'),
    'two sides',
  ),
)
  .option('--data <folders>', 'folders with the data of the old and the new side: old/,new/', collect)
  .option('--cells <n>', 'differing cells to list of each reading, the largest first', '10')
  .option('--format <format>', 'text or json', 'text')
  .option('--output <file>', 'write to a file instead of stdout')
  .addHelpText(
    'after',
    '\nExamples:\n  npx durchblick diff demo/model.yaml changed/model.yaml --question monthly-sales\n  npx durchblick diff demo/model.yaml budget --by month --range 2026 --known-by 2026-01-15,2026-03-31',
  )
  .action(
    run(async (old: string, others: string[], options: DiffCommandOptions) => (await import('./diff.ts')).diff(old, others, options)),
  );

withEngine(program.command('dictionary'))
  .argument('<model>', 'model file, or the folder of a model.yaml')
  .option('-o, --output <file>', 'write to a file: .html, .md or .json; Markdown to stdout when left out')
  .option('--format <format>', 'html, markdown or json, where the file does not say')
  .option('--as-of <date>', 'the day to lay windows and comparisons at: YYYY-MM-DD, latest, today, yesterday or a point')
  .option('--locale <tag>', 'language of labels and words: en-GB, de')
  .description('write what every name means: measures and formulas in a sentence, how they add up and what they are made of')
  .addHelpText('after', '\nExample:\n  npx durchblick dictionary demo/model.yaml -o dictionary.html')
  .action(run(async (path: string, options: DictionaryOptions) => (await import('./dictionary.ts')).dictionary(path, options)));

withEngine(program.command('serve').option('--timeout <seconds>', 'how long an answer may take', '60'))
  .argument('[models...]', 'model files, or folders of a model.yaml; the model.yaml here when left out, else the demo')
  .option('--host <address>', 'the address to listen at; any but this machine alone needs --keys', '127.0.0.1')
  .option('--port <n>', 'the port to listen at; 0 takes a free one', '8484')
  .option('--keys <file>', 'keys that may ask, each with its models and fixed filters')
  .option('--new-key <name>', 'make a key and the lines to put into the file of keys, and end')
  .option('--at-once <n>', 'questions that run at once; others wait', '8')
  .option('--memory <MiB>', 'what day cubes of all models together may take', '1024')
  .option('--grace <seconds>', 'how long questions that run may take when the server is to end', '10')
  .description('answer over HTTP: a page to explore with, and an interface for programs described at /openapi.json')
  .addHelpText('after', '\nExample:\n  npx durchblick serve demo')
  .action(run(async (paths: string[], options: ServeCommandOptions) => (await import('./serve.ts')).serve(paths, options)));

withEngine(program.command('publish'))
  .argument('<model>', 'model file, or the folder of a model.yaml')
  .argument('[names...]', 'publications to write; all of the model when left out')
  .option('--into <url>', 'the database that tables are written to; that of --connect when left out')
  .option('--dry-run', 'say what would be written, and write nothing')
  .option('--every <interval>', 'publish again and again until stopped, each publication once in so long: 90s, 15m, 1h, 1d')
  .option(
    '--port <n>',
    'with --every, tell at /live, /ready and /metrics of this port, to this machine alone, how it goes; 0 takes a free one',
  )
  .option('--format <format>', 'text or json', 'text')
  .description('write the publications of the model to tables and files; what has not changed is left alone')
  .addHelpText('after', '\nExample:\n  npx durchblick publish demo monthly_sales --dry-run')
  .action(
    run(async (path: string, names: string[], options: PublishCommandOptions) =>
      (await import('./publish.ts')).publish(path, names, options),
    ),
  );

withEngine(program.command('report'))
  .argument('<model>', 'model file, or the folder of a model.yaml')
  .option('--question <name>', 'a question of the model (repeatable); all when left out', collect)
  .option(
    '--filter <attributes>',
    'attributes whose members a reader may choose: region,family; those that any of the questions splits by when left out',
  )
  .option('-o, --output <file>', 'the file to write; report.html when left out')
  .description('write one HTML file that is switched offline: by unit, window, comparison, as-of date, members and language')
  .addHelpText('after', '\nExample:\n  npx durchblick report demo --question monthly-sales -o report.html')
  .action(run(async (path: string, options: ReportCommandOptions) => (await import('./report.ts')).report(path, options)));

withEngine(program.command('check'))
  .argument('<model>', 'model file, the folder of a model.yaml, or a folder of models')
  .option('--alerts', 'evaluate the alerts too; exit code 3 when one fires')
  .option('--question <file>', 'check the question in a JSON or YAML file with the model (repeatable)', collect)
  .option('--figures', 'list every figure that the model vouches for; without it those that differ; exit code 4 when one does')
  .option('--format <format>', 'text or json', 'text')
  .option('--as-of <date>', 'the day at which alerts are evaluated: YYYY-MM-DD, latest, today, yesterday or a point')
  .description('check a model and its data, and list every fault with file, line and column')
  .addHelpText('after', '\nExample:\n  npx durchblick check demo/model.yaml')
  .action(run(async (path: string, options: CheckOptions) => (await import('./check.ts')).check(path, options)));

listenToStreams();
try {
  await program.parseAsync();
} catch (error) {
  if (error instanceof CommanderError) {
    // Commander has said what was wrong; help and version are no faults.
    process.exitCode = error.exitCode === 0 ? 0 : 2;
  } else {
    report(error);
    process.exitCode = exitCodeOf(error);
  }
}
