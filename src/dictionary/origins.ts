// Where a measure's numbers come from: columns of sources, by way of columns that facts compute.

import { valueNamesIn } from '../language/inner.ts';
import { SPOKEN_SIGNS, writeExpression } from '../language/write.ts';
import { type AttributeRef, attributeOf } from '../model/attributes.ts';
import { ratesIn } from '../model/columns.ts';
import { columnOf, daysIn, type Fact, type Measure, type Model, type Source } from '../model/model.ts';

/** Columns of one source that something is made of. */
export interface Origin {
  /** The name of the source, and its file, table or query; undefined of rows that a program passes. */
  readonly source: string;
  readonly at?: string;
  readonly columns: readonly string[];
  /** Columns of the fact that are computed from them, the last one nearest to the measure. */
  readonly by: readonly string[];
}

const placeOf = (source: Source | undefined): string | undefined => {
  if (source?.kind === 'file') return source.file;
  if (source?.kind === 'table') return source.table;
  return source?.kind === 'query' ? source.query : undefined;
};

/** A name as people read it: `order-lines` and `unit_price` are order lines and unit price. */
export const readable = (name: string): string => name.replace(/[-_]+/g, ' ');

/** A column of a fact as it is computed: `quantity × unit price − discount`. */
export const spelled = (fact: Fact, column: string): string => {
  const expression = fact.columns.get(column);
  if (!expression) return readable(column);
  return writeExpression(expression, {
    signs: SPOKEN_SIGNS,
    name: (node) => {
      if (node.kind === 'name') return fact.columns.get(node.name) ?? readable(node.name);
      return node.role === undefined ? readable(node.name) : `${readable(node.name)} (${node.role})`;
    },
    modifiers: () => undefined,
  });
};

/** Columns of the source behind a column of a fact, the rates in it, and the computed columns on the way. */
const behind = (fact: Fact, column: string): { columns: string[]; rates: string[]; by: string[] } => {
  const expression = fact.columns.get(column);
  if (!expression) return { columns: [column], rates: [], by: [] };
  const inner = valueNamesIn(expression).map((name) => behind(fact, name));
  return {
    columns: inner.flatMap(({ columns }) => columns),
    rates: [...ratesIn(expression).map(({ name }) => name), ...inner.flatMap(({ rates }) => rates)],
    by: [...inner.flatMap(({ by }) => by), column],
  };
};

/** The column by which a fact's rows have an attribute. */
const linkColumn = (fact: Fact, attribute: AttributeRef): string | undefined => {
  if (attribute.kind === 'attribute') return fact.links.find(({ part }) => part === attribute.part)?.column;
  return attribute.kind === 'band' ? fact.bands.get(attribute.band)?.of : undefined;
};

/** The columns that a measure's numbers are made of: what it aggregates, the dates that place its rows, what it filters by. */
export const originsOf = (measure: Measure, model: Model): readonly Origin[] => {
  const { fact, aggregate, role, open, where } = measure;
  const column = columnOf(aggregate);
  const found = column === undefined ? { columns: [], rates: [], by: [] } : behind(fact, column);
  const dates = [role, ...(open ? [open.from, open.until] : []), ...datesOf(measure)];
  const dateColumns = dates.flatMap((name) => fact.roles.get(name)?.column ?? []);
  const links = Object.keys(where ?? {}).flatMap((name) => linkColumn(fact, attributeOf(model, name)) ?? []);
  const source = { source: fact.source, ...at(model.sources.get(fact.source)) };
  const placing = [...new Set([...dateColumns, ...links])].filter((name) => !found.columns.includes(name));
  const own: readonly Origin[] = [
    ...(found.columns.length > 0 ? [{ ...source, columns: [...new Set(found.columns)], by: [...new Set(found.by)] }] : []),
    ...(placing.length > 0 ? [{ ...source, columns: placing, by: [] }] : []),
  ];
  const rates = [...new Set(found.rates)].flatMap((name): Origin[] => {
    const rate = model.rates.get(name);
    if (!rate) return [];
    const columns = [rate.of, rate.date, ...rate.by.map(([, other]) => other)];
    return [{ source: rate.source, ...at(model.sources.get(rate.source)), columns, by: [name] }];
  });
  return [...own, ...rates];
};

const at = (source: Source | undefined): { readonly at?: string } => {
  const place = placeOf(source);
  return place === undefined ? {} : { at: place };
};

const datesOf = ({ aggregate }: Measure): readonly string[] => {
  const days = daysIn(aggregate);
  return days ? [days.from, days.until] : [];
};
