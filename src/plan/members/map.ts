// Member maps: how the member of a row is found. Whatever splits or filters comes down to one of these.
import type { Standing } from '../../calendar/standing.ts';
import type { Band, Link } from '../../model/model.ts';

/** The row's key looked up in a table, or taken as it stands where there is none; a coarser fact's key is the attribute itself (G5). */
export interface KeyMap {
  readonly kind: 'key';
  readonly link: Link;
  /** Which text of the row that is found. */
  readonly attribute: string;
}

/** A number put between thresholds: the greatest start that is not above it (M13). */
export interface ThresholdMap {
  readonly kind: 'thresholds';
  readonly band: Band;
}

/** The row's key and a day looked up together: the version of the key that holds on the row's own date, or on the as-of date (G9). */
export interface KeyDayMap {
  readonly kind: 'key-day';
  readonly link: Link;
  readonly attribute: string;
  /** The role whose date it is, or `now`. */
  readonly at: string;
}

/** The day of the role in use looked up in a table of days (U11): the plan sorts days by member, so engines are never asked for it. */
export interface DayMap {
  readonly kind: 'day';
  readonly standing: Standing;
}

/** Maps that engines know: what a row itself says. */
export type RowMap = KeyMap | KeyDayMap | ThresholdMap;
export type MemberMap = RowMap | DayMap;
