// A year of the calendar drawn in characters.
import type { Calendar } from './calendar.ts';
import { type Day, dayOf, isoOf, toDay, weekdayOf } from './day.ts';

/** What a day looks like: filled in odd months, hollow in even ones, so that borders show without lines. */
const GLYPHS = { odd: '■', even: '□', free: '·', holiday: '✶', asOf: '◆', none: ' ' } as const;

export interface PictureOptions {
  readonly year: number;
  /** Marked in the picture when it lies in the year. */
  readonly asOf?: Day | string;
}

const WIDTH = 3;

/**
 * One year as text: weekdays down, weeks across, month by month. Working days are filled in odd and hollow in even
 * months, days off are dots, holidays stars; below stand the periods of all other units that begin in the year.
 */
export const calendarPicture = (calendar: Calendar, { year, asOf: given }: PictureOptions): string => {
  const asOf = given === undefined ? undefined : toDay(given, 'as-of date');
  const [first, last] = [dayOf(year, 1, 1), dayOf(year, 12, 31)];
  const week = calendar.unit('week');
  const weekOf = (day: Day): number => calendar.indexOf(week, day);
  const start = week.starts[weekOf(first)];
  const weeks = weekOf(last) - weekOf(first) + 1;
  const glyph = (day: Day): string => {
    if (day < first || day > last) return GLYPHS.none;
    if (day === asOf) return GLYPHS.asOf;
    if (calendar.holiday(day) !== undefined) return GLYPHS.holiday;
    if (!calendar.isWorkingDay(day)) return GLYPHS.free;
    return calendar.indexOf(calendar.unit('month'), day) % 2 === calendar.indexOf(calendar.unit('month'), first) % 2
      ? GLYPHS.odd
      : GLYPHS.even;
  };
  const header = new Array<string>(weeks + WIDTH).fill(' ');
  for (let month = 1; month <= 12; month++) {
    const name = calendar.name('month-short', month - 1).slice(0, WIDTH);
    const at = weekOf(dayOf(year, month, 1)) - weekOf(first);
    for (let k = 0; k < name.length; k++) header[at + k] = name[k];
  }
  const names = Array.from({ length: 7 }, (_, row) => calendar.name('weekday-short', weekdayOf(start + row)));
  const margin = Math.max(...names.map((name) => name.length)) + 1;
  const lines = [`${String(year).padEnd(margin)} ${header.join('').trimEnd()}`];
  names.forEach((name, row) => {
    let cells = '';
    for (let column = 0; column < weeks; column++) cells += glyph(start + column * 7 + row);
    lines.push(`${name.padEnd(margin)} ${cells.trimEnd()}`);
  });
  lines.push(
    '',
    `${GLYPHS.odd} ${GLYPHS.even} working days, a month each   ${GLYPHS.free} days off   ${GLYPHS.holiday} holidays${asOf !== undefined && asOf >= first && asOf <= last ? `   ${GLYPHS.asOf} as of ${isoOf(asOf)}` : ''}`,
  );
  const holidays: string[] = [];
  for (let day = first; day <= last; day++) {
    const name = calendar.holiday(day);
    if (name !== undefined) holidays.push(`${isoOf(day).slice(5)} ${name}`);
  }
  if (holidays.length > 0) lines.push('', ...wrapped(holidays));
  const others = [...calendar.units.values()].filter((unit) => unit.basis === 'own' || unit.name.includes('-'));
  const borders = others.flatMap((unit) => {
    const begins = Array.from(unit.starts.keys()).filter((i) => unit.starts[i] >= first && unit.starts[i] <= last);
    if (begins.length === 0 || begins.length > 13) return [];
    return [`${unit.name}: ${begins.map((i) => `${unit.label(i)} from ${isoOf(unit.starts[i]).slice(5)}`).join(', ')}`];
  });
  if (borders.length > 0) lines.push('', ...borders.flatMap((text) => wrapped(text.split(', '))));
  return `${lines.join('\n')}\n`;
};

const wrapped = (parts: readonly string[]): string[] => {
  const lines: string[] = [];
  for (const part of parts) {
    const last = lines[lines.length - 1];
    if (last !== undefined && last.length + part.length + 2 <= 78) lines[lines.length - 1] = `${last}, ${part}`;
    else lines.push(lines.length === 0 ? part : `  ${part}`);
  }
  return lines;
};
