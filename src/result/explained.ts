// Explanations as data and as text (V1).
import type { ExplainedPart } from '../evaluate/explain.ts';
import type { Note } from '../plan/notes.ts';
import { type Format, formatter } from './format.ts';

/** Why a number is what it is (V1). */
export interface Explanation {
  readonly reading: string;
  /** The formula behind a name. */
  readonly formula?: string;
  readonly value: number | null;
  /** The value as people read it. */
  readonly text: string;
  readonly period: string;
  readonly members: Readonly<Record<string, string>>;
  readonly asOf: string;
  readonly caption: string;
  readonly format?: Format;
  /** The locale (BCP 47) in which words and numbers are written for people. */
  readonly locale: string;
  readonly parts: readonly ExplainedPart[];
  readonly notes: readonly Note[];
}

const dated = (locale: string): ((iso: string) => string) => {
  const format = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' });
  return (iso) => format.format(Date.parse(iso));
};

/** A part in words, without its value. */
export const partWords = (part: ExplainedPart, locale: string): string[] => {
  const day = dated(locale);
  if (part.kind !== 'measure') return [];
  const days = part.days;
  const when = days
    ? `${day(days.start)}${days.end === days.start ? '' : ` to ${day(days.end)}`} (${days.days} ${days.days === 1 ? 'day' : 'days'})`
    : 'no day';
  const lines = [
    `${part.aggregate}, from ${part.fact}`,
    `by ${part.role}${part.horizon === 'plan' ? ', a plan' : ''}: ${when}${part.window ? `, the window ${part.window.name} = ${part.window.is}` : ''}${part.comparison ? `, compared by ${part.comparison.name}` : ''}`,
  ];
  if (part.spread) {
    const { spread, period, covered, whole } = part.spread;
    lines.push(
      `${day(period.start)} to ${day(period.end)} is covered in part: ${covered === undefined ? `spread ${spread}` : `${covered} of ${whole} ${spread === 'working-days' ? 'working days' : 'days'}`}`,
    );
  }
  if (part.version) lines.push(part.version);
  if (part.rows) lines.push(`${part.rows.count} ${part.rows.count === 1 ? 'row' : 'rows'} behind it`);
  for (const { message } of part.leftOut ?? []) lines.push(`left out: ${message}`);
  return lines;
};

/** The explanation as text: plain words first, numbers and rows below. */
export const explanationText = (found: Explanation, locale = found.locale): string => {
  const members = Object.entries(found.members).map(([name, text]) => `${name} ${text}`);
  const lines = [
    `${found.reading} is ${found.text === '' ? 'blank' : found.text} in ${found.period}${members.length > 0 ? `, ${members.join(', ')}` : ''}, as of ${found.asOf}`,
    ...(found.caption ? [found.caption] : []),
    ...(found.formula ? [`${found.reading} = ${found.formula}`] : []),
    '',
  ];
  const plain = formatter({ maximumFractionDigits: 6 }, locale);
  for (const part of found.parts) {
    const indent = '  '.repeat(part.depth);
    lines.push(
      `${indent}${part.expression}${part.comparison ? ` (${part.comparison.name})` : ''} = ${part.value === null ? 'blank' : plain(part.value)}`,
    );
    for (const line of partWords(part, locale)) lines.push(`${indent}  · ${line}`);
  }
  return `${lines.join('\n')}\n`;
};
