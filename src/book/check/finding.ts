// What a check finds, as plain data.
import { counted } from '../../basics/text.ts';
import type { TextPlace } from '../../errors.ts';

/** Something in a model or its data that somebody should look at. */
export interface Finding {
  readonly code:
    | 'data-note'
    | 'orphans'
    | 'blank-links'
    | 'blank-dates'
    | 'far-dates'
    | 'after-as-of'
    | 'reversed-dates'
    | 'duplicate-rows'
    | 'missing-periods'
    | 'stops-early'
    | 'long-gaps'
    | 'text-dates'
    | 'unused-name'
    | 'missing-language'
    | 'window-built-in'
    | 'comparison-unusable';
  /** `warning`: numbers may be wrong. `hint`: worth knowing. What makes numbers impossible is an error when a model is opened. */
  readonly severity: 'warning' | 'hint';
  readonly message: string;
  /** Rows, days or names that it is about. */
  readonly count: number;
  readonly examples: readonly string[];
  /** What would be right. */
  readonly wayOut: string;
  readonly place?: TextPlace;
}

export const EXAMPLES = 3;
/** `one` behind a count of one, `many` behind any other. */
export const verb = (count: number, one: string, many: string): string => (count === 1 ? one : many);
export const rowsText = (count: number): string => counted(count, 'row');
