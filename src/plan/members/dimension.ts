// Attributes of dimensions: rows find them by the key of a link (G5).
import type { Fact } from '../../model/model.ts';
import type { AttributeKind, RefOf } from './kind.ts';
import type { MemberMap } from './map.ts';

/** Through a link at the key, or at that very attribute; by key and day where the dimension has versions (G9). */
const map = (fact: Fact, { part, attribute }: RefOf<'attribute'>): MemberMap | undefined => {
  const link = fact.links.find((one) => one.part === part && (one.attribute === undefined || one.attribute === attribute));
  if (!link) return undefined;
  if (link.at !== undefined) return { kind: 'key-day', link, attribute, at: link.at };
  return { kind: 'key', link, attribute: link.attribute ?? attribute };
};

export const dimensionKind: AttributeKind<'attribute'> = {
  map,
  name: ({ attribute }) => attribute,
  // They are those of the dimension's table, or of the rows.
  listed: () => undefined,
};
