import type { Expression } from '../language/syntax.ts';
import { columnOf, type Fact, type Model } from './model.ts';

/** A column that a fact needs of its source: where the model says so, and what for. */
export interface UsedColumn {
  readonly column: string;
  readonly path: readonly string[];
  readonly use: 'date' | 'link' | 'number' | 'key' | 'presence' | 'version';
}

/** Names of columns that a computed column is made of (M13). */
export const columnsIn = (node: Expression): string[] => {
  if (node.kind === 'name') return [node.name];
  if (node.kind === 'binary') return [...columnsIn(node.left), ...columnsIn(node.right)];
  if (node.kind === 'negate' || node.kind === 'modified') return columnsIn(node.of);
  return [];
};

const USES = {
  sum: 'number',
  average: 'number',
  min: 'number',
  max: 'number',
  'count-distinct': 'key',
  'first-time': 'key',
  percentile: 'number',
  count: 'presence',
} as const;

/** Everything that a fact reads of its source, so that what is missing is told before any answer; computed columns included. */
export const usedColumns = (fact: Fact, model: Model): UsedColumn[] => {
  const list: UsedColumn[] = [];
  for (const role of fact.roles.values()) list.push({ column: role.column, path: ['dates', role.name], use: 'date' });
  for (const link of fact.links)
    list.push({
      column: link.column,
      path: ['links', link.attribute === undefined ? link.part : `${link.part}.${link.attribute}`],
      use: 'link',
    });
  for (const [name, expression] of fact.columns)
    for (const column of columnsIn(expression)) list.push({ column, path: ['columns', name], use: 'number' });
  for (const band of fact.bands.values()) list.push({ column: band.of, path: ['bands', band.name, 'of'], use: 'number' });
  for (const { name, fact: owner, aggregate } of model.measures.values()) {
    const column = columnOf(aggregate);
    if (owner !== fact || aggregate.kind === 'days-between' || column === undefined) continue;
    list.push({ column, path: ['measures', name], use: fact.columns.has(column) ? 'number' : USES[aggregate.kind] });
  }
  if (fact.recorded !== undefined) list.push({ column: fact.recorded, path: ['recorded'], use: 'version' });
  for (const column of fact.versionKey) list.push({ column, path: ['versionKey'], use: 'version' });
  return list;
};

/** Columns that hold dates, by source: there an Int32Array holds day numbers (D1). */
export const dateColumns = (model: Model): ReadonlyMap<string, ReadonlySet<string>> => {
  const found = new Map<string, Set<string>>();
  for (const fact of model.facts.values()) {
    const columns = found.get(fact.source) ?? new Set<string>();
    for (const { column } of fact.roles.values()) columns.add(column);
    if (fact.recorded !== undefined) columns.add(fact.recorded);
    found.set(fact.source, columns);
  }
  for (const { source, valid } of model.dimensions.values())
    if (source !== undefined && valid) found.set(source, new Set([...(found.get(source) ?? []), valid.from, valid.until]));
  return found;
};

/** All columns that a model reads of a source. */
export const columnsOfSource = (source: string, model: Model): string[] => {
  const found = new Set<string>();
  for (const fact of model.facts.values())
    if (fact.source === source) for (const { column } of usedColumns(fact, model)) if (!fact.columns.has(column)) found.add(column);
  for (const dimension of model.dimensions.values()) {
    if (dimension.source !== source) continue;
    found.add(dimension.key as string);
    if (dimension.valid) for (const column of [dimension.valid.from, dimension.valid.until]) found.add(column);
    for (const { column, order } of dimension.attributes.values())
      for (const name of [column, order]) if (name !== undefined) found.add(name);
  }
  return [...found];
};
