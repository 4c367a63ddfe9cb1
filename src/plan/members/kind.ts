// What a kind of attribute says of itself.
import type { AttributeRef } from '../../model/attributes.ts';
import type { Fact, Model } from '../../model/model.ts';
import type { MemberMap } from './map.ts';

export type RefOf<K extends AttributeRef['kind']> = Extract<AttributeRef, { kind: K }>;

export interface AttributeKind<K extends AttributeRef['kind']> {
  readonly map: (fact: Fact, attribute: RefOf<K>) => MemberMap | undefined;
  readonly name: (attribute: RefOf<K>) => string;
  /** Members that are known without looking at the data; undefined where the data have them. */
  readonly listed: (attribute: RefOf<K>, model: Model) => readonly string[] | undefined;
}
