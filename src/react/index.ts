// The answer as a component for React: `<Answer result={result} />`.
import { createElement, type ReactElement, useEffect, useRef } from 'react';
import { CELL_EVENT, type CellDetail, type DurchblickAnswer, type ShownPart } from '../element/index.ts';
import type { ResultJson } from '../result/types.ts';

export type { CellDetail, ShownPart } from '../element/index.ts';

export interface AnswerProps {
  /** An answer, or one that came as JSON; nothing is shown until there is one. */
  readonly result: ResultJson | undefined;
  /** What is shown of it; all when left out. */
  readonly show?: readonly ShownPart[];
  readonly theme?: 'light' | 'dark';
  /** Told when a reader chooses a number. */
  readonly onCell?: (detail: CellDetail) => void;
}

/** An answer with its chart, its table and what must be known about it. */
export const Answer = ({ result, show, theme, onCell }: AnswerProps): ReactElement => {
  const place = useRef<DurchblickAnswer>(null);
  useEffect(() => {
    if (place.current) place.current.result = result;
  }, [result]);
  useEffect(() => {
    const own = place.current;
    if (!own || !onCell) return;
    const tell = (event: Event): void => onCell((event as CustomEvent<CellDetail>).detail);
    own.addEventListener(CELL_EVENT, tell);
    return () => own.removeEventListener(CELL_EVENT, tell);
  }, [onCell]);
  return createElement('durchblick-answer', { ref: place, show: show?.join(' '), theme });
};
