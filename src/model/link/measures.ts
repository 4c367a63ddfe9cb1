// Links measures: one aggregate each, its dates, and what goes together with it.
import { suggest } from '../../errors.ts';
import type { Faults } from '../faults.ts';
import type { Path } from '../keys.ts';
import { type Aggregate, daysIn, type Fact, type Measure } from '../model.ts';
import type { MeasureInput } from '../schema.ts';

const AGGREGATES = ['sum', 'count', 'countDistinct', 'average', 'min', 'max', 'median', 'percentile', 'firstTime', 'daysBetween'] as const;

const pair = (text: string): [string, string] | undefined => {
  const parts = text.split('/').map((part) => part.trim());
  return parts.length === 2 && parts[0] !== '' && parts[1] !== '' ? [parts[0], parts[1]] : undefined;
};

/** A measure as it is written, and where. */
interface Written {
  readonly name: string;
  readonly input: MeasureInput;
  readonly fact: Fact;
  readonly path: Path;
  readonly faults: Faults;
}

const roleNamed = ({ fact, faults }: Written, text: string, at: Path): string | undefined => {
  if (fact.roles.has(text)) return text;
  faults.add(at, 'unknown-role', `fact "${fact.name}" has no date "${text}"`, suggest(text, fact.roles.keys(), 'dates'));
  return undefined;
};

/** Two dates, written `from/until`. */
const rolePair = (written: Written, text: string, at: Path): { from: string; until: string } | undefined => {
  const both = pair(text);
  if (!both) {
    written.faults.add(at, 'bad-roles', `"${text}" does not name two dates`, 'Write from/until, for example ordered/shipped.');
    return undefined;
  }
  const [from, until] = [roleNamed(written, both[0], at), roleNamed(written, both[1], at)];
  return from && until ? { from, until } : undefined;
};

/** Shares are told apart by so many decimals. */
const SHARE_DECIMALS = 6;

/** A percentile of a column, or of the days between two dates (M14). */
const percentileOf = (written: Written, text: string, at: number, path: Path): Aggregate | undefined => {
  const { fact, input, faults, name } = written;
  if (!(at >= 0 && at <= 1) || Number(at.toFixed(SHARE_DECIMALS)) !== at) {
    faults.add(
      [...path, 'at'],
      'bad-percentile',
      `measure "${name}": a percentile at ${at}`,
      `It is a share of the rows, from 0 to 1 with at most ${SHARE_DECIMALS} decimals: 0.9 is the value that nine of ten do not exceed (M14).`,
    );
    return undefined;
  }
  const isPair = !fact.columns.has(text) && pair(text)?.some((role) => fact.roles.has(role));
  if (!isPair) return { kind: 'percentile', of: { kind: 'column', column: text }, at };
  const both = rolePair(written, text, path);
  return both && { kind: 'percentile', of: { kind: 'days-between', ...both, days: input.workingDays ? 'working' : 'all' }, at };
};

/** The one aggregate of a measure (M1). */
const aggregateOf = (written: Written): Aggregate | undefined => {
  const { name, input, path, faults } = written;
  const given = AGGREGATES.filter((key) => input[key] !== undefined);
  if (given.length !== 1) {
    faults.add(
      path,
      'bad-measure',
      given.length === 0 ? `measure "${name}" has no aggregate` : `measure "${name}" has ${given.length} aggregates`,
      'A measure has one of sum, count, count-distinct, average, min, max, median, percentile, first-time, days-between.',
    );
    return undefined;
  }
  const [key] = given;
  if (key === 'daysBetween') {
    const both = rolePair(written, input.daysBetween as string, [...path, key]);
    return both && { kind: 'days-between', ...both, days: input.workingDays ? 'working' : 'all' };
  }
  if (key === 'median') return percentileOf(written, input.median as string, 0.5, [...path, key]);
  if (key === 'percentile') {
    const { of, at } = input.percentile as NonNullable<MeasureInput['percentile']>;
    return percentileOf(written, of, at, [...path, key]);
  }
  if (key === 'firstTime') return { kind: 'first-time', column: input.firstTime as string };
  if (key === 'count') return { kind: 'count', column: input.count === 'rows' ? undefined : input.count };
  return { kind: key === 'countDistinct' ? 'count-distinct' : key, column: input[key] as string };
};

/** What does not go together: each with its key, what is wrong with it and what would be right. */
const checkTogether = ({ name, input, path, faults }: Written, aggregate: Aggregate): void => {
  const { kind } = aggregate;
  const { open, acrossTime, workingDays, spread, spreadAcross } = input;
  const isAdditive = kind === 'sum' || kind === 'count';
  const wrong: readonly (readonly [boolean, at: string, message: string, hint: string])[] = [
    [open !== undefined && !isAdditive, 'open', 'only a sum or a count can be open', 'Use sum or count (M5).'],
    [
      open !== undefined && acrossTime !== undefined,
      'acrossTime',
      'a level that is open is already read at the last day',
      'Leave `across-time` out.',
    ],
    [acrossTime !== undefined && !isAdditive, 'acrossTime', 'only a sum or a count has an aggregate across time', 'Use sum or count (M4).'],
    [workingDays !== undefined && !daysIn(aggregate), 'workingDays', 'working-days belongs to days between two dates', 'Leave it out.'],
    [spread !== undefined && spread !== 'none' && !isAdditive, 'spread', 'only sum and count spread (G3)', 'Leave `spread` out.'],
    [
      spreadAcross !== undefined && (!isAdditive || open !== undefined || acrossTime !== undefined),
      'spreadAcross',
      'only sum and count that add up spread across members (G6)',
      'Leave `spread-across` out.',
    ],
  ];
  for (const [is, at, message, hint] of wrong) if (is) faults.add([...path, at], 'bad-measure', `measure "${name}": ${message}`, hint);
};

/** The date by which a measure counts unless a reading says otherwise (M1). */
const defaultRole = (written: Written, from: string | undefined): string | undefined => {
  const { name, input, fact, path, faults } = written;
  const role = input.role ?? from;
  if (role !== undefined) return roleNamed(written, role, [...path, 'role']);
  const roles = [...fact.roles.keys()];
  if (roles.length === 1) return roles[0];
  faults.add(path, 'missing-role', `measure "${name}" does not say by which date it counts`, `Give it a role: ${roles.join(', ')} (M1).`);
  return undefined;
};

export const linkMeasure = (name: string, input: MeasureInput, fact: Fact, path: Path, faults: Faults): Measure | undefined => {
  const written: Written = { name, input, fact, path, faults };
  const aggregate = aggregateOf(written);
  if (!aggregate) return undefined;
  const open = input.open === undefined ? undefined : rolePair(written, input.open, [...path, 'open']);
  if (input.open !== undefined && !open) return undefined;
  checkTogether(written, aggregate);
  const role = defaultRole(written, open?.from);
  if (role === undefined) return undefined;
  return {
    name,
    fact,
    aggregate,
    role,
    open,
    where: input.where,
    acrossTime: input.acrossTime,
    empty: input.empty,
    spread: input.spread ?? 'none',
    spreadAcross: new Map(Object.entries(input.spreadAcross ?? {})),
    unrelated: input.unrelated ?? 'error',
    format: input.format,
    better: input.better,
    label: input.label,
  };
};
