// Dresses an answer: labels, ISO dates, formats, caption, the days compared (R2, C9).
import { type Day, isoOf } from '../calendar/day.ts';
import { type Answer, type AnswerRow, readingOf } from '../evaluate/answer.ts';
import type { DayRange } from '../evaluate/scope.ts';
import type { Form } from '../language/syntax.ts';
import { OTHERS, TOTAL } from '../model/attributes.ts';
import type { Model } from '../model/model.ts';
import { type Bound, leavesOf } from '../plan/bind.ts';
import type { Notes } from '../plan/notes.ts';
import { type Asked, PERIOD_COLUMN } from '../plan/question.ts';
import type { Seen } from '../plan/seen.ts';
import { hasComparison } from '../plan/steps.ts';
import type { Words } from '../words/words.ts';
import { type CaptionDays, captionOf, spanRanges } from './caption.ts';
import { formatOf, unitOfFormat } from './format.ts';
import { headingOf, headingsOf } from './heading.ts';
import { type Labels, labelsOf } from './labels.ts';
import { marksOf } from './marks.ts';
import { withOutputs } from './outputs.ts';
import type { Cell, ComparedDays, Period, PlainResult, ResultColumn, ResultJson } from './types.ts';

/** The same days stand in many cells; each is written once. */
const dayTexts = () => {
  const texts = new Map<Day, string>();
  const iso = (day: Day): string => {
    const known = texts.get(day) ?? isoOf(day);
    texts.set(day, known);
    return known;
  };
  const ranges = new Map<DayRange, ComparedDays>();
  const range = (days: DayRange | null): ComparedDays | null => {
    if (!days) return null;
    const known = ranges.get(days) ?? { start: iso(days.start), end: iso(days.end) };
    ranges.set(days, known);
    return known;
  };
  return { iso, range };
};

