// The core library as users import it: models, calendars, questions and answers; no engine.
export type { Finding } from './book/check/finding.ts';
export { type ModelFacts, modelFacts } from './book/model-facts.ts';
export { open } from './book/open.ts';
export { resultFromJson } from './book/travelled.ts';
export type {
  AskOptions,
  Book,
  Cost,
  ExplainRequest,
  FiredAlert,
  OpenBookOptions,
  Result,
  Verification,
  WindowsOptions,
} from './book/types.ts';
export type { Calendar, CalendarOptions, Holiday, PeriodOf, YearSystem } from './calendar/calendar.ts';
export { calendar } from './calendar/calendar.ts';
export { isoOf, toDay } from './calendar/day.ts';
export { calendarPicture } from './calendar/picture.ts';
export type { PeriodRow } from './calendar/systems.ts';
export type { CalendarColumn, CalendarTable, CalendarTableOptions } from './calendar/table.ts';
export { calendarSql, calendarTable } from './calendar/table.ts';
export type { Engine } from './engines/engine.ts';
export { DurchblickError, describe } from './errors.ts';
export type { ExplainedPart } from './evaluate/explain.ts';
export type { Model } from './model/model.ts';
export type { Names, NamesOf } from './model/names.ts';
export type { ModelInput, Question } from './model/schema.ts';
export { defineModel } from './plan/define.ts';
export type { Reading, ReadingBuilder } from './plan/reading.ts';
export { reading, readingsOf } from './plan/reading.ts';
export type { Cancellation } from './plan/request.ts';
export type { QuestionOf, RowOf } from './plan/typed.ts';
export type { LaidSpan } from './plan/windows.ts';
export { type Explanation, explanationText, partWords } from './result/explained.ts';
export {
  calendarCsv,
  calendarJson,
  calendarMarkdown,
  calendarNdjson,
  type FaultJson,
  faultsJson,
  findingsJson,
  type SpanJson,
  spansCsv,
  spansJson,
  spansMarkdown,
} from './result/listings.ts';
export type { NamedEntry, NameKind } from './result/names.ts';
export type { Cell, ComparedDays, Mark, Period, ResultColumn, ResultJson, ResultRow, TextTable } from './result/types.ts';
