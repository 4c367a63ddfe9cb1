import { type Day, isoOf } from '../calendar/day.ts';
import { type Answer, type AnswerRow, readingOf, TOTAL } from '../evaluate/answer.ts';
import type { Note, Notes } from '../evaluate/notes.ts';
import type { DayRange } from '../evaluate/scope.ts';
import { hasComparison } from '../evaluate/view.ts';
import type { WrittenColumn } from '../kernels/columnar.ts';
import type { Model } from '../model/model.ts';
import { alertOf, brokenLimit, limitText } from '../plan/alerts.ts';
import { leavesOf } from '../plan/bind.ts';
import type { Asked } from '../plan/question.ts';
import { captionOf } from './caption.ts';
import { bareFormatter, type Format, formatOf, formatter, plainNumber, unitOfFormat } from './format.ts';
import { csvLine, defused, markdownTable } from './text.ts';

export interface Period {
  readonly label: string;
  /** First and last day and the day windows are laid at, `YYYY-MM-DD`, inclusive. */
  readonly start: string;
  readonly end: string;
  readonly anchor: string;
  /** The as-of date lies inside: the period is not over (A4). */
  readonly partial: boolean;
  /** The range takes only part of the period (A5). */
  readonly cut?: true;
}

export interface ResultColumn {
  readonly name: string;
  readonly kind: 'period' | 'attribute' | 'reading';
  readonly label: string;
  readonly expression?: string;
  readonly format?: Format;
  /** A currency code, `%`, or what else the numbers are in. */
  readonly unit?: string;
  readonly better?: 'higher' | 'lower';
  readonly horizon?: 'actual' | 'plan';
}

export type Cell = string | number | null;
export interface ComparedDays {
  readonly start: string;
  readonly end: string;
}

/** A row as a plain object: `period`, the attributes, and each reading by its column's name; blank is null. */
export type ResultRow = Readonly<Record<string, Cell>>;

export interface ResultJson {
  readonly asOf: string;
  readonly unit: string | null;
  readonly caption: string;
  readonly periods: readonly Period[];
  readonly columns: readonly ResultColumn[];
  readonly rows: readonly (readonly Cell[])[];
  readonly totals: readonly (readonly Cell[])[];
  readonly compared: Readonly<Record<string, readonly (ComparedDays | null)[]>>;
  readonly notes: readonly Note[];
}

/** A value that breaks the bound of an alert: which way it lies, and whether that is good (`better`). */
export interface Mark {
  readonly alert: string;
  readonly label: string;
  readonly direction: 'low' | 'high';
  readonly verdict: 'good' | 'bad' | 'neutral';
}

/** A table of texts, formatted for people: total rows follow what they sum up. */
export interface TextTable {
  readonly header: readonly string[];
  readonly kinds: readonly ('period' | 'attribute' | 'reading')[];
  readonly rows: readonly {
    readonly kind: 'cell' | 'others' | 'total';
    readonly cells: readonly string[];
    /** Alerts that a cell sets off, by column. */
    readonly marks: readonly (Mark | undefined)[];
  }[];
}

/** The answer to a question. Iterates as plain objects. */
export interface Result<Row = ResultRow> extends ResultJson, Iterable<Row> {
  readonly locale: string;
  /** Alerts that cells set off, by row of `rows` and column. */
  readonly marks: readonly (readonly (Mark | undefined)[])[];
  /** Formatted texts; with `header` the unit of a column stands once in its header instead of in every cell. */
  readonly toTable: (units?: 'cells' | 'header') => TextTable;
  /**
   * RFC 4180; numbers plain and in full precision, blank = empty field. For `spreadsheet`, texts that it would run as
   * formulas get an apostrophe in front; for `data`, the default, every text is what it is.
   */
  readonly toCsv: (reader?: 'data' | 'spreadsheet') => string;
  /** One JSON object a row and line. */
  readonly toNdjson: () => string;
  /** A GitHub-flavoured Markdown table. */
  readonly toMarkdown: () => string;
  readonly toJson: () => ResultJson;
  /** The rows of the CSV as typed columns: texts, and numbers in full precision. */
  readonly toColumns: () => readonly WrittenColumn[];
}

