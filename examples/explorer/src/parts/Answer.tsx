import { memo } from 'react';
import type { Answered } from '../engine/protocol.ts';
import type { Cell } from '../state.ts';

const ARROWS = { low: '▼', high: '▲' } as const;

export interface AnswerProps {
  readonly result: Answered;
  readonly cell: Cell | undefined;
  readonly onCell: (cell: Cell) => void;
}

const isSame = (a: Cell | undefined, b: Cell): boolean =>
  a !== undefined && a.period === b.period && a.reading === b.reading && JSON.stringify(a.members) === JSON.stringify(b.members);

/** The answer as a table; every number leads to why it is what it is. */
export const Answer = memo(({ result, cell, onCell }: AnswerProps) => {
  const { columns, table } = result;
  const attributes = columns.filter(({ kind }) => kind === 'attribute').length;
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
          {table.rows.map(({ kind, cells, marks }) => {
            const members = cells.slice(1, 1 + attributes);
            return (
              <tr key={`${kind} ${cells.slice(0, 1 + attributes).join('\u0000')}`} className={kind}>
                {columns.map((column, k) => {
                  if (column.kind !== 'reading') return <td key={column.name}>{cells[k]}</td>;
                  const own: Cell = { reading: column.expression ?? column.name, period: cells[0], members };
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
                          aria-pressed={isSame(cell, own)}
                          aria-label={`why ${column.label} is ${cells[k] === '' ? 'blank' : cells[k]} in ${[cells[0], ...members].join(', ')}${mark ? `; ${mark.label}` : ''}`}
                          onClick={() => onCell(own)}
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
          })}
        </tbody>
      </table>
    </section>
  );
});
