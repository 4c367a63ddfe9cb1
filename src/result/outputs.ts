// The ways out of a result: text table, CSV, JSON, Markdown.
import { OTHERS, TOTAL } from '../model/attributes.ts';
import { bareFormatter, formatter, plainNumber } from './format.ts';
import { csvLine, defused, markdownTable } from './text.ts';
import type { Cell, Mark, PlainResult, ResultJson, TextTable } from './types.ts';

type RowKind = TextTable['rows'][number]['kind'];

/** A row of the table as people see it: what it is, the period it stands in, none where it is over all of them, and the alerts on it. */
export interface Line {
  readonly cells: readonly Cell[];
  readonly kind: RowKind;
  readonly period: number | undefined;
  readonly marks: readonly (Mark | null)[];
}

/** What stands for members that are none, where an answer does not say otherwise. */
const ENGLISH = { total: TOTAL, others: OTHERS };

const NO_MARKS: readonly null[] = [];

/** All rows as they are shown: total rows stand behind the rows they sum up; those over the axis come last. */
export const linesOf = ({ rows, totals, periods, columns, marks, words = ENGLISH }: ResultJson): readonly Line[] => {
  const attributes = columns.filter(({ kind }) => kind === 'attribute').length;
  const at = new Map(periods.map(({ label }, k) => [label, k]));
  // Without members, rows keep their order, which `order` may have changed (R1).
  const groups = new Map<number, Line[]>(attributes > 0 ? periods.map((_, k) => [k, []]) : []);
  const addLine = (line: Line): void => {
    const key = line.period ?? periods.length;
    const group = groups.get(key) ?? [];
    groups.set(key, group);
    group.push(line);
  };
  const isOthers = (cells: readonly Cell[]): boolean =>
    attributes > 0 && cells.slice(1, 1 + attributes).every((member) => member === words.others);
  rows.forEach((cells, k) => {
    const period = at.get(String(cells[0]));
    addLine({ cells, kind: isOthers(cells) ? 'others' : 'cell', period, marks: marks?.[k] ?? NO_MARKS });
  });
  // The total over the axis is no period, even where one is called like it.
  const inPeriods = (cells: readonly Cell[]): boolean => cells.slice(1, 1 + attributes).some((member) => member === words.total);
  for (const cells of totals) {
    const period = inPeriods(cells) ? at.get(String(cells[0])) : undefined;
    addLine({ cells, kind: 'total', period, marks: NO_MARKS });
  }
  return [...groups.values()].flat();
};

/** Lines that travel together. */
const LINES_A_PART = 500;

function* inParts(lines: Iterable<string>): Iterable<string> {
  let part: string[] = [];
  for (const line of lines) {
    part.push(line);
    if (part.length < LINES_A_PART) continue;
    yield part.join('');
    part = [];
  }
  if (part.length > 0) yield part.join('');
}

/** A result with its ways out, from plain data: as it was computed, or as it came as JSON from elsewhere. */
export const withOutputs = (json: ResultJson): PlainResult => {
  const { columns, locale } = json;
  let known: readonly Line[] | undefined;
  const lines = (): readonly Line[] => {
    known ??= linesOf(json);
    return known;
  };
  const header = columns.map(({ label }) => label);
  const table = (write: (value: Cell, column: number) => string) => lines().map(({ cells }) => cells.map(write));
  const writerOf = (make: typeof formatter): ((value: Cell, column: number) => string) => {
    const writers: (((value: number | null) => string) | undefined)[] = [];
    return (value, column) => {
      if (typeof value === 'string') return value;
      const { format } = columns[column];
      if (!format) return plainNumber(value);
      writers[column] ??= make(format, locale);
      return writers[column](value);
    };
  };
  function* csvLines(write: (text: string) => string): Iterable<string> {
    yield csvLine(columns.map(({ name }) => write(name)));
    for (const { cells } of lines()) yield csvLine(cells.map((value) => (typeof value === 'string' ? write(value) : plainNumber(value))));
  }
  function* jsonLines(): Iterable<string> {
    for (const { cells } of lines()) yield `${JSON.stringify(Object.fromEntries(cells.map((value, k) => [columns[k].name, value])))}\n`;
  }
  const formatted = writerOf(formatter);
  const bare = writerOf(bareFormatter);
  return {
    ...json,
    marks: json.marks ?? json.rows.map(() => NO_MARKS),
    toJson: () => json,
    toTable: (units = 'cells') => ({
      header: columns.map(({ label, unit }) => (units === 'header' && unit ? `${label} (${unit})` : label)),
      kinds: columns.map(({ kind }) => kind),
      rows: lines().map(({ cells, kind, marks }) => ({ kind, cells: cells.map(units === 'header' ? bare : formatted), marks })),
    }),
    toCsv: (reader = 'data') => [...csvLines(reader === 'spreadsheet' ? defused : (text) => text)].join(''),
    toNdjson: () => [...jsonLines()].join(''),
    toParts: (form) => inParts(form === 'csv' ? csvLines((text) => text) : jsonLines()),
    toMarkdown: () => markdownTable(header, table(formatted), (column) => columns[column].kind === 'reading'),
    toColumns: () =>
      columns.map(({ name, kind }, k) => ({
        name,
        type: kind === 'reading' ? 'number' : 'text',
        values: lines().map(({ cells }) => cells[k]),
      })),
    [Symbol.iterator]: function* () {
      for (const row of json.rows) yield Object.fromEntries(row.map((value, k) => [columns[k].name, value]));
    },
  };
};
