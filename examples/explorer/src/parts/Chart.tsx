import { useElementSize } from '@mantine/hooks';
import { type ChartSpec, chartSpec, type ThemeName } from 'durchblick/chart';
import { memo, useEffect, useRef } from 'react';
import { parse, View } from 'vega';
import { compile } from 'vega-lite';
import type { Answered } from '../engine/protocol.ts';
import type { Cell } from '../state.ts';

export interface ChartProps {
  readonly result: Answered;
  readonly theme: ThemeName;
  readonly onCell: (cell: Cell) => void;
}

/** A mark stands for a cell of the result. */
interface Datum {
  readonly row?: number;
  readonly readingAt?: number;
}

/** Shows what a mark says; texts are set as texts, never as markup. */
const tooltipIn =
  (box: HTMLElement) =>
  (_: unknown, event: MouseEvent, __: unknown, value: unknown): void => {
    if (typeof value !== 'object' || value === null) {
      box.hidden = true;
      return;
    }
    box.replaceChildren(
      ...Object.entries(value as Record<string, unknown>).flatMap(([name, text]) => {
        if (text === '' || text === undefined) return [];
        const row = document.createElement('div');
        const key = document.createElement('b');
        key.textContent = `${name} `;
        row.append(key, String(text));
        return [row];
      }),
    );
    box.hidden = false;
    const x = Math.min(event.clientX + 14, window.innerWidth - box.offsetWidth - 8);
    box.style.left = `${Math.max(8, x)}px`;
    box.style.top = `${Math.max(8, event.clientY - box.offsetHeight - 12)}px`;
  };

/** The answer as a picture; a mark leads to its cell. */
export const Chart = memo(({ result, theme, onCell }: ChartProps) => {
  const { ref, width } = useElementSize();
  const holder = useRef<HTMLDivElement>(null);
  const tooltip = useRef<HTMLDivElement>(null);
  const choose = useRef(onCell);
  choose.current = onCell;
  const room = Math.floor(width);
  useEffect(() => {
    if (room < 100 || !holder.current || !tooltip.current || result.rows.length === 0) return undefined;
    const axis = 92;
    const spec: ChartSpec = chartSpec(result, {
      title: 'none',
      theme,
      width: Math.max(160, room - axis),
      height: attributesOf(result) > 0 ? 160 : room < 560 ? 220 : 300,
    });
    const compiled = compile(spec as unknown as Parameters<typeof compile>[0]).spec;
    const view = new View(parse(compiled), { renderer: 'svg', container: holder.current });
    view.tooltip(tooltipIn(tooltip.current) as Parameters<View['tooltip']>[0]);
    view.addEventListener('click', (_, item) => {
      const datum = item?.datum as Datum | undefined;
      if (datum?.row === undefined || datum.readingAt === undefined) return;
      const { expression } = result.columns[datum.readingAt];
      const row = result.rows[datum.row];
      if (expression !== undefined)
        choose.current({ reading: expression, period: String(row[0]), members: row.slice(1, 1 + attributesOf(result)).map(String) });
    });
    void view.runAsync();
    return () => {
      view.finalize();
    };
  }, [result, theme, room]);
  return (
    <div ref={ref} className="chart">
      <div
        ref={holder}
        role="img"
        aria-label={`Chart of ${result.columns
          .filter(({ kind }) => kind === 'reading')
          .map(({ label }) => label)
          .join(', ')}: ${result.caption}. The table has the same numbers.`}
      />
      <div ref={tooltip} className="tooltip" hidden />
    </div>
  );
});

const attributesOf = ({ columns }: Answered): number => columns.filter(({ kind }) => kind === 'attribute').length;
