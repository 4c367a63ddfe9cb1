// Dimensions in one state of the data: keys that stand once, and the texts of attributes.
import { zoneStretches } from '../../calendar/dates.ts';
import { FIRST_DAY, LAST_DAY } from '../../calendar/day.ts';
import type { Dimension, Model } from '../../model/model.ts';
import { badDates, doubledKey, unknownColumn, unusableColumn } from '../shared/faults.ts';
import { overlappingVersions } from '../shared/versions.ts';
import type { Session } from './database.ts';
import { columnNamed, type Dialect, type Relation, rawColumn, type SqlColumn } from './dialect.ts';
import { keyText, sideTable } from './side-table.ts';
import { counted, greatest, least, statisticsOf } from './statistics.ts';
import { keySql, looksSpecial } from './values.ts';

export interface SqlDimension {
  readonly relation: Relation;
  readonly rows: number;
}

/** The column that puts an attribute's members in order, as a value that JavaScript can compare. */
export const rankSql = (dialect: Dialect, relation: Relation, order: string | undefined, alias: string): string => {
  if (order === undefined) return 'null';
  const column = columnNamed(relation, order) as SqlColumn;
  const raw = rawColumn(dialect, alias, column);
  return column.kind === 'integer' || column.kind === 'decimal' || column.kind === 'double'
    ? dialect.toDouble(raw)
    : keySql(dialect, raw, column);
};

/** Columns of instants that are keys or members get the time zone's offsets over the stretch that they cover. */
export const withZones = async (
  relation: Relation,
  names: Iterable<string>,
  timeZone: string,
  dialect: Dialect,
  run: Session['run'],
): Promise<Relation> => {
  const wanted = new Set(names);
  const instants = relation.columns.filter(({ name, kind }) => kind === 'instant' && wanted.has(name));
  if (instants.length === 0 || timeZone === 'UTC') return relation;
  const span = instants.flatMap((column) => {
    const seconds = dialect.toDouble(dialect.seconds(rawColumn(dialect, 'd', column)));
    return [least(`min(${seconds})`), greatest(`max(${seconds})`)];
  });
  const found = await statisticsOf(relation, 'd', span, `the span of ${relation.name}`, run);
  const zones = new Map(
    instants.map(({ name }, k) => {
      const [first, last] = [found[2 * k], found[2 * k + 1]];
      return [name, first === null || last === null ? undefined : zoneStretches(timeZone, first * 1000, last * 1000)] as const;
    }),
  );
  return { ...relation, columns: relation.columns.map((column) => ({ ...column, zone: zones.get(column.name) })) };
};

const checkDimensionColumns = (dimension: Dimension, relation: Relation, model: Model): void => {
  const attributes = [...dimension.attributes.values()];
  const { valid } = dimension;
  const wanted = [
    ...attributes.flatMap(({ column, order }) => (order === undefined ? [column] : [column, order])),
    ...(valid ? [valid.from, valid.until] : []),
  ];
  for (const column of [dimension.key as string, ...wanted]) {
    const found = columnNamed(relation, column);
    if (found && found.kind !== 'unusable') continue;
    const fault = found
      ? unusableColumn(relation.name, column, found.holds ?? 'values of an unknown type')
      : unknownColumn(
          relation.name,
          column,
          relation.columns.map(({ name }) => name),
        );
    throw fault.located(model.locate(['dimensions', dimension.name]) ?? { path: `dimensions.${dimension.name}` });
  }
};

