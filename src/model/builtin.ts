// Windows that every model has, made of its units (W10).
import { CIVIL_UNITS } from '../calendar/calendar.ts';

/** How far a step of some finished periods goes, by unit: what `P` takes. */
const STEPS = [
  ['week', 7, 'D'],
  ['month', 1, 'M'],
  ['quarter', 3, 'M'],
] as const;
const COUNTS = [3, 6, 12] as const;

/** Windows of the last so many finished periods: they always hold that many, and step back by as many. */
const finishedPeriods = (): [string, string, string][] =>
  STEPS.flatMap(([unit, length, part]) =>
    COUNTS.map((count): [string, string, string] => [
      `last-${count}-complete-${unit}s`,
      `since(${unit})-P${(count - 1) * length}${part}/done(${unit})`,
      `-P${count * length}${part}`,
    ]),
  );

/** The built-in windows of a model's units, as name, text, and what they step back by where that is not plain (W10). */
export const builtInWindows = (
  systems: readonly { readonly name: string; readonly kind: 'months' | 'weeks' | 'listed' }[],
  custom: readonly string[],
): [name: string, text: string, previous?: string][] => {
  const toDate = (unit: string) => `start(${unit})/anchor`;
  const list: [string, string, string?][] = [
    ['wtd', toDate('week')],
    ['mtd', toDate('month')],
    ['qtd', toDate('quarter')],
    ['htd', toDate('half')],
    ['ytd', toDate('year')],
    ['week-ytd', toDate('week-year')],
    ['qtd-complete', 'start(quarter)/done(month)'],
    ['ytd-complete', 'start(year)/done(month)'],
  ];
  const short = { months: ['month', 'quarter', 'half', 'year'], weeks: ['week', 'month', 'quarter', 'year'], listed: ['year'] };
  const complete = [...CIVIL_UNITS];
  for (const { name, kind } of systems) {
    for (const unit of short[kind]) {
      list.push([`${name}-${unit[0]}td`, toDate(`${name}-${unit}`)]);
      complete.push(`${name}-${unit}`);
    }
    if (kind === 'listed') continue;
    list.push(
      [`${name}-qtd-complete`, `start(${name}-quarter)/done(${name}-month)`],
      [`${name}-ytd-complete`, `start(${name}-year)/done(${name}-month)`],
    );
  }
  for (const unit of custom) {
    list.push([`${unit}-to-date`, toDate(unit)]);
    complete.push(unit);
  }
  for (const unit of complete) list.push([`last-complete-${unit}`, `since(${unit})/done(${unit})`]);
  list.push(...finishedPeriods());
  list.push(['so-far', 'start(period)/anchor'], ['rolling-7-days', 'P7D/anchor'], ['rolling-28-days', 'P28D/anchor']);
  for (const months of [3, 6, 12]) list.push([`rolling-${months}-months`, `P${months}M/anchor`]);
  list.push(['to-date', 'first/anchor']);
  return list;
};
