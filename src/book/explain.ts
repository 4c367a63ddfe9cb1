// `book.explain`: the question in whose answer a cell stands, and why it is what it is (V1).
import { isoOf } from '../calendar/day.ts';
import { DurchblickError } from '../errors.ts';
import { type Answer, answer, readingOf } from '../evaluate/answer.ts';
import { columnValue } from '../evaluate/column.ts';
import { valuesOf } from '../evaluate/evaluation.ts';
import { explainParts, formulaText } from '../evaluate/explain.ts';
import type { AttributeRef } from '../model/attributes.ts';
import type { CellAddress, Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { yearsIn } from '../plan/calendar.ts';
import { calendarMember, isCalendar } from '../plan/days.ts';
import { listRowAttributes } from '../plan/plan.ts';
import type { Scope } from '../plan/planned.ts';

import { NO_REACH } from '../plan/reach.ts';
import type { Cancellation } from '../plan/request.ts';
import type { Explanation } from '../result/explained.ts';
import { formatter } from '../result/format.ts';
import { resultOf } from '../result/result.ts';
import { checkMembers } from './members.ts';
import { type Prepared, prepared } from './prepare.ts';
import { anchorDays, asOfIn, type BookRecord } from './record.ts';
import type { State } from './states/state.ts';
import type { ExplainRequest } from './types.ts';

type Localized = CellAddress & { readonly locale?: string };

/** The question in whose answer the cell stands: one period, or one window, split by the cell's attributes. */
const cellQuestion = async (
  { reading, at, by: given, members = {}, where, asOf, knownBy, locale }: Localized,
  model: Model,
  unitOf: () => Promise<string | undefined>,
): Promise<Question> => {
  const isWindow = model.windows.has(at) && given === undefined;
  const by = given ?? (isWindow || at.includes('/') ? undefined : await unitOf());
  return {
    show: [reading],
    ...(isWindow ? { by: [at] } : { range: at, ...(by === undefined ? {} : { by }) }),
    per: Object.keys(members),
    ...(where ? { where } : {}),
    ...(asOf === undefined ? {} : { asOf }),
    ...(knownBy === undefined ? {} : { knownBy }),
    ...(locale === undefined ? {} : { locale }),
  };
};

/** A cell in the answer to its question: its view, its row there, and its members of rows. */
interface FoundCell {
  readonly outcome: Answer;
  readonly value: number | null;
  readonly scope: Scope;
  readonly row: number;
  readonly members: readonly string[];
}

const cellIn = async ({ asked, axis, split, evaluation }: Prepared, members: Readonly<Record<string, string>>): Promise<FoundCell> => {
  const { calendar } = evaluation.frame;
  const wanted = asked.per.map(({ name, attribute }) =>
    isCalendar(attribute) ? calendarMember(attribute, members[name] ?? '', calendar) : members[name],
  );
  const textOf = ({ key }: AttributeRef): string => wanted[asked.per.findIndex(({ attribute }) => attribute.key === key)];
  const period = split?.attributes.map(textOf) ?? [];
  const spot = split ? split.find(0, period) : { view: 0, row: 0 };
  if (!spot) throw new DurchblickError('empty-range', `${period.join(' ')} has no day in ${axis.labels[0] ?? 'the range'}`);
  const attributes = listRowAttributes(asked, split);
  const scope: Scope = { view: split?.views[spot.view] ?? { axis }, attributes, filters: asked.filters };
  const own = attributes.map(textOf);
  const outcome = await answer(asked, axis, split, evaluation);
  const row = outcome.rows.find((one) => one.members.every((text, k) => text === wanted[k]));
  const [{ bound }] = asked.columns;
  // A member without data has no row in the answer, and yet a reason.
  const value = row ? readingOf(row, 0) : columnValue((await valuesOf([bound], scope, [own], evaluation)).data.columns[0], spot.row);
  return { outcome, value, scope, row: spot.row, members: own };
};

/** Why the cell is what it is (V1). */
const explanationOf = async (
  ready: Prepared,
  { reading, at, members = {}, rows: show = 5 }: ExplainRequest,
  model: Model,
): Promise<Explanation> => {
  const { asked, axis, evaluation, found, asOf } = ready;
  const { outcome, row, scope, members: own } = await cellIn(ready, members);
  const [{ bound }] = asked.columns;
  const periodEnd = axis.windows ? asOf : (scope.view.axis.places[row]?.end ?? asOf);
  const parts = await explainParts({ bound, scope, row, members: own, periodEnd, show }, evaluation);
  const result = resultOf(outcome, asked, model, asOf, found);
  const { format } = result.columns[result.columns.length - 1];
  const [{ value }] = parts;
  const formula = formulaText(model, reading);
  return {
    reading,
    ...(formula === undefined ? {} : { formula }),
    value,
    text: formatter(format ?? {}, asked.locale)(value),
    period: result.periods[0]?.label ?? at,
    members,
    asOf: isoOf(asOf),
    caption: result.caption,
    locale: asked.locale,
    ...(format ? { format } : {}),
    parts,
    notes: result.notes,
  };
};

/** Makes the question ready in whose answer a cell stands; its members must exist. */
const preparedCell = async (book: BookRecord, state: State, cell: Localized, signal: Cancellation | undefined): Promise<Prepared> => {
  const { model } = book;
  const { at, asOf: asOfText, members = {} } = cell;
  const unitOf = async (): Promise<string | undefined> => {
    const asOf = await asOfIn(book, state, asOfText ?? model.asOf);
    const days = [...(await anchorDays(book, state, asOf)), ...yearsIn(at)];
    return (await state.calendarOver(days, () => NO_REACH)).parse(at)?.unit;
  };
  const parts = await prepared(book, state, await cellQuestion(cell, model, unitOf), signal);
  for (const { name, attribute } of parts.asked.per)
    if (!isCalendar(attribute)) await checkMembers([{ attribute, test: { values: [members[name] ?? ''] } }], state.store.members);
  return parts;
};

/** Explains a cell in a state of the data. */
export const explainIn = async (
  book: BookRecord,
  state: State,
  request: ExplainRequest,
  signal: Cancellation | undefined,
): Promise<Explanation> => explanationOf(await preparedCell(book, state, request, signal), request, book.model);

/** The value of a cell in a state of the data. */
export const cellValue = async (book: BookRecord, state: State, cell: CellAddress): Promise<number | null> =>
  (await cellIn(await preparedCell(book, state, cell, undefined), cell.members ?? {})).value;
