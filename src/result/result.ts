import { type Day, isoOf } from '../calendar/day.ts';
import { type Answer, type AnswerRow, readingOf, TOTAL } from '../evaluate/answer.ts';
import type { DayRange } from '../evaluate/scope.ts';
import type { Form } from '../language/syntax.ts';
import type { Model } from '../model/model.ts';
import { type Bound, leavesOf } from '../plan/bind.ts';
import type { Notes } from '../plan/notes.ts';
import type { Asked } from '../plan/question.ts';
import { hasComparison } from '../plan/steps.ts';
import { captionOf } from './caption.ts';
import { formatOf, unitOfFormat } from './format.ts';
import { headingsOf } from './heading.ts';
import { marksOf } from './marks.ts';
import { withOutputs } from './outputs.ts';
import type { Cell, ComparedDays, Period, PlainResult, ResultColumn, ResultJson } from './types.ts';

/** Dresses an answer: labels, days in ISO form, formats, caption and the ways out (R2). */
export const resultOf = (answer: Answer, asked: Asked, model: Model, asOf: Day, found: Notes): PlainResult => {
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
  const headings = headingsOf(asked.columns, model, ['period', ...asked.per.map(({ name }) => name)]);
  const columns: ResultColumn[] = [
    { name: 'period', kind: 'period', label: 'period' },
    ...asked.per.map(({ name }) => ({ name, kind: 'attribute' as const, label: name })),
    ...asked.columns.map(({ name, reading, bound }, k) => {
      const format = formatOf(bound, reading, model, valuesOf(answer, k));
      const leaves = leavesOf(bound);
      const own = bound.kind === 'leaf' ? bound.measure : model.formulas.get(reading);
      const better = own?.better ?? (leaves.length === 1 ? leaves[0].measure.better : undefined);
      const form = formOf(bound);
      const plan = leaves.length > 0 && leaves.every((leaf) => leaf.role.horizon === 'plan');
      return {
        name,
        kind: 'reading' as const,
        label: headings[k],
        expression: reading,
        ...(form ? { form } : {}),
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
    locale: model.locale,
    ...(marks.size === 0 ? {} : { marks: answer.rows.map((row) => marks.get(row) ?? columns.map(() => null)) }),
  };
  return withOutputs(json);
};

/** The form of a comparison, whether it is written out or stands behind a formula's name. */
const formOf = (bound: Bound): Form | undefined => {
  if (bound.kind === 'vs') return bound.form;
  if (bound.kind === 'negate') return formOf(bound.of);
  return bound.kind === 'call' && bound.name === 'round' ? formOf(bound.args[0]) : undefined;
};

/** All values of a reading, those of totals included. */
function* valuesOf({ rows, totals }: Answer, column: number): Iterable<number | null> {
  for (const row of rows) yield readingOf(row, column);
  for (const row of totals) yield readingOf(row, column);
}