/** Dresses an answer: labels, days in ISO form, formats, caption and the ways out (R2). */
export const resultOf = (answer: Answer, asked: Asked, model: Model, asOf: Day, found: Notes): Result => {
  const { axis } = answer;
  // The same days stand in many cells; each is written once.
  const texts = new Map<Day, string>();
  const iso = (day: Day): string => {
    let text = texts.get(day);
    if (text === undefined) {
      text = isoOf(day);
      texts.set(day, text);
    }
    return text;
  };
  const ranges = new Map<DayRange, ComparedDays>();
  const isoRange = (range: DayRange | null): ComparedDays | null => {
    if (!range) return null;
    let written = ranges.get(range);
    if (!written) {
      written = { start: iso(range.start), end: iso(range.end) };
      ranges.set(range, written);
    }
    return written;
  };
  const first = axis.windows ? answer.rows.filter((row) => row.kind === 'cell') : [];
  const periods: Period[] = axis.places.map((place, index) => {
    // A row of windows has no period of its own; it shows the days that were covered on it.
    const ranges = axis.windows
      ? first.filter((row) => row.period === index).flatMap(({ data, row }) => data.covered.flatMap((ranges) => ranges[row] ?? []))
      : [];
    const start = ranges.reduce((least, range) => Math.min(least, range.start), ranges[0]?.start ?? place.start);
    const end = ranges.reduce((most, range) => Math.max(most, range.end), ranges[0]?.end ?? place.end);
    const cut = place.cutStart || place.cutEnd;
    return {
      label: axis.labels[index],
      start: iso(start),
      end: iso(end),
      anchor: iso(place.anchor),
      partial: place.partial,
      ...(cut ? { cut: true as const } : {}),
    };
  });
  const columns: ResultColumn[] = [
    { name: 'period', kind: 'period', label: 'period' },
    ...asked.per.map(({ name }) => ({ name, kind: 'attribute' as const, label: name })),
    ...asked.columns.map(({ name, reading, bound }) => {
      const format = formatOf(bound, reading, model);
      const leaves = leavesOf(bound);
      const own = bound.kind === 'leaf' ? bound.measure : model.formulas.get(reading);
      const better = own?.better ?? (leaves.length === 1 ? leaves[0].measure.better : undefined);
      const plan = leaves.length > 0 && leaves.every((leaf) => leaf.role.horizon === 'plan');
      const label = name !== reading ? name : (own?.label ?? name);
      return {
        name,
        kind: 'reading' as const,
        label,
        expression: reading,
        format,
        unit: unitOfFormat(format),
        ...(better ? { better } : {}),
        horizon: plan ? ('plan' as const) : ('actual' as const),
      };
    }),
  ];
  const marks = marksOf(answer.rows, asked, columns, model, found);
  const notes = found.list();
  const readings = asked.columns.length;
  const width = 1 + asked.per.length + readings;
  const cells = (row: AnswerRow): Cell[] => {
    const list = new Array<Cell>(width);
    list[0] = row.period === undefined ? TOTAL : axis.labels[row.period];
    let k = 1;
    for (let m = 0; m < row.members.length; m++) list[k++] = row.members[m];
    for (let c = 0; c < readings; c++) list[k++] = readingOf(row, c);
    return list;
  };
  const compared: Record<string, (ComparedDays | null)[]> = {};
  asked.columns.forEach(({ name, bound }, k) => {
    if (hasComparison(bound)) compared[name] = answer.rows.map(({ data, row }) => isoRange(data.compared[k]?.[row] ?? null));
  });
  // The caption speaks of the first reading's days, and of all that is compared.
  const [shown] = answer.rows;
  /** What is compared with days that were covered; where nothing was covered yet, all that is compared. */
  const comparedDays = ({ covered, compared: all }: AnswerRow['data']): (DayRange | null)[] => {
    const ranges = (keep: (k: number, row: number) => boolean) =>
      all.flatMap((list, k) => (list ?? []).filter((range, row) => range !== null && keep(k, row)));
    const held = ranges((k, row) => (covered[k]?.[row] ?? null) !== null);
    return held.length > 0 ? held : ranges(() => true);
  };
  const caption = shown ? captionOf(shown.data.covered[0], comparedDays(shown.data), model.locale) : '';
  const json: ResultJson = {
    asOf: isoOf(asOf),
    unit: asked.by.kind === 'unit' ? asked.by.unit : null,
    caption,
    periods,
    columns,
    rows: answer.rows.map(cells),
    totals: answer.totals.map(cells),
    compared,
    notes,
  };
  // Total rows stand behind the rows they sum up; those over the axis come last.
  const inOrder = (): AnswerRow[] => {
    const groups = Array.from({ length: axis.places.length + 1 }, (): AnswerRow[] => []);
    for (const row of [...answer.rows, ...answer.totals]) groups[row.period ?? axis.places.length].push(row);
    return groups.flat();
  };
  const header = columns.map(({ label }) => label);
  const table = (write: (value: Cell, column: number) => string) => inOrder().map((row) => cells(row).map(write));
  const writerOf = (make: typeof formatter): ((value: Cell, column: number) => string) => {
    const writers: (((value: number | null) => string) | undefined)[] = [];
    return (value, column) => {
      if (typeof value === 'string') return value;
      const { format } = columns[column];
      if (!format) return plainNumber(value);
      writers[column] ??= make(format, model.locale);
      return writers[column](value);
    };
  };
  const formatted = writerOf(formatter);
  const bare = writerOf(bareFormatter);
  return {
    ...json,
    locale: model.locale,
    marks: marks.size === 0 ? new Array(answer.rows.length).fill(NO_MARKS) : answer.rows.map((row) => marks.get(row) ?? NO_MARKS),
    toJson: () => json,
    toTable: (units = 'cells') => ({
      header: columns.map(({ label, unit }) => (units === 'header' && unit ? `${label} (${unit})` : label)),
      kinds: columns.map(({ kind }) => kind),
      rows: inOrder().map((row) => ({
        kind: row.kind,
        cells: cells(row).map(units === 'header' ? bare : formatted),
        marks: marks.get(row) ?? [],
      })),
    }),
    toCsv: (reader = 'data') => {
      const write = (text: string): string => (reader === 'spreadsheet' ? defused(text) : text);
      return [columns.map(({ name }) => write(name)), ...table((value) => (typeof value === 'string' ? write(value) : plainNumber(value)))]
        .map(csvLine)
        .join('');
    },
    toNdjson: () =>
      inOrder()
        .map((row) => `${JSON.stringify(Object.fromEntries(cells(row).map((value, k) => [columns[k].name, value])))}\n`)
        .join(''),
    toMarkdown: () => markdownTable(header, table(formatted), (column) => columns[column].kind === 'reading'),
    toColumns: () => {
      const rows = inOrder().map(cells);
      return columns.map(({ name, kind }, k) => ({
        name,
        type: kind === 'reading' ? 'number' : 'text',
        values: rows.map((row) => row[k]),
      }));
    },
    [Symbol.iterator]: function* () {
      for (const row of json.rows) yield Object.fromEntries(row.map((value, k) => [columns[k].name, value]));
    },
  };
};

