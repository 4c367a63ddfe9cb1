import { memo, useDeferredValue, useMemo } from 'react';
import type { Answered } from '../engine/protocol.ts';
import type { Cell } from '../state.ts';

const ARROWS = { low: '▼', high: '▲' } as const;

export interface AnswerProps {
  readonly result: Answered;
  readonly cell: Cell | undefined;
  readonly onCell: (cell: Cell) => void;
}

interface RowProps {
  readonly columns: Answered['columns'];
  readonly row: Answered['table']['rows'][number];
  /** The reading whose cell is chosen in this row. */
  readonly chosen: string | undefined;
  readonly onCell: (cell: Cell) => void;
}

/** Rows arrive anew with every answer; most say what they said before. */
const isUnchanged = (a: RowProps, b: RowProps): boolean =>
  a.columns === b.columns &&
  a.chosen === b.chosen &&
  a.onCell === b.onCell &&
  a.row.kind === b.row.kind &&
  a.row.cells.every((text, k) => text === b.row.cells[k]) &&
  a.columns.every((_, k) => a.row.marks[k]?.label === b.row.marks[k]?.label);

const Row = memo(({ columns, row: { kind, cells, marks }, chosen, onCell }: RowProps) => {
  const members = cells.slice(1, 1 + columns.filter((column) => column.kind === 'attribute').length);
  return (
    <tr className={kind}>
      {columns.map((column, k) => {
        if (column.kind !== 'reading') return <td key={column.name}>{cells[k]}</td>;
        const reading = column.expression ?? column.name;
        const mark = marks[k];
        const text = (
          <>
            {mark ? (
              <span className={`mark ${mark.verdict}`} title={mark.label}>
                {ARROWS[mark.direction]}{' '}
              </span>
            ) : null}
            {cells[k] === '' ? '–' : cells[k]}
          </>
        );
        return (
          <td key={column.name} className="reading-cell">
            {kind === 'cell' ? (
              <button
                type="button"
                className="cell"
                aria-pressed={chosen === reading}
                aria-label={`why ${column.label} is ${cells[k] === '' ? 'blank' : cells[k]} in ${[cells[0], ...members].join(', ')}${mark ? `; ${mark.label}` : ''}`}
                onClick={() => onCell({ reading, period: cells[0], members })}
              >
                {text}
              </button>
            ) : (
              text
            )}
          </td>
        );
      })}
    </tr>
  );
}, isUnchanged);

const isIn = ({ period, members }: Cell, cells: readonly string[]): boolean =>
  period === cells[0] && members.every((member, k) => member === cells[1 + k]);

/** Columns that are the same as before are the same object, so that rows need not look into them. */
const useColumns = (columns: Answered['columns']): Answered['columns'] => {
  const key = JSON.stringify(columns);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says all that is in them
  return useMemo(() => columns, [key]);
};

/** Rows that are drawn at once; those below follow in the next frame, and until then there is room where they will be. */
const AT_ONCE = 60;
const ROW_HEIGHT = 30;

/** The answer as a table; every number leads to why it is what it is. */
export const Answer = memo(({ result, cell, onCell }: AnswerProps) => {
  const columns = useColumns(result.columns);
  const { rows } = result.table;
  const all = useDeferredValue(rows) === rows;
  const shown = all ? rows : rows.slice(0, AT_ONCE);
  return (
    // Keyboards scroll what they can reach.
    <section className="scroll" aria-label="Answer as a table" tabIndex={0}>
      <table id="answer">
        <thead>
          <tr>
            {columns.map(({ name, label, kind, unit }) => (
              <th key={name} className={kind} scope="col">
                {label}
                {kind === 'reading' && unit ? <span className="unit"> {unit}</span> : null}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {shown.map((row, k) => (
            // By its place, so that another unit changes texts instead of building the table anew.
            // biome-ignore lint/suspicious/noArrayIndexKey: rows keep nothing of their own
            <Row key={k} columns={columns} row={row} chosen={cell && isIn(cell, row.cells) ? cell.reading : undefined} onCell={onCell} />
          ))}
          {shown.length < rows.length ? <tr style={{ height: (rows.length - shown.length) * ROW_HEIGHT }} /> : null}
        </tbody>
      </table>
    </section>
  );
});
