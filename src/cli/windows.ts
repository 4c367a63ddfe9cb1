import { isoOf } from '../calendar/day.ts';
import type { LaidWindow } from '../plan/windows.ts';
import { csvLine, markdownTable } from '../result/text.ts';
import { oneOf, withBook } from './book.ts';
import { deliver, dim, terminalTable, toStderr } from './output.ts';

const WIDTH = 56;
/** The picture reaches this many days back; what begins earlier is marked with an arrow. */
const LOOK_BACK = 420;

/** A window as a strip of characters on the time scale `first..last`; the as-of day is a bar. */
const strip = ({ from, to }: LaidWindow, first: number, last: number, asOf: number): string => {
  const cell = (day: number) => Math.floor(((day - first) * WIDTH) / (last - first + 1));
  const cells = new Array<string>(WIDTH).fill('·');
  cells[cell(asOf)] = '│';
  if (from !== undefined && to !== undefined) {
    for (let k = Math.max(cell(from), 0); k <= Math.min(cell(to), WIDTH - 1); k++) cells[k] = '█';
    if (from < first) cells[0] = '◂';
    if (to > last) cells[WIDTH - 1] = '▸';
  }
  return cells.join('');
};

/** Lists every window with its days at the as-of date and a picture on one time scale. */
export const windows = async (path: string, options: { readonly asOf?: string; readonly format: string }): Promise<number> => {
  const format = oneOf(options.format, ['table', 'csv', 'json', 'markdown'], '--format');
  const { asOf, windows: list } = await withBook(path, (book) => book.windows(options.asOf));
  const iso = (day: number | undefined) => (day === undefined ? '' : isoOf(day));
  if (format === 'json') {
    const rows = list.map(({ window, from, to, days }) => ({
      name: window.name,
      is: window.text,
      ...(window.label ? { label: window.label } : {}),
      from: from === undefined ? null : isoOf(from),
      to: to === undefined ? null : isoOf(to),
      days,
      builtIn: window.builtIn,
    }));
    await deliver(`${JSON.stringify({ asOf: isoOf(asOf), windows: rows }, null, 2)}\n`, undefined);
    return 0;
  }
  const header = ['window', 'is', 'from', 'to', 'days'];
  const cells = list.map(({ window, from, to, days }) => [window.name, window.text, iso(from), iso(to), String(days)]);
  if (format === 'csv') await deliver([header, ...cells].map(csvLine).join(''), undefined);
  else if (format === 'markdown')
    await deliver(
      markdownTable(header, cells, (column) => column === 4),
      undefined,
    );
  else {
    const last = Math.max(asOf, ...list.map(({ to }) => Math.min(to ?? asOf, asOf + LOOK_BACK)));
    const first = asOf - LOOK_BACK;
    toStderr(dim(`as of ${isoOf(asOf)}; the picture shows ${isoOf(first)} to ${isoOf(last)}\n`, process.stderr));
    await deliver(
      terminalTable({
        header: ['window', 'from', 'to', 'days', ''],
        right: [false, false, false, true, false],
        rows: list.map((laid) => ({
          cells: [laid.window.name, iso(laid.from), iso(laid.to), String(laid.days), strip(laid, first, last, asOf)],
          strong: !laid.window.builtIn,
        })),
      }),
      undefined,
    );
  }
  return 0;
};
