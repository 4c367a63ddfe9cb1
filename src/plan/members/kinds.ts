// The kinds of attributes, each once: how rows of a fact find their members, and which members there are.
import type { AttributeRef } from '../../model/attributes.ts';
import type { Fact, Model } from '../../model/model.ts';
import { bandKind } from './band.ts';
import { calendarKind } from './calendar.ts';
import { dimensionKind } from './dimension.ts';
import type { AttributeKind, RefOf } from './kind.ts';
import type { MemberMap, RowMap } from './map.ts';

/** One more kind is one file beside this one, and one entry here. */
const KINDS: { readonly [K in AttributeRef['kind']]: AttributeKind<K> } = {
  attribute: dimensionKind,
  band: bandKind,
  calendar: calendarKind,
};

const kindOf = <K extends AttributeRef['kind']>({ kind }: RefOf<K>): AttributeKind<K> => KINDS[kind as K];

/** How rows of a fact find their member of an attribute; undefined where they cannot (G5). */
export const mapOf = (fact: Fact, attribute: AttributeRef): MemberMap | undefined => kindOf(attribute).map(fact, attribute);

/** The same, where rows themselves say it: what engines are asked for. */
export const rowMapOf = (fact: Fact, attribute: AttributeRef): RowMap | undefined => {
  const map = mapOf(fact, attribute);
  return map?.kind === 'day' ? undefined : map;
};

/** Whether a fact can be split by an attribute, or filtered on it (G5). */
export const reaches = (fact: Fact, attribute: AttributeRef): boolean => mapOf(fact, attribute) !== undefined;

/** What an attribute is called where it is clear whose it is. */
export const nameOf = (attribute: AttributeRef): string => kindOf(attribute).name(attribute);

/** Members that are known without looking at the data, in their order (R1). */
export const listedMembers = (attribute: AttributeRef, model: Model): readonly string[] | undefined =>
  kindOf(attribute).listed(attribute, model);
