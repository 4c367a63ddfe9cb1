import { civilOf, isoOf } from '../calendar/day.ts';
import { calendarPicture } from '../calendar/picture.ts';
import { type CalendarColumn, type CalendarTable, calendarSql, calendarTable, cellText } from '../calendar/table.ts';
import { DurchblickError } from '../errors.ts';
import { csvLine, markdownTable } from '../result/text.ts';
import { oneOf, withBook } from './book.ts';
import { deliver } from './output.ts';

export interface CalendarCommandOptions {
  readonly range?: string;
  readonly asOf?: string;
  readonly format: string;
  readonly output?: string;
  readonly table: string;
}

const FORMATS = ['picture', 'csv', 'json', 'ndjson', 'markdown', 'sql', 'arrow', 'parquet'];

const texts = ({ columns }: CalendarTable, row: number): string[] => columns.map(({ type, values }) => cellText(type, values[row]));
const jsonRow = ({ columns }: CalendarTable, row: number): Record<string, unknown> =>
  Object.fromEntries(columns.map(({ name, type, values }) => [name, type === 'date' ? cellText(type, values[row]) || null : values[row]]));
const eachRow = <T>(table: CalendarTable, make: (row: number) => T): T[] => Array.from({ length: table.rows }, (_, row) => make(row));

const arrowOf = async (table: CalendarTable): Promise<Uint8Array> => {
  const arrow = await import('apache-arrow');
  const vector = ({ type, values }: CalendarColumn) => {
    if (type === 'date')
      return arrow.vectorFromArray(
        values.map((day) => (day === null ? null : (day as number) * 86_400_000)),
        new arrow.DateDay(),
      );
    if (type === 'integer') return arrow.vectorFromArray(values as (number | null)[], new arrow.Int32());
    if (type === 'boolean') return arrow.vectorFromArray(values as (boolean | null)[], new arrow.Bool());
    return arrow.vectorFromArray(values as (string | null)[], new arrow.Utf8());
  };
  return arrow.tableToIPC(new arrow.Table(Object.fromEntries(table.columns.map((column) => [column.name, vector(column)]))), 'file');
};

const needsFile = (format: string): never => {
  throw new DurchblickError('bad-option', `--format ${format} needs a file to write to`, {
    hint: `For example --output calendar.${format}.`,
  });
};

/** Parquet is written by DuckDB, from the same SQL that a warehouse would run. */
const writeParquet = async (table: CalendarTable, file: string): Promise<void> => {
  const { DuckDBInstance } = await import('@duckdb/node-api').catch((error: Error) => {
    throw new DurchblickError('no-package', 'Parquet needs @duckdb/node-api', {
      kind: 'engine',
      hint: `Install it: npm install @duckdb/node-api. (${error.message.split('\n')[0]})`,
    });
  });
  const connection = await (await DuckDBInstance.create()).connect();
  try {
    await connection.run(calendarSql(table, 'calendar'));
    await connection.run(`copy calendar to '${file.replaceAll("'", "''")}' (format parquet)`);
  } catch (error) {
    throw new DurchblickError('no-file', `cannot write ${file} (${(error as Error).message.split('\n')[0]})`, { kind: 'engine' });
  } finally {
    connection.closeSync();
  }
  process.stderr.write(`wrote ${file}\n`);
};

/** The calendar of a model: a picture of a year, or the table of its days in any form. */
export const calendar = async (path: string, options: CalendarCommandOptions): Promise<number> => {
  const format = oneOf(options.format, FORMATS, '--format');
  await withBook(path, async (book) => {
    const asOf = await book.asOf(options.asOf);
    const range = options.range === undefined ? undefined : await book.range(options.range, options.asOf);
    const found = await book.calendar(range);
    if (format === 'picture') {
      const [first, last] = range ? [civilOf(range.first).year, civilOf(range.last).year] : [civilOf(asOf).year, civilOf(asOf).year];
      const years = Array.from({ length: last - first + 1 }, (_, k) => calendarPicture(found, { year: first + k, asOf }));
      await deliver(years.join('\n'), options.output);
      return;
    }
    const table = calendarTable(found, { from: range?.first, to: range?.last, ...(options.asOf === undefined ? {} : { asOf }) });
    const header = table.columns.map(({ name }) => name);
    if (format === 'csv') await deliver([header, ...eachRow(table, (row) => texts(table, row))].map(csvLine).join(''), options.output);
    else if (format === 'markdown')
      await deliver(
        markdownTable(
          header,
          eachRow(table, (row) => texts(table, row)),
        ),
        options.output,
      );
    else if (format === 'json')
      await deliver(
        `${JSON.stringify({ asOf: options.asOf === undefined ? null : isoOf(asOf), columns: table.columns.map(({ name, type, comment }) => ({ name, type, comment })), rows: eachRow(table, (row) => Object.values(jsonRow(table, row))) })}\n`,
        options.output,
      );
    else if (format === 'ndjson')
      await deliver(eachRow(table, (row) => `${JSON.stringify(jsonRow(table, row))}\n`).join(''), options.output);
    else if (format === 'sql') await deliver(calendarSql(table, options.table), options.output);
    else if (format === 'arrow') await deliver(await arrowOf(table), options.output ?? needsFile(format));
    else await writeParquet(table, options.output ?? needsFile(format));
  });
  return 0;
};