const periodsOf = ({ axis, rows }: Answer, iso: (day: Day) => string): Period[] => {
  const first = axis.windows ? rows.filter((row) => row.kind === 'cell') : [];
  return axis.places.map((place, index) => {
    // A row of windows has no period of its own; it shows the days that were covered on it.
    const ranges = first
      .filter((row) => row.period === index)
      .flatMap(({ data, row }) => data.covered.flatMap((covered) => covered[row] ?? []));
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
};

/** What heads each column, the periods' first, then attributes, then readings. */
const headingsFor = ({ per, columns }: Asked, model: Model, labels: Labels): readonly string[] =>
  headingsOf([
    { name: PERIOD_COLUMN, heading: labels.words.period },
    ...per.map(({ name, attribute }) => ({ name, heading: labels.attribute(name, attribute).text })),
    // A column that the question names itself is called so.
    ...columns.map(({ name, reading }) => ({ name, heading: name === reading ? headingOf(reading, model, labels) : name })),
  ]);

const columnsOf = (answer: Answer, asked: Asked, model: Model, labels: Labels): ResultColumn[] => {
  const [period, ...headings] = headingsFor(asked, model, labels);
  const attributes = asked.per.length;
  const readings = asked.columns.map(({ name, reading, bound }, k): ResultColumn => {
    const format = formatOf(bound, reading, model, valuesOf(answer, k));
    const leaves = leavesOf(bound);
    const own = bound.kind === 'leaf' ? bound.measure : model.formulas.get(reading);
    const better = own?.better ?? (leaves.length === 1 ? leaves[0].measure.better : undefined);
    const form = formOf(bound);
    return {
      name,
      kind: 'reading',
      label: headings[attributes + k],
      expression: reading,
      ...(form ? { form } : {}),
      format,
      unit: unitOfFormat(format),
      ...(better ? { better } : {}),
      horizon: isPlan(bound) ? 'plan' : 'actual',
    };
  });
  return [
    { name: PERIOD_COLUMN, kind: 'period', label: period },
    ...asked.per.map(({ name, attribute }, k) => ({
      name,
      kind: 'attribute' as const,
      label: headings[k],
      ...(attribute.kind === 'calendar' ? { standing: attribute.standing.kind } : {}),
    })),
    ...readings,
  ];
};

const saidAs = (member: string, { total, others }: Words): string => (member === TOTAL ? total : member === OTHERS ? others : member);

const cellsOf = (row: AnswerRow, { axis }: Answer, readings: number, words: Words): Cell[] => {
  const list = new Array<Cell>(1 + row.members.length + readings);
  list[0] = row.period === undefined ? words.total : axis.labels[row.period];
  // A member of the data is what it is, in every language; what stands for none of them is said in the answer's.
  let k = 1;
  for (let m = 0; m < row.members.length; m++) list[k++] = row.kind === 'cell' ? row.members[m] : saidAs(row.members[m], words);
  for (let c = 0; c < readings; c++) list[k++] = readingOf(row, c);
  return list;
};

/** Dates that other times are seen from, where they are not the question's own (C12). */
const seenTexts = (seen: Seen | undefined, own: Seen): Pick<ComparedDays, 'asOf' | 'knownBy'> | undefined => {
  if (!seen || (seen.asOf === own.asOf && seen.knownBy === own.knownBy)) return undefined;
  return {
    ...(seen.asOf === own.asOf ? {} : { asOf: isoOf(seen.asOf) }),
    ...(seen.knownBy === own.knownBy || seen.knownBy === undefined ? {} : { knownBy: isoOf(seen.knownBy) }),
  };
};

/** The first of them that differs from the question's own, for the caption. */
const seenElsewhere = (all: AnswerRow['data']['seenAt'], own: Seen): Partial<Seen> => {
  const seen = all.find((one) => one && (one.asOf !== own.asOf || one.knownBy !== own.knownBy));
  if (!seen) return {};
  return {
    ...(seen.asOf === own.asOf ? {} : { asOf: seen.asOf }),
    ...(seen.knownBy === own.knownBy ? {} : { knownBy: seen.knownBy }),
  };
};

/** What is compared with days that were covered; where nothing was covered yet, all that is compared. */
const comparedDays = ({ covered, compared: all }: AnswerRow['data']): (DayRange | null)[] => {
  const ranges = (keep: (k: number, row: number) => boolean) =>
    all.flatMap((list, k) => (list ?? []).filter((range, row) => range !== null && keep(k, row)));
  const held = ranges((k, row) => (covered[k]?.[row] ?? null) !== null);
  return held.length > 0 ? held : ranges(() => true);
};

/** Whether a reading is of plans alone. */
const isPlan = (bound: Bound): boolean => {
  const leaves = leavesOf(bound);
  return leaves.length > 0 && leaves.every((leaf) => leaf.role.horizon === 'plan');
};

/** Days of the first actual reading, of the first plan beside it, of the periods, and of all that is compared. */
const captionDays = ({ axis, rows }: Answer, { columns }: Asked, own: Seen): CaptionDays => {
  const all = [...new Set(rows.map(({ data }) => data))];
  const covered = (k: number): DayRange | undefined => (k < 0 ? undefined : spanRanges(all.flatMap((data) => data.covered[k])));
  const plans = columns.map(({ bound }) => isPlan(bound));
  const first = Math.max(0, plans.indexOf(false));
  return {
    own: covered(first),
    plan: plans[first] ? undefined : covered(plans.indexOf(true)),
    periods: all.length === 0 ? undefined : spanRanges(axis.places),
    compared: spanRanges(all.flatMap(comparedDays)),
    seen: all.length === 0 ? {} : seenElsewhere(all[0].seenAt, own),
  };
};

/** Dresses an answer: labels, days in ISO form, formats, caption and the ways out (R2). */
export const resultOf = (answer: Answer, asked: Asked, model: Model, asOf: Day, found: Notes): PlainResult => {
  const { iso, range } = dayTexts();
  const labels = labelsOf(model, asked.locale);
  const columns = columnsOf(answer, asked, model, labels);
  const marks = marksOf(answer.rows, asked, columns, model, labels, found);
  const cells = (row: AnswerRow): Cell[] => cellsOf(row, answer, asked.columns.length, labels.words);
  const compared: Record<string, (ComparedDays | null)[]> = {};
  const own: Seen = { asOf, knownBy: asked.knownBy };
  asked.columns.forEach(({ name, bound }, k) => {
    if (!hasComparison(bound)) return;
    const seen = seenTexts(answer.rows[0]?.data.seenAt[k], own);
    const days = new Map<ComparedDays, ComparedDays>();
    const seenDays = (found: ComparedDays | null): ComparedDays | null => {
      if (!found || !seen) return found;
      const known = days.get(found) ?? { ...found, ...seen };
      days.set(found, known);
      return known;
    };
    compared[name] = answer.rows.map(({ data, row }) => seenDays(range(data.compared[k]?.[row] ?? null)));
  });
  const json: ResultJson = {
    asOf: isoOf(asOf),
    unit: asked.by.kind === 'unit' ? asked.by.unit : null,
    caption: captionOf(captionDays(answer, asked, own), asked.locale),
    periods: periodsOf(answer, iso),
    columns,
    rows: answer.rows.map(cells),
    totals: answer.totals.map(cells),
    compared,
    notes: found.list(labels.words),
    locale: asked.locale,
    ...(labels.words.total === TOTAL ? {} : { words: { total: labels.words.total, others: labels.words.others } }),
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
