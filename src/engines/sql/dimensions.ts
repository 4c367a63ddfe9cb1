import { DurchblickError, suggest } from '../../errors.ts';
import { NONE } from '../../model/attributes.ts';
import type { Dimension, Model } from '../../model/model.ts';
import type { Database, Session } from './database.ts';
import type { Dialect, Relation } from './dialect.ts';
import { isBlankSql, keySql } from './values.ts';

/** Text of an attribute in every row, with what puts it in order. */
export type KeptAttribute = readonly (readonly [text: string, rank: unknown])[];
export type KeptDimension = ReadonlyMap<string, KeptAttribute>;

export const textOf = (dialect: Dialect, relation: Relation, column: string, alias: string): string => {
  const found = relation.columns.find(({ name }) => name === column) ?? { name: column, kind: 'text' as const };
  const raw = `${alias}.${dialect.identifier(column)}`;
  return `case when ${isBlankSql(dialect, raw, found)} then ${dialect.text(NONE)} else ${keySql(dialect, raw, found)} end`;
};

export const keepDimension = async (
  dimension: Dimension,
  relation: Relation,
  dialect: Dialect,
  run: Session['run'],
): Promise<KeptDimension> => {
  const attributes = [...dimension.attributes.values()];
  const columns = attributes.flatMap(({ column, order }) => [
    textOf(dialect, relation, column, 'd'),
    order === undefined ? 'null' : `d.${dialect.identifier(order)}`,
  ]);
  if (columns.length === 0) return new Map();
  const found = await run({ about: `members of ${dimension.name}`, sql: `select ${columns.join(',\n  ')}\nfrom ${relation.from} as d` });
  return new Map(
    attributes.map(({ name }, k) => [
      name,
      Array.from({ length: found.count }, (_, row) => [String(found.columns[2 * k][row]), found.columns[2 * k + 1][row]] as const),
    ]),
  );
};

/** Columns that exist, keys that stand once (G8); answers the number of rows. */
export const checkDimension = async (
  dimension: Dimension,
  relation: Relation,
  model: Model,
  { dialect }: Database,
  session: Session,
): Promise<number> => {
  const names = relation.columns.map(({ name }) => name);
  const attributes = [...dimension.attributes.values()];
  for (const column of [
    dimension.key as string,
    ...attributes.flatMap(({ column: own, order }) => (order === undefined ? [own] : [own, order])),
  ]) {
    if (names.includes(column)) continue;
    const error = new DurchblickError('unknown-column', `${relation.name} has no column "${column}"`, {
      hint: suggest(column, names, 'columns'),
    });
    throw error.located(model.locate(['dimensions', dimension.name]) ?? { path: `dimensions.${dimension.name}` });
  }
  const key = relation.columns.find(({ name }) => name === dimension.key) ?? { name: '', kind: 'text' as const };
  const own = `d.${dialect.identifier(key.name)}`;
  const text = `coalesce(${keySql(dialect, own, key)}, '')`;
  // Whole numbers are told apart as they are.
  const groups = `${relation.from} as d group by ${key.kind === 'integer' ? own : text}`;
  const { columns } = await session.run({
    about: `keys of ${dimension.name}`,
    sql: `select sum(n), max(n)\nfrom (select count(*) as n from ${groups}) as keys`,
  });
  if (Number(columns[1][0] ?? 0) > 1) {
    const doubled = await session.run({
      about: `the first doubled key of ${dimension.name}`,
      sql: `select min(k)\nfrom (select min(${text}) as k from ${groups} having count(*) > 1) as keys`,
    });
    throw new DurchblickError(
      'doubled-key',
      `${relation.name}: the key ${dimension.key} = "${doubled.columns[0][0]}" stands more than once`,
      { kind: 'data', hint: `Every ${dimension.name} has one row (G8).` },
    );
  }
  return Number(columns[0][0] ?? 0);
};
