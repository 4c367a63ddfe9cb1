// An answer, or a calendar, as a table for others to read: typed columns that say what they are, and a fingerprint of it all.
import type { WrittenColumn } from '../basics/columnar.ts';
import { fingerprint, stableText } from '../basics/fingerprint.ts';
import type { Result } from '../book/types.ts';
import type { Calendar } from '../calendar/calendar.ts';
import { toDay } from '../calendar/day.ts';
import { type CalendarTable, calendarTable } from '../calendar/table.ts';
import { measureSentence } from '../dictionary/dictionary.ts';
import { DurchblickError } from '../errors.ts';
import { attributeOf } from '../model/attributes.ts';
import { exactDigits } from '../model/decimal.ts';
import type { Model, Publication } from '../model/model.ts';
import { type Bound, bindText, leavesOf } from '../plan/bind.ts';
import { inWords } from '../result/heading.ts';
import { labelsOf } from '../result/labels.ts';
import { linesOf } from '../result/outputs.ts';
import type { Cell, Period, ResultColumn } from '../result/types.ts';

export interface PublishedColumn extends WrittenColumn {
  readonly comment: string;
}

/** A table ready to be written. */
export interface PublishedTable {
  readonly rows: number;
  readonly columns: readonly PublishedColumn[];
  /** What it is, of which day, with `mark` and `print` at its end. */
  readonly comment: string;
  /** The publication and its model, as a sentence: what has another mark belongs to others. */
  readonly mark: string;
  /** Differs where anything in it does. */
  readonly print: string;
}

type ReadingType = 'long' | 'decimal' | 'number';

/** Units whose periods are whole ones of a grain, so that nothing is spread on them (G4). */
const WHOLE: Readonly<Record<string, readonly string[]>> = {
  month: ['quarter', 'half', 'year'],
  quarter: ['half', 'year'],
  half: ['year'],
};

interface Over {
  /** Measures that are noted as inexact (M10). */
  readonly inexact: ReadonlySet<string>;
  /** The unit of the axis. */
  readonly unit: string | null;
}

/** What a reading is of, as far as its definition says: whole numbers, exact sums (M10), or what is divided or averaged. */
const typeOf = (bound: Bound, over: Over): ReadingType => {
  if (bound.kind === 'days') return 'long';
  if (bound.kind === 'negate') return typeOf(bound.of, over);
  if (bound.kind === 'vs') return bound.form === 'value' ? typeOf(bound.of, over) : 'number';
  if (bound.kind !== 'leaf') return 'number';
  const { name, fact, aggregate, acrossTime, spread, spreadAcross } = bound.measure;
  const isWhole = spread === 'none' || (!bound.window && (fact.grain === over.unit || WHOLE[fact.grain]?.includes(over.unit ?? '')));
  if (over.inexact.has(name) || !isWhole || spreadAcross.size > 0 || acrossTime === 'average') return 'number';
  if (aggregate.kind === 'sum') return 'decimal';
  return aggregate.kind === 'count' || aggregate.kind === 'count-distinct' || aggregate.kind === 'first-time' ? 'long' : 'number';
};

/** A type that holds all of the values to the digit. */
const held = (type: ReadingType, values: readonly Cell[]): ReadingType => {
  const fits = (value: Cell): boolean =>
    value === null || (type === 'long' ? Number.isSafeInteger(value) : exactDigits(value as number) !== undefined);
  return type === 'number' || values.every(fits) ? type : 'number';
};

const sentence = (...parts: readonly (string | undefined)[]): string =>
  parts.flatMap((part) => (part ? [/[.!?]$/.test(part) ? part : `${part}.`] : [])).join(' ');

/** What a reading is: in words, as it is written, and what its measures are. */
const readingComment = ({ label, expression = '' }: ResultColumn, model: Model): string => {
  const words = inWords(expression, model, labelsOf(model, model.locale));
  const measures = [...new Set(leavesOf(bindText(model, expression)).map(({ measure }) => measure))];
  const [only] = measures;
  // A measure by itself is its sentence.
  if (measures.length === 1 && only.name === expression) return sentence(measureSentence(only, model, model.locale));
  return sentence(
    [...new Set([label, words, expression])].join(' = '),
    ...measures.map((measure) => `${measure.name}: ${measureSentence(measure, model, model.locale)}`),
  );
};

