// What things are called in a language: labels of the model, words for what is built in, else their names (R5).
import type { AttributeRef } from '../model/attributes.ts';
import type { Comparison, Fact, Model, NamedWindow } from '../model/model.ts';
import { type Texts, textIn } from '../words/texts.ts';
import { type Words, wordsOf } from '../words/words.ts';

/** What something is called, and whether the model says so. */
export interface Called {
  readonly text: string;
  readonly labelled: boolean;
}

/** The names of a model in a language. */
export interface Labels {
  readonly locale: string;
  readonly words: Words;
  /** A text of the model in the language; undefined where there is none. */
  readonly text: (texts: Texts | undefined) => string | undefined;
  readonly value: (name: string) => Called;
  readonly role: (name: string, facts: Iterable<Fact>) => Called;
  readonly window: (window: Pick<NamedWindow, 'name' | 'label' | 'builtIn'>) => Called;
  readonly comparison: (comparison: Pick<Comparison, 'name' | 'label'>) => Called;
  readonly attribute: (name: string, attribute: AttributeRef) => Called;
}

/** The label of something as it is written in the model; a text alone has none. */
const labelIn = (written: unknown): Texts | undefined =>
  typeof written === 'object' && written !== null ? (written as { readonly label?: Texts }).label : undefined;

export const labelsOf = (model: Model, locale: string): Labels => {
  const words = wordsOf(locale);
  const text = (texts: Texts | undefined): string | undefined => textIn(texts, locale, model.locale);
  const called = (label: Texts | undefined, other: string): Called => {
    const own = text(label);
    return { text: own ?? other, labelled: own !== undefined };
  };
  const { input } = model;
  const first = (labels: readonly (Texts | undefined)[]): Texts | undefined => labels.find((label) => label !== undefined);
  const inFacts = (key: 'links' | 'bands', name: string): Texts | undefined =>
    first(Object.values(input.facts).map((fact) => labelIn(fact[key]?.[name])));
  return {
    locale,
    words,
    text,
    value: (name) => called((model.measures.get(name) ?? model.formulas.get(name))?.label, name),
    role: (name, facts) => called(first([...facts].map((fact) => labelIn(input.facts[fact.name]?.dates[name]))), name),
    window: ({ name, label, builtIn }) => called(label, (builtIn ? words.window(name) : undefined) ?? name),
    comparison: ({ name, label }) => called(label, words.comparison(name) ?? name),
    attribute: (name, attribute) => {
      if (attribute.kind === 'calendar') return { text: words.attribute(name.replace(/^calendar\./, '')) ?? name, labelled: false };
      if (attribute.kind === 'band') return called(inFacts('bands', attribute.band), name);
      const { dimension, part, attribute: own } = attribute;
      const written = input.dimensions?.[dimension.name];
      const found = called(dimension.source === undefined ? written?.label : labelIn(written?.attributes?.[own]), name);
      // A dimension in a further part is told from itself.
      if (!found.labelled || part === dimension.name) return found;
      return { text: `${found.text} (${called(inFacts('links', part), part).text})`, labelled: true };
    },
  };
};
