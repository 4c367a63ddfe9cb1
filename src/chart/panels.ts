// Readings that share a scale, panel by panel.
import type { PlainResult, ResultColumn, ResultJson } from '../result/types.ts';

/** What a chart is made of: a result, or its `toJson()` from a worker or a server. */
export type Charted = Pick<ResultJson, 'asOf' | 'unit' | 'caption' | 'periods' | 'columns' | 'rows' | 'compared' | 'locale' | 'marks'>;

type Result = Pick<PlainResult, 'columns'>;

/** How a reading is drawn. */
export type Part = 'chosen' | 'comparison' | 'plan' | 'signed';

export interface Drawn {
  readonly column: ResultColumn;
  /** Its place among the columns of the result, by which the data of a chart name it. */
  readonly at: number;
  readonly part: Part;
}

/** Readings that share a scale: one unit, changes apart from amounts. */
export interface Panel {
  readonly unit: string;
  readonly readings: readonly Drawn[];
}

const partOf = ({ form, horizon }: ResultColumn): Part => {
  if (form === 'difference' || form === 'change') return 'signed';
  if (form === 'value') return 'comparison';
  return horizon === 'plan' ? 'plan' : 'chosen';
};

/** Panels in the order in which their first readings were asked for. */
export const panelsOf = (result: Result, readings: readonly string[] | undefined): readonly Panel[] => {
  const panels = new Map<string, { unit: string; readings: Drawn[] }>();
  for (const [at, column] of result.columns.entries()) {
    if (column.kind !== 'reading' || readings?.includes(column.name) === false) continue;
    const part = partOf(column);
    const unit = column.unit ?? '';
    const key = JSON.stringify([unit, part === 'signed']);
    const panel = panels.get(key) ?? { unit, readings: [] };
    panel.readings.push({ column, at, part });
    panels.set(key, panel);
  }
  return [...panels.values()].map(({ unit, readings: own }) => {
    // A comparison or a plan that stands alone is what was chosen.
    const alone = own.every(({ part }) => part === 'comparison') || own.every(({ part }) => part === 'plan');
    return { unit, readings: alone ? own.map((drawn) => ({ ...drawn, part: 'chosen' as const })) : own };
  });
};