const attributeComment = ({ name, label }: ResultColumn, model: Model): string => {
  const attribute = attributeOf(model, name);
  return sentence(
    label === name ? `${name}` : `${label} (${name})`,
    attribute.kind === 'calendar' ? 'Where the days stand in the calendar' : undefined,
  );
};

/** Columns whose names a database would take for one. */
const checkNames = (columns: readonly PublishedColumn[]): void => {
  const seen = new Map<string, string>();
  for (const { name } of columns) {
    const before = seen.get(name.toLowerCase());
    if (before !== undefined)
      throw new DurchblickError('doubled-column', `two columns would be called "${before}" and "${name}"`, {
        hint: 'Databases take them for one: give a reading another label in the question: { is: revenue, label: … }.',
      });
    seen.set(name.toLowerCase(), name);
  }
};

const finished = (columns: readonly PublishedColumn[], what: string, { name }: Publication, model: Model): PublishedTable => {
  checkNames(columns);
  const print = fingerprint(stableText([what, columns]));
  const mark = `Published as ${name} of ${model.name}.`;
  return { rows: columns[0].values.length, columns, comment: sentence(what, mark, `Fingerprint ${print}`), mark, print };
};

/** The fingerprint at the end of a comment with this mark. */
export const printIn = (comment: string | null, mark: string): string | undefined => {
  const [end, print] = / Fingerprint ([0-9a-f]{16})\.$/.exec(comment ?? '') ?? [];
  return end !== undefined && comment?.slice(0, -end.length).endsWith(mark) ? print : undefined;
};

const titleOf = ({ name, label, description, of }: Publication, model: Model): string => {
  const labels = labelsOf(model, model.locale);
  const text = labels.text(description ?? (of.kind === 'question' ? model.questions.get(of.question)?.description : undefined));
  return sentence(`${labels.text(label) ?? name}${text ? `: ${text}` : ''}`);
};

/** An answer as a table: its period with first and last day, then the columns of the CSV. */
export const answerTable = (result: Result, publication: Publication, model: Model): PublishedTable => {
  const json = result.toJson();
  const { columns, periods, notes } = json;
  const lines = linesOf(json);
  const inexact = new Set(notes.flatMap((note) => (note.code === 'inexact' ? [String((note as { measure?: string }).measure)] : [])));
  // What is over all periods lies from the first day of the first to the last of the last.
  const edge = (key: 'start' | 'end', all: number) => lines.map(({ period }) => toDay((periods[period ?? all] ?? periods[0])[key]));
  const own = (name: string, type: WrittenColumn['type'], comment: string, values: WrittenColumn['values']): PublishedColumn => ({
    name,
    type,
    comment,
    values,
  });
  const cells = (k: number): Cell[] => lines.map(({ cells: row }) => row[k]);
  const unit = json.unit === null ? 'The range, or the window' : `The ${json.unit.replaceAll('-', ' ')}`;
  const others = columns.slice(1).map((column, k): PublishedColumn => {
    const values = cells(k + 1);
    if (column.kind === 'attribute') return own(column.name, 'text', attributeComment(column, model), values);
    const type = held(typeOf(bindText(model, column.expression as string), { inexact, unit: json.unit }), values);
    return own(column.name, type, readingComment(column, model), values);
  });
  return finished(
    [
      own('period', 'text', `${unit}, as answers label it.`, cells(0)),
      own('period_start', 'date', 'Its first day, inclusive.', edge('start', 0)),
      own('period_end', 'date', 'Its last day, inclusive.', edge('end', periods.length - 1)),
      own(
        'partial',
        'boolean',
        'Whether it is not over on the as-of date, or cut by the range.',
        lines.map(({ period }) => (period === undefined ? periods.some(isPart) : isPart(periods[period]))),
      ),
      ...others,
    ],
    sentence(titleOf(publication, model), `As of ${json.asOf}`),
    publication,
    model,
  );
};

/** Whether a period is partial or cut (A7). */
const isPart = ({ partial, cut }: Period): boolean => partial || cut === true;

/** Days of a calendar as a table. */
export const daysTable = (
  calendar: Calendar,
  range: { readonly first: number; readonly last: number },
  publication: Publication,
  model: Model,
): PublishedTable => {
  const table: CalendarTable = calendarTable(calendar, { from: range.first, to: range.last });
  return finished(table.columns, sentence(titleOf(publication, model), 'A calendar, one row a day'), publication, model);
};
