// Bands: rows fall between the starts that a fact gives for one of its numbers.
import type { Fact, Model } from '../../model/model.ts';
import type { AttributeKind, RefOf } from './kind.ts';
import type { MemberMap } from './map.ts';

const map = (fact: Fact, { band }: RefOf<'band'>): MemberMap | undefined => {
  const own = fact.bands.get(band);
  return own && { kind: 'thresholds', band: own };
};

const listed = ({ band }: RefOf<'band'>, model: Model): readonly string[] => [
  ...new Set([...model.facts.values()].flatMap((fact) => fact.bands.get(band)?.labels ?? [])),
];

export const bandKind: AttributeKind<'band'> = { map, name: ({ band }) => band, listed };
