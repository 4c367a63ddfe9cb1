import { civilOf, isoOf } from '../calendar/day.ts';
import { calendarPicture } from '../calendar/picture.ts';
import { type CalendarTable, calendarSql, calendarTable, cellText } from '../calendar/table.ts';
import { arrowFileOf } from '../files/arrow.ts';
import { parquetOf } from '../files/parquet.ts';
import { csvLine, markdownTable } from '../result/text.ts';
import { type EngineOptions, oneOf, withBook } from './book.ts';
import { needsFile } from './output.ts';
import { deliver } from './write.ts';

export interface CalendarCommandOptions extends EngineOptions {
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

/** The calendar of a model: a picture of a year, or the table of its days in any form. */
export const calendar = async (path: string, options: CalendarCommandOptions): Promise<number> => {
  const format = oneOf(options.format, FORMATS, '--format');
  await withBook(
    path,
    async (book) => {
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
      else if (format === 'arrow') await deliver(await arrowFileOf(table.columns), options.output ?? needsFile(format, 'calendar'));
      else await deliver(await parquetOf(table.columns), options.output ?? needsFile(format, 'calendar'));
    },
    { ...options, writes: [options.output] },
  );
  return 0;
};
