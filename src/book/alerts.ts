// `book.alerts`: every alert of the model, at an as-of date.
import type { Question } from '../model/schema.ts';
import { alertOf, brokenLimit } from '../plan/alerts.ts';
import { type BookRecord, within } from './record.ts';
import type { FiredAlert, Result } from './types.ts';

/** Evaluates every alert of a model in its period at an as-of date, `YYYY-MM-DD`; answers those that fire. */
export const alertsAt = async (
  book: BookRecord,
  asOf: string,
  ask: (question: Question) => Promise<Result>,
): Promise<readonly FiredAlert[]> => {
  const { model } = book;
  const fired: FiredAlert[] = [];
  for (const [name, input] of model.alerts) {
    const alert = alertOf(model, name, input);
    const period = await within(book, asOf, {}, (day, calendar) => calendar.label(alert.by, day));
    if (period === undefined) continue;
    const per = alert.per.map((entry) => entry.name);
    const { rows, columns } = await ask({ show: [alert.reading], by: alert.by, per, range: period, asOf });
    const { format, better } = columns[columns.length - 1];
    for (const row of rows) {
      const value = row[row.length - 1];
      const limit = typeof value === 'number' ? brokenLimit(alert.limits, value) : undefined;
      if (typeof value !== 'number' || !limit) continue;
      const members = Object.fromEntries(per.map((entry, k) => [entry, String(row[k + 1])]));
      fired.push({ alert: name, label: alert.label, reading: alert.reading, asOf, period, members, value, limit, format, better });
    }
  }
  return fired;
};
