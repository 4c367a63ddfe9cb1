// What is told beside answers, windows, calendars and findings, as plain data and as texts.

import { isoOf } from '../calendar/day.ts';
import type { CalendarTable } from '../calendar/table.ts';
import { cellText } from '../calendar/table.ts';
import type { DurchblickError, TextPlace } from '../errors.ts';
import type { LaidSpan } from '../plan/windows.ts';
import { csvLine, markdownTable } from './text.ts';

const iso = (day: number | undefined): string => (day === undefined ? '' : isoOf(day));

/** A window or comparison laid at a day, with days as `YYYY-MM-DD`; `from` and `to` are null where it covers none. */
export interface SpanJson extends Pick<LaidSpan, 'kind' | 'name' | 'is' | 'by' | 'days' | 'builtIn' | 'problem'> {
  readonly label?: string;
  readonly at: string;
  readonly from: string | null;
  readonly to: string | null;
  /** The dates that a comparison is seen at, where it changes them (C11). */
  readonly seen?: { readonly asOf?: string; readonly knownBy?: string };
}

const seenJson = ({ asOf, knownBy }: NonNullable<LaidSpan['seen']>) => ({
  ...(asOf === undefined ? {} : { asOf: iso(asOf) }),
  ...(knownBy === undefined ? {} : { knownBy: iso(knownBy) }),
});

export const spansJson = (spans: readonly LaidSpan[]): SpanJson[] =>
  spans.map((span) => ({
    kind: span.kind,
    name: span.name,
    is: span.is,
    ...(span.by ? { by: span.by } : {}),
    ...(span.label ? { label: span.label } : {}),
    at: iso(span.at),
    from: iso(span.from) || null,
    to: iso(span.to) || null,
    days: span.days,
    builtIn: span.builtIn,
    ...(span.seen ? { seen: seenJson(span.seen) } : {}),
    ...(span.problem ? { problem: span.problem } : {}),
  }));

const SPAN_HEADER = ['kind', 'name', 'is', 'by', 'at', 'from', 'to', 'days'];
const spanCells = ({ kind, name, is, by = '', at, from, to, days }: LaidSpan): string[] => [
  kind,
  name,
  is,
  by,
  iso(at),
  iso(from),
  iso(to),
  String(days),
];

/** RFC 4180, one window or comparison a record. */
export const spansCsv = (spans: readonly LaidSpan[]): string => [SPAN_HEADER, ...spans.map(spanCells)].map(csvLine).join('');
export const spansMarkdown = (spans: readonly LaidSpan[]): string =>
  markdownTable(SPAN_HEADER, spans.map(spanCells), (column) => SPAN_HEADER[column] === 'days');

const eachDay = <T>(table: CalendarTable, make: (row: number) => T): T[] => Array.from({ length: table.rows }, (_, row) => make(row));
const dayTexts = ({ columns }: CalendarTable, row: number): string[] => columns.map(({ type, values }) => cellText(type, values[row]));
const dayJson = ({ columns }: CalendarTable, row: number): Record<string, unknown> =>
  Object.fromEntries(columns.map(({ name, type, values }) => [name, type === 'date' ? cellText(type, values[row]) || null : values[row]]));
const header = ({ columns }: CalendarTable): string[] => columns.map(({ name }) => name);

/** A calendar as CSV (RFC 4180), one day a record; dates as `YYYY-MM-DD`. */
export const calendarCsv = (table: CalendarTable): string =>
  [header(table), ...eachDay(table, (row) => dayTexts(table, row))].map(csvLine).join('');
export const calendarMarkdown = (table: CalendarTable): string =>
  markdownTable(
    header(table),
    eachDay(table, (row) => dayTexts(table, row)),
  );
/** One day a line, as a JSON object. */
export const calendarNdjson = (table: CalendarTable): string =>
  eachDay(table, (row) => `${JSON.stringify(dayJson(table, row))}\n`).join('');
/** Columns with their comments, and a list of values for each day; dates as `YYYY-MM-DD`. */
export const calendarJson = (table: CalendarTable, asOf?: string) => ({
  asOf: asOf ?? null,
  columns: table.columns.map(({ name, type, comment }) => ({ name, type, comment })),
  rows: eachDay(table, (row) => Object.values(dayJson(table, row))),
});

/** A fault of a model or of data beside the findings of `check`. */
export interface FaultJson {
  readonly severity: 'error';
  readonly code: string;
  readonly message: string;
  readonly wayOut?: string;
  readonly place?: TextPlace;
}

/** Every fault of an error as plain data, in the form of findings. */
export const faultsJson = (error: DurchblickError): FaultJson[] =>
  error.all.map(({ code, message, hint, place }) => ({
    severity: 'error',
    code,
    message,
    ...(hint ? { wayOut: hint } : {}),
    ...(place ? { place } : {}),
  }));

/** Findings and faults with how many there are of each severity. */
export const findingsJson = <F extends { readonly severity: 'error' | 'warning' | 'hint' }>(findings: readonly F[]) => {
  const count = (severity: string): number => findings.filter((found) => found.severity === severity).length;
  return { counts: { error: count('error'), warning: count('warning'), hint: count('hint') }, findings };
};
