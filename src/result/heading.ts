import { parseReading } from '../language/parse.ts';
import type { Expression, Modifiers, Operator } from '../language/syntax.ts';
import { attributeOf } from '../model/attributes.ts';
import type { Fact, Model } from '../model/model.ts';
import { bindText, leavesOf } from '../plan/bind.ts';
import type { Called, Labels } from './labels.ts';

/** How tightly an expression holds together: sums least, then products, then what is one thing. */
const [SUM, PRODUCT, ONE] = [0, 1, 2];
const TIGHT: Readonly<Record<Operator, number>> = { '+': SUM, '-': SUM, '*': PRODUCT, '/': PRODUCT };

interface Said extends Called {
  readonly tight: number;
}

/** What a reading is said in: its model, the names of a language, and the facts that its measures are of. */
interface Saying {
  readonly model: Model;
  readonly labels: Labels;
  readonly facts: readonly Fact[];
  /** Signs of arithmetic, where they are not as written. */
  readonly signs?: Readonly<Record<Operator, string>>;
}

const held = ({ text, tight }: Said, least: number): string => (tight < least ? `(${text})` : text);

/** Windows and comparisons in brackets are said as they are written. */
const literal = (text: string): Called => ({ text: `[${text}]`, labelled: false });

const modifierTexts = ({ on, over, across, vs }: Modifiers, { model, labels, facts }: Saying): readonly Called[] => {
  const { words } = labels;
  const parts: Called[] = [];
  if (on) parts.push(labels.role(on.role, facts));
  if (over) {
    const window = over.literal ? undefined : model.windows.get(over.text);
    parts.push(window ? labels.window(window) : literal(over.text));
  }
  if (across) {
    const { attributes } = across;
    if (attributes === 'all' || attributes === 'time')
      parts.push({ text: attributes === 'all' ? words.acrossAll : words.acrossTime, labelled: false });
    else {
      const called = attributes.map((name) => labels.attribute(name, attributeOf(model, name)));
      parts.push({ text: words.across(called.map(({ text }) => text)), labelled: called.some(({ labelled }) => labelled) });
    }
  }
  if (vs) {
    const comparison = vs.literal ? undefined : model.comparisons.get(vs.text);
    const called = comparison ? labels.comparison(comparison) : literal(vs.text);
    parts.push({ text: words.form(called.text, vs.form), labelled: called.labelled });
  }
  return parts;
};

const say = (node: Expression, saying: Saying): Said => {
  switch (node.kind) {
    case 'number':
      return { text: String(node.value), labelled: false, tight: ONE };
    case 'rate':
      return { text: node.name, labelled: false, tight: ONE };
    case 'name':
      return { ...saying.labels.value(node.name), tight: ONE };
    case 'negate': {
      const of = say(node.of, saying);
      return { text: `-${held(of, ONE)}`, labelled: of.labelled, tight: PRODUCT };
    }
    case 'binary': {
      const [left, right] = [say(node.left, saying), say(node.right, saying)];
      const tight = TIGHT[node.operator];
      // What stands behind a minus or a stroke is one thing.
      const text = `${held(left, tight)} ${saying.signs?.[node.operator] ?? node.operator} ${held(right, node.operator === '-' || node.operator === '/' ? tight + 1 : tight)}`;
      return { text, labelled: left.labelled || right.labelled, tight };
    }
    case 'call': {
      const args = node.args.map((arg) => say(arg, saying));
      return {
        text: `${node.name}(${args.map(({ text }) => text).join(', ')})`,
        labelled: args.some(({ labelled }) => labelled),
        tight: ONE,
      };
    }
    case 'modified': {
      const of = say(node.of, saying);
      const parts = modifierTexts(node.modifiers, saying);
      return {
        text: `${held(of, ONE)} (${parts.map(({ text }) => text).join(', ')})`,
        labelled: of.labelled || parts.some(({ labelled }) => labelled),
        tight: ONE,
      };
    }
  }
};

/**
 * What heads a column. Where the model has a label for something in the reading, all of it is said in words: `Umsatz
 * (versandt, Monat bis heute)`. A reading without labels stands as it was asked.
 */
export const headingOf = (reading: string, model: Model, labels: Labels): string => {
  const facts = leavesOf(bindText(model, reading)).map(({ measure }) => measure.fact);
  const { text, labelled } = say(parseReading(reading), { model, labels, facts });
  return labelled ? text : reading.replaceAll('"', '').trim().replace(/\s+/g, ' ');
};

const SIGNS: Readonly<Record<Operator, string>> = { '+': '+', '-': '−', '*': '×', '/': '÷' };

/** A reading in words throughout, whether or not the model has labels for it: `revenue (month to date) ÷ budget (month to date)`. */
export const inWords = (reading: string, model: Model, labels: Labels): string => {
  const facts = leavesOf(bindText(model, reading)).map(({ measure }) => measure.fact);
  return say(parseReading(reading), { model, labels, facts, signs: SIGNS }).text;
};

/** A column to be headed: what it is called, and what tells it from every other. */
interface Headed {
  readonly name: string;
  readonly heading: string;
}

/**
 * Headings of a whole result, no two of them alike: where labels collide, the name of the column stands behind, and where
 * that does not help, all go by their names.
 */
export const headingsOf = (columns: readonly Headed[]): readonly string[] => {
  const count = new Map<string, number>();
  for (const { heading } of columns) count.set(heading, (count.get(heading) ?? 0) + 1);
  const apart = columns.map(({ name, heading }) => (count.get(heading) === 1 || heading === name ? heading : `${heading} (${name})`));
  // Names of columns are never alike.
  return new Set(apart).size === apart.length ? apart : columns.map(({ name }) => name);
};
