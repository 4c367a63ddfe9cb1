import { defineModel, type Model, type ModelInput } from '../../src/index.ts';

type Fact = ModelInput['facts'][string];

/** A model of one fact, by default over a table of its name; links without a dimension in `more` have their values as members. */
export const factModel = (
  name: string,
  fact: Omit<Fact, 'source'> & { readonly source?: string },
  more: Partial<ModelInput> = {},
): Model => {
  const source = fact.source ?? name;
  const dimensions = Object.fromEntries(Object.keys(fact.links ?? {}).flatMap((link) => (link.includes('.') ? [] : [[link, {}]])));
  return defineModel({
    ...more,
    ...(more.sources ? { sources: { [source]: {}, ...more.sources } } : {}),
    dimensions: { ...dimensions, ...more.dimensions },
    facts: { [name]: { ...fact, source } },
  }) as unknown as Model;
};
