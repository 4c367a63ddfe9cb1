// Numbers to vouch for, from an answer: what `figures` of a model holds (V4).
import { OTHERS } from '../model/attributes.ts';
import type { Question } from '../model/schema.ts';
import type { ResultJson } from './types.ts';

/** A figure as a model takes it. */
export interface Vouched {
  readonly reading: string;
  readonly at: string | number;
  readonly by?: string;
  readonly members?: Readonly<Record<string, string>>;
  readonly where?: Question['where'];
  readonly asOf?: string;
  readonly knownBy?: string;
  readonly is: number;
}

/**
 * A figure for each cell of an answer that has a number, `(others)` and totals left out. The as-of date is said where the
 * number moves with it: in a period that is not over, on windows, and where the question says one. `unitOf` tells the unit
 * that a label is read in.
 */
export const vouchedFrom = (
  { periods, columns, rows, unit, asOf, words }: ResultJson,
  question: Question,
  unitOf: (label: string) => string | undefined,
): readonly Vouched[] => {
  const partial = new Map(periods.map((period) => [period.label, period.partial]));
  const onWindows = unit === null && question.by !== undefined;
  const attributes = columns.filter(({ kind }) => kind === 'attribute');
  return rows.flatMap((row) => {
    const [label, ...cells] = row;
    const at = String(label);
    const members = Object.fromEntries(attributes.map(({ name }, k) => [name, String(cells[k])]));
    if (Object.values(members).includes(words?.others ?? OTHERS)) return [];
    const moves = question.asOf !== undefined || onWindows || partial.get(at) === true;
    return columns.flatMap(({ kind, name, expression = name }, k): Vouched[] => {
      const value = row[k];
      if (kind !== 'reading' || typeof value !== 'number') return [];
      return [
        {
          reading: expression,
          // A year is a number in YAML.
          at: /^\d{4}$/.test(at) ? Number(at) : at,
          ...(unit !== null && unitOf(at) !== unit ? { by: unit } : {}),
          ...(attributes.length > 0 ? { members } : {}),
          ...(question.where && Object.keys(question.where).length > 0 ? { where: question.where } : {}),
          ...(moves ? { asOf } : {}),
          ...(question.knownBy === undefined ? {} : { knownBy: question.knownBy }),
          is: value,
        },
      ];
    });
  });
};
