// Marks on values that break the bound of an alert.
import { type AnswerRow, readingOf } from '../evaluate/answer.ts';
import type { Model } from '../model/model.ts';
import { alertOf, brokenLimit } from '../plan/alerts.ts';
import type { Notes } from '../plan/notes.ts';
import type { Asked } from '../plan/question.ts';
import type { Labels } from './labels.ts';
import type { Mark, ResultColumn } from './types.ts';

const samePer = (a: Asked['per'], b: Asked['per']): boolean =>
  a.length === b.length && a.every(({ attribute }) => b.some((other) => other.attribute.key === attribute.key));

/**
 * Cells that set an alert off: where a question shows an alert's reading by its unit and for its members. Each alert
 * is noted once, with the number of cells.
 */
export const marksOf = (
  rows: readonly AnswerRow[],
  asked: Asked,
  columns: readonly ResultColumn[],
  model: Model,
  labels: Labels,
  notes: Notes,
): ReadonlyMap<AnswerRow, readonly (Mark | null)[]> => {
  const found = new Map<AnswerRow, (Mark | null)[]>();
  for (const [name, input] of model.alerts) {
    const alert = alertOf(model, name, input);
    const called = labels.text(input.label) ?? name;
    if (asked.by.kind !== 'unit' || asked.by.unit !== alert.by || !samePer(alert.per, asked.per)) continue;
    asked.columns.forEach(({ reading }, k) => {
      if (reading !== alert.reading) return;
      const at = 1 + asked.per.length + k;
      const { better, label } = columns[at];
      let count = 0;
      for (const row of rows) {
        const limit = row.kind === 'cell' ? brokenLimit(alert.limits, readingOf(row, k)) : undefined;
        if (!limit) continue;
        count++;
        const direction = limit.kind === 'below' || limit.kind === 'at-most' ? 'low' : 'high';
        const verdict = better === undefined ? 'neutral' : (better === 'higher') === (direction === 'high') ? 'good' : 'bad';
        const marks = found.get(row) ?? columns.map(() => null);
        marks[at] ??= { alert: name, label: called, direction, verdict };
        found.set(row, marks);
      }
      if (count > 0)
        notes.add(`alert ${name} ${label}`, {
          code: 'alert',
          alert: name,
          label: called,
          column: columns[at].name,
          heading: label,
          limits: alert.limits,
          cells: count,
        });
    });
  }
  return found;
};
