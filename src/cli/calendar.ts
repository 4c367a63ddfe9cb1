// `calendar`: a year as a picture, or its days as a table.
import { civilOf, isoOf } from '../calendar/day.ts';
import { calendarPicture } from '../calendar/picture.ts';
import { calendarSql, calendarTable } from '../calendar/table.ts';
import { arrowFileOf } from '../files/arrow.ts';
import { parquetOf } from '../files/parquet.ts';
import { calendarCsv, calendarJson, calendarMarkdown, calendarNdjson } from '../result/listings.ts';
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
      const table = calendarTable(found, {
        from: range?.first ?? found.first,
        to: range?.last ?? found.last,
        ...(options.asOf === undefined ? {} : { asOf }),
      });
      if (format === 'csv') await deliver(calendarCsv(table), options.output);
      else if (format === 'markdown') await deliver(calendarMarkdown(table), options.output);
      else if (format === 'json') {
        const json = calendarJson(table, options.asOf === undefined ? undefined : isoOf(asOf));
        await deliver(`${JSON.stringify(json)}\n`, options.output);
      } else if (format === 'ndjson') await deliver(calendarNdjson(table), options.output);
      else if (format === 'sql') await deliver(calendarSql(table, options.table), options.output);
      else if (format === 'arrow') await deliver(await arrowFileOf(table.columns), options.output ?? needsFile(format, 'calendar'));
      else await deliver(await parquetOf(table.columns), options.output ?? needsFile(format, 'calendar'));
    },
    { ...options, writes: [options.output] },
  );
  return 0;
};
