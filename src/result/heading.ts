// What columns are called: readings in words, by the model's labels.
import { parseReading } from '../language/parse.ts';
import type { Modifiers } from '../language/syntax.ts';
import { PLAIN_SIGNS, SPOKEN_SIGNS, type Writing, writeExpression } from '../language/write.ts';
import { attributeOf } from '../model/attributes.ts';
import type { Fact, Model } from '../model/model.ts';
import { bindText, leavesOf } from '../plan/bind.ts';
import type { Called, Labels } from './labels.ts';

/** Windows and comparisons in brackets are said as they are written. */
const literal = (text: string): Called => ({ text: `[${text}]`, labelled: false });

/** What modifiers say, in the order of role, window, other members, other time. */
const modifierTexts = ({ on, over, across, vs }: Modifiers, model: Model, labels: Labels, facts: readonly Fact[]): readonly Called[] => {
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

/** A reading in words, and whether the model has a label for anything in it. */
const said = (reading: string, model: Model, labels: Labels, signs: Writing['signs']): Called => {
  const facts = leavesOf(bindText(model, reading)).map(({ measure }) => measure.fact);
  let labelled = false;
  const take = (called: Called): string => {
    labelled ||= called.labelled;
    return called.text;
  };
  const text = writeExpression(parseReading(reading), {
    signs,
    name: ({ name }) => take(labels.value(name)),
    modifiers: (modifiers) => modifierTexts(modifiers, model, labels, facts).map(take).join(', '),
  });
  return { text, labelled };
};

/**
 * What heads a column. Where the model has a label for something in the reading, all of it is said in words: `Umsatz
 * (versandt, Monat bis heute)`. A reading without labels stands as it was asked.
 */
export const headingOf = (reading: string, model: Model, labels: Labels): string => {
  const { text, labelled } = said(reading, model, labels, PLAIN_SIGNS);
  return labelled ? text : reading.replaceAll('"', '').trim().replace(/\s+/g, ' ');
};

/** A reading in words throughout, whether or not the model has labels for it: `revenue (month to date) ÷ budget (month to date)`. */
export const inWords = (reading: string, model: Model, labels: Labels): string => said(reading, model, labels, SPOKEN_SIGNS).text;

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