/** The days on which versions of a dimension's keys hold; two of one key that hold on one day are an error (G9). */
const heldDaysOf = async (
  dimension: Dimension,
  relation: Relation,
  model: Model,
  dialect: Dialect,
  run: Session['run'],
  key: string,
  hidden: boolean,
): Promise<Relation['held']> => {
  const { valid, name } = dimension;
  if (!valid) return undefined;
  const table = sideTable(name, relation, dialect, run, model.timeZone);
  const dayOf = async (written: string): Promise<string> => {
    const column = columnNamed(relation, written) as SqlColumn;
    const { day, bad } = await table.date(column, 'day');
    const [count] = await table.ask(`bad dates in ${written}`, [counted(bad)]);
    if ((count ?? 0) > 0) {
      const { row, value } = await table.firstBad(column, bad);
      throw badDates(relation.name, hidden ? undefined : row, written, value, count as number);
    }
    return day;
  };
  const [from, until] = [await dayOf(valid.from), await dayOf(valid.until)];
  const held = { from: `coalesce(${from}, ${FIRST_DAY})`, until: `coalesce(${until}, ${LAST_DAY + 1})` };
  const { count, columns } = await run({
    about: `versions of ${name} that overlap`,
    sql: `select k, next_from, least(held_until, next_until) as ends
from (select k, held_from, held_until,
    lead(held_from) over (partition by k order by held_from, held_until) as next_from,
    lead(held_until) over (partition by k order by held_from, held_until) as next_until
  from (select ${dialect.byCodePoint(`(${key})`)} as k, ${held.from} as held_from, ${held.until} as held_until from ${relation.from} as d) as versions
  where held_from < held_until) as following
where next_from < held_until
order by k, held_from limit 1`,
  });
  if (count > 0)
    throw overlappingVersions(
      relation.name,
      dimension,
      hidden ? undefined : { key: String(columns[0][0]), from: Number(columns[1][0]), to: Number(columns[2][0]) - 1 },
    );
  return held;
};

/** Opens a dimension: columns that exist, keys that stand once (G8). Where rows of it are hidden, no key is told (V3). */
export const openDimension = async (
  dimension: Dimension,
  given: Relation,
  model: Model,
  dialect: Dialect,
  run: Session['run'],
  hidden: boolean,
): Promise<SqlDimension> => {
  checkDimensionColumns(dimension, given, model);
  const used = [dimension.key as string, ...[...dimension.attributes.values()].map(({ column }) => column)];
  const relation = await withZones(given, used, model.timeZone, dialect, run);
  const key = columnNamed(relation, dimension.key as string) as SqlColumn;
  const own = rawColumn(dialect, 'd', key);
  const text = keyText(dialect, own, key);
  // Whole numbers are told apart as they are.
  const groups = `${relation.from} as d group by ${key.kind === 'integer' ? own : text}`;
  const texts = [...new Set([...dimension.attributes.values()].map(({ column }) => column))].filter(
    (name) => columnNamed(relation, name)?.kind === 'text',
  );
  const flags = texts.map(
    (name, k) =>
      `max(case when ${looksSpecial(rawColumn(dialect, 'd', columnNamed(relation, name) as SqlColumn))} then 1 else 0 end) as f${k}`,
  );
  const { columns } = await run({
    about: `keys of ${dimension.name}`,
    sql: `select ${['sum(n)', 'max(n)', ...texts.map((_, k) => `max(f${k})`)].join(', ')}
from (select ${['count(*) as n', ...flags].join(', ')} from ${groups}) as keys`,
  });
  const held = await heldDaysOf(dimension, relation, model, dialect, run, text, hidden);
  if (!held && Number(columns[1][0] ?? 0) > 1) {
    const doubled = await run({
      about: `the first doubled key of ${dimension.name}`,
      sql: `select min(k)\nfrom (select min(${dialect.byCodePoint(`(${text})`)}) as k from ${groups} having count(*) > 1) as keys`,
    });
    throw doubledKey(relation.name, dimension, hidden ? undefined : String(doubled.columns[0][0]));
  }
  const special = new Set(texts.filter((_, k) => Number(columns[2 + k][0] ?? 0) === 1));
  return {
    relation: {
      ...relation,
      ...(held ? { held } : {}),
      columns: relation.columns.map((column) => (special.has(column.name) ? { ...column, special: true } : column)),
    },
    rows: Number(columns[0][0] ?? 0),
  };
};
