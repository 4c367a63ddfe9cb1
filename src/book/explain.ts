// `book.explain`: the question in whose answer a cell stands, and why it is what it is (V1).
import { isoOf } from '../calendar/day.ts';
import { type Answer, type AnswerRow, answer, readingOf } from '../evaluate/answer.ts';
import { valuesOf } from '../evaluate/evaluation.ts';
import { explainParts, formulaText } from '../evaluate/explain.ts';
import type { CellAddress, Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';
import { yearsIn } from '../plan/calendar.ts';
import { calendarMember, isCalendar } from '../plan/days.ts';
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

/** A cell in the answer to its question. */
interface FoundCell {
  readonly outcome: Answer;
  readonly row: AnswerRow;
  readonly scope: Scope;
}

const cellIn = async ({ asked, axis, evaluation }: Prepared, members: Readonly<Record<string, string>>): Promise<FoundCell> => {
  const attributes = asked.per.map(({ attribute }) => attribute);
  const { calendar } = evaluation.frame;
  const wanted = asked.per.map(({ name, attribute }) =>
    isCalendar(attribute) ? calendarMember(attribute, members[name] ?? '', calendar) : members[name],
  );
  const scope: Scope = { view: { axis, rows: 'periods' }, attributes, filters: asked.filters };
  const [{ bound }] = asked.columns;
  const outcome = await answer(asked, axis, evaluation);
  const row = outcome.rows.find((one) => one.members.every((text, k) => text === wanted[k]));
  // A member without data has no row in the answer, and yet a reason.
  const cell: AnswerRow = row ?? {
    kind: 'cell',
    period: 0,
    members: wanted,
    data: (await valuesOf([bound], scope, [wanted], evaluation)).data,
    row: 0,
    at: 0,
  };
  return { outcome, row: cell, scope };
};

/** Why the cell is what it is (V1). */
const explanationOf = async (
  ready: Prepared,
  { reading, at, members = {}, rows: show = 5 }: ExplainRequest,
  model: Model,
): Promise<Explanation> => {
  const { asked, axis, evaluation, found, asOf } = ready;
  const { outcome, row, scope } = await cellIn(ready, members);
  const [{ bound }] = asked.columns;
  const periodEnd = axis.windows ? asOf : (axis.places[0]?.end ?? asOf);
  const parts = await explainParts({ bound, scope, row, periodEnd, show }, evaluation);
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
export const cellValue = async (book: BookRecord, state: State, cell: CellAddress): Promise<number | null> => {
  const { row } = await cellIn(await preparedCell(book, state, cell, undefined), cell.members ?? {});
  return readingOf(row, 0);
};
