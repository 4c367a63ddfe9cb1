// Alerts with their names resolved, and whether a value breaks a bound.
import { DurchblickError } from '../errors.ts';
import { type AttributeRef, attributeOf } from '../model/attributes.ts';
import type { Model } from '../model/model.ts';
import type { AlertInput } from '../model/schema.ts';
import { textIn } from '../words/texts.ts';
import type { LimitKind } from '../words/words.ts';
import { type Bound, bindText } from './bind.ts';
import { unitNamed } from './question.ts';

const BOUNDS = ['below', 'atMost', 'above', 'atLeast'] as const;
type BoundName = (typeof BOUNDS)[number];

/** A condition on a reading's value. */
export interface Limit {
  readonly kind: LimitKind;
  readonly value: number;
}

/** An alert with its names resolved. */
export interface Alert {
  readonly name: string;
  readonly label: string;
  readonly reading: string;
  readonly bound: Bound;
  readonly limits: readonly Limit[];
  /** The unit whose period at the as-of date is watched; a day where the model names none. */
  readonly by: string;
  readonly per: readonly { readonly name: string; readonly attribute: AttributeRef }[];
}

const KINDS: Readonly<Record<BoundName, Limit['kind']>> = { below: 'below', atMost: 'at-most', above: 'above', atLeast: 'at-least' };

/** Resolves an alert; throws when it has no bound or names what does not exist. */
export const alertOf = (model: Model, name: string, input: AlertInput): Alert => {
  const limits = BOUNDS.flatMap((key) => (input[key] === undefined ? [] : [{ kind: KINDS[key], value: input[key] }]));
  if (limits.length === 0)
    throw new DurchblickError('bad-alert', `alert "${name}" has no bound`, { hint: 'Give it below, at-most, above or at-least.' });
  return {
    name,
    label: textIn(input.label, model.locale, model.locale) ?? name,
    reading: input.reading,
    bound: bindText(model, input.reading),
    limits,
    by: input.by === undefined ? 'day' : unitNamed(model, input.by),
    per: (input.per ?? []).map((attribute) => ({ name: attribute, attribute: attributeOf(model, attribute) })),
  };
};

/** The limit that a value breaks; blank breaks none. */
export const brokenLimit = (limits: readonly Limit[], value: number | null): Limit | undefined =>
  value === null
    ? undefined
    : limits.find(({ kind, value: limit }) => {
        if (kind === 'below') return value < limit;
        if (kind === 'at-most') return value <= limit;
        return kind === 'above' ? value > limit : value >= limit;
      });
