// Years beside each other over one axis: periods of a unit, split by their place in it (U11).
import type { Theme } from './look.ts';
import type { Charted } from './panels.ts';

/** A result whose second attribute has become the axis. */
export interface OverOneAxis {
  readonly result: Charted;
  /** Members, from the oldest to the newest. */
  readonly members: readonly string[];
  /** The row whose days are not over: the last one of the newest member that has a value. */
  readonly open: number | undefined;
}

const DAY_MS = 86_400_000;

/** Whether a day ends no month: a month, or a quarter or half of few, is then not over. Of weeks and days nothing is told. */
const isMidMonth = (iso: string, places: number): boolean => places <= 12 && new Date(Date.parse(iso) + DAY_MS).getUTCDate() !== 1;

/** One period, split by a unit and by where its days stand in it: the one is drawn over the other. */
export const overOneAxis = (result: Charted): OverOneAxis | undefined => {
  const { columns, rows, periods, compared, marks } = result;
  const attributes = columns.filter(({ kind }) => kind === 'attribute');
  const [first, second] = attributes;
  if (periods.length !== 1 || attributes.length !== 2 || first.standing !== 'period' || second.standing === undefined) return undefined;
  if (second.standing === 'period') return undefined;
  const labels = [...new Set(rows.map((row) => String(row[2])))];
  const place = new Map(labels.map((label, k) => [label, k]));
  // In the order of the axis, and within it in that of the members.
  const order = Array.from(rows.keys()).sort(
    (a, b) => (place.get(String(rows[a][2])) ?? 0) - (place.get(String(rows[b][2])) ?? 0) || a - b,
  );
  const [period] = periods;
  const members = [...new Set(rows.map((row) => String(row[1])))];
  const isNewest = (row: number): boolean => String(rows[row][1]) === members[members.length - 1];
  const open = isMidMonth(period.anchor, labels.length)
    ? order.findLastIndex((row) => isNewest(row) && rows[row].slice(3).some((value) => value !== null))
    : -1;
  return {
    members,
    open: open < 0 ? undefined : open,
    result: {
      ...result,
      unit: null,
      periods: labels.map((label) => ({ ...period, label, partial: false })),
      columns: columns.filter((column) => column !== second),
      rows: order.map((row) => [rows[row][2], rows[row][1], ...rows[row].slice(3)]),
      compared: Object.fromEntries(Object.entries(compared).map(([name, list]) => [name, order.map((row) => list[row])])),
      ...(marks ? { marks: order.map((row) => (marks[row] ?? []).filter((_, k) => columns[k] !== second)) } : {}),
    },
  };
};

/** A colour between two, as `#rrggbb`. */
const between = (from: string, to: string, share: number): string => {
  const part = (text: string, at: number): number => Number.parseInt(text.slice(at, at + 2), 16);
  const mixed = (at: number): string =>
    Math.round(part(from, at) + (part(to, at) - part(from, at)) * share)
      .toString(16)
      .padStart(2, '0');
  return `#${mixed(1)}${mixed(3)}${mixed(5)}`;
};

/** The newest loud, all before it the paler the older they are. */
export const agedColours = (count: number, { series, quiet, pale }: Theme): readonly string[] =>
  Array.from({ length: count }, (_, k) => (k === count - 1 ? series[0] : between(pale, quiet, count < 3 ? 1 : k / (count - 2))));
