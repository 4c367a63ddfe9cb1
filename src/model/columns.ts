// Columns that facts read of their sources, computed ones and rates included (M13, G10).
import { innerOf, valueNamesIn } from '../language/inner.ts';
import type { Expression } from '../language/syntax.ts';
import { columnOf, type Fact, type Measure, type Model, type Rate } from './model.ts';

/** Rates that a computed column takes, with the role that it takes them by; the fact's first where none is named (G10). */
export const ratesIn = (node: Expression): { readonly name: string; readonly role: string | undefined }[] =>
  node.kind === 'rate' ? [node] : innerOf(node).flatMap(ratesIn);

/** A rate by one of a fact's dates. */
export interface UsedRate {
  readonly rate: Rate;
  readonly role: string;
}

/** What tells a rate by a date from every column: no column has such a name. */
export const rateKey = (name: string, role: string): string => `${name} on ${role}`;

/** The rates that a fact's columns take, each by its date. */
export const usedRates = (fact: Fact, { rates }: Pick<Model, 'rates'>): UsedRate[] => {
  const found = new Map<string, UsedRate>();
  const [first] = fact.roles.keys();
  for (const expression of fact.columns.values())
    for (const { name, role = first } of ratesIn(expression)) found.set(rateKey(name, role), { rate: rates.get(name) as Rate, role });
  return [...found.values()];
};

/** Keys of the rates that a measure's column uses, directly or through other computed columns. */
export const ratesOf = ({ fact, aggregate }: Measure): ReadonlySet<string> => {
  const found = new Set<string>();
  const [first] = fact.roles.keys();
  const visit = (name: string): void => {
    const expression = fact.columns.get(name);
    if (!expression) return;
    for (const { name: rate, role = first } of ratesIn(expression)) found.add(rateKey(rate, role));
    valueNamesIn(expression).forEach(visit);
  };
  const column = columnOf(aggregate);
  if (column !== undefined) visit(column);
  return found;
};

/** A column that a fact needs of its source: where the model says so, and what for. */
export interface UsedColumn {
  readonly column: string;
  readonly path: readonly string[];
  readonly use: 'date' | 'link' | 'number' | 'key' | 'presence' | 'version';
}

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
    for (const column of valueNamesIn(expression)) list.push({ column, path: ['columns', name], use: 'number' });
  for (const { rate } of usedRates(fact, model)) for (const [column] of rate.by) list.push({ column, path: ['columns'], use: 'link' });
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
  for (const { source, date } of model.rates.values()) found.set(source, new Set([...(found.get(source) ?? []), date]));
  return found;
};

/** All columns that a model reads of a source. */
export const columnsOfSource = (source: string, model: Model): string[] => {
  const found = new Set<string>();
  for (const fact of model.facts.values())
    if (fact.source === source) for (const { column } of usedColumns(fact, model)) if (!fact.columns.has(column)) found.add(column);
  for (const rate of model.rates.values())
    if (rate.source === source) for (const column of [rate.date, rate.of, ...rate.by.map(([, own]) => own)]) found.add(column);
  for (const dimension of model.dimensions.values()) {
    if (dimension.source !== source) continue;
    found.add(dimension.key as string);
    if (dimension.valid) for (const column of [dimension.valid.from, dimension.valid.until]) found.add(column);
    for (const { column, order } of dimension.attributes.values())
      for (const name of [column, order]) if (name !== undefined) found.add(name);
  }
  return [...found];
};
