// Attributes that a result may be split by, and the members that stand for none, unknown, others and totals (G8, R1).
import { type Standing, standingNames, standingOf } from '../calendar/standing.ts';
import { DurchblickError, suggest } from '../errors.ts';
import type { Dimension, Fact, Link, Model } from './model.ts';

/** Members of a result that stand for rows without a value, or with a key the dimension does not have (G8). */
export const NONE = '(none)';
export const UNKNOWN = '(unknown)';
/** What stands in their place on a total, and on the row of those left out by a limit (R1, M9). */
export const TOTAL = 'Total';
export const OTHERS = '(others)';

/** Texts of the data that look like one of them, in however many quotes. */
export const SPECIAL_TEXT = '^"*\\((none|unknown)\\)"*$';
const SPECIAL = new RegExp(SPECIAL_TEXT);

/** A text of the data as a member: one that looks like a special member gets quotes around it, and is told apart (G8). */
export const memberText = (text: string): string => (SPECIAL.test(text) ? `"${text}"` : text);

/** What a result can be split by and filtered on: an attribute of a dimension's part, a band of a fact, or where days stand (U11). */
export type AttributeRef =
  | { readonly kind: 'attribute'; readonly key: string; readonly part: string; readonly dimension: Dimension; readonly attribute: string }
  | { readonly kind: 'band'; readonly key: string; readonly band: string }
  | { readonly kind: 'calendar'; readonly key: string; readonly name: string; readonly standing: Standing };

/** The part under which calendar attributes can always be named, whatever else has their names (U11). */
const CALENDAR = 'calendar';

/** A calendar attribute of a model by its name (U11); undefined where it is none. */
const calendarAttribute = (name: string, { units }: Model): AttributeRef | undefined => {
  const standing = standingOf(name, units);
  return standing && { kind: 'calendar', key: `${CALENDAR}.${name}`, name, standing };
};

/** All texts that name something to split by, for suggestions: attributes of the data, and those of the calendar. */
export const attributeNames = (model: Model): string[] => [...dataAttributeNames(model), ...standingNames(model.units)];

const dataAttributeNames = (model: Model): string[] => {
  const names = new Set<string>();
  for (const [part, dimension] of model.parts) {
    for (const attribute of dimension.attributes.keys()) names.add(part === dimension.name ? attribute : `${part}.${attribute}`);
  }
  for (const fact of model.facts.values()) for (const band of fact.bands.keys()) names.add(band);
  return [...names];
};

const ofPart = (part: string, dimension: Dimension, attribute: string): AttributeRef => ({
  kind: 'attribute',
  key: `${part}.${attribute}`,
  part,
  dimension,
  attribute,
});

/** The attribute that stands for a dimension where none is named: the one of its name, else its first. */
const mainAttribute = (part: string, dimension: Dimension): AttributeRef | undefined => {
  const main = dimension.attributes.has(dimension.name) ? dimension.name : dimension.attributes.keys().next().value;
  return main === undefined ? undefined : ofPart(part, dimension, main);
};

/** The attribute that stands for a link: the one it is at, or the dimension's main one. */
export const attributeOfLink = ({ part, dimension, attribute }: Link): AttributeRef | undefined =>
  attribute === undefined ? mainAttribute(part, dimension) : ofPart(part, dimension, attribute);

/** Finds an attribute by its name (`family`), part and name (`ship-region.country`), part alone or band (`order-size`). */
export const attributeOf = (model: Model, written: string): AttributeRef => {
  const fail = (code: string, message: string, hint: string): never => {
    throw new DurchblickError(code, message, { hint });
  };
  const dot = written.indexOf('.');
  if (dot >= 0) {
    const [part, attribute] = [written.slice(0, dot), written.slice(dot + 1)];
    const ofCalendar = part === CALENDAR ? calendarAttribute(attribute, model) : undefined;
    if (ofCalendar) return ofCalendar;
    if (part === CALENDAR && !model.parts.has(part))
      return fail(
        'unknown-attribute',
        `the calendar has no attribute "${attribute}"`,
        suggest(attribute, standingNames(model.units), 'attributes'),
      );
    const dimension = model.parts.get(part);
    if (!dimension) return fail('unknown-attribute', `there is no dimension "${part}"`, suggest(part, model.parts.keys(), 'dimensions'));
    if (dimension.attributes.has(attribute)) return ofPart(part, dimension, attribute);
    return fail(
      'unknown-attribute',
      `"${part}" has no attribute "${attribute}"`,
      suggest(attribute, dimension.attributes.keys(), 'attributes'),
    );
  }
  const owners = [...model.dimensions.values()].filter((dimension) => dimension.attributes.has(written));
  const own = owners.find((dimension) => dimension.name === written) ?? (owners.length === 1 ? owners[0] : undefined);
  if (own) return ofPart(own.name, own, written);
  if (owners.length > 1) {
    return fail(
      'ambiguous-attribute',
      `several dimensions have an attribute "${written}"`,
      `Write one of ${owners.map((owner) => `${owner.name}.${written}`).join(', ')}.`,
    );
  }
  for (const fact of model.facts.values()) if (fact.bands.has(written)) return { kind: 'band', key: written, band: written };
  const part = model.parts.get(written);
  const main = (part && mainAttribute(written, part)) ?? calendarAttribute(written, model);
  return main ?? fail('unknown-attribute', `there is no attribute "${written}"`, suggest(written, attributeNames(model), 'attributes'));
};

/** Every attribute of a model, each once, under the shortest name that finds it: those of the data, then the calendar's. */
export const writtenAttributes = (model: Model): { readonly name: string; readonly attribute: AttributeRef }[] => {
  const data = [...model.parts].flatMap(([part, dimension]) =>
    Array.from(dimension.attributes.keys(), (attribute) => [attribute, part, `${part}.${attribute}`]),
  );
  const bands = [...model.facts.values()].flatMap(({ bands }) => Array.from(bands.keys(), (band) => [band]));
  const days = standingNames(model.units).map((name) => [name, `${CALENDAR}.${name}`]);
  const found = new Map<string, { readonly name: string; readonly attribute: AttributeRef }>();
  for (const ways of [...data, ...bands, ...days]) {
    // The last way is whole; a shorter one may mean another, or several.
    const attribute = attributeOf(model, ways[ways.length - 1]);
    const finds = (name: string): boolean => {
      try {
        return attributeOf(model, name).key === attribute.key;
      } catch {
        return false;
      }
    };
    if (!found.has(attribute.key)) found.set(attribute.key, { name: ways.find(finds) as string, attribute });
  }
  return [...found.values()];
};

/** How a fact reaches an attribute: through a link at the key or at that very attribute, or by a band of its own (G5); all have days. */
export const reach = (fact: Fact, ref: AttributeRef): Link | 'band' | 'calendar' | undefined => {
  if (ref.kind === 'calendar') return 'calendar';
  if (ref.kind === 'band') return fact.bands.has(ref.band) ? 'band' : undefined;
  return fact.links.find((link) => link.part === ref.part && (link.attribute === undefined || link.attribute === ref.attribute));
};

/** What a fact's rows can be split by, calendar attributes aside, for the message of an unrelated question (G5). */
export const reachable = (model: Model, fact: Fact): string[] =>
  dataAttributeNames(model).filter((name) => reach(fact, attributeOf(model, name)) !== undefined);