const NO_MARKS: readonly undefined[] = [];

const samePer = (a: Asked['per'], b: Asked['per']): boolean =>
  a.length === b.length && a.every(({ attribute }) => b.some((other) => other.attribute.key === attribute.key));

/**
 * Cells that set an alert off: where a question shows an alert's reading by its unit and for its members. Each alert
 * is noted once, with the number of cells.
 */
const marksOf = (
  rows: readonly AnswerRow[],
  asked: Asked,
  columns: readonly ResultColumn[],
  model: Model,
  notes: Notes,
): ReadonlyMap<AnswerRow, readonly (Mark | undefined)[]> => {
  const found = new Map<AnswerRow, (Mark | undefined)[]>();
  for (const [name, input] of model.alerts) {
    const alert = alertOf(model, name, input);
    if (asked.by.kind !== 'unit' || asked.by.unit !== alert.by || !samePer(alert.per, asked.per)) continue;
    asked.columns.forEach(({ reading }, k) => {
      if (reading !== alert.reading) return;
      const at = 1 + asked.per.length + k;
      const { better, label } = columns[at];
      let count = 0;
      for (const row of rows) {
        const limit = row.kind === 'cell' ? brokenLimit(alert.limits, readingOf(row, k)) : undefined;
        if (!limit) continue;
        count++;
        const direction = limit.kind === 'below' || limit.kind === 'at-most' ? 'low' : 'high';
        const verdict = better === undefined ? 'neutral' : (better === 'higher') === (direction === 'high') ? 'good' : 'bad';
        const marks = found.get(row) ?? columns.map(() => undefined);
        marks[at] ??= { alert: name, label: alert.label, direction, verdict };
        found.set(row, marks);
      }
      if (count > 0)
        notes.add(`alert ${name} ${label}`, {
          code: 'alert',
          alert: name,
          column: columns[at].name,
          cells: count,
          message: `${alert.label}: ${label} is ${alert.limits.map(limitText).join(' or ')} in ${count} ${count === 1 ? 'cell' : 'cells'}`,
        });
    });
  }
  return found;
};
