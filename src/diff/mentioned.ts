// Which definitions of a model a question leans on.

import { innerOf, valueNamesIn } from '../language/inner.ts';
import { parseReading } from '../language/parse.ts';
import type { Expression } from '../language/syntax.ts';
import { ratesIn } from '../model/columns.ts';
import { columnOf, daysIn, type Fact, type Measure, type Model } from '../model/model.ts';
import type { Question } from '../model/schema.ts';

type Add = (kind: string, name: string, of?: string) => void;

const addColumn = (fact: Fact, column: string, add: Add): void => {
  const expression = fact.columns.get(column);
  if (!expression) return;
  add('column', column, fact.name);
  for (const name of valueNamesIn(expression)) addColumn(fact, name, add);
  for (const { name } of ratesIn(expression)) add('rate', name);
};

const addMeasure = (measure: Measure, model: Model, add: Add): void => {
  const { fact, name, role, aggregate, open, where, spread, spreadAcross } = measure;
  add('measure', name, fact.name);
  add('fact', fact.name);
  for (const date of [role, ...(open ? [open.from, open.until] : []), fact.enters, daysIn(aggregate)?.from, daysIn(aggregate)?.until])
    if (date !== undefined) add('date', date, fact.name);
  const column = columnOf(aggregate);
  if (column !== undefined) addColumn(fact, column, add);
  for (const attribute of Object.keys(where ?? {})) addAttribute(attribute, model, add);
  if (typeof spread === 'object') addReading(spread.like, model, add);
  for (const shape of spreadAcross.values()) addReading(shape, model, add);
};

const addAttribute = (written: string, model: Model, add: Add): void => {
  const name = written.split('.').at(-1) as string;
  for (const [part, dimension] of model.parts) {
    if (!dimension.attributes.has(name) && dimension.name !== name && part !== name) continue;
    add('dimension', dimension.name);
    add('attribute', name, dimension.name);
    for (const fact of model.facts.values())
      for (const link of fact.links)
        if (link.dimension === dimension)
          add('link', link.attribute === undefined ? link.part : `${link.part}.${link.attribute}`, fact.name);
  }
  for (const fact of model.facts.values()) if (fact.bands.has(name)) add('band', name, fact.name);
};

const addReading = (reading: string, model: Model, add: Add): void => {
  let tree: Expression;
  try {
    tree = parseReading(reading);
  } catch {
    return;
  }
  addExpression(tree, model, add);
};

const addExpression = (node: Expression, model: Model, add: Add): void => {
  switch (node.kind) {
    case 'name': {
      const measure = model.measures.get(node.name);
      const formula = model.formulas.get(node.name);
      if (measure) addMeasure(measure, model, add);
      if (formula) {
        add('formula', node.name);
        addExpression(formula.expression, model, add);
      }
      return;
    }
    case 'modified': {
      const { over, vs, across } = node.modifiers;
      if (over) add('window', over.text);
      if (vs) add('comparison', vs.text);
      if (across && typeof across.attributes === 'object') for (const name of across.attributes) addAttribute(name, model, add);
      addExpression(node.of, model, add);
      return;
    }
    default:
      for (const inner of innerOf(node)) addExpression(inner, model, add);
  }
};

/** `kind name`, or `kind of name`, of every definition that a reading and the rest of its question lean on. */
export const namesIn = (reading: string, { per = [], where = {}, by, range }: Question, model: Model): readonly string[] => {
  const found = new Set<string>();
  const add: Add = (kind, name, of) => void found.add(`${kind} ${of === undefined ? '' : `${of} `}${name}`);
  addReading(reading, model, add);
  for (const name of [...per, ...Object.keys(where)]) addAttribute(name, model, add);
  for (const name of [...(typeof by === 'string' ? [by] : (by ?? [])), ...(range === undefined ? [] : [range])])
    if (model.windows.has(name)) add('window', name);
  return [...found];
};
